"""Comparing a cell with a number or an ISO date, whatever the type of its column."""

from __future__ import annotations

from collections.abc import Sequence

from sqlglot import exp

from pravin_core.engines.kinds import double_of, is_numeric
from pravin_core.records.filters.base import is_moment, is_number
from pravin_core.sql.trees import column, template
from pravin_core.tables.types import NUMBERS, SQL_TYPES, DataType


def compared(sign: type[exp.GT | exp.LT], name: str, text: exp.Expr, data_type: DataType, value: str) -> exp.Expr:
    """Whether a cell is above or below a value; false where it is neither a number nor, against a date, a text."""
    limit: exp.Expr = exp.Literal.string(value)
    if data_type in NUMBERS:
        kind = SQL_TYPES[DataType.EXACT] if data_type is DataType.EXACT else "DOUBLE"
        cell: exp.Expr = column(name)
        limit = exp.TryCast(this=limit, to=exp.DataType.build(kind, dialect="duckdb"))
    elif value[:4].isdigit() and value[4:5] == "-":
        cell = text  # ISO dates sort as text
    else:
        cell = double_of(text)
        limit = exp.TryCast(this=limit, to=exp.DataType.build("DOUBLE"))
    return template("coalesce(:c, false)", c=sign(this=cell, expression=limit))


def limited(name: str, text: exp.Expr, data_type: DataType, limits: Sequence[str], with_high: bool) -> exp.Expr:
    """Whether a cell is a number between two limits, the higher one included or not."""
    low, high = limits
    under = compared(exp.LT, name, text, data_type, low)
    sign, limit = (exp.GT, "NOT :h") if with_high else (exp.LT, ":h")
    beyond = compared(sign, name, text, data_type, high)
    number = exp.paren(is_numeric(text))
    return template(f":n AND NOT :u AND {limit}", n=number, u=exp.paren(under), h=exp.paren(beyond))


def needs_a_number_or_date(test: str, value: str) -> None:
    """Raises ValueError when a value is neither."""
    if not (is_number(value) or is_moment(value)):
        raise ValueError(f"“{test}” needs a number or a date such as 2024-03-17; “{value[:60]}” is neither")


def needs_two(test: str, values: Sequence[str]) -> None:
    """Raises ValueError when values are not two numbers or two dates."""
    kinds = (all(map(is_number, values)), all(map(is_moment, values)))
    if len(values) != 2 or not any(kinds):
        raise ValueError(f"“{test}” needs two numbers or two dates, the lower and the higher one")
