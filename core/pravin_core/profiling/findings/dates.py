"""The one rule that reads all dates of a column, in whatever forms they are written; proposed by several findings."""

from __future__ import annotations

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Rule
from pravin_core.profiling.model import ColumnProfile
from pravin_core.tables.dates import SHORT_YEARS
from pravin_core.tables.types import DataType

SHORT = r"^\s*\d{1,2}([./-])\d{1,2}[./-]\d{2}(?: \d{1,2}:\d{2})?\s*$"
COUNTED = r"^\s*[1-5]\d{4}(?:\.0+)?\s*$"  # days since 1899-12-30
_COUNTED_WITHIN = """
SELECT value, n FROM column_values WHERE kind IN ('whole number', 'decimal') AND regexp_matches(value, $pattern)
  AND DATE '1899-12-30' + CAST(left(trim(value), 5) AS INTEGER) BETWEEN $low AND $high ORDER BY n DESC, value
"""
_BETWEEN = """
SELECT greatest(least, q1 - (q3 - q1) * 3 / 2), least(most, q3 + (q3 - q1) * 3 / 2) FROM (
  SELECT quantile_disc(moment, 0.25) AS q1, quantile_disc(moment, 0.75) AS q3, min(moment) AS least, max(moment) AS most
  FROM dates WHERE moment IS NOT NULL)
"""


def reading(column_values: ColumnValues, column: ColumnProfile) -> Rule | None:
    """The conversion of a column of dates with every form found in it; what is no date is quarantined."""
    forms = [form.value for form in column.dates.formats] if column.dates else []
    forms += short_forms(column_values, column)
    if not forms:
        return None
    rule: Rule = {"kind": "to-date", "columns": [column.name], "formats": forms, "unconverted": "quarantine"}
    if column.type is DataType.DATE and column.dates and counted(column_values):
        rule["serial_numbers"] = True
    if any("%y" in form for form in forms) and (last := _last_short_year(column_values)):
        rule["last_short_year"] = last
    return rule


def _last_short_year(column_values: ColumnValues) -> int | None:
    """The last of the hundred years that two digits can name, where the usual ones (1969 to 2068) do not hold the column's dates:
    as far after the last date and the present as the first date allows, half of what is left kept for earlier ones. None
    where no hundred years hold all, or none that a rule may name.
    """
    low, high = column_values.ask(_BETWEEN)[0]
    if low is None or low.year >= 1969 or high.year - low.year > 99:
        return None
    last = max(high.year, min(column_values.now.year, low.year + 99))
    last += max(0, low.year + 99 - last) // 2
    return last if SHORT_YEARS[0] <= last <= SHORT_YEARS[1] else None


def short_forms(column_values: ColumnValues, column: ColumnProfile) -> list[str]:
    """The forms of the dates with two digits for the year; day first unless one tells otherwise."""
    texts = column_values.matching(SHORT, kinds=("text",)).texts
    if not texts:
        return []
    forms = [form.value for form in column.dates.formats] if column.dates else []
    dates = [text.strip().split(" ")[0] for text in texts]
    parts = [[int(p) for p in text.replace(".", "/").replace("-", "/").split("/")] for text in dates]
    month_first = any(p[1] > 12 for p in parts) or (
        not any(p[0] > 12 for p in parts) and bool(forms) and forms[0].startswith("%m")
    )
    marks = sorted({mark for text in dates for mark in "./-" if mark in text})
    order = ("%m", "%d", "%y") if month_first else ("%d", "%m", "%y")
    timed = {" %H:%M" if " " in text.strip() else "" for text in texts}
    return [mark.join(order) + time for mark in marks for time in sorted(timed)]


def counted(column_values: ColumnValues) -> list[tuple[str, int]]:
    """The numbers in a column of dates that are days as a spreadsheet counts them, among its dates (those far off aside)."""
    low, high = column_values.ask(_BETWEEN)[0]
    if low is None or not column_values.kinds.get("whole number"):
        return []
    return column_values.ask(_COUNTED_WITHIN, {"pattern": COUNTED, "low": low, "high": high})
