"""Translate values by a code list."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator
from sqlglot import exp

from pravin_core.engines.duckdb import template
from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, named, text
from pravin_core.tables.columns import Column


class Code(BaseModel):
    """One line of a code list."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    code: str = Field(max_length=2000)
    meaning: str = Field(max_length=2000)


class Translate(ColumnCorrection):
    """Codes are met with letter case as written; values not in the list stay, become missing or are quarantined."""

    title = "Translate by a code list"
    group = "Values"
    about = "Replaces each code by its meaning. Values that are not in the list are treated as chosen."
    examples = (
        Example(
            rule={"columns": ["a"], "codes": [{"code": "N", "meaning": "North"}], "others": "missing"},
            before={"a": ["N", "n", "X", None]},
            after={"a": ["North", None, None, None]},
        ),
        Example(
            rule={"columns": ["a"], "codes": [{"code": "N", "meaning": "North"}]},
            before={"a": ["N", "South", None]},
            after={"a": ["North", "South", None]},
        ),
    )

    kind: Literal["translate"] = "translate"
    columns: tuple[str, ...] = Field(
        min_length=1, max_length=5000, title="Columns", json_schema_extra={"widget": "columns"}
    )
    codes: tuple[Code, ...] = Field(
        min_length=1, max_length=20_000, title="Code list", json_schema_extra={"widget": "codes"}
    )
    others: Literal["keep", "missing", "quarantine"] = Field(
        default="keep", title="What is not listed", json_schema_extra={"widget": "choice"}
    )

    @field_validator("codes")
    @classmethod
    def _one_meaning(cls, codes: tuple[Code, ...]) -> tuple[Code, ...]:
        met: dict[str, str] = {}
        for line in codes:
            if met.setdefault(line.code, line.meaning) != line.meaning:
                raise ValueError(f"the code {line.code!r} has two meanings")
        return tuple(Code(code=code, meaning=meaning) for code, meaning in met.items())

    def sentence(self) -> list[Part]:
        one = self.codes[0]
        shown = [Part(text=one.code, data=True), text(" to "), Part(text=one.meaning or "missing", data=True)]
        more = [text(f" and {len(self.codes) - 1:,} more")] if len(self.codes) > 1 else []
        rest = {"keep": ".", "missing": "; others become missing.", "quarantine": "; others are quarantined."}
        return [text("Translate "), *named(self.columns), text(": "), *shown, *more, text(rest[self.others])]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        written = as_text(cell)
        codes = exp.Array(expressions=[exp.Literal.string(line.code) for line in self.codes])
        meanings = exp.Array(expressions=[exp.Literal.string(line.meaning) for line in self.codes])
        place = template("list_position(:codes, :c)", codes=codes, c=written)
        found = template("nullif(list_extract(:meanings, :place), '')", meanings=meanings, place=place)
        other = written if self.others == "keep" else exp.null()
        value = template("CASE WHEN :place > 0 THEN :found ELSE :other END", place=place, found=found, other=other)
        if self.others == "keep":
            return Corrected(value)
        return Corrected(value, unconverted=template(
            ":c IS NOT NULL AND coalesce(:place, 0) = 0", c=cell.copy(), place=place
        ))  # fmt: skip

    @property
    def unconverted(self) -> str:
        return "quarantine" if self.others == "quarantine" else "missing"


KIND = Translate
