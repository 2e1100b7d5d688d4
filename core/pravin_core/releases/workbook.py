"""Write rows as a workbook (Office Open XML, .xlsx): whole numbers as numbers, all else as text or, where that is asked for, as what it
is. Nothing ever runs as a formula. Whole and exact numbers with more digits than a cell holds are written as text, never rounded;
decimals (floating point) are written with 16 digits.
"""

from __future__ import annotations

import datetime as dt
import math
from collections.abc import Collection, Sequence
from pathlib import Path
from typing import Any

import pyarrow as pa
import xlsxwriter
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.errors import RunError
from pravin_core.sql.trees import sql

MOST_ROWS = 1_048_576  # of a sheet, with its header
LONGEST = 32_767  # characters of a cell
_WIDEST = 48  # characters that a column is made wide for
_MEASURED = 200  # rows that say how wide
_DIGITS = 15  # that a number of a cell holds
_FIRST_DAY = dt.date(1900, 3, 1)  # before it programs count days differently
Cell = str | int | float | bool | dt.date | None
Row = tuple[Cell, ...]


def write_workbook(
    con: Connection, query: exp.Expr, target: Path, to_fill_in: Collection[str] | None = None, typed: bool = False
) -> None:
    """Write a query's rows, in its order; rows that a sheet cannot hold go on in the next sheet, under the same header.

    `typed`: also decimals, dates and true/false are cells of their type. With `to_fill_in` (names of columns) all other cells are
    locked. Raises RunError when a text is longer than a cell may be: it is never cut.
    """
    reader = con.sql(sql(query)).to_arrow_reader()
    names: list[str] = reader.schema.names
    book = xlsxwriter.Workbook(
        target, {"constant_memory": True, "strings_to_urls": False, "strings_to_formulas": False}
    )
    try:
        sheets = _Sheets(book, names, to_fill_in)
        for batch in reader:
            sheets.add(_rows(batch, names, typed))
        sheets.close()
    finally:
        book.close()


def _rows(batch: pa.RecordBatch, names: Sequence[str], typed: bool) -> list[Row]:
    """The rows of a batch. Raises RunError."""
    columns: list[list[Cell]] = []
    for place, name in enumerate(names):
        column = _cells(batch.column(place), typed)
        longest = max((len(value) for value in column if isinstance(value, str)), default=0)
        if longest > LONGEST:
            raise RunError(
                f"A text in {name!r} has {longest:,} characters, a cell of a workbook holds {LONGEST:,}.",
                column=name, advice="Take the file as CSV.",
            )  # fmt: skip
        columns.append(column)
    return list(zip(*columns, strict=True))


def _cells(cells: pa.Array[Any], typed: bool) -> list[Cell]:
    """A column as cells hold it."""
    kind = cells.type
    if pa.types.is_integer(kind):
        return _if_exact(cells, cells.to_pylist())
    if typed and pa.types.is_floating(kind):
        return [value if value is None or math.isfinite(value) else str(value) for value in cells.to_pylist()]
    if typed and pa.types.is_decimal(kind):
        return _if_exact(cells, cells.cast(pa.float64()).to_pylist())
    if typed and (pa.types.is_date(kind) or pa.types.is_timestamp(kind) or pa.types.is_boolean(kind)):
        values: list[Cell] = cells.to_pylist()
        if pa.types.is_boolean(kind):
            return values
        texts = cells.cast(pa.string()).to_pylist()
        return [
            text if value is not None and not _is_day(value) else value
            for value, text in zip(values, texts, strict=True)
        ]
    texts = cells.cast(pa.string()).to_pylist()
    return [*texts]


def _is_day(value: Any) -> bool:
    """Whether a cell can hold a date or time: from March 1900 on, no finer than a millisecond."""
    day = value.date() if isinstance(value, dt.datetime) else value
    return bool(day >= _FIRST_DAY and getattr(value, "microsecond", 0) % 1000 == 0)


def _if_exact(cells: pa.Array[Any], numbers: Sequence[Any]) -> list[Cell]:
    """Numbers; those with more digits than a cell holds as text."""
    texts = cells.cast(pa.string()).to_pylist()
    return [
        number if text is None or _digits(text) <= _DIGITS else text
        for number, text in zip(numbers, texts, strict=True)
    ]


def _digits(text: str) -> int:
    """How many digits a number has, without zeros around it."""
    digits = text.lstrip("-").replace(".", "").lstrip("0")
    return len(digits.rstrip("0")) if "." in text else len(digits)


class _Sheets:
    """The sheets of a workbook while rows are added."""

    def __init__(self, book: Any, names: Sequence[str], to_fill_in: Collection[str] | None) -> None:
        self._book, self._names, self._to_fill_in = book, names, to_fill_in
        self._head = book.add_format({"bold": True, "bottom": 1, "text_wrap": False})
        self._text = book.add_format({"num_format": "@"})
        self._day = book.add_format({"num_format": "yyyy-mm-dd"})
        self._moment = book.add_format({"num_format": "yyyy-mm-dd hh:mm:ss"})
        self._plain = book.add_format({})
        self._open = book.add_format(
            {"num_format": "@", "locked": False, "bg_color": "#FFF6DC", "border": 1, "border_color": "#D8D2C2"}
        )
        self._sheet: Any = None
        self._row = 0
        self._count = 0

    def add(self, rows: list[Row]) -> None:
        """Add rows below those that are there."""
        while rows:
            if self._sheet is None or self._row >= MOST_ROWS:
                self._begin(rows)
            room = MOST_ROWS - self._row
            self._write(rows[:room])
            rows = rows[room:]

    def close(self) -> None:
        """End the last sheet; a workbook has at least one."""
        if self._sheet is None:
            self._begin([])
        self._end()

    def _begin(self, rows: list[Row]) -> None:
        if self._sheet is not None:
            self._end()
        self._count += 1
        self._sheet = self._book.add_worksheet("records" if self._count == 1 else f"records {self._count}")
        self._sheet.freeze_panes(1, 0)
        for place, name in enumerate(self._names):
            widest = max([len(name), *(len(str(row[place] or "")) for row in rows[:_MEASURED])])
            is_open = self._to_fill_in is not None and name in self._to_fill_in
            self._sheet.set_column(place, place, min(widest, _WIDEST) + 2, self._open if is_open else self._text)
        for place, name in enumerate(self._names):
            self._sheet.write_string(0, place, name, self._head)
        self._row = 1

    def _write(self, rows: list[Row]) -> None:
        write, number, text = self._sheet.write_string, self._sheet.write_number, self._text
        opened = {place for place, name in enumerate(self._names) if name in (self._to_fill_in or ())}
        for row in rows:
            for place, value in enumerate(row):
                if place in opened:
                    self._sheet.write_blank(self._row, place, None, self._open)
                elif isinstance(value, str):
                    if value:
                        write(self._row, place, value, text)
                elif isinstance(value, bool):
                    self._sheet.write_boolean(self._row, place, value, self._plain)
                elif isinstance(value, dt.date):
                    form = self._moment if isinstance(value, dt.datetime) else self._day
                    self._sheet.write_datetime(self._row, place, value, form)
                elif value is not None:
                    number(self._row, place, value, *([self._plain] if isinstance(value, float) else []))
            self._row += 1

    def _end(self) -> None:
        if self._row > 1:
            self._sheet.autofilter(0, 0, self._row - 1, len(self._names) - 1)
        self._sheet.ignore_errors({"number_stored_as_text": f"A1:XFD{MOST_ROWS}"})
        if self._to_fill_in is not None:
            self._sheet.protect("", {"sort": True, "autofilter": True, "format_columns": True, "format_rows": True})
