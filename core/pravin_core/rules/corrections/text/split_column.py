"""Split a column into several."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.formulas.patterns import groups
from pravin_core.rules.base import Corrected, Derivation, Example, Part, Unconverted, joined, text, text_of
from pravin_core.rules.labels import OTHERWISE
from pravin_core.rules.patterns import checked
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class SplitColumn(Derivation):
    """By a mark, counted from the left or the right; the last column (the first, from the right) takes all that is left.
    By positions, the lengths of the parts; by a pattern, whose groups in brackets are the parts.
    """

    title = "Split into columns"
    group = "Text"
    about = "Splits each value at a mark, at positions or by a pattern, and writes the parts into columns of their own."
    synonyms = (
        "split", "delimiter", "separate", "divide", "tokenize", "parse", "comma separated",
    )  # fmt: skip
    examples = (
        Example(
            rule={"column": "a", "mark": "-", "into": ["team", "no"]},
            before={"a": ["WQ-7-b", "WQ", None], "z": ["1", "2", "3"]},
            after={
                "a": ["WQ-7-b", "WQ", None],
                "team": ["WQ", "WQ", None],
                "no": ["7-b", None, None],
                "z": ["1", "2", "3"],
            },
        ),
        Example(
            rule={"column": "a", "mark": "-", "into": ["rest", "last"], "side": "right", "drop": True},
            before={"a": ["WQ-7-b", "WQ", None]},
            after={"rest": ["WQ-7", None, None], "last": ["b", "WQ", None]},
        ),
        Example(
            rule={
                "column": "a",
                "how": "pattern",
                "pattern": "([0-9.]+) (.+)",
                "into": ["value", "unit"],
                "unconverted": "quarantine",
            },
            before={"a": ["8.1 mg/L", None]},
            after={"a": ["8.1 mg/L", None], "value": ["8.1", None], "unit": ["mg/L", None]},
        ),
        Example(
            rule={"column": "a", "how": "positions", "lengths": [4, 2], "into": ["y", "m"]},
            before={"a": ["202403", "2024", None]},
            after={"a": ["202403", "2024", None], "y": ["2024", "2024", None], "m": ["03", None, None]},
        ),
    )

    kind: Literal["split-column"] = "split-column"
    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    how: Literal["mark", "positions", "pattern"] = Field(
        default="mark", title="Split", json_schema_extra={"widget": "choice"}
    )
    mark: str = Field(default=" ", max_length=100, title="Mark", json_schema_extra={"shown_for": {"how": ["mark"]}})
    side: Literal["left", "right"] = Field(
        default="left", title="Counted from the", json_schema_extra={"widget": "choice", "shown_for": {"how": ["mark"]}}
    )
    lengths: tuple[int, ...] = Field(
        default=(),
        max_length=200,
        title="Lengths of the parts",
        json_schema_extra={"widget": "numbers", "shown_for": {"how": ["positions"]}},
    )
    pattern: str = Field(
        default="", max_length=500, title="Pattern with groups", json_schema_extra={"shown_for": {"how": ["pattern"]}}
    )
    into: tuple[str, ...] = Field(
        min_length=1, max_length=200, title="Into columns", json_schema_extra={"widget": "names"}
    )
    drop: bool = Field(default=False, title="Drop the original column", json_schema_extra={"widget": "switch"})
    unconverted: Unconverted = Field(
        default="missing",
        title="What cannot be split",
        json_schema_extra={"widget": "choice", "labels": OTHERWISE},
    )
    instead: str = Field(
        default="", max_length=400, title="Value in its place", json_schema_extra={"widget": "instead"}
    )

    @model_validator(mode="after")
    def _parts_fit(self) -> Self:
        if len({name.lower() for name in self.into}) < len(self.into):
            raise ValueError("two of the new columns have one name")
        if self.how == "mark" and not self.mark:
            raise ValueError("give the mark to split at")
        if self.how == "positions" and (len(self.lengths) != len(self.into) or min(self.lengths) < 1):
            raise ValueError("give one length for each column, each at least 1")
        if self.how == "pattern" and groups(checked(self.pattern)) != len(self.into):
            raise ValueError(f"the pattern has {groups(self.pattern)} groups in brackets for {len(self.into)} columns")
        return self

    def needs(self) -> tuple[str, ...]:
        return (self.column,)

    def makes(self) -> tuple[str, ...]:
        return self.into

    def after(self) -> str:
        return self.column

    def drops(self) -> tuple[str, ...]:
        return (self.column,) if self.drop else ()

    def sentence(self) -> list[Part]:
        how = {
            "mark": [text(f" from the {self.side} at "), Part(text=self.mark, data=True)],
            "positions": [text(" by positions")],
            "pattern": [text(" by the pattern "), Part(text=self.pattern, data=True)],
        }[self.how]
        rest = [text(" and drop it")] if self.drop else []
        return [
            text("Split "),
            Part(text=self.column, data=True),
            *how,
            text(" into "),
            *joined(self.into),
            *rest,
            text("."),
        ]

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        old = text_of(self.column, table)
        count = len(self.into)
        parts: list[exp.Expr] = []
        for at in range(count):
            if self.how == "mark":
                parts.append(self._part(old, at, count))
            elif self.how == "positions":
                start = exp.Literal.number(sum(self.lengths[:at]) + 1)
                parts.append(template("substring(:c, :s, :n)", c=old, s=start, n=exp.Literal.number(self.lengths[at])))
            else:
                pattern = exp.Literal.string(self.pattern)
                got = "CASE WHEN regexp_full_match(:c, :p) THEN regexp_extract(:c, :p, :g) END"
                parts.append(template(got, c=old, p=pattern, g=exp.Literal.number(at + 1)))
        lost = template(
            ":c IS NOT NULL AND :p IS NULL",
            c=old,
            p=template("nullif(:p, '')", p=parts[0 if self.side == "left" else -1]),
        )
        results = [Corrected(template("nullif(:p, '')", p=part)) for part in parts]
        first = (
            Corrected(results[0].value, unconverted=lost, source=old) if self.unconverted != "missing" else results[0]
        )
        return [first, *results[1:]]

    def _part(self, old: exp.Expr, at: int, count: int) -> exp.Expr:
        """A part at a mark; the outermost one takes the rest."""
        mark = exp.Literal.string(self.mark)
        if self.side == "left":
            name, n = ("rest_from_left" if at == count - 1 and count > 1 else "part_from_left"), at + 1
        else:
            name, n = ("rest_from_right" if at == 0 and count > 1 else "part_from_right"), count - at
        return exp.Anonymous(this=name, expressions=[old.copy(), mark, exp.Literal.number(n)])


KIND = SplitColumn
