"""Put columns in another order."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pravin_core.rules.base import Example, Part, TableCorrection, joined, text
from pravin_core.rules.reshaping import Table, TableTransform


class OrderColumns(TableCorrection):
    """Columns that are not listed follow in their order, or in alphabetical order if wanted."""

    title = "Order columns"
    group = "Columns"
    about = "Puts the listed columns first, last or after another one, in the order given."
    synonyms = ("move column", "reorder", "rearrange", "column order")
    examples = (
        Example(
            rule={"columns": ["b"]},
            before={"a": ["1", None], "b": ["x", "y"]},
            after={"b": ["x", "y"], "a": ["1", None]},
        ),
        Example(
            rule={"columns": ["a"], "place": "behind", "anchor": "b"},
            before={"a": ["1", None], "b": ["x", "y"], "c": ["u", "v"]},
            after={"b": ["x", "y"], "a": ["1", None], "c": ["u", "v"]},
        ),
    )

    kind: Literal["order-columns"] = "order-columns"
    columns: tuple[str, ...] = Field(
        min_length=1, max_length=5000, title="Columns, in order", json_schema_extra={"widget": "columns"}
    )
    place: Literal["first", "last", "behind"] = Field(
        default="first", title="Where", json_schema_extra={"widget": "choice", "labels": {"behind": "after a column"}}
    )
    anchor: str = Field(
        default="",
        max_length=2000,
        title="After the column",
        json_schema_extra={"widget": "column", "shown_for": {"place": ["behind"]}},
    )

    def needs(self) -> tuple[str, ...]:
        return (*self.columns, self.anchor) if self.place == "behind" and self.anchor else self.columns

    def sentence(self) -> list[Part]:
        where = (
            [text(" after "), Part(text=self.anchor, data=True)] if self.place == "behind" else [text(f" {self.place}")]
        )
        return [text("Put "), *joined(self.columns), *where, text(".")]

    def reshape(self, table: Table) -> TableTransform:
        by_name = {column.name: column for column in table.columns}
        moved = [by_name[name] for name in self.columns]
        rest = [column for column in table.columns if column.name not in self.columns]
        at = {"first": 0, "last": len(rest)}.get(
            self.place, next((i + 1 for i, each_column in enumerate(rest) if each_column.name == self.anchor), 0)
        )
        columns = (*rest[:at], *moved, *rest[at:])
        cells = {each_column.name: cell for each_column, cell in table.cells()}
        touched = sum(each_column is not other for each_column, other in zip(columns, table.columns, strict=True))
        return TableTransform(
            ((table.step(1), table.select([(column, cells[column.name]) for column in columns])),), columns, touched
        )


KIND = OrderColumns
