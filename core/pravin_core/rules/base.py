"""What a rule is: the bases of all kinds, and the sentence, effect on cells and verdict each must give."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal

from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from sqlglot import exp

from pravin_core.engines.duckdb import template
from pravin_core.formulas.reading import readable
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

Consequence = Literal["quarantine", "note", "stop"]
Unconverted = Literal["missing", "quarantine"]


_WHEN: dict[str, Any] = {"widget": "formula", "empty": "all records; or a condition such as  site_code = '0042'"}


FormulaText = Annotated[str, AfterValidator(readable)]


def _readable_or_none(formula: str) -> str:
    return readable(formula) if formula.strip() else ""


Condition = Annotated[str, AfterValidator(_readable_or_none)]


class Part(BaseModel):
    """A piece of a sentence; `data` marks column names and values."""

    model_config = ConfigDict(frozen=True)

    text: str
    data: bool = False


class Example(BaseModel):
    """A small table before and after a rule; run as a test on every engine. None is missing.

    For a check `after` holds the values of the records that break it.
    """

    model_config = ConfigDict(frozen=True)

    rule: dict[str, Any]
    before: dict[str, list[str | None]]
    after: dict[str, list[Any]]


@dataclass(frozen=True)
class Corrected:
    """A corrected cell: its new value and type.

    `unconverted` (boolean expression) marks cells that could not be treated. With `reading` the rule only reads
    text as a value: a cell counts as changed when its text differs from `written` (by default the value as text),
    and the record not as corrected.
    """

    value: exp.Expr
    type: DataType = DataType.TEXT
    unconverted: exp.Expr | None = None
    reading: bool = False
    written: exp.Expr | None = None


class Rule(BaseModel):
    """A correction or a check. `kind` tells which; `id` stays the same when the rule is edited or moved."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: ClassVar[str]
    group: ClassVar[str]
    about: ClassVar[str]
    examples: ClassVar[Sequence[Example]] = ()
    is_check: ClassVar[bool] = False

    kind: str
    id: str = Field(pattern=r"^[A-Za-z0-9_-]{1,40}$", json_schema_extra={"widget": "none"})
    enabled: bool = Field(default=True, json_schema_extra={"widget": "none"})
    note: str = Field(default="", max_length=2000, json_schema_extra={"widget": "note"})

    def sentence(self) -> list[Part]:
        """The rule in words."""
        raise NotImplementedError

    def needs(self) -> tuple[str, ...]:
        """The columns it names."""
        raise NotImplementedError

    def limit(self) -> str:
        """The condition (a formula) of the records that it looks at; empty for all."""
        return ""

    def said(self) -> list[Part]:
        """The sentence with the condition that limits the rule."""
        where = [text(" Only where "), Part(text=self.limit(), data=True), text(".")] if self.limit() else []
        return [*self.sentence(), *where]


class ColumnCorrection(Rule):
    """Changes the cells of columns. No column named means every text column."""

    columns: tuple[str, ...] = Field(
        default=(), max_length=5000, title="Columns", json_schema_extra={"widget": "columns", "empty": "all columns"}
    )

    when: Condition = Field(default="", max_length=4000, title="Only where", json_schema_extra=_WHEN)

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def limit(self) -> str:
        return self.when

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        """The corrected cell of one column; `cell` is text unless an earlier rule gave it another type."""
        raise NotImplementedError

    def correct_among(self, cell: exp.Expr, column: Column, table: Sequence[Column]) -> Corrected:
        """As `correct`, for kinds that look at other columns of the record too."""
        return self.correct(cell, column)

    def adds(self) -> tuple[str, ...]:
        """The columns that it adds to the table where they are not there."""
        return ()

    def takes(self, column: Column) -> bool:
        """Whether a column not named, only meant by "all", is treated."""
        return column.type is DataType.TEXT


class RecordCorrection(Rule):
    """Removes records."""

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        """A query of the record numbers to remove, from `live`, a query of all records still there."""
        raise NotImplementedError


class TableCorrection(Rule):
    """Changes which columns the table has; its records stay as they are."""

    def dropped(self) -> tuple[str, ...]:
        """The columns that fall out: rules further down and the result do not have them."""
        raise NotImplementedError


class Check(Rule):
    """Judges cells of columns, one reason for each column that breaks it."""

    is_check: ClassVar[bool] = True

    columns: tuple[str, ...] = Field(
        min_length=1, max_length=5000, title="Columns", json_schema_extra={"widget": "columns"}
    )
    consequence: Consequence = Field(
        default="quarantine", title="When it breaks", json_schema_extra={"widget": "choice"}
    )

    when: Condition = Field(default="", max_length=4000, title="Only where", json_schema_extra=_WHEN)

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def limit(self) -> str:
        return self.when

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        """A boolean expression, never missing, true where the cell breaks the check."""
        raise NotImplementedError

    def breaks_among(self, cell: exp.Expr, column: Column, table: Sequence[tuple[Column, exp.Expr]]) -> exp.Expr:
        """As `breaks`, for kinds that look at other columns of the record too, each with its expression."""
        return self.breaks(cell, column)

    def phrase(self) -> str:
        """What is said of a value that breaks it, e.g. "lies outside 0 to 14"."""
        raise NotImplementedError


class AcrossCheck(Check):
    """A check that must see other records: it gives the keys that break it."""

    def broken_keys(self, live: exp.Select) -> exp.Select:
        """A query of the key values (columns in order, none missing) that break the check."""
        raise NotImplementedError


def as_text(cell: exp.Expr) -> exp.Expr:
    """A cell as text."""
    return exp.cast(cell.copy(), "VARCHAR")


def never_null(condition: exp.Expr) -> exp.Expr:
    """A condition that is false where it would be missing."""
    return template("coalesce(:condition, false)", condition=exp.paren(condition))


def named(names: Sequence[str]) -> list[Part]:
    """Column names for a sentence; none means all columns."""
    if not names:
        return [Part(text="all columns", data=True)]
    return joined(names)


def joined(values: Sequence[str]) -> list[Part]:
    """Values for a sentence, separated by commas; long lists are shortened with their count."""
    parts: list[Part] = []
    for position, value in enumerate(values[:12]):
        if position:
            parts.append(Part(text=", "))
        parts.append(Part(text=value, data=True))
    if len(values) > 12:
        parts.append(Part(text=f" and {len(values) - 12:,} more"))
    return parts


def text(value: str) -> Part:
    """Plain words of a sentence."""
    return Part(text=value)


def consequence_words(consequence: str) -> list[Part]:
    """How a sentence says what follows; nothing for the usual quarantine."""
    said = {"note": " Only noted.", "stop": " Stops the release."}.get(consequence)
    return [Part(text=said)] if said else []
