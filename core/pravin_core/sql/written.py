"""The written form of a value: how a number or date stands in text outputs, reasons and on screen."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.sql.trees import copied, template
from pravin_core.tables.types import DataType


def written_or_unread(cell: exp.Expr, data_type: DataType, reasons: exp.Expr, name: str) -> exp.Expr:
    """A cell of a quarantined record as text; where it could not be read, the text that stood there."""
    return template(
        "coalesce(:c, unread_value(:r, :n))", c=written(cell, data_type), r=reasons, n=exp.Literal.string(name)
    )


def reasons_in_words(reasons: exp.Expr) -> exp.Expr:
    """The reasons of a quarantined record as one text: "ph 74 is above 14; site is missing"."""
    return template(
        "array_to_string(list_transform(:r, lambda __item: concat_ws(' ', __item.name, __item.value, __item.phrase)), '; ')",
        r=reasons,
    )


def written(cell: exp.Expr, data_type: DataType) -> exp.Expr:
    """A cell as text: decimals without an empty fraction (2, not 2.0), zero without a sign, dates and times in ISO 8601."""
    if data_type is DataType.TEXT:
        return copied(cell)
    if data_type is DataType.DECIMAL:
        return template(r"regexp_replace(CAST(:c + 0.0 AS VARCHAR), '\.0$', '')", c=cell)
    if data_type is DataType.EXACT:
        return template(r"regexp_replace(CAST(CAST(:c AS DECIMAL(38, 10)) AS VARCHAR), '\.?0+$', '')", c=cell)
    return template("CAST(:c AS VARCHAR)", c=cell)
