"""Profile a snapshot: table measures, then every column in turn."""

from __future__ import annotations

import logging
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from contextvars import copy_context
from datetime import datetime
from functools import partial
from pathlib import Path
from types import MappingProxyType, ModuleType
from typing import Any

from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import INTERRUPTED, NO_MEMORY, beside, connect, know_operations
from pravin_core.errors import Cancelled
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.column_values import TOP, ColumnValues
from pravin_core.profiling.findings.columns import number_marks
from pravin_core.profiling.findings.registry import OF_COLUMNS, OF_TABLES
from pravin_core.profiling.metrics import dates, numbers, texts
from pravin_core.profiling.model import ColumnProfile, Finding, Profile, ValueCount
from pravin_core.profiling.table import TableStudy
from pravin_core.profiling.type_inference import FITTING, nothing_as_category, propose_role, propose_type
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, joined, sql, template
from pravin_core.tables.types import NUMBERS, DataType, Role

logger = logging.getLogger(__name__)
_MISFITS = """
SELECT left(value, 200), n FROM column_values
WHERE kind NOT IN ('missing', 'missing token') AND kind NOT IN (SELECT unnest($1)) ORDER BY n DESC, value LIMIT 8
"""


Said = Mapping[str, tuple[DataType | None, Role | None]]
Columns = tuple[ColumnProfile, list[Finding]]
Measured = Callable[[int, Callable[[], Profile]], bool]
"""Is told how many columns are measured, and what makes a profile of those; says whether to go on."""


def profile_snapshot(
    snapshot: Snapshot,
    scratch: Path,
    now: datetime,
    limits: Limits = Limits(),
    progress: Measured | None = None,
    said: Said = MappingProxyType({}),
    first: Sequence[str] = (),
) -> Profile:
    """Measure every record of a snapshot.

    `progress` is told after each column and returns False to cancel (raises Cancelled). `now` decides what is in the future. `said`: types and roles that a person chose; `first`: columns to begin with.
    """
    unjudged: list[str] = []
    with connect([snapshot.folder], scratch, limits) as con:
        know_operations(con)
        source = read_parquet(snapshot.parts)
        order = sorted(range(len(snapshot.columns)), key=lambda at: snapshot.columns[at] not in first)

        def column_values(position: int) -> Columns:
            name = snapshot.columns[position]
            with beside(con) as own:
                each_column_values = ColumnValues(own, source, name, position + 1, snapshot.records, now)
                return _study(each_column_values, unjudged, *said.get(name, (None, None)))

        done = _in_turn(column_values, order, snapshot, limits.threads, progress)
        columns = sorted((column for column, _ in done), key=lambda column: column.position)
        table = TableStudy(con, source, snapshot.records, columns, now)
        any_missing, empty = _records(con, source, columns)
        findings = [finding for _, each_findings in done for finding in each_findings] + _of_table(
            table, unjudged, limits.threads
        )
    return Profile(
        records=snapshot.records,
        rejected=snapshot.rejected,
        missing_cells=sum(c.missing for c in columns),
        records_with_missing=any_missing,
        empty_records=empty,
        duplicate_records=table.repeated,
        columns=tuple(columns),
        findings=tuple(sorted(findings, key=worst_first)),
        unjudged=tuple(sorted(unjudged)),
    )


def profile_one(
    snapshot: Snapshot,
    name: str,
    scratch: Path,
    now: datetime,
    limits: Limits = Limits(),
    data_type: DataType | None = None,
    role: Role | None = None,
) -> Columns:
    """Measure one column anew under a type and role that a person chose: its profile and its own findings."""
    with connect([snapshot.folder], scratch, limits) as con:
        know_operations(con)
        position = snapshot.columns.index(name) + 1
        column_values = ColumnValues(con, read_parquet(snapshot.parts), name, position, snapshot.records, now)
        return _study(column_values, [], data_type, role)


def _study(column_values: ColumnValues, unjudged: list[str], data_type: DataType | None, role: Role | None) -> Columns:
    measured = profile_column(column_values, data_type, role)
    first, after = (
        [module for module in OF_COLUMNS if getattr(module, "AFTER", False) is late] for late in (False, True)
    )
    findings = [finding for module in first for finding in _judged(module, unjudged, column_values, measured)]
    for module in after:  # what these find is what others have not
        findings += _judged(module, unjudged, column_values, measured, findings)
    return measured, findings


def _in_turn(
    column_values: Callable[[int], Columns],
    order: Sequence[int],
    snapshot: Snapshot,
    threads: int,
    progress: Measured | None,
) -> list[Columns]:
    """Every column, several at a time: much of the work on one column is too small to occupy the machine."""
    done: list[Columns] = []
    with ThreadPoolExecutor(max_workers=threads) as pool:
        waiting = [pool.submit(copy_context().run, column_values, position) for position in order]
        try:
            for result in as_completed(waiting):
                done.append(result.result())
                if progress and not progress(len(done), partial(_so_far, snapshot, done)):
                    raise Cancelled("The profile was cancelled. Nothing was changed.")
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    return done


def _so_far(snapshot: Snapshot, done: Sequence[Columns]) -> Profile:
    columns = sorted((column for column, _ in done), key=lambda column: column.position)
    return Profile(
        records=snapshot.records,
        rejected=snapshot.rejected,
        missing_cells=sum(column.missing for column in columns),
        records_with_missing=0,
        empty_records=0,
        duplicate_records=0,
        columns=tuple(columns),
        awaited=len(snapshot.columns) - len(columns),
    )


