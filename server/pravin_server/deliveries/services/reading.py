"""Read a delivery: find its sources, settle how each is read, match their columns, make the snapshot, profile."""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import PurePath
from typing import Any

from django.db import transaction

from pravin_core.errors import IntakeError
from pravin_core.intake.amounts import in_words
from pravin_core.intake.column_matching import ColumnSketch, sketch_source
from pravin_core.intake.design import (
    FILLS,
    LEAVE_OUT,
    AgreedColumn,
    Change,
    Layout,
    compare_layout,
    compare_types,
    known_layout,
)
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.snapshot import Snapshot, settle
from pravin_core.intake.sources import find_sources
from pravin_core.intake.totals import Compared, ControlTotals, compare_totals, from_totals_line, read_companion
from pravin_core.profiling.model import Profile
from pravin_core.profiling.profiler import Measured, profile_snapshot
from pravin_core.tables.types import DataType, Role
from pravin_server.accounts.services import may_work
from pravin_server.common import cache
from pravin_server.common.jobs import Progress
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.deliveries import ports, snapshots
from pravin_server.deliveries.models import Delivery, DeliveryProfile, DesignChange, Source
from pravin_server.deliveries.services.receiving import ask_reading
from pravin_server.feeds.models import Feed

TYPED = "typed in"
KEEPING = 20  # keeping what is measured so far takes at most one part of the time in so many


def pattern_of(name: str) -> str:
    """A source's name without its numbers: the files of two months share it, and so their import settings."""
    return re.sub(r"\d+", "#", name)[:800]


def read_delivery(delivery_id: int, progress: Progress) -> None:
    """Read and profile a delivery: settings settled, snapshot made, counts and profile kept together."""
    delivery = Delivery.objects.select_related("feed").get(pk=delivery_id)
    progress("looking at the files", 0.02)
    _find(delivery)
    sources = snapshots.sources_of(delivery)
    if not sources:
        raise IntakeError("Every source is left out.", advice="Keep at least one source in Intake.")
    _settle(sources, delivery.feed)
    _match(delivery, sources)
    progress(_amount(delivery, sources), 0.1)
    key = snapshots.key_of(delivery)
    snapshot = snapshots.make(delivery, key)
    totals = _totals(delivery, sources, snapshot)
    with cache.scratch() as scratch:
        compared = [
            total
            for stated, part in totals
            for total in compare_totals(snapshot, stated, scratch, cache.limits(), part)
        ]
        _keep_counts(delivery_id, sources, snapshot, key, compared, [stated for stated, _ in totals])
        profile = profile_snapshot(
            snapshot,
            scratch,
            received(delivery),
            cache.limits(),
            _as_measured(delivery, key, progress, len(snapshot.columns)),
            chosen_by_hand(delivery.feed),
            ports.columns_of_interest(delivery.feed),
        )
    with transaction.atomic():
        locked = lock_rows(Delivery).get(pk=delivery_id)
        locked.state, locked.error = Delivery.State.READ, None
        locked.save(update_fields=["state", "error"])
        _keep_profile(locked, key, profile)
        filled = [column for column in profile.columns if column.missing < profile.records]
        _keep_retyped(locked, {column.name: column.type for column in filled})
    ports.was_read(delivery)


def _amount(delivery: Delivery, sources: Sequence[Source]) -> str:
    places = [(snapshots.place_of(source), FileSettings(**source.settings)) for source in sources]
    return in_words(places, sum(file.size for file in delivery.files.filter(companion=False)))


def received(delivery: Delivery) -> datetime:
    """When a delivery was received, as its profile takes it for the present."""
    return delivery.received.replace(tzinfo=None)


def chosen_by_hand(feed: Feed) -> dict[str, tuple[DataType | None, Role | None]]:
    """Types and roles that a person chose for the feed's columns."""
    return {
        agreed.name: (agreed.type, agreed.role)
        for agreed in agreed_of(feed)
        if agreed.by_hand and (agreed.type or agreed.role)
    }


