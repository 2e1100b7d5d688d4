"""Columns in the formulas of proposed checks and doors, read in the forms in which they are written."""

from __future__ import annotations

from pravin_core.profiling.model import ColumnProfile


def quoted(column: ColumnProfile) -> str:
    """The name of a column, whatever it holds."""
    return '"' + column.name.replace('"', '""') + '"'


def day_of(column: ColumnProfile) -> str:
    """The date of a cell in the first form of its column that fits."""
    forms = [form.value for form in column.dates.formats] if column.dates else []
    reads = [f"to_date({quoted(column)}, '{form}')" for form in forms]
    return reads[0] if len(reads) == 1 else f"coalesce({', '.join(reads)})"


def number_of(column: ColumnProfile) -> str:
    """The number of a cell, by the decimal mark of its column."""
    comma = column.kinds.get("decimal comma", 0) > column.kinds.get("decimal", 0)
    return f"to_number({quoted(column)}{', ' + repr(',') if comma else ''})"
