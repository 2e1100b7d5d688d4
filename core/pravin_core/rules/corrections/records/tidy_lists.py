"""Tidy the lists that stand in cells."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class TidyLists(ColumnCorrection):
    """Spaces around the items and empty items go; the items are joined again with the same or another mark."""

    title = "Clean lists in cells"
    group = "Records"
    about = "Splits each value at a mark, trims the items, keeps each once, sorts them, and joins them again."
    synonyms = ("tidy lists in cells", "list", "array", "multi-value", "separator", "sort items", "dedupe items")
    examples = (
        Example(
            rule={"columns": ["a"], "mark": "|", "ignore_case": True},
            before={"a": ["rain|wind|Rain", " wind | rain|", "|", None]},
            after={"a": ["rain|wind", "rain|wind", None, None]},
        ),
        Example(
            rule={"columns": ["a"], "mark": ";", "joined": ", ", "once": False, "sorted": False},
            before={"a": ["b;a;b", None]},
            after={"a": ["b, a, b", None]},
        ),
    )

    kind: Literal["tidy-lists"] = "tidy-lists"
    mark: str = Field(default="|", min_length=1, max_length=20, title="Mark between items")
    joined: str = Field(
        default="", max_length=20, title="Joined again with", json_schema_extra={"empty": "the same mark"}
    )
    once: bool = Field(default=True, title="Each item once", json_schema_extra={"widget": "switch"})
    sorted: bool = Field(default=True, title="Sorted", json_schema_extra={"widget": "switch"})
    ignore_case: bool = Field(default=False, title="Items in lower case", json_schema_extra={"widget": "switch"})

    def sentence(self) -> list[Part]:
        ways = [
            each_text
            for requested, each_text in (
                (self.once, "each item once"),
                (self.sorted, "sorted"),
                (self.ignore_case, "in lower case"),
            )
            if requested
        ]
        return [
            text("Clean the lists in "),
            *self.meant(),
            text(" separated by "),
            Part(text=self.mark, data=True),
            text(f"{''.join(', ' + way for way in ways)}."),
        ]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        old = as_text(cell, column.type)
        items = template(
            "parts_between(:c, :m)",
            c=template("lower(:c)", c=old) if self.ignore_case else old,
            m=exp.Literal.string(self.mark),
        )
        if self.once:
            items = template("each_once(:l)", l=items)
        if self.sorted:
            items = template("list_sort(:l)", l=items)
        return Corrected(
            template("nullif(array_to_string(:l, :m), '')", l=items, m=exp.Literal.string(self.joined or self.mark))
        )


KIND = TidyLists