def _as_measured(delivery: Delivery, key: str, progress: Progress, columns: int) -> Measured:
    """Keeps what is measured so far, so that it can be looked at already; of thousands of columns rarely, since each
    time takes longer.
    """
    after = 0.0

    def measured(done: int, so_far: Callable[[], Profile]) -> bool:
        nonlocal after
        began = time.monotonic()
        if began >= after and done < columns:
            _keep_profile(delivery, key, so_far())
            after = began + max(1, KEEPING * (time.monotonic() - began))
        return progress.often(f"profiled {done:,} of {columns:,} columns", 0.3 + 0.7 * done / max(1, columns))

    return measured


def _keep_profile(delivery: Delivery, key: str, profile: Profile) -> None:
    content = profile.model_dump(mode="json")
    fields = {"snapshot_key": key, "content": content, "treated": {}}
    DeliveryProfile.objects.update_or_create(delivery=delivery, defaults=fields)


def _find(delivery: Delivery) -> None:
    """Write down the sources in the files, once; those found before keep what was settled about them."""
    results = []
    for file in delivery.files.filter(companion=False):
        for each_source in find_sources(snapshots.local_copy(file), file.name, snapshots.unpack_folder()):
            results.append((file, each_source))
    known = {(source.file_id, source.member, source.table) for source in delivery.sources.all()}
    remembered = delivery.feed.requests
    with transaction.atomic():
        position = max((source.position for source in delivery.sources.all()), default=-1)
        for file, each_source in results:
            if (file.pk, each_source.member, each_source.table) not in known:
                position += 1
                request = remembered.get(pattern_of(each_source.name), {})
                Source.objects.create(
                    delivery=delivery, file=file, position=position, name=each_source.name[:800], member=each_source.member,
                    table=each_source.table, request=request,
                )  # fmt: skip
        delivery.sources.exclude(file__companion=False).delete()


def _settle(sources: Sequence[Source], feed: Feed) -> None:
    """Settle each source; one without header takes the feed's columns, or those of a source beside it."""
    known: Sequence[str] = _names_known(feed)
    headless: list[Source] = []
    for source in sources:
        _settle_one(source, known)
        names_given = source.request.get("names") or source.settings["format"] in ("json", "parquet")
        if not source.settings["header_rows"] and not names_given:
            headless.append(source)
        elif not known:
            known = source.settings["names"]
    for source in headless:
        _settle_one(source, known)


def _names_known(feed: Feed) -> list[str]:
    """The names of the feed's first layout, as they are delivered; else its agreed columns."""
    return list(feed.layouts[0]["names"]) if feed.layouts else feed.columns


def _settle_one(source: Source, known: Sequence[str]) -> None:
    place = snapshots.place_of(source)
    request = SettingsRequest(**source.request)
    detected = settle(place.path, source.name, request, known, place)
    place_now = snapshots.place_of(source)
    source.settings = detected.settings.model_dump(mode="json")
    source.evidence, source.notes = detected.evidence, list(detected.notes)
    source.rivals = {name: list(others) for name, others in detected.rivals.items()}
    source.doubts = [
        {"line": doubt.line, "about": doubt.about, "readings": dict(doubt.readings)} for doubt in detected.doubts
    ]
    if not request.encoding and "encoding" in detected.rivals:
        source.guess = {
            "name": detected.settings.encoding, "evidence": detected.evidence["encoding"],
            "rivals": list(detected.rivals["encoding"]),
        }  # fmt: skip
    source.sketch = [sketch.model_dump(mode="json") for sketch in sketch_source(place_now, detected.settings)]
    source.save()


def agreed_of(feed: Feed) -> list[AgreedColumn]:
    """The columns agreed for a feed."""
    return [AgreedColumn.model_validate(column) for column in feed.design]