def _judged(module: ModuleType, unjudged: list[str], *of: Any) -> list[Finding]:
    """What a module finds. A fault in one kind of finding must not cost the whole profile: it is logged and told."""
    try:
        return list(module.find(*of))
    except (Cancelled, INTERRUPTED, NO_MEMORY):
        raise
    except Exception:
        name = _name_of(module)
        about = f" of {of[0].name}" if isinstance(of[0], ColumnValues) else ""
        logger.exception("could not judge %s%s", name, about)
        unjudged.append(f"{name}{about}")
        return []


def _name_of(module: ModuleType) -> str:
    return module.__name__.rsplit(".", 1)[-1].replace("_", " ")


def worst_first(finding: Finding) -> tuple[int, int, str]:
    """The order of the worklist: by severity, then by count."""
    return (("high", "middle", "low").index(finding.severity), -finding.count, finding.id)


def _of_table(table: TableStudy, unjudged: list[str], threads: int) -> list[Finding]:
    """What all modules find in the table, several at a time. One that needs more memory than there is does not cost the profile: it is
    told.
    """
    _ = table.sample, table.sampled_numbers, table.repeated  # once, before the modules share them

    def judge(module: ModuleType) -> list[Finding]:
        with beside(table.con) as own:
            own_table = table.with_own(own)
            return [_opening(finding, own_table) for finding in _judged(module, unjudged, own_table)]

    findings: list[Finding] = []
    too_large: list[ModuleType] = []
    with ThreadPoolExecutor(max_workers=threads) as pool:
        results = [pool.submit(copy_context().run, judge, module) for module in OF_TABLES]
        for module, future in zip(OF_TABLES, results, strict=True):
            try:
                findings += future.result()
            except NO_MEMORY:
                too_large.append(module)
    for module in too_large:  # each alone: they had to share the memory
        try:
            findings += judge(module)
        except NO_MEMORY:
            unjudged.append(f"{_name_of(module)} (it needs more memory than is allowed)")
    return findings


def _opening(finding: Finding, table: TableStudy) -> Finding:
    """A finding with the number of records that its filters open, where that is another number than it counts."""
    if not finding.filters:
        return finding
    opens = table.opened_by(finding.filters)
    return finding if opens == finding.count else finding.model_copy(update={"opens": opens})


def _records(con: Connection, source: exp.Expr, columns: Sequence[ColumnProfile]) -> tuple[int, int]:
    """Records with any missing cell, and with only missing cells."""
    blank = [
        template("coalesce(:c, '') = ''", c=column(each_column.name)) for each_column in columns if each_column.missing
    ]
    if not blank:
        return 0, 0
    every = joined(exp.And, blank) if len(blank) == len(columns) else exp.false()
    counts = [template("count_if(:f)", f=flag) for flag in (joined(exp.Or, blank), every)]
    row = con.execute(sql(exp.select(*counts).from_(source))).fetchone()
    return (int(row[0] or 0), int(row[1] or 0)) if row else (0, 0)


def profile_column(
    column_values: ColumnValues, type_: DataType | None = None, said_role: Role | None = None
) -> ColumnProfile:
    """Everything measured about a studied column; a type or role that a person chose is not proposed."""
    forms = tuple(ValueCount(value=shape.shape, count=shape.cells) for shape in column_values.shapes[:TOP])
    text = texts.measure(column_values)
    data_type, fits = propose_type(
        column_values.kinds, column_values.top, lambda: number_marks.written_otherwise(column_values)
    )
    if type_ is not None and type_ is not data_type:
        data_type = type_
        fits = (
            sum(column_values.kinds.get(kind, 0) for kind in FITTING[type_])
            if type_ in FITTING
            else column_values.present
        )
    number_statistics, bars, by_size = numbers.measure(column_values) if column_values.numeric else (None, None, None)
    dated = column_values.kinds.keys() & {"date", "date-time"}
    date_statistics, date_bars = dates.measure(column_values) if dated else (None, None)
    if data_type in NUMBERS:
        distribution = bars
    elif data_type in (DataType.DATE, DataType.DATETIME):
        distribution = date_bars
    else:
        distribution = texts.distribution(column_values.top)
    role = said_role or propose_role(
        column_values.name, data_type, column_values.present, column_values.distinct, forms, text,
        lambda: number_marks.is_written_otherwise(column_values),
    )  # fmt: skip
    return ColumnProfile(
        name=column_values.name,
        position=column_values.position,
        type=data_type,
        role=role,
        fits=fits,
        misfits=column_values.present - fits,
        misfit_examples=_misfits(column_values, data_type) if fits < column_values.present else (),
        kinds=column_values.kinds,
        missing=column_values.kinds.get("missing", 0),
        distinct=column_values.distinct,
        values=column_values.top,
        shapes=forms,
        text=text,
        numbers=number_statistics,
        dates=date_statistics,
        distribution=distribution or texts.distribution(column_values.top),
        by_size=by_size if data_type in NUMBERS else None,
        meant=nothing_as_category(column_values.top, column_values.distinct) if role is Role.CATEGORY else (),
    )


def _misfits(column_values: ColumnValues, data_type: DataType) -> tuple[ValueCount, ...]:
    return column_values.pairs(_MISFITS, [list(FITTING[data_type])]) if data_type in FITTING else ()
