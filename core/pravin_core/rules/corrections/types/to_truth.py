"""Read text as true or false."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Conversion, Corrected, Example, Part, as_text, joined, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType


class ToTruth(Conversion):
    """Spaces around a text and letter case are left aside."""

    title = "Convert to true or false"
    group = "Types"
    about = "Reads texts such as yes and no as true and false. What is neither is handled as chosen."
    synonyms = ("read as true or false", "boolean", "bool", "yes no", "true false", "flag", "binary", "type")
    examples = (
        Example(
            rule={"columns": ["a"]},
            before={"a": ["Yes", " no", "1", "F", None]},
            after={"a": [True, False, True, False, None]},
        ),
        Example(
            rule={"columns": ["a"], "true": ["wet"], "false": ["dry"], "unconverted": "missing"},
            before={"a": ["Wet", "dry", "yes", None]},
            after={"a": [True, False, None, None]},
        ),
    )
    reads_types: ClassVar[bool] = True

    kind: Literal["to-truth"] = "to-truth"
    true: tuple[str, ...] = Field(
        default=("yes", "true", "y", "t", "1"),
        min_length=1,
        max_length=100,
        title="True is",
        json_schema_extra={"widget": "tokens"},
    )
    false: tuple[str, ...] = Field(
        default=("no", "false", "n", "f", "0"),
        min_length=1,
        max_length=100,
        title="False is",
        json_schema_extra={"widget": "tokens"},
    )

    @model_validator(mode="after")
    def _differ(self) -> Self:
        if both := {each_text.strip().lower() for each_text in self.true} & {
            each_text.strip().lower() for each_text in self.false
        }:
            raise ValueError(f"{min(both)!r} cannot be both true and false")
        return self

    def sentence(self) -> list[Part]:
        return [
            text("Convert "),
            *self.meant(),
            text(" to true where it is "),
            *joined(self.true),
            text(", false where it is "),
            *joined(self.false),
            *self.otherwise(),
        ]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        true, false = (
            exp.Array(expressions=[exp.Literal.string(word.strip().lower()) for word in words])
            for words in (self.true, self.false)
        )
        value = template(
            "CASE WHEN list_contains(:t, lower(trim(:c))) THEN true WHEN list_contains(:f, lower(trim(:c))) THEN false END",
            t=true, f=false, c=as_text(cell, column.type),
        )  # fmt: skip
        lost = template(":c IS NOT NULL AND :v IS NULL", c=cell.copy(), v=value)
        # reading "Yes" as true is reading; the text is what was written
        return Corrected(
            value,
            DataType.BOOLEAN,
            lost,
            reading=True,
            written=template("CASE WHEN :v IS NOT NULL THEN :c END", v=value, c=as_text(cell, column.type)),
        )


KIND = ToTruth
