"""A feed's released table divided into parts for modelling: settled once, then the same in every release."""

from __future__ import annotations

import hashlib
import json
from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from pravin_core.engines.duckdb import connect
from pravin_core.releases import writers
from pravin_core.releases.modelling import Division, Report, Table, rows_of, settle, write_divided
from pravin_core.rules.reshaping import Reference
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, NotFound
from pravin_server.common.locks import lock_rows
from pravin_server.feeds.models import Feed
from pravin_server.releases.models import TableDivision
from pravin_server.releases.queries import reference_of_releases, released_table

FORM = 1  # raise when a divided table is written otherwise


def divide(user: Any, feed: Feed, division: Division) -> TableDivision:
    """Make a division of what is released of a feed now. Raises Conflict when nothing is, and the core's errors for what does not fit."""
    person = may_work(user, "divide a released table")
    reference, _ = _released(feed)
    with cache.scratch() as scratch, connect(_folders(reference), scratch, cache.limits()) as con:
        settled = settle(division, _table(reference), con)
    with transaction.atomic():
        lock_rows(Feed).get(pk=feed.pk)
        number = (feed.divisions.aggregate(last=Max("number"))["last"] or 0) + 1
        made = TableDivision.objects.create(
            feed=feed, number=number, content=settled.model_dump(mode="json"), by=person
        )
        parts = ", ".join(f"{each.name} {each.share:g} %" for each in settled.shares)
        note(person, f"divided the released table of {feed.name} into parts ({parts})", feed.slug, division=number)
    return made


def end(user: Any, division: TableDivision) -> None:
    """A division is not offered any more; what was taken of it stays as it is."""
    person = may_work(user, "end a division")
    if TableDivision.objects.filter(pk=division.pk, ended=None).update(ended=timezone.now()):
        note(person, f"ended division {division.number} of {division.feed.name}", division.feed.slug)


def report_of(division: TableDivision) -> tuple[Report, int]:
    """How what is released now is divided, and the number of its newest release. Raises Conflict when nothing is released."""
    place, release = _written(division)[2:]
    return Report.model_validate_json((place / "report.json").read_text()), release


def file_of_part(division: TableDivision, part: str, form: writers.Format, defused: bool) -> Path:
    """The file of a part, or of the whole table with the part of each record (`part` empty). Raises NotFound for another part."""
    core = division_of(division)
    if part and part not in {each.name for each in core.shares}:
        raise NotFound(f"Division {division.number} has no part {part!r}.")
    reference, table, place, _ = _written(division)
    query = rows_of(core, table, place / "divided.parquet", part)
    if form in ("csv", "tsv"):
        query = writers.delimited(query, dict(table.columns), defused)

    def make(target: Path) -> None:
        with cache.scratch() as scratch, connect([place, *_folders(reference)], scratch, cache.limits()) as con:
            writers.write(con, query, target, form)

    safe = "-safe" if defused and form in ("csv", "tsv") else ""
    return cache.made(place / f"{part or 'all'}{safe}.{form}", make)


def division_of(division: TableDivision) -> Division:
    """A division as the core takes it."""
    return Division.model_validate(division.content)


def columns_to_divide(feed: Feed) -> list[tuple[str, str]]:
    """The columns of what is released of a feed now, with their types; none where nothing is."""
    if released_table(feed) is None:
        return []
    reference, _ = _released(feed)
    return [(name, kind.value) for name, kind in _table(reference).columns]


def _released(feed: Feed) -> tuple[Reference, int]:
    told = released_table(feed)
    if told is None:
        raise Conflict(
            f"Nothing is released of {feed.name}, so there is nothing to divide. An approver publishes first."
        )
    return reference_of_releases(told.releases, told.key), told.number


def _table(reference: Reference) -> Table:
    return Table(reference.source, tuple((each.name, each.type) for each in reference.columns))


def _folders(reference: Reference) -> list[Path]:
    return [reference.folder] if reference.folder else []


def _written(division: TableDivision) -> tuple[Reference, Table, Path, int]:
    """The released table divided, in a folder of the cache; made once for what is released."""
    reference, release = _released(division.feed)
    table, core = _table(reference), division_of(division)
    told = json.dumps([FORM, reference.version, division.content], sort_keys=True)
    place = cache.folder("released", f"divided-{hashlib.sha256(told.encode()).hexdigest()[:32]}")
    place.mkdir(exist_ok=True)

    def make(target: Path) -> None:
        with cache.scratch() as scratch, connect([place, *_folders(reference)], scratch, cache.limits()) as con:
            report = write_divided(core, table, target, con)
        (place / "report.json").write_text(report.model_dump_json())

    cache.made(place / "divided.parquet", make)
    return reference, table, place, release
