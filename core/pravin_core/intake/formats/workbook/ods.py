"""Workbooks as OpenDocument (ISO/IEC 26300), read by lxml in one pass; runs of empty cells are never laid out."""

from __future__ import annotations

import datetime as dt
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import islice, repeat
from pathlib import Path
from typing import Any

from lxml import etree

from pravin_core.errors import IntakeError
from pravin_core.intake.archives import checked_zip
from pravin_core.intake.formats.workbook.sheet import MOST_CELLS, TALLEST, WIDEST, Area, Cell, refuse_text

_TABLE = "{urn:oasis:names:tc:opendocument:xmlns:table:1.0}"
_OFFICE = "{urn:oasis:names:tc:opendocument:xmlns:office:1.0}"
_TEXT = "{urn:oasis:names:tc:opendocument:xmlns:text:1.0}"
_CALC = "{urn:org:documentfoundation:names:experimental:calc:xmlns:calcext:1.0}"
_NUMBER = re.compile(r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?$")
_TIME = re.compile(r"^(-?)PT(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:[.,]\d+)?S)?$")


@dataclass
class _Sheet:
    name: str
    runs: list[tuple[list[Cell], int]] = field(default_factory=list)  # rows, and how many times each is there
    height: int = 0
    areas: list[Area] = field(default_factory=list)
    visible: bool = True
    empty_rows: int = 0
    cells: int = 0
    characters: int = 0


class Ods:
    """See Book."""

    def sheets(self, path: Path) -> tuple[str, ...]:
        return tuple(
            sheet.name for sheet in _sheets(str(path), path.stat().st_mtime_ns) if sheet.runs and sheet.visible
        )

    def rows(self, path: Path, sheet: str, limit: int | None, shown: bool) -> Iterator[list[Cell]]:
        every = (row for row, times in _sheet(path, sheet).runs for row in repeat(row, times))
        yield from (list(row) for row in islice(every, limit))

    def merged(self, path: Path, sheet: str) -> tuple[Area, ...]:
        return tuple(_sheet(path, sheet).areas)


def _sheet(path: Path, name: str) -> _Sheet:
    sheet_ = next((sheet for sheet in _sheets(str(path), path.stat().st_mtime_ns) if sheet.name == name), None)
    if sheet_ is None:
        raise IntakeError(f"The workbook has no sheet {name!r}.", file=path.name, advice="Choose another sheet.")
    return sheet_


@lru_cache(maxsize=2)
def _sheets(path: str, stamp: int) -> tuple[_Sheet, ...]:
    checked_zip(Path(path), xml=True)
    results: list[_Sheet] = []
    hidden = set()
    try:
        with zipfile.ZipFile(path) as archive, archive.open("content.xml") as part:
            events = etree.iterparse(
                part, events=("start", "end"), resolve_entities=False, no_network=True, huge_tree=False
            )
            for event, node in events:
                if event == "start" and node.tag == f"{_TABLE}table":
                    results.append(_Sheet(node.get(f"{_TABLE}name") or f"sheet {len(results) + 1}"))
                    results[-1].visible = node.get(f"{_TABLE}style-name") not in hidden
                elif event == "end" and node.tag == "{urn:oasis:names:tc:opendocument:xmlns:style:1.0}style":
                    if any(child.get(f"{_TABLE}display") == "false" for child in node):
                        hidden.add(node.get("{urn:oasis:names:tc:opendocument:xmlns:style:1.0}name"))
                elif event == "end" and node.tag == f"{_TABLE}table-row" and results:
                    _add_row(results[-1], node, Path(path).name)
                    node.clear()
    except (etree.LxmlError, zipfile.BadZipFile, KeyError, OSError) as error:
        raise IntakeError(
            "The workbook cannot be read: its sheets are missing, damaged, or have parts within each other too deeply.",
            file=Path(path).name,
            advice="Open it in the program that made it and save it anew, or ask for delimited text.",
        ) from error
    return tuple(results)


def _repeats(node: Any, name: str) -> int:
    repeats = node.get(f"{_TABLE}{name}") or "1"
    return int(repeats) if repeats.isascii() and repeats.isdigit() and len(repeats) < 10 else 1


def _add_row(sheet: _Sheet, node: Any, file: str) -> None:
    row: list[Cell] = []
    empty, top = 0, sheet.height + sheet.empty_rows
    for child in node:
        if child.tag not in (f"{_TABLE}table-cell", f"{_TABLE}covered-table-cell"):
            continue
        times, cell = _repeats(child, "number-columns-repeated"), _cell(child)
        if cell.held is None:
            empty += times
            continue
        _refuse(sheet, top + 1, len(row) + empty + times, file)
        refuse_text(len(cell.text or "") * times, sheet.name, file)
        row += [Cell(None)] * empty
        tall, wide = _repeats(child, "number-rows-spanned"), _repeats(child, "number-columns-spanned")
        if tall > 1 or wide > 1:
            sheet.areas.append(Area(top, len(row), top + min(tall, TALLEST) - 1, len(row) + min(wide, WIDEST) - 1))
        row += [cell] * times
        empty = 0
    times = _repeats(node, "number-rows-repeated")
    if not row:
        sheet.empty_rows += times
        return
    _refuse(sheet, top + times, len(row), file)
    sheet.cells += len(row) * times
    sheet.characters += sum(len(cell.text or "") for cell in row) * times
    refuse_text(sheet.characters, sheet.name, file)
    if sheet.empty_rows:
        sheet.runs.append(([], sheet.empty_rows))
    sheet.runs.append((row, times))
    sheet.height += sheet.empty_rows + times
    sheet.empty_rows = 0


def _refuse(sheet: _Sheet, rows: int, columns: int, file: str) -> None:
    if rows > TALLEST or columns > WIDEST or sheet.cells + columns > MOST_CELLS:
        raise IntakeError(
            f"The sheet {sheet.name!r} claims {rows:,} rows and {columns:,} columns; at most {MOST_CELLS:,} cells"
            f" ({TALLEST:,} rows, {WIDEST:,} columns) are read.",
            file=file,
            advice="Delete what lies far outside of the table, or ask for delimited text.",
        )


def _cell(node: Any) -> Cell:
    kind = node.get(f"{_OFFICE}value-type")
    text = "\n".join(_paragraph(child) for child in node if child.tag == f"{_TEXT}p")
    if node.get(f"{_CALC}value-type") == "error":
        return Cell(text or "#ERROR", text=text or "#ERROR")
    if kind in ("float", "percentage", "currency"):
        stored = node.get(f"{_OFFICE}value")
        return (
            Cell(float(stored), text=text)
            if stored and _NUMBER.match(stored)
            else Cell(stored or text or None, text=text)
        )
    if kind == "date":
        stored = node.get(f"{_OFFICE}date-value") or ""
        try:
            return Cell(dt.datetime.fromisoformat(stored), text=text)
        except ValueError:
            return Cell(stored, text=text)
    if kind == "time" and (match := _TIME.match(node.get(f"{_OFFICE}time-value") or "")):
        hours, minutes, seconds = (int(match[part] or 0) for part in (2, 3, 4))
        return Cell(dt.timedelta(hours=hours, minutes=minutes, seconds=seconds), text=text)
    if kind == "boolean":
        return Cell(node.get(f"{_OFFICE}boolean-value") == "true", text=text)
    stored = node.get(f"{_OFFICE}string-value")
    kept = stored if stored is not None and not text else text
    return Cell(kept or None, text=text)


def _paragraph(node: Any) -> str:
    parts = [node.text or ""]
    for child in node:
        if child.tag == f"{_TEXT}s":
            repeats = child.get(f"{_TEXT}c") or "1"
            parts.append(" " * min(10_000, int(repeats[:9]) if repeats.isascii() and repeats.isdigit() else 1))
        elif child.tag == f"{_TEXT}tab":
            parts.append("\t")
        elif child.tag == f"{_TEXT}line-break":
            parts.append("\n")
        elif isinstance(child.tag, str):
            parts.append(_paragraph(child))
        parts.append(child.tail or "")
    return "".join(parts)
