"""The written form of a value: how a number or date stands in text outputs, reasons and on screen."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.engines.duckdb import template
from pravin_core.tables.types import DataType


def written(cell: exp.Expr, data_type: DataType) -> exp.Expr:
    """A cell as text: decimals without an empty fraction (2, not 2.0), dates and times in ISO 8601."""
    if data_type is DataType.TEXT:
        return cell.copy()
    if data_type is DataType.DECIMAL:
        return template(r"regexp_replace(CAST(:c AS VARCHAR), '\.0$', '')", c=cell)
    return exp.cast(cell.copy(), "VARCHAR")