def _match(delivery: Delivery, sources: Sequence[Source]) -> None:
    """Say which column of the table each delivered column fills, and write down what a person has to settle.

    What was chosen by hand or is known from an earlier layout is not asked. Before anything is agreed the first
    source says what the table is.
    """
    agreed = agreed_of(delivery.feed)
    if not agreed and sources:
        first = sources[0]
        columns = FileSettings(**first.settings).columns
        agreed = [
            AgreedColumn(name=target, sketch=ColumnSketch.model_validate(item))
            for target, item in zip(columns, first.sketch, strict=True)
            if target is not None
        ]
    spelling = {column.name.casefold(): column.name for column in agreed}
    layouts = [Layout.model_validate(layout) for layout in delivery.feed.layouts]
    for position, source in enumerate(sources):
        settings = FileSettings(**source.settings)
        layout = known_layout(settings.names, layouts)
        by_hand = source.request.get("columns") or {}
        alone = not delivery.feed.design and position == 0
        if layout is not None or alone:
            changes: list[Change] = []
            mapping = dict(zip(settings.names, layout.columns, strict=True)) if layout else {}
        else:
            sketches = [ColumnSketch.model_validate(item) for item in source.sketch]
            changes, mapping = _compare(
                [sketch for sketch in sketches if sketch.name not in by_hand], agreed, settings, by_hand
            )
        kept = _keep_changes(delivery, source, changes)
        _map(source, settings, {**mapping, **_settled(kept), **by_hand}, spelling)


def _compare(
    sketches: Sequence[ColumnSketch], agreed: Sequence[AgreedColumn], settings: FileSettings, by_hand: dict[str, Any]
) -> tuple[list[Change], dict[str, str | None]]:
    by_person = [by_hand[name] for name in settings.names if name in by_hand]
    names = {name for name in (*by_person, *settings.facts, settings.source_column) if name}
    free = [column for column in agreed if column.name not in names]
    changes, sure = compare_layout(sketches, free)
    return changes, dict(sure)


def _keep_changes(delivery: Delivery, source: Source | None, changes: Sequence[Change]) -> list[DesignChange]:
    """Write the changes down; those that were settled before stay settled, those that are gone go."""
    before = {
        (design_change.kind, design_change.name): design_change
        for design_change in DesignChange.objects.filter(delivery=delivery, source=source)
    }
    kept = []
    for change in changes:
        known = before.pop((change.kind.value, change.name), None) or before.pop(
            next((key for key in before if key[1] == change.name and before[key].choice), ("", "")), None
        )
        each_change = known or DesignChange(delivery=delivery, source=source, kind=change.kind.value, name=change.name)
        if not each_change.choice:
            each_change.kind, each_change.column, each_change.evidence = (
                change.kind.value,
                change.column,
                change.evidence,
            )
            each_change.choices = list(change.choices)
        each_change.save()
        kept.append(each_change)
    for gone in before.values():
        if not gone.choice:  # what was settled stays on record
            gone.delete()
    return kept


def _settled(changes: Sequence[DesignChange]) -> dict[str, str | None]:
    """What the settled changes say of delivered columns."""
    fields: dict[str, str | None] = {}
    for change in changes:
        if change.choice == LEAVE_OUT:
            fields[change.name] = None
        elif change.choice == FILLS:
            fields[change.name] = change.target or change.column
        elif change.choice:
            fields[change.name] = change.name
    return fields


def _map(source: Source, settings: FileSettings, mapping: dict[str, str | None], spelling: dict[str, str]) -> None:
    """Put the columns that a source fills into its settings; a column taken twice stays with the first.

    `spelling`: how names were written first, for those that differ in letter case only.
    """
    texts = {name.casefold() for name in (*settings.facts, settings.source_column) if name}
    columns: list[str | None] = []
    for name in settings.names:
        target = mapping.get(name, name)
        if target is not None and target.casefold() in texts:
            target = _free(name, texts)
        if target is not None:
            target = spelling.setdefault(target.casefold(), target)
            texts.add(target.casefold())
        columns.append(target)
    source.settings = {**source.settings, "columns": columns}
    source.save(update_fields=["settings"])


def _free(name: str, taken: set[str]) -> str:
    number = 2
    while f"{name}_{number}".casefold() in taken:
        number += 1
    return f"{name}_{number}"


Stated = list[tuple[ControlTotals, int | None]]


