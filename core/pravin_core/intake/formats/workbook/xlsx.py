"""Workbooks as Office Open XML (ISO/IEC 29500): values by calamine, what cells show by openpyxl."""

from __future__ import annotations

import posixpath
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Any

from lxml import etree
from python_calamine import CalamineError, CalamineWorkbook, SheetTypeEnum, SheetVisibleEnum

from pravin_core.errors import IntakeError
from pravin_core.intake.archives import checked_zip
from pravin_core.intake.formats.workbook.sheet import MOST_CELLS, MOST_TEXT, TALLEST, WIDEST, Area, Cell, refuse_text

_CHUNK = 2**20
_TAG = re.compile(rb"<(?:\w+:)?c[\s/>]")
_CELL = re.compile(rb'<(?:\w+:)?c\b[^<>]*?\br="([A-Z]+)(\d+)"')
_PLACE = re.compile(rb'\br="([A-Z]+)(\d+)"')
# up to the next cell or the end of this one, so that cells within cells cost no more than beside each other
_ERROR = re.compile(rb'<(?:\w+:)?c\b([^<>]*?\bt="e"[^<>]*)>((?:(?!<(?:\w+:)?c[\s/>]|c>).)*)', re.S)
_VALUE = re.compile(rb"<(?:\w+:)?v>([^<]*)<")
_SHARED = re.compile(rb'\bt="s"[^<>]*>\s*<(?:\w+:)?v>(\d{1,9})<')
_RELATIONS = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"


@dataclass(frozen=True)
class _Facts:
    """What a pass over a sheet's XML found: the rectangle of its cells and the cells with errors."""

    rows: int
    columns: int
    errors: dict[tuple[int, int], str]


class Xlsx:
    """See Book."""

    def sheets(self, path: Path) -> tuple[str, ...]:
        shown = [
            sheet.name for sheet in _open(path).sheets_metadata
            if sheet.typ == SheetTypeEnum.WorkSheet and sheet.visible == SheetVisibleEnum.Visible
        ]  # fmt: skip
        parts = _parts(str(path), path.stat().st_mtime_ns)
        with zipfile.ZipFile(path) as archive:
            return tuple(name for name in shown if _holds_a_cell(archive, parts.get(name, "")))

    def rows(self, path: Path, sheet: str, limit: int | None, shown: bool) -> Iterator[list[Cell]]:
        facts = _facts(str(path), path.stat().st_mtime_ns, sheet)
        rows = _with_formats(path, sheet, limit) if shown or limit is not None else _held(path, sheet)
        wrong: dict[int, list[tuple[int, str]]] = {}
        for (number, at), text in facts.errors.items():
            wrong.setdefault(number, []).append((at, text))
        for number, row in enumerate(rows):
            for at, text in wrong.get(number, ()):
                row += [Cell(None)] * (at + 1 - len(row))
                row[at] = Cell(text)
            yield row

    def merged(self, path: Path, sheet: str) -> tuple[Area, ...]:
        _facts(str(path), path.stat().st_mtime_ns, sheet)
        ranges = _open(path).get_sheet_by_name(sheet).merged_cell_ranges or []
        return tuple(Area(top, left, bottom, right) for (top, left), (bottom, right) in ranges)


def _open(path: Path) -> CalamineWorkbook:
    return _opened(str(path), path.stat().st_mtime_ns)


@lru_cache(maxsize=1)
def _opened(name: str, stamp: int) -> CalamineWorkbook:
    _checked(name, stamp)
    path = Path(name)
    try:
        return CalamineWorkbook.from_path(name)
    except (CalamineError, OSError) as error:
        raise IntakeError(
            "The workbook cannot be read: a part of it is missing or damaged.",
            file=path.name,
            advice="Ask for it again.",
        ) from error


@lru_cache(maxsize=16)
def _checked(path: str, stamp: int) -> None:
    checked_zip(Path(path), xml=True)


def _held(path: Path, sheet: str) -> Iterator[list[Cell]]:
    name = _open(path).get_sheet_by_name(sheet)
    top, left = name.start or (0, 0)
    for _ in range(top):
        yield []
    for row in name.iter_rows():
        yield [*[Cell(None)] * left, *(Cell(None if value == "" else value) for value in row)]


def _with_formats(path: Path, sheet: str, limit: int | None) -> Iterator[list[Cell]]:
    book = _opened_with_formats(str(path), path.stat().st_mtime_ns)
    for row in book[sheet].iter_rows(max_row=limit):
        yield [
            Cell(None) if cell.value is None else Cell(cell.value, str(cell.number_format or "General")) for cell in row
        ]


@lru_cache(maxsize=1)
def _opened_with_formats(path: str, stamp: int) -> Any:
    """Kept for the next question: opening takes long where there are many sheets."""
    import openpyxl  # half a second, which only the processes pay that need it

    return openpyxl.load_workbook(Path(path).open("rb"), read_only=True, data_only=True)


