"""Break cells that hold several values into records."""

from __future__ import annotations

from typing import Literal

from pydantic import Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCorrection, text, text_of
from pravin_core.rules.expanding import expanded
from pravin_core.rules.reshaping import Table, TableTransform
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column


class BreakCells(TableCorrection):
    """The first item stays in its record, each further one makes a record that knows which one it was made from.
    Removed records are left as they are.
    """

    title = "Split cells into records"
    group = "Records"
    about = "Splits each value of a column at a mark and makes a record for each item; the other columns are repeated."
    synonyms = ("break cells into records", "explode", "unnest", "split rows", "multiple values", "list to rows")
    examples = (
        Example(
            rule={"column": "a", "mark": "|"},
            before={"a": ["rain|wind", None, "dry", "a||b"], "b": ["1", "2", "3", "4"]},
            after={"a": ["rain", "wind", None, "dry", "a", "b"], "b": ["1", "1", "2", "3", "4", "4"]},
        ),
    )

    adds_records = True
    corrects = True
    kind: Literal["break-cells"] = "break-cells"
    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    mark: str = Field(default="|", min_length=1, max_length=20, title="Mark between items")

    def needs(self) -> tuple[str, ...]:
        return (self.column,)

    def sentence(self) -> list[Part]:
        return [
            text("Split "),
            Part(text=self.column, data=True),
            text(" at "),
            Part(text=self.mark, data=True),
            text(" into records."),
        ]

    def reshape(self, table: Table) -> TableTransform:
        items = template(
            "parts_between(:c, :m)", c=text_of(self.column, table.columns), m=exp.Literal.string(self.mark)
        )
        new_column = Column(self.column)
        columns = tuple(new_column if column.name == self.column else column for column in table.columns)
        cells = [(column, col("__item") if column.name == self.column else col(column.name)) for column in columns]
        return expanded(table, items, columns, cells, changed=(self.column,))


KIND = BreakCells
