"""Leave columns out of the result."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from pravin_core.rules.base import Example, Part, TableCorrection, named, text


class DropColumns(TableCorrection):
    """The columns fall out at this place: checks above may still look at them, rules below cannot."""

    title = "Drop columns"
    group = "Table"
    about = "Leaves columns out of the result, such as those that are of no use for modelling."
    examples = (
        Example(
            rule={"columns": ["b"]},
            before={"a": ["1", None], "b": ["x", "y"]},
            after={"a": ["1", None]},
        ),
    )

    kind: Literal["drop-columns"] = "drop-columns"
    columns: tuple[str, ...] = Field(
        min_length=1, max_length=5000, title="Columns", json_schema_extra={"widget": "columns"}
    )

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def sentence(self) -> list[Part]:
        return [text("Drop "), *named(self.columns), text(".")]

    def dropped(self) -> tuple[str, ...]:
        return self.columns


KIND = DropColumns
