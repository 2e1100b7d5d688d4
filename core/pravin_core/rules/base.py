"""What a rule is: the bases of all kinds, and the sentence, effect on cells and verdict each must give."""

from __future__ import annotations

import fnmatch
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Self

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, model_validator
from sqlglot import exp

from pravin_core.formulas.reading import readable
from pravin_core.rules.labels import CONSEQUENCES, OTHERWISE, RESULT
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.sql.written import written
from pravin_core.tables.columns import GONE, RECORD, Column
from pravin_core.tables.types import DataType, Role

if TYPE_CHECKING:
    from pravin_core.rules.reshaping import Table, TableTransform

Consequence = Literal["quarantine", "note", "stop"]
Unconverted = Literal["missing", "value", "quarantine"]


_WHEN: dict[str, Any] = {
    "widget": "formula",
    "condition": True,
    "empty": "all records; or a condition such as  site_code = '0042'",
}


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

    For a check of records `after` holds the values of those that break it, for a check of the table what it `seen` and
    whether it is `broken`. `references` are the tables that it looks into.
    """

    model_config = ConfigDict(frozen=True)

    rule: dict[str, Any]
    before: dict[str, list[str | None]]
    after: dict[str, list[Any]]
    references: dict[str, dict[str, list[str | None]]] = {}
    first: tuple[dict[str, Any], ...] = ()  # rules that run before it


@dataclass(frozen=True)
class Corrected:
    """A corrected cell: its new value and type.

    `unconverted` (boolean expression) marks cells that could not be treated. With `reading` the rule only reads
    text as a value: a cell counts as changed when its text differs from `written` (by default the value as text),
    and the record not as corrected. `value` may hold windows over the records still there (see `over`). `source` is the text
    that could not be treated, where it does not stand in the cell itself.
    """

    value: exp.Expr
    type: DataType = DataType.TEXT
    unconverted: exp.Expr | None = None
    reading: bool = False
    written: exp.Expr | None = None
    source: exp.Expr | None = None


class Rule(BaseModel):
    """A correction or a check. `kind` tells which; `id` stays the same when the rule is edited or moved."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    title: ClassVar[str]
    group: ClassVar[str]
    about: ClassVar[str]
    synonyms: ClassVar[tuple[str, ...]] = ()  # what people of the trade call it: it is found by these words
    examples: ClassVar[Sequence[Example]] = ()
    is_check: ClassVar[bool] = False
    reads_types: ClassVar[bool] = False  # it makes numbers, dates or truth of text
    repairs_text: ClassVar[bool] = False  # it is of use before a rule reads types: a new one is put there

    @property
    def uses_window(self) -> bool:
        """Whether a cell depends on other records too."""
        return False

    kind: str
    id: str = Field(pattern=r"^[A-Za-z0-9_-]{1,40}$", json_schema_extra={"widget": "none"})
    enabled: bool = Field(default=True, json_schema_extra={"widget": "none"})
    note: str = Field(title="Note", default="", max_length=2000, json_schema_extra={"widget": "note"})

    def sentence(self) -> list[Part]:
        """The rule in words."""
        raise NotImplementedError

    def needs(self) -> tuple[str, ...]:
        """The columns it names."""
        raise NotImplementedError

    def condition(self) -> str:
        """The condition (a formula) of the records that it looks at; empty for all."""
        return ""

    def describe(self) -> list[Part]:
        """The sentence with the condition that limits the rule."""
        where = [text(" Only where "), Part(text=self.condition(), data=True), text(".")] if self.condition() else []
        return [*self.sentence(), *where]