def _totals(delivery: Delivery, sources: Sequence[Source], snapshot: Snapshot) -> Stated:
    """Control totals with the place of the source they are about: typed in, else from companion files and totals
    lines. A companion that is named like a file is about that file, another about the whole delivery."""
    typed = [ControlTotals.model_validate(total) for total in delivery.totals or [] if total["source"] == TYPED]
    if typed:
        return [(control_totals, None) for control_totals in typed]
    stated: Stated = []
    for file in delivery.files.filter(companion=True):
        part = _about(file.name, sources)
        control_totals = read_companion(snapshots.local_copy(file), file.name)
        stated.append((control_totals, None) if part is None else (_of_source(control_totals, sources[part]), part))
    for part, (source, counts) in enumerate(zip(sources, snapshot.files, strict=True)):
        if counts.totals_cells:
            line = from_totals_line(counts.totals_cells, source.settings["columns"], f"the last line of {source.name}")
            if line.records is not None or line.sums:
                stated.append((line.model_copy(update={"of": source.name}), part))
    return stated


def _about(companion: str, sources: Sequence[Source]) -> int | None:
    """The place of the only source whose file a companion is named after; None for the whole delivery."""
    near = [part for part, source in enumerate(sources) if companion.startswith(PurePath(source.file.name).stem)]
    return near[0] if len(near) == 1 and len(sources) > 1 else None


def _of_source(control_totals: ControlTotals, source: Source) -> ControlTotals:
    """Sums by the names of the table's columns: the supplier knows only those it delivered."""
    columns = dict(zip(source.settings["names"], source.settings["columns"], strict=True))
    by_name = {name.casefold(): column for name, column in columns.items() if column}
    sums = {by_name.get(name.casefold(), name): total for name, total in control_totals.sums.items()}
    return control_totals.model_copy(update={"sums": sums, "of": source.name})


def _keep_counts(
    delivery_id: int,
    sources: Sequence[Source],
    snapshot: Snapshot,
    key: str,
    compared: Sequence[Compared],
    totals: Sequence[ControlTotals],
) -> None:
    """What is known once the records are read; the profile comes after it."""
    with transaction.atomic():
        delivery = lock_rows(Delivery).get(pk=delivery_id)
        for source, counts in zip(sources, snapshot.files, strict=True):
            source.counts = counts.model_dump(mode="json")
            source.save(update_fields=["counts"])
        delivery.compared = [total.model_dump(mode="json") for total in compared]
        delivery.totals = [stated.model_dump(mode="json") for stated in totals]
        former = delivery.snapshot_key
        delivery.snapshot_key, delivery.columns = key, list(snapshot.columns)
        delivery.records, delivery.rejected = snapshot.records, snapshot.rejected
        delivery.save()
        if former not in ("", key):
            ports.read_anew(delivery, former)


def _keep_retyped(delivery: Delivery, types: dict[str, DataType]) -> None:
    """Write down which columns read as another type than agreed."""
    changes = compare_types(types, agreed_of(delivery.feed))
    known = {change.name: change for change in delivery.changes.filter(source=None)}
    for change in changes:
        each_change = known.pop(change.name, None) or DesignChange(
            delivery=delivery, kind=change.kind.value, name=change.name
        )
        each_change.column, each_change.evidence, each_change.choices = (
            change.column,
            change.evidence,
            list(change.choices),
        )
        each_change.save()
    for gone in known.values():
        if not gone.choice:
            gone.delete()


def reading_ended(delivery_id: int, state: str, error: dict[str, Any] | None) -> None:
    """A delivery that could not be read says why; its bytes stay."""
    fields = error or {"title": "Reading was cancelled", "detail": "Choose Read again in Intake."}
    Delivery.objects.filter(pk=delivery_id).update(state=Delivery.State.FAILED, error=fields)


@transaction.atomic
def read_again(user: Any, delivery: Delivery) -> Job:
    """Ask for a delivery to be read again under its settings."""
    return ask_reading(may_work(user, "read a delivery again"), delivery)
