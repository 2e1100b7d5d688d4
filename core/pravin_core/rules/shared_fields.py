"""Fields that several kinds share: the parts of one column, and checks of one column within groups."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from pravin_core.rules.base import Derivation, Part, RecordsCheck, joined, text
from pravin_core.rules.labels import OTHERWISE


class PartsOfColumn(Derivation):
    """Divides the texts of a column into named parts, each in a column of its own behind it."""

    parts: ClassVar[tuple[str, ...]]
    said_as: ClassVar[tuple[str, str]]  # what stands in the column, and into what it is divided

    column: str = Field(min_length=1, max_length=2000, title="Column", json_schema_extra={"widget": "column"})
    unconverted: Literal["missing", "quarantine"] = Field(
        default="missing", title="What is not understood", json_schema_extra={"widget": "choice", "labels": OTHERWISE}
    )

    def needs(self) -> tuple[str, ...]:
        return (self.column,)

    def makes(self) -> tuple[str, ...]:
        return tuple(f"{self.column}_{part}" for part in self.parts)

    def after(self) -> str:
        return self.column

    def sentence(self) -> list[Part]:
        what, into = self.said_as
        return [text(f"Split the {what} in "), Part(text=self.column, data=True), text(f" into {into}.")]


class ColumnInGroups(RecordsCheck):
    """Judges one column among all records, or within groups of records alike in others."""

    groups: tuple[str, ...] = Field(
        default=(),
        max_length=20,
        title="Within groups of",
        json_schema_extra={"widget": "columns", "empty": "all records"},
    )

    @model_validator(mode="after")
    def _one_column(self) -> Self:
        if len(self.columns) != 1 or self.by is not None:
            raise ValueError("choose one column; a rule for each column says which one broke it")
        return self

    def needs(self) -> tuple[str, ...]:
        return (*self.columns, *self.groups)

    def within(self) -> list[Part]:
        """The groups in words."""
        return [text(" within the same "), *joined(self.groups)] if self.groups else []
