"""A value must be there."""

from __future__ import annotations

from typing import Literal

from sqlglot import exp

from pravin_core.rules.base import Check, Example, Part, consequence_words
from pravin_core.tables.columns import Column


class Required(Check):
    """Breaks where the cell is missing after all corrections."""

    title = "Required"
    group = "Per record"
    about = "A value must be present."
    synonyms = (
        "is filled", "not null", "null", "blank", "empty", "missing", "mandatory", "not empty", "nan",
    )  # fmt: skip
    examples = (Example(rule={"columns": ["a"]}, before={"a": ["x", None, ""]}, after={"a": [None, None]}),)

    kind: Literal["required"] = "required"

    def sentence(self) -> list[Part]:
        verb = self.verb(" is filled.", " are filled.")
        return [*self.meant(), verb, *consequence_words(self.consequence)]

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        return exp.Is(this=cell.copy(), expression=exp.null())

    def phrase(self) -> str:
        return "is missing"


KIND = Required
