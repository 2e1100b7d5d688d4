"""Rename columns."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Literal, Self

from pydantic import BaseModel, ConfigDict, Field, model_validator
from pydantic.config import JsonDict

from pravin_core.errors import RulebookError
from pravin_core.rules.base import ColumnsBy, Example, OfColumns, Part, TableCorrection, text
from pravin_core.rules.patterns import checked
from pravin_core.rules.reshaping import Table, TableTransform
from pravin_core.sql.trees import column as col
from pravin_core.tables.columns import Column


class NewName(BaseModel):
    """A column and what it is called from here on."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    code: str = Field(min_length=1, max_length=2000)
    meaning: str = Field(min_length=1, max_length=2000)


WAYS: JsonDict = {
    "list": "from a list", "small": "in lower case", "capitals": "in upper case",
    "words_joined": "in lower case with underscores", "beginning": "with a text before", "ending": "with a text after",
    "pattern": "by a pattern",
}  # fmt: skip


class RenameColumns(TableCorrection):
    """Rules below and the released table use the new names. Columns not listed, or that a way does not change, keep
    theirs. "words_joined" makes names of lower-case letters, digits and underscores.
    """

    title = "Rename columns"
    group = "Columns"
    about = "Gives columns new names: by a list, by letter case, with a beginning or an ending, or by a pattern."
    synonyms = ("rename", "header", "alias", "column name")
    examples = (
        Example(
            rule={"names": [{"code": "Proben-Nr", "meaning": "sample"}]},
            before={"Proben-Nr": ["1", None], "b": ["x", "y"]},
            after={"sample": ["1", None], "b": ["x", "y"]},
        ),
        Example(
            rule={"way": "words_joined"},
            before={"Sample no.": ["1", None], "pH (field)": ["7", "8"]},
            after={"sample_no": ["1", None], "ph_field": ["7", "8"]},
        ),
        Example(
            rule={"way": "pattern", "find": "^x_(.*)$", "replacement": r"\1_x", "by": {"like": "x_*"}},
            before={"x_a": ["1", None], "b": ["2", "3"]},
            after={"a_x": ["1", None], "b": ["2", "3"]},
        ),
        Example(
            rule={"way": "beginning", "replacement": "lab_", "columns": ["b"]},
            before={"a": ["1", None], "b": ["2", "3"]},
            after={"a": ["1", None], "lab_b": ["2", "3"]},
        ),
    )

    kind: Literal["rename-columns"] = "rename-columns"
    way: Literal["list", "small", "capitals", "words_joined", "beginning", "ending", "pattern"] = Field(
        default="list",
        title="How",
        json_schema_extra={"widget": "choice", "labels": WAYS},
    )
    names: tuple[NewName, ...] = Field(
        default=(),
        max_length=5000,
        title="New names",
        json_schema_extra={"widget": "codes", "shown_for": {"way": ["list"]}},
    )
    columns: tuple[str, ...] = Field(
        default=(), max_length=5000, title="Columns",
        json_schema_extra={"widget": "columns", "empty": "all columns", "shown_for": {"way": ["small", "capitals", "words_joined", "beginning", "ending", "pattern"]}},
    )  # fmt: skip
    by: ColumnsBy | None = Field(default=None, title="Columns by", json_schema_extra={"widget": "columns by"})
    find: str = Field(
        default="", max_length=500, title="Find pattern", json_schema_extra={"shown_for": {"way": ["pattern"]}}
    )
    replacement: str = Field(
        default="",
        max_length=500,
        title="Text",
        json_schema_extra={"shown_for": {"way": ["beginning", "ending", "pattern"]}},
    )

    @model_validator(mode="after")
    def _said_what(self) -> Self:
        if self.way == "list" and not self.names:
            raise ValueError("give at least one column and its new name")
        if self.way in ("beginning", "ending") and not self.replacement:
            raise ValueError("give the text to put before or after the names")
        if self.way == "pattern" and not checked(self.find):
            raise ValueError("give the pattern to find")
        return self

    def needs(self) -> tuple[str, ...]:
        return tuple(name.code for name in self.names) if self.way == "list" else self.columns

    def sentence(self) -> list[Part]:
        if self.way == "list":
            new_name, more = self.names[0], len(self.names) - 1
            rest = f" and {more:,} more." if more else "."
            return [
                text("Rename "),
                Part(text=new_name.code, data=True),
                text(" to "),
                Part(text=new_name.meaning, data=True),
                text(rest),
            ]
        ways = {
            "small": "in lower case.", "capitals": "in upper case.", "words_joined": "in lower case with underscores.",
            "beginning": f"with “{self.replacement}” before it.", "ending": f"with “{self.replacement}” after it.",
            "pattern": f"with “{self.find}” replaced by “{self.replacement}”.",
        }  # fmt: skip
        whose = self._meant().meant() if self.columns or self.by else [Part(text="all columns", data=True)]
        return [text("Write the names of "), *whose, text(f" {ways[self.way]}")]

    def _meant(self) -> OfColumns:
        return OfColumns(kind="columns", id=self.id, columns=self.columns, by=self.by)

    def reshape(self, table: Table) -> TableTransform:
        chosen = (
            {each_column.name for each_column in self._meant().chosen(table.columns)}
            if self.columns or self.by
            else {column.name for column in table.columns}
        )
        listed = {name.code: name.meaning for name in self.names}
        named = [
            (column, self._name(column.name, listed) if self.way == "list" or column.name in chosen else column.name)
            for column in table.columns
        ]
        in_use: dict[str, Column] = {}
        for one, name in named:
            if (other := in_use.setdefault(name.lower(), one)) is not one or not name or name.startswith("__"):
                raise RulebookError(
                    f"{one.name!r} cannot be called {name!r}: {'that name is taken by ' + repr(other.name) if other is not one else 'it is not a name'}.",
                    rule=self.id, column=one.name,
                )  # fmt: skip
        columns = tuple(replace(each_column, name=name) for each_column, name in named)
        cells = [(new, col(each_column.name)) for new, (each_column, _) in zip(columns, named, strict=True)]
        touched = sum(each_column.name != name for each_column, name in named)
        return TableTransform(((table.step(1), table.select(cells)),), columns, touched)

    def _name(self, name: str, listed: dict[str, str]) -> str:
        match self.way:
            case "list":
                return listed.get(name, name)
            case "small":
                return name.lower()
            case "capitals":
                return name.upper()
            case "words_joined":
                return re.sub(r"[^0-9a-z]+", "_", name.lower()).strip("_") or name
            case "beginning":
                return self.replacement + name
            case "ending":
                return name + self.replacement
            case _:
                return re.sub(self.find, self.replacement, name)


KIND = RenameColumns
