"""A number or date must lie between two bounds."""

from __future__ import annotations

import datetime as dt
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Check, Example, Part, as_text, consequence_words, never_null, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.numbers import number_pattern
from pravin_core.tables.types import SQL_TYPES, DataType


class InRange(Check):
    """Bounds are included. Missing values pass; text that reads as no number or date breaks it.

    Bounds are written as numbers or as ISO dates; a text column is compared as what the bounds are.
    """

    title = "Range"
    group = "Per record"
    about = "Numbers or dates must not be below the lower or above the upper limit."
    synonyms = (
        "lies between", "between", "minimum", "maximum", "min", "max", "greater than", "less than", "limits", "bounds",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "low": "0", "high": "14"},
            before={"a": ["7.4", "74", "-0.1", "0", "14", "x", None]},
            after={"a": ["74", "-0.1", "x"]},
        ),
        Example(
            rule={"columns": ["a"], "low": "2024-03-01"},
            before={"a": ["2024-03-01", "2024-02-29", "march", None]},
            after={"a": ["2024-02-29", "march"]},
        ),
    )

    kind: Literal["in-range"] = "in-range"
    low: str | None = Field(default=None, max_length=40, title="Not below", json_schema_extra={"widget": "bound"})
    high: str | None = Field(default=None, max_length=40, title="Not above", json_schema_extra={"widget": "bound"})

    @model_validator(mode="after")
    def _bounded(self) -> Self:
        kinds = {_bound_type(bound) for bound in (self.low, self.high) if bound and not bound.startswith(":")}
        if not self.low and not self.high:
            raise ValueError("give a lower or an upper limit")
        if len(kinds) > 1:
            raise ValueError("one limit is a number and the other a date")
        if self.low and self.high and not f"{self.low[0]}{self.high[0]}".count(":") and _is_above(self.low, self.high):
            raise ValueError("the lower limit is above the upper one")
        return self

    def sentence(self) -> list[Part]:
        verb = self.verb(" is", " are").text
        low, high = (Part(text=bound, data=True) for bound in (self.low or "", self.high or ""))
        if self.low and self.high:
            parts = [text(f"{verb} between "), low, text(" and "), high, text(".")]
        elif self.low:
            parts = [text(f"{verb} not below "), low, text(".")]
        else:
            parts = [text(f"{verb} not above "), high, text(".")]
        return [*self.meant(), *parts, *consequence_words(self.consequence)]

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        target = _bound_type(self.low or self.high or "")
        if column.type is not DataType.TEXT and (target == "DOUBLE") == (
            column.type in (DataType.DATE, DataType.DATETIME)
        ):
            raise RulebookError(
                f"The limits are {'numbers' if target == 'DOUBLE' else 'dates'}, but {column.name} is {column.type}.",
                rule=self.id, column=column.name,
            )  # fmt: skip
        if column.type is DataType.EXACT:
            target = SQL_TYPES[DataType.EXACT]
        value = exp.cast(cell.copy(), target)
        if column.type is DataType.TEXT:
            read = template(f"try_cast(trim(:c) AS {target})", c=as_text(cell, column.type))
            shape = number_pattern().strip("^$") if target == "DOUBLE" else r"\d{4}-\d\d-\d\d([ T]\d\d:\d\d(:\d\d)?)?"
            value = template(
                "CASE WHEN regexp_full_match(trim(:c), :shape) THEN :read END",
                c=as_text(cell, column.type), shape=exp.Literal.string(shape), read=read,
            )  # fmt: skip
        outside: exp.Expr = exp.Is(this=value, expression=exp.null())
        for bound, kind in ((self.low, exp.LT), (self.high, exp.GT)):
            if bound:
                limit = exp.cast(exp.Literal.string(bound), target)
                outside = exp.or_(outside, kind(this=value.copy(), expression=limit))
        return never_null(exp.and_(exp.paren(outside), template(":c IS NOT NULL", c=cell.copy())))

    def phrase(self) -> str:
        if self.low and self.high:
            return f"is outside {self.low} to {self.high}"
        return f"is below {self.low}" if self.low else f"is above {self.high}"


def _is_above(low: str, high: str) -> bool:
    """Whether a limit is above another one of its kind."""
    if _bound_type(low) == "DOUBLE":
        return float(low) > float(high)
    first, last = dt.datetime.fromisoformat(low), dt.datetime.fromisoformat(high)
    return (first.tzinfo is None) == (last.tzinfo is None) and first > last


def _bound_type(bound: str) -> str:
    try:
        if float(bound) - float(bound) == 0:
            return "DOUBLE"
    except ValueError:
        pass
    try:
        dt.datetime.fromisoformat(bound)
    except ValueError:
        raise ValueError(f"the limit {bound!r} is neither a number nor a date like 2024-03-01") from None
    return "TIMESTAMP"


KIND = InRange
