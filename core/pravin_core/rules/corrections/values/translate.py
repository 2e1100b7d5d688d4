"""Translate values by a code list."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator
from sqlglot import exp

from pravin_core.rules.base import Conversion, Corrected, Example, Part, as_text, text
from pravin_core.rules.labels import OTHERWISE
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class Code(BaseModel):
    """One line of a code list."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    code: str = Field(max_length=2000)
    meaning: str = Field(max_length=2000)


class Translate(Conversion):
    """Codes are met with letter case as written; values not in the list stay, become missing or are quarantined."""

    title = "Map codes"
    group = "Values"
    about = "Replaces each code by its meaning. Values that are not in the list are handled as chosen."
    synonyms = (
        "translate by a code list", "map", "mapping", "recode", "codes", "replace values", "dictionary", "standardize", "spelling variants",
        "synonyms", "lookup table", "categories",
    )  # fmt: skip
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
        Example(
            rule={
                "columns": ["a"],
                "codes": [{"code": "n", "meaning": "North"}],
                "ignore_case": True,
                "others": "value",
                "instead": "?",
            },
            before={"a": ["N", "X", None]},
            after={"a": ["North", "?", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["translate"] = "translate"
    codes: tuple[Code, ...] = Field(
        default=(), max_length=20_000, title="Code list", json_schema_extra={"widget": "codes"}
    )
    code_list: str = Field(
        default="",
        max_length=200,
        title="Or from the library",
        json_schema_extra={"widget": "code list", "empty": "the list above"},
    )
    ignore_case: bool = Field(default=False, title="Ignore letter case", json_schema_extra={"widget": "switch"})
    others: Literal["keep", "missing", "value", "quarantine"] = Field(
        default="keep", title="What is not listed", json_schema_extra={"widget": "choice", "labels": OTHERWISE}
    )
    unconverted: Literal["keep"] = Field(
        default="keep", title="What is not listed", json_schema_extra={"widget": "none"}
    )  # type: ignore[assignment]

    @field_validator("codes")
    @classmethod
    def _one_meaning(cls, codes: tuple[Code, ...]) -> tuple[Code, ...]:
        met: dict[str, str] = {}
        for line in codes:
            if met.setdefault(line.code, line.meaning) != line.meaning:
                raise ValueError(f"the code {line.code!r} has two meanings")
        return tuple(Code(code=code, meaning=meaning) for code, meaning in met.items())

    @model_validator(mode="after")
    def _listed(self) -> Self:
        if not self.codes and not self.code_list:
            raise ValueError("give codes, or the name of a code list in the library")
        if self.others == "value" and not self.instead:
            raise ValueError("give the value that is put in place of what is not listed")
        return self

    def sentence(self) -> list[Part]:
        rest = {
            "keep": [text(".")], "missing": [text("; others become missing.")],
            "quarantine": [text("; others are quarantined.")],
            "value": [text("; others become "), Part(text=self.instead, data=True), text(".")],
        }[self.others]  # fmt: skip
        if self.code_list:
            by = [text(" by the code list "), Part(text=self.code_list, data=True)]
            return [text("Map "), *self.meant(), *by, *rest]
        code = self.codes[0]
        shown = [Part(text=code.code, data=True), text(" to "), Part(text=code.meaning or "missing", data=True)]
        more = [text(f" and {len(self.codes) - 1:,} more")] if len(self.codes) > 1 else []
        return [text("Map "), *self.meant(), text(": "), *shown, *more, *rest]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        old = as_text(cell, column.type)
        listed = [line.code.lower() if self.ignore_case else line.code for line in self.codes]
        codes = exp.Array(expressions=[exp.Literal.string(code) for code in listed])
        meanings = exp.Array(expressions=[exp.Literal.string(line.meaning) for line in self.codes])
        met = template("lower(:c)", c=old) if self.ignore_case else old
        place = template("list_position(:codes, :c)", codes=codes, c=met)
        expression = template(
            "nullif(list_extract(:meanings, CAST(:place AS INTEGER)), '')", meanings=meanings, place=place
        )
        others = {"keep": old, "value": exp.Literal.string(self.instead)}
        lost = template(":c IS NOT NULL AND coalesce(:place, 0) = 0", c=old, place=place)
        value = template(
            "CASE WHEN :place > 0 THEN :found WHEN :c IS NOT NULL THEN :other END",
            place=place, found=expression, c=old, other=others.get(self.others, exp.null()),
        )  # fmt: skip
        return Corrected(value, unconverted=None if self.others == "keep" else lost)

    @property
    def keeps_lost(self) -> bool:
        """Whether records with values that are not listed are quarantined."""
        return self.others == "quarantine"


KIND = Translate
