"""Workbooks in the older binary form (BIFF), read by xlrd."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import xlrd
from xlrd.biffh import error_text_from_code

from pravin_core.errors import IntakeError
from pravin_core.intake.formats.workbook.sheet import Area, Cell


class Xls:
    """See Book."""

    def sheets(self, path: Path) -> tuple[str, ...]:
        book = _open(path)
        return tuple(sheet.name for sheet in book.sheets() if sheet.visibility == 0 and sheet.nrows)

    def rows(self, path: Path, sheet: str, limit: int | None, shown: bool) -> Iterator[list[Cell]]:
        book = _open(path)
        found_sheet = _sheet(book, sheet, path)
        for number in range(min(found_sheet.nrows, limit or found_sheet.nrows)):
            yield [_cell(book, cell) for cell in found_sheet.row(number)]

    def merged(self, path: Path, sheet: str) -> tuple[Area, ...]:
        found_sheet = _sheet(_open(path), sheet, path)
        return tuple(Area(top, left, bottom - 1, right - 1) for top, bottom, left, right in found_sheet.merged_cells)


def _open(path: Path) -> xlrd.Book:
    try:
        return xlrd.open_workbook(str(path), formatting_info=True, logfile=open("/dev/null", "w"))
    except (
        Exception
    ) as error:  # the library trusts what the file says of itself, and fails in any way where it is not so
        raise IntakeError(
            "The workbook is damaged: what it says of its own parts is not so.",
            file=path.name,
            advice="Open it in the program that made it and save it anew, or ask for delimited text.",
        ) from error


def _sheet(book: xlrd.Book, name: str, path: Path) -> xlrd.sheet.Sheet:
    try:
        return book.sheet_by_name(name)
    except xlrd.XLRDError as error:
        raise IntakeError(
            f"The workbook has no sheet {name!r}.", file=path.name, advice="Choose another sheet."
        ) from error


def _cell(book: xlrd.Book, cell: xlrd.sheet.Cell) -> Cell:
    kind, value = cell.ctype, cell.value
    if kind in (xlrd.XL_CELL_EMPTY, xlrd.XL_CELL_BLANK):
        return Cell(None)
    if kind == xlrd.XL_CELL_ERROR:
        return Cell(error_text_from_code.get(value, "#ERROR"))
    if kind == xlrd.XL_CELL_BOOLEAN:
        return Cell(bool(value))
    form = "General"
    if cell.xf_index is not None and book.xf_list:
        cell_format = book.format_map.get(book.xf_list[cell.xf_index].format_key)
        form = cell_format.format_str if cell_format else "General"
    if kind == xlrd.XL_CELL_DATE:
        try:
            moment = xlrd.xldate_as_datetime(value, book.datemode)
        except (xlrd.XLDateError, OverflowError, ValueError):
            return Cell(value, form)
        return Cell(moment.time() if 0 <= value < 1 else moment, form)
    return Cell(value if not isinstance(value, str) or value else None, form)
