"""Sort the records."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlglot import exp

from pravin_core.rules.base import Example, Part, TableCorrection, text
from pravin_core.rules.reshaping import Table, TableTransform, row_number
from pravin_core.sql.trees import column as col
from pravin_core.tables.columns import PLACE


class SortKey(BaseModel):
    """A column to sort by."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    column: str = Field(min_length=1, max_length=2000)
    descending: bool = False


class SortRecords(TableCorrection):
    """Missing values last; records alike in all keys keep their order. Record numbers stay as they are: rules further
    down that look at the record before, and the result, follow the new order.
    """

    title = "Sort records"
    group = "Records"
    about = "Puts the records in order of one or several columns."
    synonyms = ("sort", "order by", "arrange", "rank", "ascending", "descending")
    examples = (
        Example(
            rule={"keys": [{"column": "a", "descending": True}, {"column": "b"}]},
            before={"a": ["1", "2", "2", None], "b": ["x", "z", "y", "w"]},
            after={"a": ["2", "2", "1", None], "b": ["y", "z", "x", "w"]},
        ),
    )

    adds_records = True  # the order is carried
    kind: Literal["sort-records"] = "sort-records"
    keys: tuple[SortKey, ...] = Field(
        min_length=1, max_length=20, title="By", json_schema_extra={"widget": "sort keys"}
    )

    def needs(self) -> tuple[str, ...]:
        return tuple(key.column for key in self.keys)

    def sentence(self) -> list[Part]:
        parts: list[Part] = []
        for at, key in enumerate(self.keys):
            down = [text(" from high to low")] if key.descending else []
            parts += [*([text(", then ")] if at else []), Part(text=key.column, data=True), *down]
        return [text("Sort the records by "), *parts, text(".")]

    def reshape(self, table: Table) -> TableTransform:
        order = [exp.Ordered(this=col(key.column), desc=key.descending, nulls_first=False) for key in self.keys]
        place = row_number([*order, col(table.order)])
        return TableTransform(((table.step(1), table.select(table.cells(), {PLACE: place})),), table.columns)


KIND = SortRecords
