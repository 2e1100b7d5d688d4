"""Records returned to their supplier: the file that goes out, and the one that comes back."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

import numpy as np

from pravin_core.cases.chosen import Waiting
from pravin_core.cases.counting import count_files
from pravin_core.cases.files import FileFormat
from pravin_core.cases.returns import Returned, read_return, recognised, write_return
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.records.filters import make_filter
from pravin_core.records.pages import find_records
from pravin_core.tables.record_sets import Numbers, is_in
from pravin_server.common import cache
from pravin_server.common.errors import Invalid, NotFound
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import sources_of as sources_of_delivery
from pravin_server.feeds.models import Feed
from pravin_server.quarantine.cases import RUN_KINDS, cases_of, records_of, that_hold
from pravin_server.quarantine.models import Decision
from pravin_server.runs.models import Run
from pravin_server.runs.results import stage_of


@dataclass(frozen=True)
class Reading:
    """What a file says that came back, the act it answers, and how many of the records that it fills in are settled or decided otherwise since: what is said
    of these is not taken.
    """

    returned: Decision
    content: Returned
    settled: int


def sources_of(run: Run, records: Numbers) -> dict[str, Any]:
    """How many of the records are of which source of the delivery (its place from 0); none where some are of no source, because
    rules made them: then one file is for all of them.
    """
    counts = cache.even_if_deleted(lambda: count_files(stage_of(run), cache.spills(), cache.limits(), records))
    is_apart = any(place < 0 for place, _ in counts)
    return {"sources": [] if is_apart else [[place, count] for place, count in counts]}


def returned_or_404(delivery: Delivery, decision_id: int) -> Decision:
    """An act that returned records to the supplier. Raises NotFound."""
    decision = Decision.objects.filter(pk=decision_id, delivery=delivery, kind=Decision.Kind.RETURN).first()
    if decision is None:
        raise NotFound(f"Decision {decision_id} returned no records of this delivery to the supplier.")
    return decision


def write_file(
    delivery: Delivery, run: Run, returned: Decision, place: int | None, target: Path, form: FileFormat
) -> None:
    """The file for the supplier: all records of the act, or those of one source under the names that it uses."""

    def written() -> None:
        stage, records, limits = stage_of(run), records_of(returned), cache.limits()
        if place is not None:
            of_source = [make_filter("file", value=str(place))]
            records = records[
                is_in(records, np.sort(find_records(stage, of_source, None, False, cache.spills(), limits)))
            ]
        if not len(records):
            raise Invalid("No returned record is of this source.")
        known_as = _known_as(delivery, place)
        write_return(Waiting(delivery.number, stage, records), known_as, _called(returned), target, form, limits)

    cache.even_if_deleted(written)


def read(delivery: Delivery, run: Run, name: str, path: Path) -> Reading:
    """Read a file that came back, of any format that deliveries may have. Raises Invalid when it is not one of this delivery."""
    with _read(name, path) as (answer, place):
        returned = _returned(_known(recognised(answer, cache.spills(), cache.limits())), delivery)

        def content() -> Returned:
            waiting = Waiting(delivery.number, stage_of(run), records_of(returned))
            known_as = _names_in(answer.columns, delivery)
            return read_return(answer, waiting, known_as, _called(returned), place, cache.limits())

        said = cache.even_if_deleted(content)
        amendment = said.amendment and said.amendment.among(_open_still(run, returned))
        taken = len(amendment.records) if amendment else 0
        return Reading(returned, replace(said, amendment=amendment, records=taken), said.records - taken)


@contextmanager
def _read(name: str, path: Path) -> Iterator[tuple[Snapshot, Path]]:
    """The table of a file, for a while, and a place to work in."""
    with cache.scratch() as place:
        settings = settle(path, name, SettingsRequest()).settings
        yield make_snapshot([SourceFile(name, path, settings)], place / "answer", cache.limits()), place


def answered_by(feed: Feed, name: str, path: Path) -> Decision:
    """The act that a file from a supplier of a feed answers. Raises Invalid when it answers none of this feed that holds."""
    with _read(name, path) as (answer, _):
        returned = _known(recognised(answer, cache.spills(), cache.limits()))
    delivery = returned.delivery
    if delivery.feed_id != feed.pk:
        raise Invalid(f"This file is about the feed {delivery.feed.name}, not about {feed.name}.", field="file")
    return _returned(returned, delivery)


def _known(called: str) -> Decision:
    """The act that a file is called by. Raises Invalid."""
    is_number = called.isascii() and called.isdecimal() and len(called) < 19
    acts = Decision.objects.select_related("delivery__feed")
    returned = acts.filter(pk=int(called), kind=Decision.Kind.RETURN).first() if is_number else None
    if returned is None:
        raise Invalid(
            "This is no file that was made for a supplier: its lines have no references that are known.", field="file"
        )
    return returned


def _returned(returned: Decision, delivery: Delivery) -> Decision:
    """The act that a file answers. Raises Invalid when it is none of this delivery that holds."""
    if returned.delivery_id != delivery.pk:
        other = returned.delivery
        raise Invalid(
            f"This file is about delivery {other.number} of {other.feed.name}. Take it in there.", field="file"
        )
    if returned.undone_at is not None or returned.snapshot_key != delivery.snapshot_key:
        raise Invalid("Returning these records was undone, or the delivery was read anew since.", field="file")
    return returned


def _open_still(run: Run, returned: Decision) -> Numbers:
    """Those of the returned records that still wait here, and on which nobody decided since but by an earlier answer."""
    cases, records = cases_of(run), records_of(returned)
    records = records[is_in(records, cases.records[cases.is_waiting])]
    since = that_hold(run.delivery).filter(kind__in=RUN_KINDS, pk__gt=returned.pk)
    for decision in since.exclude(details__returned=returned.pk):
        records = records[~is_in(records, records_of(decision))]
    return records


def _called(returned: Decision) -> str:
    """What the file of an act is called in its references, with what they are checked by."""
    return f"{returned.pk}:{hashlib.sha256(bytes(returned.content)).hexdigest()}"


def _known_as(delivery: Delivery, place: int | None) -> dict[str, str]:
    """The names that a source uses, by the columns of the table; none for a file over all sources, which has our own."""
    if place is None:
        return {}
    sources = sources_of_delivery(delivery)
    if not 0 <= place < len(sources):
        raise NotFound(f"The delivery has no source {place}.")
    settings = FileSettings(**sources[place].settings)
    names: dict[str, str] = {}
    for theirs, ours in zip(settings.names, settings.columns, strict=True):
        if ours:
            names.setdefault(ours, theirs)
    return names if len(set(names.values())) == len(names) else {}


def _names_in(columns: tuple[str, ...], delivery: Delivery) -> dict[str, str]:
    """The names that a file which came back uses: those of the source that it has most columns of, else our own."""
    known: list[dict[str, str]] = [
        {},
        *(_known_as(delivery, place) for place in range(len(sources_of_delivery(delivery)))),
    ]
    return max(known, key=lambda names: sum(names.get(name, name) in columns for name in delivery.columns))