@lru_cache(maxsize=64)
def _facts(path: str, stamp: int, sheet: str) -> _Facts:
    """One pass over a sheet's XML before any library builds it: refuses rectangles that no memory holds."""
    _checked(path, stamp)
    rows = columns = strings = 0
    bare = False
    errors: dict[tuple[int, int], str] = {}
    with zipfile.ZipFile(path) as archive, archive.open(_part(path, stamp, sheet)) as part:
        rest = b""
        while chunk := part.read(_CHUNK):
            data = rest + chunk
            cut = data.rfind(b"c>")  # the end of a cell, whatever its prefix
            cut = cut + 2 if cut >= 0 else max(0, len(data) - 4096)
            seen, rest = data[:cut], data[cut:][-4 * _CHUNK :]
            rows, columns = _rectangle(seen, rows, columns, Path(path).name, sheet)
            for attributes, inside in _ERROR.findall(seen):
                if (place := _PLACE.search(attributes)) and (text := _VALUE.search(inside)):
                    errors[int(place[2][:9]) - 1, _column(place[1][:8]) - 1] = text[1].decode("utf-8", "replace")
            strings += seen.count(b't="s"')
            bare = bare or b"<c" in seen or b":c " in seen
        rows, columns = _rectangle(rest, rows, columns, Path(path).name, sheet)
        _refuse_shared(archive, _part(path, stamp, sheet), strings + rest.count(b't="s"'), Path(path).name, sheet)
    if not rows and (bare or b"<c" in rest):
        rows = columns = 1  # a writer that leaves the places of cells unsaid: every cell is there in the file
    return _Facts(rows, columns, errors)


def _rectangle(data: bytes, rows: int, columns: int, file: str, sheet: str) -> tuple[int, int]:
    for letters, digits in _extremes(data):
        rows, columns = max(rows, int(digits[:9])), max(columns, _column(letters[:8]))
    if columns > WIDEST or rows > TALLEST or rows * columns > MOST_CELLS:
        raise IntakeError(
            f"The sheet {sheet!r} claims {rows:,} rows and {columns:,} columns; at most {MOST_CELLS:,} cells"
            f" ({TALLEST:,} rows, {WIDEST:,} columns) are read.",
            file=file,
            advice="Delete what lies far outside of the table, or ask for delimited text.",
        )
    return rows, columns


def _extremes(data: bytes) -> list[tuple[bytes, bytes]]:
    places = _CELL.findall(data)
    if not places:
        return []
    widest = max(places, key=lambda place: (len(place[0]), place[0]))
    lowest = max(places, key=lambda place: (len(place[1]), place[1]))
    return [widest, lowest]


def _column(letters: bytes) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + letter - 64
    return number


def _part(path: str, stamp: int, sheet: str) -> str:
    """The name of the part that holds a sheet."""
    if result := _parts(path, stamp).get(sheet):
        return result
    raise IntakeError(f"The workbook has no sheet {sheet!r}.", file=Path(path).name, advice="Choose another sheet.")


@lru_cache(maxsize=8)
def _parts(path: str, stamp: int) -> dict[str, str]:
    """The names of the parts that hold the sheets, by sheet."""
    _checked(path, stamp)
    parser = etree.XMLParser(resolve_entities=False, no_network=True)
    with zipfile.ZipFile(path) as archive:
        try:
            book = etree.fromstring(archive.read("xl/workbook.xml"), parser)
            relations = etree.fromstring(archive.read("xl/_rels/workbook.xml.rels"), parser)
        except KeyError as error:
            raise IntakeError(
                "The workbook lacks the list of its sheets.", file=Path(path).name, advice="Ask for it again."
            ) from error
    targets = {relation.get("Id"): str(relation.get("Target") or "") for relation in relations}
    results: dict[str, str] = {}
    for node in book.iter("{*}sheet"):
        target = targets.get(node.get(_RELATIONS)) or ""
        part = target.lstrip("/") if target.startswith("/") else posixpath.normpath(f"xl/{target}")
        results.setdefault(str(node.get("name")), part)
    return results


def _holds_a_cell(archive: zipfile.ZipFile, part: str) -> bool:
    """Whether a sheet has a cell; no more of it is read than that takes."""
    if part not in archive.namelist():
        return False
    with archive.open(part) as sheet:
        rest = b""
        while chunk := sheet.read(_CHUNK // 16):
            if _TAG.search(rest + chunk):
                return True
            rest = chunk[-64:]
    return False


def _refuse_shared(archive: zipfile.ZipFile, part: str, cells: int, file: str, sheet: str) -> None:
    """Refuse a sheet whose cells share texts in such a way that a small file becomes a huge table."""
    name = next(
        (each_text for each_text in archive.namelist() if each_text.lower().endswith("xl/sharedstrings.xml")), ""
    )
    if not name or not cells:
        return
    lengths = _shared_lengths(archive, name)
    most = max(MOST_TEXT, 4 * archive.getinfo(part).file_size)
    if cells * max(lengths, default=0) <= most:
        return
    characters = 0
    with archive.open(part) as text:
        rest = b""
        while chunk := text.read(_CHUNK):
            data = rest + chunk
            matches = list(_SHARED.finditer(data))
            characters += sum(lengths[at] for match in matches if (at := int(match[1])) < len(lengths))
            rest = data[matches[-1].end() if matches else 0 :][-256:]
            refuse_text(characters, sheet, file, most)


def _shared_lengths(archive: zipfile.ZipFile, name: str) -> list[int]:
    """How many bytes each shared text takes in the file, which is no less than its characters."""
    lengths: list[int] = []
    with archive.open(name) as part:
        rest = 0
        tail = b""
        while chunk := part.read(_CHUNK):
            pieces = (tail + chunk).split(b"si>")
            tail = pieces[-1][-2:]
            sizes = [len(piece) for piece in pieces]
            sizes[0] += rest
            lengths += sizes[:-1]
            rest = sizes[-1] - len(tail)
    return lengths[1::2]  # every second ends a text, the others begin one
