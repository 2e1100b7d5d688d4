"""What a reader of a format does, and the words readers share."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, ClassVar, Literal

from pravin_core.engines.base import Connection
from pravin_core.errors import SettingsError
from pravin_core.intake.encoding import EncodingGuess
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.tables.columns import unique_names

BY_HAND = "chosen by hand"
PREAMBLE, HEADER, RECORD, REJECTED = "preamble", "header", "record", "rejected"
COMMENT, REPEATED, TOTALS = "comment", "repeated header", "totals"
FATES = (PREAMBLE, HEADER, RECORD, REJECTED, COMMENT, REPEATED, TOTALS)


@dataclass(frozen=True)
class LineOutcome:
    """What one line (row, element) or several of a file turned out to be.

    `line` is the first physical line (row of a sheet or table, element of a list), from 1; `text` the raw text
    without the last line end; `cells` those of the delivered columns, None where the source says "no value".
    """

    status: str
    line: int
    lines: int = 1
    text: str = ""
    cells: tuple[str | None, ...] = ()
    reason: str = ""


@dataclass(frozen=True)
class Doubt:
    """A line that reads differently under the values of a setting that come into question: `readings` pairs each value
    (as text, the chosen one first) with what the line is then.
    """

    line: int
    readings: tuple[tuple[str, str], ...]
    about: str = "encoding"


@dataclass(frozen=True)
class Detected:
    """Complete settings of a source with one sentence of evidence for each, remarks, rivals and doubts."""

    settings: FileSettings
    evidence: dict[str, str]
    notes: tuple[str, ...] = ()
    rivals: dict[str, tuple[str, ...]] = field(default_factory=dict)
    doubts: tuple[Doubt, ...] = ()


@dataclass(frozen=True)
class Place:
    """Where a source's bytes are: its name for people, the file, the table in it ("" when it is one table).

    `guess` is the encoding when it was judged before; judging takes a pass over the file.
    """

    name: str
    path: Path
    table: str = ""
    guess: EncodingGuess | None = None


@dataclass(frozen=True)
class FastRead:
    """What the engine read by itself: physical lines, records among them, repeated headers."""

    lines: int
    records: int
    repeated: int = 0
    totals_cells: tuple[str | None, ...] = ()


class Reader:
    """One format. Sub-classes recognise it, settle its settings and cut it into pieces."""

    format: str
    label: str
    view: Literal["text", "grid"] = "text"
    unit = "line"
    asked: ClassVar[int] = 100  # the lower, the earlier it is asked whether a file is its own
    first: ClassVar[tuple[str, ...]] = ()  # import settings that always stand in its form, in order
    more: ClassVar[tuple[str, ...]] = ()  # and those that are rarely changed
    apart: ClassVar[bool] = False  # its library may take any memory and time, so it reads in a process of its own

    def about(self) -> str:
        """What people should know of it, in a sentence."""
        return " ".join(str(type(self).__doc__).split())

    def recognises(self, path: Path, name: str, head: bytes) -> str:
        """The evidence that a file is of this format; empty when it is not."""
        raise NotImplementedError

    def tables(self, path: Path) -> tuple[str, ...]:
        """The names of the tables in a file; one empty name when the file is one table."""
        return ("",)

    def settle(self, place: Place, request: SettingsRequest, known: Sequence[str]) -> Detected:
        """Complete a request from the content. Raises IntakeError when it is no table."""
        raise NotImplementedError

    def outcomes(self, place: Place, settings: FileSettings, limit: int | None = None) -> Iterator[LineOutcome]:
        """All of the source, in order; with `limit` at least its first `limit` lines, at a cost that does not grow."""
        raise NotImplementedError

    def read_one(self, text: str, settings: FileSettings) -> tuple[str | None, ...] | str:
        """A text that a person wrote in place of a rejected line: its cells, or the reason why it is no record."""
        return f"a rejected {self.unit} of this format cannot be repaired by hand; repair the file and deliver it again"

    def read_fast(
        self,
        con: Connection,
        place: Place,
        settings: FileSettings,
        origin: tuple[int, int],
        work: Path,
        out: Path,
    ) -> FastRead | None:
        """Write the records as Parquet to `out` without looking at each; None when the source needs `pieces`.

        `origin`: the number of the first record and the source's place in the delivery; `work`: a scratch folder.
        """
        return None


def assign(names: Sequence[str], request: SettingsRequest, file: str) -> dict[str, Any]:
    """The settings that say what becomes of the columns: names, columns, facts, source_column."""
    requested = {name: column.strip() if column else None for name, column in (request.columns or {}).items()}
    facts = {name.strip(): value for name, value in (request.facts or {}).items() if name.strip()}
    columns = tuple(requested.get(name, name) for name in names)
    filled = [c for c in (*columns, *facts, request.source_column or "") if c]
    _, notes = unique_names(filled)
    if notes:
        raise SettingsError(
            f"These names of columns cannot be used: {notes[0]}.",
            file=file,
            advice="Give every column that is kept a name of its own.",
        )
    return {"names": tuple(names), "columns": columns, "facts": facts, "source_column": request.source_column or ""}


def with_totals(outcomes: Iterator[LineOutcome]) -> Iterator[LineOutcome]:
    """The pieces with the last one that is not blank taken for the totals line."""
    own_outcomes: list[LineOutcome] = []
    for outcome in outcomes:
        if outcome.status in (RECORD, REJECTED) and (outcome.text.strip() or any(outcome.cells)):
            yield from own_outcomes
            own_outcomes = [outcome]
        elif own_outcomes:
            own_outcomes.append(outcome)
        else:
            yield outcome
    if own_outcomes:
        yield replace(own_outcomes[0], status=TOTALS, reason="")
        yield from own_outcomes[1:]


def joined_header(rows: Sequence[Sequence[str]], width: int) -> list[str]:
    """One name for each column from several header rows: an empty cell takes its left neighbour's, but in the last."""
    filled: list[list[str]] = []
    for position, row in enumerate(rows):
        cells = [*(cell.strip() for cell in row), *[""] * width][:width]
        if position < len(rows) - 1:
            for column in range(1, width):
                cells[column] = cells[column] or cells[column - 1]
        filled.append(cells)
    return [" ".join(dict.fromkeys(part for part in parts if part)) for parts in zip(*filled, strict=True)]
