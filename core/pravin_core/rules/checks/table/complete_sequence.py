"""No number of a sequence may be missing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCheck, consequence_words, text
from pravin_core.rules.numeric import number_in
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

MOST_LISTED = 20


class CompleteSequence(TableCheck):
    """Numbers with a fraction, repeated ones and texts that are no number do not matter here. Without limits the sequence goes
    from the smallest number to the largest.
    """

    title = "Complete sequence"
    group = "Table"
    about = "No number may be missing between the smallest and the largest, or between two limits; the missing ones are listed."
    synonyms = (
        "missing numbers", "gaps", "list of gaps", "running numbers", "invoice numbers", "missing ids", "sequence numbers",
        "consecutive", "completeness",
    )  # fmt: skip
    examples = (
        Example(
            rule={"column": "n"},
            before={"n": ["3", "1", "4", "8", None, "x", "3"]},
            after={"seen": ["4 numbers (2, 5 to 7)"], "broken": [True]},
        ),
        Example(
            rule={"column": "n", "low": 1, "high": 4},
            before={"n": ["1", "2", "3", None]},
            after={"seen": ["1 number (4)"], "broken": [True]},
        ),
        Example(rule={"column": "n"}, before={"n": ["3", "2", None]}, after={"seen": ["no number"], "broken": [False]}),
    )

    kind: Literal["complete-sequence"] = "complete-sequence"
    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    low: int | None = Field(
        default=None, title="From", json_schema_extra={"widget": "whole", "empty": "the smallest number"}
    )
    high: int | None = Field(
        default=None, title="To", json_schema_extra={"widget": "whole", "empty": "the largest number"}
    )

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.low is not None and self.high is not None and self.low > self.high:
            raise ValueError("the number to begin with is above the last one")
        return self

    def needs(self) -> tuple[str, ...]:
        return (self.column,)

    def sentence(self) -> list[Part]:
        ends = [
            f" from {self.low:,}" if self.low is not None else "",
            f" to {self.high:,}" if self.high is not None else "",
        ]
        return [
            text("No number is missing in "), Part(text=self.column, data=True), text(f"{''.join(ends)}."),
            *consequence_words(self.consequence),
        ]  # fmt: skip

    def verdict(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        number = number_in(col(self.column), next(column for column in columns if column.name == self.column))
        numbers = exp.select(exp.alias_(number, "__n")).from_(live.subquery("live"))
        whole = "__n = floor(__n) AND abs(__n) < 1e15"
        met = exp.select("CAST(__n AS BIGINT) AS __n").distinct().from_(numbers.subquery("numbers")).where(whole)
        for limit, sign in ((self.low, ">="), (self.high, "<=")):
            if limit is not None:
                met = met.where(template(f"__n {sign} :l", l=exp.Literal.number(limit)))
        ends = [  # the numbers outside the limits, so that what is missing at the ends is seen too
            exp.select(exp.alias_(exp.cast(exp.Literal.number(limit + step), "BIGINT"), "__n"))
            for limit, step in ((self.low, -1), (self.high, 1))
            if limit is not None
        ]
        everything: exp.Expr = met
        for end in ends:
            everything = exp.union(everything, end, distinct=False)
        following = exp.Window(
            this=template("lead(__n)"), order=exp.Order(expressions=[exp.Ordered(this=exp.column("__n"))])
        )
        steps = exp.select("__n", exp.alias_(following, "__next")).from_(everything.subquery("everything"))  # type: ignore[attr-defined]
        gaps = exp.select(
            "__n + 1 AS __first", "__next - 1 AS __last", "row_number() OVER (ORDER BY __n) AS __at"
        ).from_(steps.subquery("steps")).where("__next > __n + 1")  # fmt: skip
        shown = "CASE WHEN __first = __last THEN CAST(__first AS VARCHAR) ELSE CAST(__first AS VARCHAR) || ' to ' || CAST(__last AS VARCHAR) END"
        count = "CAST(coalesce(sum(__last - __first + 1), 0) AS BIGINT)"
        listed = f"string_agg(CASE WHEN __at <= {MOST_LISTED} THEN {shown} END, ', ' ORDER BY __at)"
        more = f"CASE WHEN count(*) > {MOST_LISTED} THEN ' and more' ELSE '' END"
        seen = (
            f"CASE WHEN count(*) = 0 THEN 'no number' ELSE CAST({count} AS VARCHAR) || "
            f"CASE WHEN {count} = 1 THEN ' number (' ELSE ' numbers (' END || {listed} || {more} || ')' END"
        )
        return exp.select(exp.alias_(template(seen), "seen"), exp.alias_(template("count(*) > 0"), "broken")).from_(
            gaps.subquery("gaps")
        )

    def phrase(self) -> str:
        return f"missing in {self.column}"


KIND = CompleteSequence
