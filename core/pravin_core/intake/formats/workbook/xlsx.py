"""Workbooks as Office Open XML (ISO/IEC 29500): values by calamine, what cells show by openpyxl."""

from __future__ import annotations

import posixpath
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from lxml import etree
from python_calamine import CalamineError, CalamineWorkbook, SheetTypeEnum, SheetVisibleEnum

from pravin_core.errors import IntakeError
from pravin_core.intake.formats.workbook.sheet import MOST_CELLS, TALLEST, WIDEST, Area, Cell
from pravin_core.intake.opening import checked_zip

_CHUNK = 2**20
_CELL = re.compile(rb'<(?:\w+:)?c\b[^>]*?\br="([A-Z]+)(\d+)"')
_PLACE = re.compile(rb'\br="([A-Z]+)(\d+)"')
_ERROR = re.compile(rb'<(?:\w+:)?c\b([^>]*?\bt="e"[^>]*)>(?:(?!c>).)*?<(?:\w+:)?v>([^<]*)<', re.S)
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
        book = _open(path)
        return tuple(
            sheet.name for sheet in book.sheets_metadata
            if sheet.typ == SheetTypeEnum.WorkSheet and sheet.visible == SheetVisibleEnum.Visible
            and _facts(str(path), path.stat().st_mtime_ns, sheet.name).rows
        )  # fmt: skip

    def rows(self, path: Path, sheet: str, limit: int | None, shown: bool) -> Iterator[list[Cell]]:
        facts = _facts(str(path), path.stat().st_mtime_ns, sheet)
        found = _with_formats(path, sheet, limit) if shown or limit is not None else _held(path, sheet)
        wrong: dict[int, list[tuple[int, str]]] = {}
        for (number, at), text in facts.errors.items():
            wrong.setdefault(number, []).append((at, text))
        for number, row in enumerate(found):
            for at, text in wrong.get(number, ()):
                row += [Cell(None)] * (at + 1 - len(row))
                row[at] = Cell(text)
            yield row

    def merged(self, path: Path, sheet: str) -> tuple[Area, ...]:
        _facts(str(path), path.stat().st_mtime_ns, sheet)
        ranges = _open(path).get_sheet_by_name(sheet).merged_cell_ranges or []
        return tuple(Area(top, left, bottom, right) for (top, left), (bottom, right) in ranges)


def _open(path: Path) -> CalamineWorkbook:
    _checked(str(path), path.stat().st_mtime_ns)
    try:
        return CalamineWorkbook.from_path(str(path))
    except (CalamineError, OSError) as error:
        raise IntakeError(
            f"The workbook cannot be read: {error}.", file=path.name, advice="Ask for it again."
        ) from error


@lru_cache(maxsize=16)
def _checked(path: str, stamp: int) -> None:
    checked_zip(Path(path), xml=True)


def _held(path: Path, sheet: str) -> Iterator[list[Cell]]:
    found = _open(path).get_sheet_by_name(sheet)
    top, left = found.start or (0, 0)
    for _ in range(top):
        yield []
    for row in found.iter_rows():
        yield [*[Cell(None)] * left, *(Cell(None if value == "" else value) for value in row)]


def _with_formats(path: Path, sheet: str, limit: int | None) -> Iterator[list[Cell]]:
    import openpyxl  # half a second, which only the processes pay that need it

    with path.open("rb") as file:
        book = openpyxl.load_workbook(file, read_only=True, data_only=True)
        for row in book[sheet].iter_rows(max_row=limit):
            yield [
                Cell(None) if cell.value is None else Cell(cell.value, str(cell.number_format or "General"))
                for cell in row
            ]


@lru_cache(maxsize=64)
def _facts(path: str, stamp: int, sheet: str) -> _Facts:
    """One pass over a sheet's XML before any library builds it: refuses rectangles that no memory holds."""
    _checked(path, stamp)
    rows = columns = 0
    bare = False
    errors: dict[tuple[int, int], str] = {}
    with zipfile.ZipFile(path) as archive, archive.open(_part(archive, sheet, path)) as part:
        rest = b""
        while chunk := part.read(_CHUNK):
            data = rest + chunk
            cut = data.rfind(b"c>")  # the end of a cell, whatever its prefix
            cut = cut + 2 if cut >= 0 else max(0, len(data) - 4096)
            seen, rest = data[:cut], data[cut:][-4 * _CHUNK :]
            rows, columns = _rectangle(seen, rows, columns, Path(path).name, sheet)
            for attributes, text in _ERROR.findall(seen):
                if place := _PLACE.search(attributes):
                    errors[int(place[2]) - 1, _column(place[1]) - 1] = text.decode("utf-8", "replace")
            bare = bare or b"<c" in seen or b":c " in seen
        rows, columns = _rectangle(rest, rows, columns, Path(path).name, sheet)
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


def _part(archive: zipfile.ZipFile, sheet: str, path: str) -> str:
    """The name of the part that holds a sheet."""
    parser = etree.XMLParser(resolve_entities=False, no_network=True)
    book = etree.fromstring(archive.read("xl/workbook.xml"), parser)
    relations = etree.fromstring(archive.read("xl/_rels/workbook.xml.rels"), parser)
    targets = {one.get("Id"): one.get("Target") for one in relations}
    for one in book.iter("{*}sheet"):
        if one.get("name") == sheet:
            target = str(targets.get(one.get(_RELATIONS)) or "")
            return target.lstrip("/") if target.startswith("/") else posixpath.normpath(f"xl/{target}")
    raise IntakeError(f"The workbook has no sheet {sheet!r}.", file=Path(path).name, advice="Choose another sheet.")
