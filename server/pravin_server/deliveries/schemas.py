"""What the API of deliveries takes and answers."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from ninja import Field, Schema

from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.snapshot import FileCounts
from pravin_core.intake.totals import Compared, ControlTotals
from pravin_core.tables.types import DataType, Role
from pravin_server.common.schemas import JobOut
from pravin_server.deliveries.models import Source


class FormatOut(Schema):
    """A format that is read: `first` and `more` are the import settings of its form, always shown and rarely changed."""

    format: str
    label: str
    about: str
    first: list[str]
    more: list[str]


class FileOut(Schema):
    """A file of the delivery as it was sent. `companion`: it holds control totals."""

    id: int
    name: str
    size: int
    sha256: str
    companion: bool


class DoubtOut(Schema):
    """A line that reads differently under the values of a setting (`about`) that come into question."""

    line: int
    about: str = "encoding"
    readings: dict[str, str]


class SourceOut(Schema):
    """A table of the delivery with its settings and where its lines went."""

    id: int
    name: str
    table: str
    file: FileOut
    left_out: bool
    request: SettingsRequest
    settings: FileSettings | None
    evidence: dict[str, str]
    notes: list[str]
    rivals: dict[str, list[str]]
    doubts: list[DoubtOut]
    counts: FileCounts | None

    @staticmethod
    def resolve_settings(source: Source) -> dict[str, Any] | None:
        """None before the source was looked at."""
        return source.settings or None


class LineOut(Schema):
    line: int
    text: str
    status: str
    reason: str
    cells: list[str | None]


class FirstRecord(Schema):
    line: int
    cells: list[str | None]


class PreviewOut(Schema):
    """The beginning of a source and what it becomes. `error` instead, when it cannot be read so."""

    settings: FileSettings | None
    evidence: dict[str, str]
    notes: list[str]
    rivals: dict[str, list[str]]
    doubts: list[DoubtOut]
    view: str
    unit: str
    lines: list[LineOut]
    records: list[FirstRecord]
    whole: bool
    error: str


class SettingsIn(Schema):
    """Import settings of a source, or that it is left out."""

    request: SettingsRequest
    left_out: bool = False


class ChangeOut(Schema):
    """A design change. `choice` is empty while it is not settled."""

    id: int
    source: int | None
    source_name: str
    kind: str
    name: str
    column: str
    evidence: str
    choices: list[str]
    choice: str
    target: str


class SourceColumns(Schema):
    """Which delivered column of a source fills which of the table; None is left out."""

    id: int
    name: str
    records: int
    left_out: bool
    names: list[str]
    columns: list[str | None]
    facts: dict[str, str]
    source_column: str
    examples: list[str]


class DesignOut(Schema):
    """How the sources become one table."""

    agreed: list[str]
    columns: list[str]
    sources: list[SourceColumns]
    changes: list[ChangeOut]
    open: int


class ChoiceIn(Schema):
    change: int
    choice: str = Field(max_length=40)
    target: str = Field("", max_length=1000)


class ChoicesIn(Schema):
    choices: list[ChoiceIn] = Field(min_length=1, max_length=5000)


class MaybeJob(Schema):
    job: JobOut | None


class TotalsOut(Schema):
    """The control totals and what the comparison found; none when none came."""

    totals: list[ControlTotals]
    compared: list[Compared]


class TotalsIn(Schema):
    """Typed in; None goes back to those that came with the delivery."""

    totals: ControlTotals | None


class RepairIn(Schema):
    line: int = Field(ge=1, le=2**62)
    lines: int = Field(1, ge=1, le=1000)
    text: str = Field(max_length=2**20)


class TriedOut(Schema):
    """What a repaired text reads as; `reason` says why it is still no record."""

    columns: list[str]
    cells: list[str | None]
    reason: str


class RepairOut(Schema):
    source: int
    file: str
    line: int
    lines: int
    text: str
    original: str
    who: str
    at: datetime


class ChoiceOfColumn(Schema):
    """A column with the type and role that a person chose; None as proposed."""

    name: str = Field(max_length=2000)
    type: DataType | None = None
    role: Role | None = None


class RejectedOut(Schema):
    source: int
    file: str
    line: int
    text: str
    reason: str


class RejectedPage(Schema):
    total: int
    lines: list[RejectedOut]
    repairs: list[RepairOut]
