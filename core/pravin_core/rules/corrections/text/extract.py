"""Keep a part of each value."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import Field, JsonValue, model_validator
from sqlglot import exp

from pravin_core.formulas.patterns import groups
from pravin_core.rules.base import Conversion, Corrected, Example, Part, as_text, text
from pravin_core.rules.labels import OTHERWISE
from pravin_core.rules.patterns import checked
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

Which = Literal[
    "before", "after", "before last", "after last", "between", "position", "pattern", "digits", "letters", "number"
]
_MARKED: list[JsonValue] = ["before", "after", "before last", "after last", "between"]


class Extract(Conversion):
    """A value in which the part is not found is treated as chosen: it stays, becomes missing, or is quarantined."""

    title = "Extract a part"
    group = "Text"
    about = "Keeps what stands before, after or between marks, at a position, matches a pattern, or its digits, letters or first number."
    synonyms = (
        "substring", "left", "right", "mid", "part", "between", "before", "after", "regex", "digits",
        "first word", "last word",
    )  # fmt: skip
    examples = (
        Example(
            rule={"columns": ["a"], "which": "between", "mark": "(", "end_mark": ")", "unconverted": "missing"},
            before={"a": ["ph (field)", "ph", None]},
            after={"a": ["field", None, None]},
        ),
        Example(
            rule={"columns": ["a"], "which": "pattern", "pattern": "([0-9]+) mL", "unconverted": "keep"},
            before={"a": ["2 x 250 mL", "3 bottles", None]},
            after={"a": ["250", "3 bottles", None]},
        ),
        Example(
            rule={"columns": ["a"], "which": "position", "start": 4, "length": 4, "unconverted": "missing"},
            before={"a": ["WQ-0042-b", "WQ", None]},
            after={"a": ["0042", None, None]},
        ),
        Example(
            rule={
                "columns": ["a"],
                "which": "number",
                "unconverted": "missing",
                "result": "beside",
                "ending": "_value",
            },
            before={"a": ["8.1 mg/L", "<0.05", "none", None]},
            after={"a": ["8.1 mg/L", "<0.05", "none", None], "a_value": ["8.1", "0.05", None, None]},
        ),
        Example(
            rule={"columns": ["a"], "which": "after last", "mark": "-", "unconverted": "missing"},
            before={"a": ["WQ-0042-b", None]},
            after={"a": ["b", None]},
        ),
    )
    repairs_text: ClassVar[bool] = True

    kind: Literal["extract"] = "extract"
    which: Which = Field(default="before", title="Keep", json_schema_extra={"widget": "choice"})
    mark: str = Field(default="", max_length=400, title="Mark", json_schema_extra={"shown_for": {"which": _MARKED}})
    end_mark: str = Field(
        default="", max_length=400, title="Second mark", json_schema_extra={"shown_for": {"which": ["between"]}}
    )
    start: int = Field(
        default=1,
        ge=1,
        le=100_000,
        title="From character",
        json_schema_extra={"widget": "whole", "shown_for": {"which": ["position"]}},
    )
    length: int = Field(
        default=1,
        ge=1,
        le=100_000,
        title="Number of characters",
        json_schema_extra={"widget": "whole", "shown_for": {"which": ["position"]}},
    )
    pattern: str = Field(
        default="", max_length=500, title="Pattern", json_schema_extra={"shown_for": {"which": ["pattern"]}}
    )
    unconverted: Literal["keep", "missing", "value", "quarantine"] = Field(  # type: ignore[assignment]
        default="keep", title="Where it is not there", json_schema_extra={"widget": "choice", "labels": OTHERWISE}
    )

    @model_validator(mode="after")
    def _said_what(self) -> Self:
        if self.which in _MARKED and not self.mark:
            raise ValueError("give the mark")
        if self.which == "between" and not self.end_mark:
            raise ValueError("give the second mark")
        if self.which == "pattern" and not self.pattern:
            raise ValueError("give the pattern")
        checked(self.pattern)
        return self

    def sentence(self) -> list[Part]:
        mark, end = Part(text=self.mark, data=True), Part(text=self.end_mark, data=True)
        what: list[Part] = {
            "before": [text("what stands before "), mark],
            "after": [text("what stands after "), mark],
            "before last": [text("what stands before the last "), mark],
            "after last": [text("what stands after the last "), mark],
            "between": [text("what stands between "), mark, text(" and "), end],
            "position": [text(f"{self.length} characters from character {self.start} on")],
            "pattern": [text("what matches "), Part(text=self.pattern, data=True)],
            "digits": [text("only the digits")],
            "letters": [text("only the letters")],
            "number": [text("the first number")],
        }[self.which]
        return [text("Keep "), *what, text(" of "), *self.meant(), *self.otherwise()]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        old = as_text(cell, column.type)
        mark, end = exp.Literal.string(self.mark), exp.Literal.string(self.end_mark)
        result = {
            "before": "before_text(:c, :m)",
            "after": "after_text(:c, :m)",
            "before last": "before_last_text(:c, :m)",
            "after last": "after_last_text(:c, :m)",
            "between": "before_text(after_text(:c, :m), :e)",
            "position": "substring(:c, :start, :length)",
            "pattern": "CASE WHEN regexp_matches(:c, :p) THEN regexp_extract(:c, :p, :g) END",
            "digits": r"regexp_replace(:c, '[^\p{Nd}]', '', 'g')",
            "letters": r"regexp_replace(:c, '[^\p{L}\p{M}]', '', 'g')",
            "number": r"regexp_extract(:c, '[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?', 0)",
        }[self.which]
        parts = {
            "m": mark, "e": end, "p": exp.Literal.string(self.pattern), "g": exp.Literal.number(min(groups(self.pattern), 1)),
            "start": exp.Literal.number(self.start), "length": exp.Literal.number(self.length), "c": old,
        }  # fmt: skip
        value: exp.Expr = template(
            "nullif(:v, '')", v=template(result, **{k: v for k, v in parts.items() if f":{k}" in result})
        )
        lost = template(":c IS NOT NULL AND :v IS NULL", c=cell.copy(), v=value)
        if self.unconverted == "keep":
            value = template("coalesce(:v, :c)", v=value, c=old)
        return Corrected(value, unconverted=lost)


KIND = Extract
