"""Design changes: how the columns that arrived differ from those agreed for the feed, each to be settled."""

from __future__ import annotations

from collections.abc import Sequence
from enum import StrEnum

from pydantic import BaseModel, ConfigDict, Field

from pravin_core.intake.column_matching import ColumnSketch, Match, match_columns
from pravin_core.tables.types import DataType, Role


class AgreedColumn(BaseModel):
    """A column agreed for a feed: what it is called, what its values are, how they are written.

    `missing`: texts that stand for no value; `date_format` with strptime codes; marks of numbers.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1, max_length=200)
    type: DataType | None = None
    role: Role | None = None
    missing: tuple[str, ...] = Field(default=(), max_length=100)
    decimal: str = Field(default="", max_length=1)
    thousands: str = Field(default="", max_length=1)
    date_format: str = Field(default="", max_length=40)
    description: str = Field(default="", max_length=2000)
    by_hand: bool = Field(default=False, description="a person said what it is: it is not proposed anew")
    sketch: ColumnSketch | None = None


class Layout(BaseModel):
    """Names as one kind of source delivers them, in order, and the table's column each fills (None: left out)."""

    model_config = ConfigDict(frozen=True)

    names: tuple[str, ...]
    columns: tuple[str | None, ...]


class ChangeKind(StrEnum):
    """What differs."""

    NEW = "new"
    MISSING = "missing"
    RENAMED = "renamed"
    MOVED = "moved"
    RETYPED = "retyped"


class Change(BaseModel):
    """One difference. `name` is the delivered column (of `missing`: the agreed one); `column` the agreed column that
    it seems to be, `evidence` says why. `choices` are the ways to settle it, the proposed one first."""

    model_config = ConfigDict(frozen=True)

    kind: ChangeKind
    name: str
    column: str = ""
    evidence: str = ""
    choices: tuple[str, ...]


TAKE, LEAVE_OUT, FILLS, ACCEPT = "take it as a new column", "leave it out", "it is the column", "accept it"


def known_layout(names: Sequence[str], layouts: Sequence[Layout]) -> Layout | None:
    """The layout of a feed that has exactly these names, in this order."""
    return next((layout for layout in layouts if layout.names == tuple(names)), None)


def compare_layout(
    delivered: Sequence[ColumnSketch], agreed: Sequence[AgreedColumn]
) -> tuple[list[Change], dict[str, str]]:
    """The changes of a source whose layout is not known, and the columns that match by name without a question."""
    known = [column.sketch or ColumnSketch(name=column.name) for column in agreed]
    known = [sketch.model_copy(update={"name": column.name}) for sketch, column in zip(known, agreed, strict=True)]
    matches = match_columns(delivered, known)
    by_delivered = {match.delivered: match for match in matches}
    sure = {match.delivered: match.column for match in matches if match.how == "name"}
    changes = [_of_delivered(column.name, by_delivered.get(column.name)) for column in delivered]
    met = {match.column for match in matches}
    lacking = [
        Change(
            kind=ChangeKind.MISSING, name=column.name, choices=(ACCEPT,),
            evidence="no delivered column is like it: it stays empty in the records of this source",
        )
        for column in agreed if column.name not in met
    ]  # fmt: skip
    found_changes = [change for change in changes if change is not None] + lacking
    return found_changes + ([] if found_changes else _moved(delivered, agreed)), sure


def compare_types(now: dict[str, DataType], agreed: Sequence[AgreedColumn]) -> list[Change]:
    """Columns whose values read as another type than agreed. Text that was agreed takes anything."""
    changes = []
    for column in agreed:
        seen = now.get(column.name)
        widened = column.type is DataType.DECIMAL and seen is DataType.WHOLE
        if seen is None or column.type in (None, DataType.TEXT, seen) or widened:
            continue
        evidence = f"agreed as {column.type}, most values now read as {seen}"
        changes.append(
            Change(kind=ChangeKind.RETYPED, name=column.name, column=column.name, evidence=evidence, choices=(ACCEPT,))
        )
    return changes


def _of_delivered(name: str, match: Match | None) -> Change | None:
    if match is None:
        return Change(
            kind=ChangeKind.NEW, name=name, choices=(TAKE, LEAVE_OUT, FILLS), evidence="no agreed column is like it"
        )
    if match.how == "name":
        return None
    return Change(
        kind=ChangeKind.RENAMED, name=name, column=match.column, choices=(FILLS, TAKE, LEAVE_OUT),
        evidence=f"{match.evidence} ({match.likeness:.0%} alike)" if match.how == "content" else match.evidence,
    )  # fmt: skip


def _moved(delivered: Sequence[ColumnSketch], agreed: Sequence[AgreedColumn]) -> list[Change]:
    before = [column.name for column in agreed]
    after = [column.name for column in delivered if column.name in before]
    if after == before:
        return []
    moved = [name for name, other in zip(after, before, strict=False) if name != other]
    sentence = f"{len(moved):,} columns stand at another place: {', '.join(moved[:6])}{'…' if len(moved) > 6 else ''}"
    return [Change(kind=ChangeKind.MOVED, name=", ".join(moved[:6]), evidence=sentence, choices=(ACCEPT,))]
