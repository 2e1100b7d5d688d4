"""Bands from ranges of numbers."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator
from sqlglot import exp

from pravin_core.rules.base import Conversion, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column
from pravin_core.tables.types import NUMBERS, DataType


class Band(BaseModel):
    """A range of numbers, the lower limit in it and the upper one not, and what it is called. A bound may be open."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    low: float | None = None
    high: float | None = None
    label: str = Field(min_length=1, max_length=400)


class Bands(Conversion):
    """Texts that are no number, and numbers in no band, are treated as chosen."""

    title = "Group into ranges"
    group = "Values"
    about = "Replaces numbers by the name of the range they are in; a lower limit belongs to its range, an upper one does not."
    synonyms = (
        "bands", "bin", "bins", "bucket", "binning", "range", "discretize", "categorize",
        "histogram", "age group",
    )  # fmt: skip
    examples = (
        Example(
            rule={
                "columns": ["a"],
                "bands": [
                    {"high": 1, "label": "0-1"},
                    {"low": 1, "high": 5, "label": "1-5"},
                    {"low": 5, "label": "5+"},
                ],
                "unconverted": "missing",
            },
            before={"a": ["0.5", "1", "5", "12", "deep", None]},
            after={"a": ["0-1", "1-5", "5+", "5+", None, None]},
        ),
    )

    kind: Literal["bands"] = "bands"
    bands: tuple[Band, ...] = Field(min_length=1, max_length=1000, title="Bands", json_schema_extra={"widget": "bands"})

    @model_validator(mode="after")
    def _apart(self) -> Self:
        ordered = sorted(self.bands, key=lambda band: -math.inf if band.low is None else band.low)
        for band in ordered:
            if band.low is not None and band.high is not None and band.low >= band.high:
                raise ValueError(f"the range {band.label!r} ends where it begins or before")
        for each_band, other in pairwise(ordered):
            if each_band.high is None or other.low is None or each_band.high > other.low:
                raise ValueError(f"the ranges {each_band.label!r} and {other.label!r} overlap")
        return self

    def applies_to(self, column: Column) -> bool:
        return column.type in (DataType.TEXT, *NUMBERS)

    def sentence(self) -> list[Part]:
        first = Part(text=self.bands[0].label, data=True)
        more = f" and {len(self.bands) - 1:,} more ranges" if len(self.bands) > 1 else " only"
        return [text("Group "), *self.meant(), text(" into "), first, text(more), *self.otherwise()]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        number = (
            exp.cast(cell.copy(), "DOUBLE")
            if column.type is not DataType.TEXT
            else template("read_number(:c)", c=as_text(cell, column.type))
        )
        value = exp.Case()
        for band in self.bands:
            inside: exp.Expr = template(":n IS NOT NULL", n=number)
            for bound, sign in ((band.low, ">="), (band.high, "<")):
                if bound is not None:
                    inside = template(
                        f":i AND :n {sign} :b",
                        i=inside,
                        n=number,
                        b=exp.cast(exp.Literal.string(repr(bound)), "DOUBLE"),
                    )
            value = value.when(inside, exp.Literal.string(band.label))
        lost = template(":c IS NOT NULL AND :v IS NULL", c=cell.copy(), v=value)
        return Corrected(value, unconverted=lost)


KIND = Bands
