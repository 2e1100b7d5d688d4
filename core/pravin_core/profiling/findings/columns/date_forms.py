"""Dates that are written otherwise than the others of their column, and days that a spreadsheet counted."""

from __future__ import annotations

from collections.abc import Iterator

from pravin_core.engines.functions import Mark
from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, of_column
from pravin_core.profiling.findings.dates import COUNTED, counted, reading
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import Filter, make_filter
from pravin_core.tables.dates import pattern, shape_pattern
from pravin_core.tables.types import DataType

OTHER = Kind(
    "other form of a date",
    "Dates of a form that at most a quarter of the column has, and that cannot be taken for the most frequent one. Low where they "
    "are more than 5 in 100. Dates alone in a column of dates with times, where at most 5 in 100 are.",
)
FEW = 0.05
NUMBER = Kind(
    "serial number for a date",
    "Whole numbers in a column of dates that are days since 1899-12-30, as spreadsheets count them, among its dates "
    "(within 1.5 interquartile ranges of the quartiles, Tukey 1977).",
)


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Both, with the one rule that reads all dates of the column."""
    if column.type not in (DataType.DATE, DataType.DATETIME) or not column.dates:
        return
    yield from _otherwise(column_values, column)
    yield from _without_time(column_values, column)
    if numbers := counted(column_values) if column.type is DataType.DATE else []:
        count = sum(n for _, n in numbers)
        texts = [value for value, _ in numbers]
        low, high = min(texts, key=float), max(texts, key=float)
        yield of_column(
            column_values, NUMBER, "high", count, f"{cells(count)} with days counted by a spreadsheet: {listed(texts)}",
            evidence=[Evidence(value=value, count=n) for value, n in numbers],
            filters=[make_filter("column", name=column.name, test="matches", value=COUNTED),
                     make_filter("column", name=column.name, test="between", values=(low, high))],
            rule=reading(column_values, column), effect=count,
        )  # fmt: skip


def _without_time(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Dates alone, where hardly any of the others lacks its time."""
    met = column_values.matching(".", kinds=("date",))
    if column.type is DataType.DATETIME and 0 < met.cells <= FEW * column_values.present:
        yield of_column(
            column_values, OTHER, "low", met.cells, f"{cells(met.cells)} without the time of day that the others have: {listed(met.texts)}",
            evidence=[Evidence(value=value, count=n) for value, n in met.values], detail="no time",
            filters=[make_filter("column", name=column.name, test="reads as", value="date")],
        )  # fmt: skip


def _otherwise(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    forms = column.dates.formats if column.dates else ()
    usual = shape_pattern(forms[0].value) if forms else ""
    others = [form.value for form in forms if shape_pattern(form.value) != usual]
    timed = [
        form for form in others if ("%H" in form) == ("%H" in forms[0].value)
    ]  # a time beside a date is no other form
    if not timed:
        return
    met = [column_values.matching(pattern(form), Mark.DIGIT, ("date", "date-time")) for form in timed]
    values = {value: n for matches in met for value, n in matches.values}
    count = sum(matches.cells for matches in met)
    if not 0 < count <= 0.25 * column.dates.count:  # type: ignore[union-attr]
        return
    doors: list[Filter] = [
        make_filter("column", name=column.name, test="matches", value=pattern(form)) for form in timed
    ]
    yield of_column(
        column_values, OTHER, "middle" if count <= 0.05 * column_values.present else "low", count,
        f"{cells(count)} written in another form than the other dates: {listed(list(values))}",
        evidence=[Evidence(value=value, count=n) for value, n in values.items()],
        filters=doors if len(doors) == 1 else [make_filter("any of", of=tuple(doors))],
        rule=reading(column_values, column), effect=count,
    )  # fmt: skip
