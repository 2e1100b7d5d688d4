"""Dates that are out of order."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from pravin_core.profiling.findings.base import Finding, Kind, make, some_records, these_records
from pravin_core.profiling.findings.tables.series.stations import moment_in
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.sql.trees import column
from pravin_core.tables.columns import FILE, RECORD

ORDER = Kind(
    "dates out of order", "At least 97 of 100 dates of each file are not before the one above; the others are."
)


def order(table: TableStudy, profile: ColumnProfile) -> Iterator[Finding]:
    """Dates before the greatest so far would count everything after one wrong date, so neighbours are compared: a date
    is out of order when it lies before the one above and that one not after the one below."""
    if _shuffled(table, profile):
        return
    window = f'OVER (PARTITION BY "{FILE}" ORDER BY "{RECORD}")'
    dated = exp.select(column(RECORD), column(FILE), exp.alias_(moment_in(profile), "m")).from_(table.source)
    known = exp.select("*").from_(dated.subquery("d")).where("m IS NOT NULL")
    beside = exp.select(column(RECORD).as_("r"), "m", f"lag(m) {window} AS above", f"lead(m) {window} AS below")
    beside = beside.from_(known.subquery("k"))
    odd = (
        "(above IS NOT NULL AND m < above AND (below IS NULL OR below >= above OR m < below AND above <= below)) "
        "OR (below IS NOT NULL AND m > below AND above IS NOT NULL AND above <= below)"
    )
    sums = exp.select(
        "count(*)", "count_if(above IS NOT NULL AND m < above)", "count_if(m <> above)", f"count_if({odd})"
    )
    total, falls, changes, wrong = table.ask(sums.from_(beside.subquery("b")))[0]
    if not wrong or falls > 0.03 * total or changes < 5 or falls > 0.2 * changes:
        return
    numbers = [row[0] for row in table.ask(exp.select("r").from_(beside.subquery("b")).where(odd).order_by("r"))]
    yield make(
        ORDER, [profile.name], "middle", wrong, table.records,
        f"{some_records(wrong)} with a date before or after both neighbours, otherwise the dates rise",
        **these_records(numbers),
    )  # fmt: skip


def _shuffled(table: TableStudy, profile: ColumnProfile) -> bool:
    """Whether the dates of an even sample fall so often that the column is not in order at all."""
    falls = exp.select("m", f'lag(m) OVER (PARTITION BY "{FILE}" ORDER BY "{RECORD}") AS above').from_(
        exp.select(column(RECORD), column(FILE), exp.alias_(moment_in(profile), "m"))
        .from_(table.source)
        .where(table.sampled)
        .subquery("d")
    )
    query = exp.select("count_if(m < above)", "count_if(m <> above)").from_(falls.subquery("f"))
    fell, changed = table.ask(query)[0]
    return bool(fell > 0.3 * changed)