class ColumnsBy(BaseModel):
    """Columns chosen by what they are: every part that is given must fit. `like` is a name with * for any characters."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    type: DataType | None = None
    role: Role | None = None
    like: str = Field(default="", max_length=200)

    def fits(self, column: Column) -> bool:
        """Whether a column is meant."""
        return (
            (self.type is None or column.type is self.type)
            and (self.role is None or column.role == self.role)
            and (not self.like or fnmatch.fnmatchcase(column.name.lower(), self.like.lower().replace("[", "[[]")))
        )

    def describe(self) -> list[Part]:
        """The choice in words."""
        parts = [text("all ")]
        if self.type is not None:
            parts.append(Part(text=f"{self.type.value} ", data=True))
        parts.append(text("columns"))
        if self.role is not None:
            parts += [text(" that are "), Part(text=self.role.value, data=True)]
        if self.like:
            parts += [text(" named like "), Part(text=self.like, data=True)]
        return parts


def some_columns(columns: Sequence[str], by: ColumnsBy | None) -> None:
    """Raises ValueError when no column is named and none chosen: that is a mistake, not "all"."""
    if not columns and by is None:
        raise ValueError("choose at least one column")


class OfColumns(Rule):
    """A rule about columns: those named, or those that `by` chooses."""

    names_columns: ClassVar[bool] = True  # no column named and none chosen is a mistake, not "all"
    all_columns: ClassVar[str] = "all text columns"  # which columns none named stands for, where that is no mistake

    columns: tuple[str, ...] = Field(
        default=(),
        max_length=5000,
        title="Columns",
        json_schema_extra={"widget": "columns"},
    )
    by: ColumnsBy | None = Field(default=None, title="Columns by", json_schema_extra={"widget": "columns by"})
    when: Condition = Field(default="", max_length=4000, title="Only where", json_schema_extra=_WHEN)

    @model_validator(mode="after")
    def _some_columns(self) -> Self:
        if self.names_columns:
            some_columns(self.columns, self.by)
        return self

    def needs(self) -> tuple[str, ...]:
        return self.columns

    def condition(self) -> str:
        return self.when

    def meant(self) -> list[Part]:
        """The columns in words."""
        if self.by is None:
            return named(self.columns)
        return [*([*joined(self.columns), text(" and ")] if self.columns else []), *self.by.describe()]

    def verb(self, one: str, many: str) -> Part:
        """A verb after the columns: for one of them, or for several."""
        return text(one if self.by is None and len(self.columns) == 1 else many)

    def applies_to(self, column: Column) -> bool:
        """Whether a column not named, only meant by "all", is treated."""
        return column.type is DataType.TEXT

    def chosen(self, table: Sequence[Column]) -> list[Column]:
        """The columns of a table that the rule is about, in the table's order."""
        if self.by is not None:
            return [column for column in table if column.name in self.columns or self.by.fits(column)]
        if self.columns:
            return [column for column in table if column.name in self.columns]
        return [column for column in table if self.applies_to(column)]


class ColumnCorrection(OfColumns):
    """Changes the cells of columns, in place or in new columns beside them."""

    @property
    def keeps_lost(self) -> bool:
        """Whether records with cells that it cannot treat are quarantined."""
        return False

    result: Literal["in place", "beside"] = Field(
        default="in place", title="Result", json_schema_extra={"widget": "choice", "labels": RESULT}
    )
    ending: str = Field(
        default="_new", min_length=1, max_length=60, title="Ending of new names", json_schema_extra={"widget": "beside"}
    )

    def describe(self) -> list[Part]:
        beside = [text(" Into new columns ending in "), Part(text=self.ending, data=True), text(".")]
        return [*super().describe(), *(beside if self.result == "beside" else [])]

    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        """The corrected cell of one column; `cell` is text unless an earlier rule gave it another type."""
        raise NotImplementedError

    def correct_among(self, cell: exp.Expr, column: Column, table: Sequence[Column]) -> Corrected:
        """As `correct`, for kinds that look at other columns or records too."""
        return self.correct(cell, column)


class Conversion(ColumnCorrection):
    """A correction that cannot treat every cell: what becomes of those is chosen."""

    unconverted: Unconverted = Field(
        default="quarantine", title="What does not fit", json_schema_extra={"widget": "choice", "labels": OTHERWISE}
    )
    instead: str = Field(
        default="", max_length=400, title="Value in its place", json_schema_extra={"widget": "instead"}
    )

    @model_validator(mode="after")
    def _value_given(self) -> Self:
        if self.unconverted == "value" and not self.instead:
            raise ValueError("give the value that is put in place of what does not fit")
        return self

    @property
    def keeps_lost(self) -> bool:
        """Whether records with cells that it cannot treat are quarantined."""
        return self.unconverted == "quarantine"

    def otherwise(self) -> list[Part]:
        """The end of the sentence: what becomes of cells that it cannot treat."""
        if self.unconverted == "value":
            return [text("; values that do not convert become "), Part(text=self.instead, data=True), text(".")]
        become = {"missing": "become missing", "quarantine": "are quarantined", "keep": "stay as they are"}
        return [text(f"; values that do not convert {become[self.unconverted]}.")]


class Derivation(Rule):
    """Makes columns from others: new ones, or the cells of one that is there."""

    when: Condition = Field(default="", max_length=4000, title="Only where", json_schema_extra=_WHEN)

    def condition(self) -> str:
        return self.when

    def makes(self) -> tuple[str, ...]:
        """The columns that it fills; those not there are added."""
        raise NotImplementedError

    def after(self) -> str:
        """The column behind which new ones stand; the last one when empty."""
        return ""

    def drops(self) -> tuple[str, ...]:
        """The columns that it uses up."""
        return ()

    @property
    def keeps_lost(self) -> bool:
        """Whether records with cells that it cannot treat are quarantined."""
        return getattr(self, "unconverted", "") == "quarantine"

    def derive(self, table: Sequence[Column]) -> list[Corrected]:
        """The cells of each column of `makes`, in that order."""
        raise NotImplementedError


