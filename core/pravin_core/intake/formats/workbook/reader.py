"""The reader of workbooks: range, header rows, merged areas, what cells hold or show."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator, Sequence
from itertools import islice
from pathlib import Path

from pravin_core.errors import IntakeError
from pravin_core.intake.formats.base import (
    BY_HAND,
    COMMENT,
    HEADER,
    PREAMBLE,
    RECORD,
    REJECTED,
    REPEATED,
    Detected,
    LineOutcome,
    Place,
    Reader,
    assign,
    joined_header,
    with_totals,
)
from pravin_core.intake.formats.header_detection import header_rows, names_of
from pravin_core.intake.formats.workbook.ods import Ods
from pravin_core.intake.formats.workbook.sheet import Area, Book, held_text, shown_text
from pravin_core.intake.formats.workbook.xlsx import Xlsx
from pravin_core.intake.settings import RANGE, FileSettings, SettingsRequest
from pravin_core.tables.columns import unique_names

_SAMPLE_ROWS = 1000
_NO_ERROR = re.compile(r"^#(N/A|DIV/0!|VALUE!|REF!|NAME\?|NUM!|NULL!|ERROR)$")
Row = tuple[str | None, ...]


def _book(path: Path) -> Book:
    with path.open("rb") as file:
        head = file.read(8)
    if head.startswith(b"\xd0\xcf\x11\xe0"):
        from pravin_core.intake.formats.workbook.xls import Xls  # its library is slow to load and rarely needed

        return Xls()
    try:
        with zipfile.ZipFile(path) as archive:
            return Ods() if "content.xml" in archive.namelist() else Xlsx()
    except zipfile.BadZipFile as error:
        raise IntakeError(
            "The file is not a workbook: it is not an archive of the kind that workbooks are.",
            file=path.name,
            advice="Ask for it again.",
        ) from error


class Workbook(Reader):
    """Each visible sheet that holds a cell is a source of its own; rows are numbered as in the sheet."""

    format, label, view, unit = "workbook", "workbook", "grid", "row"
    asked = 20
    first = ("cells", "header_rows", "shown", "fill_merged")
    more = ("skip_lines", "repeated_header", "totals_line", "names")
    apart = True

    def recognises(self, path: Path, name: str, head: bytes) -> str:
        if head.startswith(b"\xd0\xcf\x11\xe0"):
            return "the file begins like a workbook in the older binary form"
        if not head.startswith(b"PK\x03\x04"):
            return ""
        try:
            with zipfile.ZipFile(path) as archive:
                names = set(archive.namelist())
        except zipfile.BadZipFile:
            return ""
        if "xl/workbook.xml" in names:
            return "the archive holds xl/workbook.xml"
        return "the archive holds an OpenDocument sheet" if {"content.xml", "mimetype"} <= names else ""

    def tables(self, path: Path) -> tuple[str, ...]:
        sheets = _book(path).sheets(path)
        if not sheets:
            raise IntakeError("The workbook holds no cell.", file=path.name, advice="Ask for it again.")
        return sheets

    def settle(self, place: Place, request: SettingsRequest, known: Sequence[str]) -> Detected:
        grid = _Grid(place, request.cells or "", bool(request.shown), bool(request.fill_merged))
        result = islice(grid.rows(limit=_SAMPLE_ROWS), grid.top + _SAMPLE_ROWS)
        rows = [(at, row) for at, row in result if not grid.before(at) and not grid.after(at)]
        left, right = grid.span(rows)
        cut = [_cells(row, left, right) for _, row in rows]
        skip, why_skip = _preamble(cut)
        if request.skip_lines is not None:
            skip, why_skip = request.skip_lines, BY_HAND
        body = [tuple(cell or "" for cell in row) for row in cut[skip:] if any(row)]
        if not body:
            raise IntakeError("The range holds no cell.", file=place.name, advice="Choose another range or sheet.")
        header, why = header_rows(body, known)
        if request.header_rows is not None:
            header, why = request.header_rows, BY_HAND
        width = right - left
        top = joined_header(body[:header], width) if header else None
        delivered, named = names_of(top, request, known, width)
        names, notes = unique_names(delivered)
        settings = FileSettings(
            format="workbook", header_rows=header, skip_lines=skip, cells=request.cells or grid.corner(left),
            shown=bool(request.shown), fill_merged=bool(request.fill_merged),
            repeated_header=bool(header) and request.repeated_header is not False,
            totals_line=bool(request.totals_line), **assign(names, request, place.name),
        )  # fmt: skip
        evidence = {
            "cells": BY_HAND if request.cells else f"columns {grid.named(left, right)} hold cells",
            "skip_lines": why_skip,
            "header_rows": why,
            "names": named,
            **grid.remarks(rows, left, right),
        }
        return Detected(settings, evidence, tuple(notes))

    def outcomes(self, place: Place, settings: FileSettings, limit: int | None = None) -> Iterator[LineOutcome]:
        grid = _Grid(place, settings.cells, settings.shown, settings.fill_merged)
        left = grid.left
        right = left + len(settings.names)
        pieces = _pieces(grid, settings, left, right, limit)
        return with_totals(pieces) if settings.totals_line and limit is None else pieces


def _pieces(grid: _Grid, settings: FileSettings, left: int, right: int, limit: int | None) -> Iterator[LineOutcome]:
    heads: list[Row] = []
    blank: list[LineOutcome] = []  # rows at the end that hold nothing are no part of the sheet
    skipped = 0
    for at, row in grid.rows(limit):
        cells, number = _cells(row, left, right), at + 1
        text = "\t".join(cell or "" for cell in cells)
        if grid.before(at):
            yield LineOutcome(PREAMBLE, number, text=text, cells=tuple(row))
            continue
        if grid.after(at):
            yield LineOutcome(COMMENT, number, text="\t".join(c or "" for c in row), cells=tuple(row))
            continue
        if skipped < settings.skip_lines:
            skipped += 1
            yield LineOutcome(PREAMBLE, number, text=text, cells=cells)
            continue
        if not any(cells) and (grid.columns or not any(row)):
            status = PREAMBLE if len(heads) < settings.header_rows else REJECTED
            reason = "the row is empty" if status == REJECTED else ""
            blank.append(LineOutcome(status, number, text=text, cells=cells, reason=reason))
            continue
        yield from blank
        blank = []
        if len(heads) < settings.header_rows:
            heads.append(cells)
            yield LineOutcome(HEADER, number, text=text, cells=cells)
        elif settings.repeated_header and cells in heads:
            yield LineOutcome(REPEATED, number, text=text, cells=cells)
        elif not grid.columns and (any(row[:left]) or any(row[right:])):
            reason = "the row holds cells beside the columns of the table"
            yield LineOutcome(REJECTED, number, text="\t".join(c or "" for c in row), cells=tuple(row), reason=reason)
        elif any("\x00" in cell for cell in cells if cell):
            yield LineOutcome(REJECTED, number, text=text, cells=cells, reason="the row holds a NUL character")
        else:
            yield LineOutcome(RECORD, number, text=text, cells=cells)


class _Grid:
    """The rows of a sheet as text, a range of it in view."""

    def __init__(self, place: Place, cells: str, shown: bool, fill: bool) -> None:
        self.place, self.book, self.shown, self.fill = place, _book(place.path), shown, fill
        self.sheet = place.table or self.book.sheets(place.path)[0]
        self.top, self.bottom, self.left, self.columns = _parsed(cells)

    def rows(self, limit: int | None) -> Iterator[tuple[int, list[str | None]]]:
        """Rows by position from 0."""
        text = shown_text if self.shown else (lambda cell: held_text(cell.held))
        areas = self.book.merged(self.place.path, self.sheet) if self.fill else ()
        values: dict[Area, str | None] = {}
        reach = None if limit is None else limit + self.top
        for at, row in enumerate(self.book.rows(self.place.path, self.sheet, reach, self.shown)):
            cells = [text(cell) for cell in row]
            for area in areas:
                if area.top <= at <= area.bottom:
                    cells += [None] * (area.right + 1 - len(cells))
                    if at == area.top:
                        values[area] = cells[area.left]
                    cells[area.left : area.right + 1] = [values.get(area)] * (area.right + 1 - area.left)
            yield at, cells

    def before(self, at: int) -> bool:
        return at < self.top

    def after(self, at: int) -> bool:
        return self.bottom is not None and at > self.bottom

    def span(self, rows: Sequence[tuple[int, Sequence[str | None]]]) -> tuple[int, int]:
        """First column and the one after the last: of the range, else of the cells that hold something."""
        if self.columns:
            return self.columns
        filled = [at for _, row in rows for at, cell in enumerate(row) if cell is not None and at >= self.left]
        if not filled:
            raise IntakeError("The sheet holds no cell.", file=self.place.name, advice="Choose another sheet.")
        return self.left or min(filled), max(filled) + 1

    def named(self, left: int, right: int) -> str:
        """The range as it is written, open at the bottom unless a row was given."""
        end = "" if self.bottom is None else str(self.bottom + 1)
        return f"{_letters(left)}{self.top + 1}:{_letters(right - 1)}{end}"

    def corner(self, left: int) -> str:
        """Where a table begins whose end was not said: cells beside its columns are noticed, not cut off."""
        return f"{_letters(left)}{self.top + 1}"

    def remarks(self, rows: Sequence[tuple[int, Sequence[str | None]]], left: int, right: int) -> dict[str, str]:
        """What a careful reader of the sheet would want to know."""
        areas = [a for a in self.book.merged(self.place.path, self.sheet) if a.right >= left and a.left < right]
        wrong = sum(bool(cell and _NO_ERROR.match(cell)) for _, row in rows for cell in row)
        differing = self._differing(left, right)
        return {
            "fill_merged": f"{len(areas):,} merged areas" if areas else "no cells are merged",
            "errors": f"{wrong:,} cells hold an error" if wrong else "no cell looked at holds an error",
            "shown": differing or "the cells looked at show what they hold",
        }

    def _differing(self, left: int, right: int) -> str:
        count, example = 0, ""
        for at, row in enumerate(self.book.rows(self.place.path, self.sheet, 300, True)):
            for column, cell in enumerate(row[left:right], start=left):
                kept, shown = held_text(cell.held), shown_text(cell)
                if kept != shown and kept is not None and shown is not None:
                    count += 1
                    example = example or f"e.g. {_letters(column)}{at + 1} holds {kept}, shows {shown}"
        return f"{count:,} of the cells looked at show something else: {example}" if count else ""


def _parsed(cells: str) -> tuple[int, int | None, int, tuple[int, int] | None]:
    """Top row, bottom row (None: to the end), left column and both columns (None: all) of a range, from 0."""
    match = RANGE.match(cells)
    if not match:
        return 0, None, 0, None
    left, top = _number(match["c1"]), int(match["r1"]) - 1
    right = _number(match["c2"]) if match["c2"] else None
    bottom = int(match["r2"]) - 1 if match["r2"] else None
    if (right is not None and right < left) or (bottom is not None and bottom < top):
        raise IntakeError(f"The range {cells} ends before it begins.", advice="Write e.g. B4:H200.")
    return top, bottom, left, None if right is None else (left, right + 1)


def _number(letters: str) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - 64
    return number - 1


def _letters(number: int) -> str:
    letters, number = "", number + 1
    while number:
        number, rest = divmod(number - 1, 26)
        letters = chr(65 + rest) + letters
    return letters


def _cells(row: Sequence[str | None], left: int, right: int) -> Row:
    cut = tuple(row[left:right])
    return cut + (None,) * (right - left - len(cut))


def _preamble(rows: Sequence[Row]) -> tuple[int, str]:
    """Rows before the first that fills as many columns as the table does: titles, remarks, blank rows."""
    counts = [sum(cell is not None for cell in row) for row in rows]
    usual = max(set(counts), key=lambda n: (counts.count(n), n)) if counts else 0
    enough = max(2, (max(usual, 1) + 1) // 2) if max(counts, default=0) > 1 else 1
    first = next((at for at, count in enumerate(counts) if count >= enough), 0)
    return first, f"{first} rows differ from those below" if first else "the first row looks like those below"


READER = Workbook()
