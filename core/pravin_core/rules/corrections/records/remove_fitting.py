"""Remove records by a condition."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.formulas.language import condition
from pravin_core.formulas.reading import reads
from pravin_core.rules.base import Example, FormulaText, Part, RecordCorrection, never_null, text
from pravin_core.rules.labels import THOSE
from pravin_core.sql.trees import column as col
from pravin_core.tables.columns import RECORD, Column


class RemoveFitting(RecordCorrection):
    """Where the condition is missing, because a value is, the record stays, whether records are removed or kept."""

    title = "Remove records by a condition"
    group = "Records"
    about = "Removes the records for which a formula holds, or keeps only these."
    synonyms = ("filter", "delete rows", "where", "condition", "expression", "exclude", "keep rows")
    examples = (
        Example(
            rule={"formula": "starts_with(a, 'test')"},
            before={"a": ["test 1", "Weir", None]},
            after={"a": ["Weir", None]},
        ),
        Example(
            rule={"formula": "a <> 'x'", "those": "keep only"},
            before={"a": ["x", "y", None]},
            after={"a": ["y", None]},
        ),
    )

    kind: Literal["remove-fitting"] = "remove-fitting"
    formula: FormulaText = Field(
        min_length=1, max_length=4000, title="Condition", json_schema_extra={"widget": "formula", "condition": True}
    )
    those: Literal["remove", "keep only"] = Field(
        default="remove", title="Those that fit", json_schema_extra={"widget": "choice", "labels": THOSE}
    )

    def needs(self) -> tuple[str, ...]:
        return reads(self.formula)

    def sentence(self) -> list[Part]:
        begun = "Remove records where " if self.those == "remove" else "Keep only records where "
        return [text(begun), Part(text=self.formula, data=True), text(".")]

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        fits = condition(self.formula, columns).expression
        goes = fits if self.those == "remove" else exp.not_(exp.paren(fits))
        return exp.select(col(RECORD)).from_(live.subquery("live")).where(never_null(goes))


KIND = RemoveFitting
