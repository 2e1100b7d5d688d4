"""Trim spaces at both ends, and collapse those inside."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class TrimSpaces(ColumnCorrection):
    """Spaces of every kind (tab, no-break space) are meant; a cell of spaces only becomes missing."""

    title = "Trim spaces"
    group = "Text"
    about = "Removes spaces at the beginning and end of each value; tabs and no-break spaces are spaces too."
    synonyms = (
        "strip", "whitespace", "trim", "leading spaces", "trailing spaces", "double spaces", "blanks", "nbsp",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "collapse": True},
            before={"a": [" x ", "x\u00a0 y", "\t", None, "z"]},
            after={"a": ["x", "x y", None, None, "z"]},
        ),
    )

    names_columns = False
    repairs_text: ClassVar[bool] = True

    kind: Literal["trim-spaces"] = "trim-spaces"
    collapse: bool = Field(default=False, title="Collapse spaces inside", json_schema_extra={"widget": "switch"})

    def sentence(self) -> list[Part]:
        verb = "Trim and collapse spaces in " if self.collapse else "Trim spaces in "
        return [text(verb), *self.meant(), text(".")]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        operation = "single_spaced_text(:c)" if self.collapse else "trimmed_text(:c)"
        return Corrected(template(operation, c=as_text(cell, column.type)))


KIND = TrimSpaces