class RecordCorrection(Rule):
    """Removes records."""

    when: Condition = Field(default="", max_length=4000, title="Only where", json_schema_extra=_WHEN)

    def condition(self) -> str:
        return self.when

    def removed(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        """A query of the record numbers to remove, from `live`, a query of all records still there."""
        raise NotImplementedError


class TableCorrection(Rule):
    """Changes the shape of the table: its columns, or which records it has."""

    adds_records: ClassVar[bool] = False  # or merges or reorders them: where each belongs is carried along
    corrects: ClassVar[bool] = False  # whether it counts changed cells, which correct a record

    def reshape(self, table: Table) -> TableTransform:
        """The table in its new shape. Raises RulebookError when it does not fit."""
        raise NotImplementedError


class Check(OfColumns):
    """Judges cells of columns, one reason for each column that breaks it."""

    is_check: ClassVar[bool] = True

    consequence: Consequence = Field(
        default="quarantine", title="When it breaks", json_schema_extra={"widget": "choice", "labels": CONSEQUENCES}
    )
    message: str = Field(
        default="",
        max_length=400,
        title="Reason",
        json_schema_extra={"widget": "words", "empty": "what it says by itself"},
    )

    def breaks(self, cell: exp.Expr, column: Column) -> exp.Expr:
        """A boolean expression, never missing, true where the cell breaks the check."""
        raise NotImplementedError

    def breaks_among(self, cell: exp.Expr, column: Column, table: Sequence[tuple[Column, exp.Expr]]) -> exp.Expr:
        """As `breaks`, for kinds that look at other columns of the record too, each with its expression."""
        return self.breaks(cell, column)

    def phrase(self) -> str:
        """What is said of a value that breaks it, e.g. "lies outside 0 to 14"."""
        raise NotImplementedError

    def reason(self) -> str:
        """The words that stand as the reason: the analyst's own, or the phrase."""
        return self.message or self.phrase()


class AcrossCheck(Check):
    """A check that must see other records: it gives the keys that break it."""

    def broken_keys(self, live: exp.Select) -> exp.Select:
        """A query of the key values (columns in order, none missing) that break the check."""
        raise NotImplementedError


class RecordsCheck(Check):
    """A check that must see other records and gives the numbers of those that break it."""

    def broken_records(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        """A query of the record numbers (under the name of RECORD) that break the check."""
        raise NotImplementedError


class TableCheck(Rule):
    """Judges the table as a whole; it breaks once or not at all, and names no records."""

    is_check: ClassVar[bool] = True

    consequence: Literal["stop", "note"] = Field(
        default="stop", title="When it breaks", json_schema_extra={"widget": "choice", "labels": CONSEQUENCES}
    )
    message: str = Field(
        default="",
        max_length=400,
        title="Reason",
        json_schema_extra={"widget": "words", "empty": "what it says by itself"},
    )
    when: Condition = Field(default="", max_length=4000, title="Only where", json_schema_extra=_WHEN)

    def condition(self) -> str:
        return self.when

    def verdict(self, live: exp.Select, columns: Sequence[Column]) -> exp.Select:
        """A query over `live`, the records not removed, of one row: `seen` (text) and `broken` (never missing)."""
        raise NotImplementedError

    def phrase(self) -> str:
        """What is said when it breaks, after what was seen."""
        raise NotImplementedError

    def reason(self) -> str:
        """The words that stand as the reason: the analyst's own, or the phrase."""
        return self.message or self.phrase()


def as_text(cell: exp.Expr, data_type: DataType) -> exp.Expr:
    """A cell of a type as the text that people see: 42 and not 42.0."""
    return written(cell, data_type)


def text_of(name: str, columns: Sequence[Column], alias: str | None = None) -> exp.Expr:
    """The cell of a column as text, by its name."""
    return as_text(col(name, alias), next(column.type for column in columns if column.name == name))


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


def counted(number: float, noun: str) -> str:
    """A number with its noun, in the plural unless it is one: "1 value", "2,000 values"."""
    shown = f"{number:,}" if isinstance(number, int) else f"{number:g}"
    return f"{shown} {noun}{'' if number == 1 else 's'}"


def between(least: int | None, most: int | None, noun: str) -> str:
    """A span of a count in words, open at a side where it is None: "at least 3 records", "1 to 4 records"."""
    if least is None or most is None:
        limit = least if most is None else most
        return f"at {'least' if most is None else 'most'} {counted(limit or 0, noun)}"
    return counted(most, noun) if least == most else f"{least:,} to {counted(most, noun)}"


def text(value: str) -> Part:
    """Plain words of a sentence."""
    return Part(text=value)


def over(columns: Sequence[str] = (), ordered: bool = False, spec: exp.WindowSpec | None = None) -> dict[str, Any]:
    """The arguments of a window over the records not removed, in groups of columns, in the table's order if wanted."""
    live = template(":g IS NULL", g=col(GONE))
    order = exp.Order(expressions=[exp.Ordered(this=col(name)) for name in (RECORD,)]) if ordered else None
    return {"partition_by": [live, *(col(name) for name in columns)], "order": order, "spec": spec}


def consequence_words(consequence: str) -> list[Part]:
    """How a sentence says what follows; nothing for the usual quarantine."""
    words = {"note": " Only noted.", "stop": " Stops the release."}.get(consequence)
    return [Part(text=words)] if words else []
