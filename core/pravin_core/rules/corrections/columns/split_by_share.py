"""Divide the records by chance into two parts of given shares."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Corrected, Derivation, Example, Part, text, text_of
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.types import DataType

_DIGITS = 8  # hexadecimal ones that are drawn: a share is met to within 1 in 4 thousand million


class SplitByShare(Derivation):
    """The part of a record follows from the SHA-256 of the draw and its key, so that the same delivery is always divided in
    the same way; another draw divides it in another. Records without a value of the column are drawn each by itself.
    """

    title = "Split by share"
    group = "Columns"
    about = (
        "Writes into a column which of two parts each record is in, drawn by chance in the shares wanted, and the same at "
        "every run. Records with the same value of a column stay together."
    )
    synonyms = ("sample", "random", "train test split", "training", "holdout", "subset", "percent of records", "draw")
    examples = (
        Example(
            rule={"into": "part", "column": "a", "percent": 50, "draw": "1"},
            before={"a": ["x", "y", "x", None, "w"]},
            after={"a": ["x", "y", "x", None, "w"], "part": [
                "train" if hashlib.sha256(f"1|{key}".encode()).hexdigest()[:8] < "80000000" else "test"
                for key in ("x", "y", "x", "#4", "w")
            ]},
        ),
    )  # fmt: skip

    kind: Literal["split-by-share"] = "split-by-share"
    into: str = Field(min_length=1, max_length=200, title="Into the column", json_schema_extra={"widget": "name"})
    percent: float = Field(
        default=80, gt=0, lt=100, title="Percent in the first part", json_schema_extra={"widget": "bound"}
    )
    first: str = Field(default="train", min_length=1, max_length=200, title="First part")
    second: str = Field(default="test", min_length=1, max_length=200, title="Second part")
    column: str = Field(
        default="", max_length=2000, title="Keep together", json_schema_extra={"widget": "column", "empty": "nothing"}
    )
    draw: str = Field(default="1", max_length=100, title="Draw")

    def needs(self) -> tuple[str, ...]:
        return (self.column,) if self.column else ()

    def makes(self) -> tuple[str, ...]:
        return (self.into,)

    def sentence(self) -> list[Part]:
        together = [text(", those with the same "), Part(text=self.column, data=True), text(" together")]
        return [
            text("Write "), Part(text=self.first, data=True), text(f" into {self.percent:g} % of the records drawn by chance, and "),
            Part(text=self.second, data=True), text(" into the others, in the column "), Part(text=self.into, data=True),
            *(together if self.column else []), text("."),
        ]  # fmt: skip

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        alone = template("'#' || CAST(:r AS VARCHAR)", r=col(RECORD))
        key = exp.Coalesce(this=text_of(self.column, table), expressions=[alone]) if self.column else alone
        drawn = template("left(plain_hash(:d || :k), :n)", d=f"{self.draw}|", k=exp.paren(key), n=_DIGITS)
        bound = f"{min(round(self.percent / 100 * 16**_DIGITS), 16**_DIGITS - 1):0{_DIGITS}x}"
        part = template("CASE WHEN :h < :b THEN :f ELSE :s END", h=drawn, b=bound, f=self.first, s=self.second)
        return [Corrected(part, DataType.TEXT)]


KIND = SplitByShare
