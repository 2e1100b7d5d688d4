"""A page of records by position in an ordered, filtered result; never a loop over records.

First the numbers of all records that fit are found, reading only the columns asked about; then the cells of one page.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

import numpy as np
from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import NOT_ANSWERED
from pravin_core.engines.kept import kept_engine
from pravin_core.errors import RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.filters import Filter, kept
from pravin_core.rules.base import Check, ColumnCorrection, Derivation, RecordCorrection, Rule, TableCorrection
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.model import Outcome
from pravin_core.runs.runner import result_parts
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD
from pravin_core.tables.types import NUMBERS, DataType

Numbers = np.ndarray[Any, Any]
LONGEST_CELL = 1000
_STAGE = "__stage"  # the records that are asked about

_SORTS = {Check: "check", ColumnCorrection: "column", Derivation: "column", RecordCorrection: "record"}


def _sort_of(rule: Rule) -> str:
    """How the records that a rule touched are told: by its counts, its check, or by what came and went."""
    if isinstance(rule, TableCorrection):
        return "tracing" if rule.adds_records else "column" if rule.corrects else "table"
    return next((name for sort, name in _SORTS.items() if isinstance(rule, sort)), "table")


@dataclass(frozen=True)
class Page:
    """`total` records fit the filters. Each row: record, file (from 0), line, state, reasons, current cells, and
    original cells (None where the current one is alike)."""

    total: int
    columns: tuple[tuple[str, str], ...]
    rows: list[dict[str, Any]]


@dataclass(frozen=True)
class Stage:
    """Which records to look at: as delivered, or as a run left them."""

    snapshot: Snapshot
    result: Path | None = None
    outcome: Outcome | None = None
    rulebook: Rulebook = field(default_factory=Rulebook)

    @property
    def types(self) -> dict[str, DataType]:
        if self.outcome is None:
            return dict.fromkeys(self.snapshot.columns, DataType.TEXT)
        return {name: DataType(kind) for name, kind in self.outcome.columns}

    @property
    def rules(self) -> dict[int, str]:
        """The sort of each active rule by number."""
        return {number: _sort_of(rule) for number, rule in enumerate(self.rulebook.rules, start=1) if rule.enabled}

    @property
    def folders(self) -> list[Path]:
        """The folders that its files lie in."""
        return [self.snapshot.folder, *([self.result] if self.result else [])]

    @property
    def files(self) -> list[Path]:
        return self.snapshot.parts if self.result is None else result_parts(self.result)


def read_page(
    stage: Stage,
    filters: Sequence[Filter],
    sort: str | None,
    descending: bool,
    offset: int,
    limit: int,
    spills: Path,
    limits: Limits = Limits(),
) -> Page:
    """Read one page. Raises RunError when a filter or the order names a column that is not there."""
    numbers = find_records(stage, filters, sort, descending, spills, limits)
    return page_of(stage, numbers[offset : offset + limit], len(numbers), spills, limits)


def find_records(
    stage: Stage,
    filters: Sequence[Filter],
    sort: str | None,
    descending: bool,
    spills: Path,
    limits: Limits = Limits(),
) -> Numbers:
    """The numbers (int64) of all records that fit, in order. Only the columns that are asked about are read.

    Raises RunError when a filter or the order names a column that is not there.
    """
    query = fitting(stage, filters, sort, descending).select(column(RECORD).as_("record"), append=False)
    operations = any(filter_.uses_operations() for filter_ in filters)
    with kept_engine(stage.folders, spills, limits, operations) as con, answered():
        records = con.execute(sql(query)).fetchnumpy()["record"]
    return np.asarray(records, dtype=np.int64)


def fitting(stage: Stage, filters: Sequence[Filter], sort: str | None, descending: bool) -> exp.Select:
    """The query of the records that fit, in order. Raises RunError when a filter or the order names a column that is not there,
    or asks for what only a run can tell.
    """
    types = stage.types
    for name in [*(name for f in filters for name in sorted(f.names())), *([sort] if sort else [])]:
        if name not in types:
            raise RunError(f"There is no column {name!r}.", column=name, advice="Remove the filter.")
    if stage.result is None and any(filter_.needs_run() for filter_ in filters):
        raise RunError(
            "A filter asks for the state of records or for what a rule did, which only a run can tell.",
            advice="Run the rulebook first, or remove the filter.",
        )
    query = exp.select(column(RECORD)).from_(_table(stage))
    query = kept(query, [filter_.condition(types, stage.rules) for filter_ in filters])
    if sort:
        key: exp.Expr = column(sort, _STAGE)  # the cells as they are, whatever is selected under their name
        if stage.result is None:  # as delivered everything is text: numbers in order of size, then the rest as text
            number = exp.TryCast(this=column(sort, _STAGE), to=exp.DataType.build("DOUBLE"))
            query = query.order_by(exp.Ordered(this=number, desc=descending, nulls_first=False))
            key = template("nullif(:c, '')", c=column(sort, _STAGE))
        query = query.order_by(exp.Ordered(this=key, desc=descending, nulls_first=False))
    order = names.PLACE if stage.outcome is not None and stage.outcome.ordered else RECORD
    return query.order_by(column(order, _STAGE))


def _table(stage: Stage) -> exp.Expr:
    return exp.Table(this=read_parquet(stage.files), alias=exp.TableAlias(this=exp.to_identifier(_STAGE, quoted=True)))


@contextmanager
def answered() -> Iterator[None]:
    """What the engine cannot answer is said in words of our own. Raises RunError."""
    try:
        yield
    except NOT_ANSWERED as error:
        raise RunError(
            "The filters cannot be answered for these columns.", advice="Change or remove the last one."
        ) from error


def page_of(
    stage: Stage, numbers: Numbers, total: int, spills: Path, limits: Limits = Limits(), longest: int = LONGEST_CELL
) -> Page:
    """The records with these numbers, in this order, as a page of `total` records; of each cell the first `longest` characters."""
    types = stage.types
    with kept_engine(stage.folders, spills, limits) as con:
        rows = _rows(con, _select(stage, types, longest), numbers) if len(numbers) else []
        if stage.outcome is not None and rows:
            _put_unread(rows, stage.outcome, longest)
            _put_originals(con, stage, rows, numbers, longest)
    return Page(total, tuple((name, kind.value) for name, kind in types.items()), rows)


def _select(stage: Stage, types: dict[str, DataType], longest: int) -> exp.Select:
    cells = [_cell(written(column(n), t), longest) for n, t in types.items()] or [exp.null()]
    judged: list[exp.Expr] = [exp.convert("delivered").as_("state"), exp.null().as_("reasons")]
    if stage.result is not None:
        judged = [column(names.STATE).as_("state"), column(names.REASONS).as_("reasons")]
    return exp.select(
        column(RECORD).as_("record"), template("coalesce(:f, -1)", f=column(FILE)).as_("file"), column(LINE).as_("line"),
        *judged, exp.Array(expressions=cells).as_("cells"),
    ).from_(read_parquet(stage.files))  # fmt: skip


def _cell(cell: exp.Expr, longest: int) -> exp.Expr:
    return template("left(:c, :n)", c=cell, n=exp.Literal.number(longest))


def _rows(con: Connection, query: exp.Select, numbers: Numbers) -> list[dict[str, Any]]:
    """The rows of these records, in this order."""
    requested = template("SELECT unnest($numbers) AS :n", n=exp.to_identifier(RECORD, quoted=True)).subquery("wanted")
    cursor = con.execute(
        sql(query.join(requested, using=column(RECORD), join_type="semi")), {"numbers": numbers.tolist()}
    )
    heads = [d[0] for d in cursor.description or []]
    rows = {row[0]: dict(zip(heads, row, strict=True)) for row in cursor.fetchall()}
    return [rows[number] for number in numbers.tolist() if number in rows]


def _put_unread(rows: list[dict[str, Any]], outcome: Outcome, longest: int) -> None:
    """In quarantined records a cell that could not be read shows what stood there, which its reason tells."""
    place = {name: at for at, (name, _) in enumerate(outcome.columns) if name in outcome.lost}
    for row in rows:
        for reason in row["reasons"] or () if row["state"] == "quarantined" else ():
            at = place.get(reason["name"])
            if at is not None and row["cells"][at] is None and reason["value"] is not None:
                row["cells"][at] = reason["value"][:longest]


def _put_originals(con: Connection, stage: Stage, rows: list[dict[str, Any]], numbers: Numbers, longest: int) -> None:
    """Read the delivered cells of one page and keep those that differ from the current ones."""
    cells = exp.Array(expressions=[_cell(column(name), longest) for name in stage.snapshot.columns])
    query = exp.select(column(RECORD).as_("record"), cells.as_("cells")).from_(read_parquet(stage.snapshot.parts))
    originals = {row["record"]: row["cells"] for row in _rows(con, query, numbers)}
    place = {name: position for position, name in enumerate(stage.snapshot.columns)}
    there = stage.outcome.delivered if stage.outcome else {}
    shown = [(place.get(there.get(name, name)), kind) for name, kind in stage.types.items()]
    for row in rows:
        delivered = originals.get(row["record"], [])  # a record that a rule added was not delivered
        row["originals"] = [
            None if at is None or not delivered or _alike(delivered[at], now, kind) else delivered[at] or ""
            for (at, kind), now in zip(shown, row["cells"], strict=True)
        ]


def _alike(was: str | None, now: str | None, kind: DataType) -> bool:
    """Whether a delivered text says the same as the current value: missing as empty, 8.0 as 8."""
    if (was or None) == now:
        return True
    if was is None or now is None or kind not in NUMBERS:
        return False
    try:
        return Decimal(was) == Decimal(now)
    except InvalidOperation:
        return False
