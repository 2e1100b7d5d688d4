"""Read tokens such as "n/a" or "-999" as missing."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, joined, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class MissingTokens(ColumnCorrection):
    """A cell that is one of the tokens, spaces around it and letter case aside, becomes missing."""

    title = "Treat values as missing"
    group = "Missing"
    about = "Values that stand for no value, such as n/a or -999, become missing."
    synonyms = (
        "read tokens as missing", "null", "blank", "empty", "n/a", "nan", "none", "placeholder", "sentinel", "-999", "unknown",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "tokens": ["n/a", "-999"]},
            before={"a": ["N/A", " -999 ", "-9990", None, "b"]},
            after={"a": [None, None, "-9990", None, "b"]},
        ),
    )

    names_columns = False
    repairs_text: ClassVar[bool] = True

    kind: Literal["missing-tokens"] = "missing-tokens"
    tokens: tuple[str, ...] = Field(
        min_length=1, max_length=200, title="Tokens", json_schema_extra={"widget": "tokens"}
    )

    def sentence(self) -> list[Part]:
        return [text("Treat "), *joined(self.tokens), text(" as missing in "), *self.meant(), text(".")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        tokens = [token.strip().lower() for token in self.tokens]
        known = exp.Array(expressions=[exp.Literal.string(token) for token in tokens])
        # longer cells without spaces around cannot be one of them; to trim and fold all is dear
        met = template(
            "(length(:c) <= :most OR :c LIKE ' %' OR :c LIKE '% ') AND list_contains(:known, lower(trim(:c)))",
            most=exp.Literal.number(max(map(len, tokens))), known=known, c=as_text(cell, column.type),
        )  # fmt: skip
        return Corrected(template("CASE WHEN :met THEN NULL ELSE :c END", met=met, c=cell.copy()), column.type)


KIND = MissingTokens
