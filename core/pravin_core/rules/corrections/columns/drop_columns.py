"""Leave columns out of the result, or keep only some."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator

from pravin_core.rules.base import ColumnsBy, Example, OfColumns, Part, TableCorrection, some_columns, text
from pravin_core.rules.labels import THOSE
from pravin_core.rules.reshaping import Table, TableTransform


class DropColumns(TableCorrection):
    """The columns end at this place: rules below cannot name them."""

    title = "Drop columns"
    group = "Columns"
    about = "Leaves columns out of the result, such as those that are of no use for modelling, or all others."
    synonyms = ("delete column", "remove column", "select columns", "keep columns", "exclude", "hide")
    examples = (
        Example(
            rule={"columns": ["b"]},
            before={"a": ["1", None], "b": ["x", "y"]},
            after={"a": ["1", None]},
        ),
        Example(
            rule={"by": {"like": "x*"}, "those": "keep only"},
            before={"a": ["1", None], "x1": ["x", "y"], "x2": ["u", "v"]},
            after={"x1": ["x", "y"], "x2": ["u", "v"]},
        ),
    )

    kind: Literal["drop-columns"] = "drop-columns"
    columns: tuple[str, ...] = Field(
        default=(), max_length=5000, title="Columns", json_schema_extra={"widget": "columns"}
    )
    by: ColumnsBy | None = Field(default=None, title="Columns by", json_schema_extra={"widget": "columns by"})
    those: Literal["remove", "keep only"] = Field(
        default="remove", title="These", json_schema_extra={"widget": "choice", "labels": THOSE}
    )

    @model_validator(mode="after")
    def _some_columns(self) -> Self:
        some_columns(self.columns, self.by)
        return self

    def _meant(self) -> OfColumns:
        return OfColumns(kind="columns", id=self.id, columns=self.columns, by=self.by)

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def sentence(self) -> list[Part]:
        return [text("Drop " if self.those == "remove" else "Keep only "), *self._meant().meant(), text(".")]

    def reshape(self, table: Table) -> TableTransform:
        chosen = {each_column.name for each_column in self._meant().chosen(table.columns)}
        kept = tuple(column for column in table.columns if (column.name in chosen) == (self.those == "keep only"))
        cells = [cell for cell in table.cells() if cell[0] in kept]
        return TableTransform(((table.step(1), table.select(cells)),), kept, len(table.columns) - len(kept))


KIND = DropColumns
