"""A date must lie in a window seen from the delivery."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Check, Example, Part, consequence_words, counted, never_null, text
from pravin_core.rules.moments import moment_in
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class DateWindow(Check):
    """The day on which the delivery arrived counts, so the same delivery is judged alike for ever. Bounds are included;
    texts that are no date such as 2024-03-17 break it, missing values pass.
    """

    title = "Date window"
    group = "Per record"
    about = "A date must be within a number of days before or after the day of the delivery; 0 days ahead: not in the future."
    synonyms = (
        "lies in a window of days",
        "date range",
        "future date",
        "past date",
        "recent",
        "age",
        "not in the future",
        "too old",
    )
    examples = (
        Example(
            rule={"columns": ["a"], "back": 60, "ahead": 0},
            before={"a": ["2024-03-17", "2107-03-17", "2023-03-17", "soon", None]},
            after={"a": ["2107-03-17", "2023-03-17", "soon"]},
        ),
    )

    kind: Literal["date-window"] = "date-window"
    back: int | None = Field(
        default=None,
        ge=0,
        le=1_000_000,
        title="Days back at most",
        json_schema_extra={"widget": "whole", "empty": "any"},
    )
    ahead: int | None = Field(
        default=0, ge=0, le=1_000_000, title="Days ahead at most", json_schema_extra={"widget": "whole", "empty": "any"}
    )

    @model_validator(mode="after")
    def _bounded(self) -> Self:
        if self.back is None and self.ahead is None:
            raise ValueError("give the days back or the days ahead")
        return self

    def sentence(self) -> list[Part]:
        back = f"at most {counted(self.back, 'day')} before" if self.back is not None else ""
        ahead = (
            ""
            if self.ahead is None
            else "not after"
            if self.ahead == 0
            else f"at most {counted(self.ahead, 'day')} after"
        )
        text_ = " and ".join(part for part in (back, ahead) if part)
        return [
            *self.meant(),
            self.verb(" is ", " are "),
            text(f"{text_} the day of the delivery."),
            *consequence_words(self.consequence),
        ]

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        day = exp.cast(moment_in(cell, column), "DATE")
        outside: exp.Expr = template(":d IS NULL", d=day)
        for days, sign in ((self.back, "<"), (self.ahead, ">")):
            if days is not None:
                signed = exp.Literal.number(days)
                bound = template(f"delivered_on() {'-' if sign == '<' else '+'} CAST(:n AS INTEGER)", n=signed)
                outside = template(f":o OR :d {sign} :b", o=outside, d=day, b=exp.paren(bound))
        return never_null(template(":c IS NOT NULL AND :o", c=cell, o=exp.paren(outside)))

    def phrase(self) -> str:
        return "is outside the window of days around the delivery"


KIND = DateWindow
