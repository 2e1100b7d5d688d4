"""Find and replace by a pattern."""

from __future__ import annotations

import re
from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.formulas.patterns import groups
from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.rules.patterns import checked
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class ReplacePattern(ColumnCorrection):
    """Patterns are those of RE2 (linear time, whatever the text). `\\1` stands for the first group."""

    title = "Replace by pattern"
    group = "Text"
    about = "Replaces every part of a value that matches a pattern; \\1 stands for the first group in brackets."
    synonyms = ("regex", "regexp", "regular expression", "substitute", "regex replace", "sub")
    examples = (
        Example(
            rule={"columns": ["a"], "find": r"^([0-9.]+) mg/L$", "replacement": r"\1"},
            before={"a": ["8.1 mg/L", "7.4", "mg/L", None]},
            after={"a": ["8.1", "7.4", "mg/L", None]},
        ),
        Example(
            rule={"columns": ["a"], "find": ",", "only": r"^\d{1,3}(,\d{3})+$"},
            before={"a": ["1,234,567", "1,2", None]},
            after={"a": ["1234567", "1,2", None]},
        ),
    )

    names_columns = False
    repairs_text: ClassVar[bool] = True

    kind: Literal["replace-pattern"] = "replace-pattern"
    find: str = Field(min_length=1, max_length=500, title="Find pattern")
    replacement: str = Field(default="", max_length=500, title="Replace with")
    ignore_case: bool = Field(default=False, title="Ignore letter case", json_schema_extra={"widget": "switch"})
    only: str = Field(default="", max_length=500, title="Only in values that match")

    @model_validator(mode="after")
    def _patterns_read(self) -> Self:
        checked(self.find)
        checked(self.only)
        named_groups = re.findall(r"\\(\d)", self.replacement)
        if named_groups and int(max(named_groups)) > groups(self.find):
            raise ValueError(f"the replacement names group \\{max(named_groups)}, the pattern has {groups(self.find)}")
        return self

    def sentence(self) -> list[Part]:
        where = [text(" in values that match "), Part(text=self.only, data=True)] if self.only else []
        new = [text(" with "), Part(text=self.replacement, data=True)] if self.replacement else []
        verb = "Replace " if self.replacement else "Remove "
        return [
            text(verb),
            Part(text=self.find, data=True),
            *new,
            text(" in "),
            *self.meant(),
            *where,
            text(", ignoring letter case." if self.ignore_case else "."),
        ]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        old = as_text(cell, column.type)
        replaced = template(
            "regexp_replace(:c, :find, :new, :o)",
            o=exp.Literal.string("gi" if self.ignore_case else "g"),
            c=old, find=exp.Literal.string(self.find), new=exp.Literal.string(self.replacement),
        )  # fmt: skip
        if self.only:
            replaced = template(
                "CASE WHEN regexp_matches(:c, :meant) THEN :new ELSE :c END",
                c=old, meant=exp.Literal.string(self.only), new=replaced,
            )  # fmt: skip
        return Corrected(template("nullif(:c, '')", c=replaced))


KIND = ReplacePattern
