"""A sum must be what was told."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCheck, consequence_words, text
from pravin_core.rules.numeric import number_in
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.sql.written import written
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType


class ControlTotal(TableCheck):
    """Texts that are no number, and missing values, are left out of the sum."""

    title = "Control total"
    group = "Table"
    about = "The sum of a column must be a given number, but for a tolerance."
    synonyms = ("sum", "total", "checksum", "reconcile", "balance", "expected total")
    examples = (
        Example(
            rule={"column": "a", "total": 10, "tolerance": 0.5},
            before={"a": ["7.4", "3", None]},
            after={"seen": ["10.4"], "broken": [False]},
        ),
        Example(
            rule={"column": "a", "total": 10},
            before={"a": ["7.4", "3", None]},
            after={"seen": ["10.4"], "broken": [True]},
        ),
    )

    kind: Literal["control-total"] = "control-total"
    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    total: float = Field(title="Sum", json_schema_extra={"widget": "number"})
    tolerance: float = Field(default=0, ge=0, title="Tolerance", json_schema_extra={"widget": "number"})

    def needs(self) -> tuple[str, ...]:
        return (self.column,)

    def sentence(self) -> list[Part]:
        more = f", give or take {self.tolerance:g}" if self.tolerance else ""
        return [
            text("The sum of "),
            Part(text=self.column, data=True),
            text(f" is {self.total:g}{more}."),
            *consequence_words(self.consequence),
        ]

    def verdict(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        found_column = next(column for column in columns if column.name == self.column)
        if found_column.type is DataType.EXACT:
            return self._exact(live)
        number = number_in(col(self.column), found_column)
        value = template("coalesce(exact_sum(:n), 0)", n=number)
        total, tolerance = (
            exp.cast(exp.Literal.string(repr(each_value)), "DOUBLE") for each_value in (self.total, self.tolerance)
        )
        broken = template("abs(:v - :t) > :d + 1e-9", v=value, t=total, d=tolerance)
        return exp.select(
            exp.alias_(template("write_number(:v)", v=value), "seen"), exp.alias_(broken, "broken")
        ).from_(live.subquery("live"))

    def _exact(self, live: exp.Select) -> exp.Select:
        value = template("as_exact(coalesce(sum(:c), 0))", c=col(self.column))
        total, tolerance = (
            template("as_exact(:t)", t=exp.Literal.string(repr(each_value)))
            for each_value in (self.total, self.tolerance)
        )
        broken = template("abs(:v - :t) > :d", v=value, t=total, d=tolerance)
        seen = exp.alias_(written(value, DataType.EXACT), "seen")
        return exp.select(seen, exp.alias_(broken, "broken")).from_(live.subquery("live"))

    def phrase(self) -> str:
        return f"is the sum of {self.column}; it should be {self.total:g}"


KIND = ControlTotal
