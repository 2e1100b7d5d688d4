"""Columns that may tell the records of a feed apart."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from pathlib import Path

from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.kept import kept_engine
from pravin_core.intake.snapshot import Snapshot
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template

MOST_COLUMNS = 6  # that are tried together
MOST_PROPOSED = 4
MOST_OF = 0.95  # of the records a key must tell apart to be proposed


@dataclass(frozen=True)
class Candidate:
    """A column that may be part of a key: its different values and its missing ones, and whether it reads as an identifier."""

    name: str
    distinct: int
    missing: int
    is_identifier: bool


@dataclass(frozen=True)
class Key:
    """Columns with how many of the records they tell apart, and how many have no value in one of them."""

    columns: tuple[str, ...]
    different: int
    missing: int


def propose_keys(
    snapshot: Snapshot, candidates: Sequence[Candidate], spills: Path, limits: Limits = Limits()
) -> list[Key]:
    """Keys that tell all or nearly all records apart, best first: identifiers before other columns, few columns before many. Two
    and three columns are tried together where they tell more records apart than any does alone.
    """
    records = snapshot.records
    known = {c.name: c for c in candidates}
    nearly = [[c.name] for c in candidates if records and c.distinct >= MOST_OF * records]
    alone = [key for key in _counted(snapshot, nearly, spills, limits) if key.different >= MOST_OF * records]
    alone.sort(key=lambda key: (not known[key.columns[0]].is_identifier, -key.different))
    if len(alone) >= MOST_PROPOSED or not records:
        return alone[:MOST_PROPOSED]
    best = max((key.different for key in alone), default=0)
    if best == records:
        return alone[:MOST_PROPOSED]
    tried = [c for c in candidates if c.missing * 10 < records]
    tried.sort(key=lambda c: (not c.is_identifier, -c.distinct))
    names_tried = [c.name for c in tried[:MOST_COLUMNS]]
    together: list[Key] = []
    for size in (2, 3):
        sets = [
            chosen
            for chosen in combinations(names_tried, size)
            if not any(set(key.columns) <= set(chosen) for key in together) and _may_tell(chosen, known, records)
        ]
        together += [
            key for key in _counted(snapshot, sets, spills, limits) if key.different >= max(MOST_OF * records, best + 1)
        ]
        if together:
            break
    together.sort(key=lambda key: (-key.different, len(key.columns)))
    return [*alone, *together][:MOST_PROPOSED]


def _may_tell(chosen: Sequence[str], known: dict[str, Candidate], records: int) -> bool:
    product = 1
    for name in chosen:
        product *= max(1, known[name].distinct)
    return product >= records


def _counted(snapshot: Snapshot, sets: Sequence[Sequence[str]], spills: Path, limits: Limits) -> list[Key]:
    """How many records each set of columns tells apart; each is a statement of its own, so that memory is bounded by one."""
    with kept_engine([snapshot.folder], spills, limits) as con:
        return [_measured(con, snapshot, chosen) for chosen in sets]


def measure_key(snapshot: Snapshot, chosen: Sequence[str], spills: Path, limits: Limits = Limits()) -> Key:
    """How many records of a snapshot columns tell apart: those whose values, all there, no other record has."""
    return _counted(snapshot, [chosen], spills, limits)[0]


def _measured(con: Connection, snapshot: Snapshot, chosen: Sequence[str]) -> Key:
    parts = [template("nullif(:c, '')", c=column(name)) for name in chosen]
    there = exp.and_(*(template(":p IS NOT NULL", p=part) for part in parts))
    grouped = (
        exp.select(template("count(*)").as_("n")).from_(read_parquet(snapshot.parts)).where(there).group_by(*parts)
    )
    query = template(
        "SELECT count(*) FILTER (n = 1), coalesce(sum(n), 0) FROM :grouped", grouped=grouped.subquery("grouped")
    )
    different, complete = con.execute(sql(query)).fetchone() or (0, 0)
    return Key(tuple(chosen), int(different), snapshot.records - int(complete))
