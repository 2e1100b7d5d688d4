"""Turn columns into records."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import Field, model_validator
from sqlglot import exp

from pravin_core.errors import RulebookError
from pravin_core.rules.base import ColumnsBy, Example, OfColumns, Part, TableCorrection, some_columns, text
from pravin_core.rules.expanding import expanded
from pravin_core.rules.reshaping import Table, TableTransform
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.sql.written import written
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType


class ColumnsToRecords(TableCorrection):
    """Each filled cell of the columns makes a record with the name of its column and its value; the first stays in the
    record itself. A record without any stays, with both missing. Values of different types are written as text.
    """

    title = "Columns to records"
    group = "Table"
    about = "Makes a record of each filled cell of some columns, with the name of the column beside the value."
    synonyms = ("unpivot", "wide to long", "reshape", "transpose")
    examples = (
        Example(
            rule={"columns": ["no3", "po4"], "names": "analyte", "values": "result"},
            before={"s": ["1", "2", "3"], "no3": ["5.2", None, None], "po4": ["0.1", "0.2", None]},
            after={
                "s": ["1", "1", "2", "3"],
                "analyte": ["no3", "po4", "po4", None],
                "result": ["5.2", "0.1", "0.2", None],
            },
        ),
    )

    adds_records = True
    kind: Literal["columns-to-records"] = "columns-to-records"
    columns: tuple[str, ...] = Field(
        default=(), max_length=2000, title="Columns", json_schema_extra={"widget": "columns"}
    )
    by: ColumnsBy | None = Field(default=None, title="Columns by", json_schema_extra={"widget": "columns by"})
    names: str = Field(
        default="name", min_length=1, max_length=200, title="Names into", json_schema_extra={"widget": "name"}
    )
    values: str = Field(
        default="value", min_length=1, max_length=200, title="Values into", json_schema_extra={"widget": "name"}
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
        return [
            text("Turn "), *self._meant().meant(), text(" into records, their names into "), Part(text=self.names, data=True),
            text(", their values into "), Part(text=self.values, data=True), text("."),
        ]  # fmt: skip

    def reshape(self, table: Table) -> TableTransform:
        turned = self._meant().chosen(table.columns)
        if not turned:
            raise RulebookError("No column is turned into records.", rule=self.id, advice="Choose at least one column.")
        rest = [column for column in table.columns if column not in turned]
        if clash := {self.names.lower(), self.values.lower()} & {each_column.name.lower() for each_column in rest}:
            raise RulebookError(f"The column {min(clash)!r} is there already.", rule=self.id, column=min(clash))
        kinds = {each_column.type for each_column in turned}
        kind = kinds.pop() if len(kinds) == 1 else DataType.TEXT
        places = [
            template("CASE WHEN :c IS NOT NULL THEN :n END", c=col(each_column.name), n=exp.Literal.number(at))
            for at, each_column in enumerate(turned, 1)
        ]
        items = template("list_filter(:l, lambda __p: __p IS NOT NULL)", l=exp.Array(expressions=places))
        name = template(
            "list_extract(:names, __item)",
            names=exp.Array(expressions=[exp.Literal.string(each_column.name) for each_column in turned]),
        )
        value = exp.Case()
        for at, one in enumerate(turned, 1):
            cell = col(one.name) if one.type is kind else written(col(one.name), one.type)
            value = value.when(template("__item = :n", n=exp.Literal.number(at)), cell)
        columns = (*rest, Column(self.names), Column(self.values, kind))
        cells = [
            *((each_column, col(each_column.name)) for each_column in rest),
            (Column(self.names), name),
            (Column(self.values, kind), value),
        ]
        return expanded(table, items, columns, cells)


KIND = ColumnsToRecords
