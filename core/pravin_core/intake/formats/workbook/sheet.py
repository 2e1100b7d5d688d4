"""What the kinds of workbook share: a sheet, its cells as text, what a cell shows."""

from __future__ import annotations

import datetime as dt
import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

from pravin_core.errors import IntakeError

WIDEST = 16_384  # columns of a sheet, as workbook programs bound them
TALLEST = 1_048_576
MOST_CELLS = 40_000_000  # of the rectangle that a sheet spans
MOST_TEXT = 2**30  # characters of all its cells: a text may be written once and meant a million times


@dataclass(frozen=True)
class Cell:
    """What a cell holds (None: nothing) and how it is shown (a number format, or the text itself)."""

    held: Any
    number_format: str = "General"
    text: str | None = None


@dataclass(frozen=True)
class Area:
    """A merged area, rows and columns from 0, ends included."""

    top: int
    left: int
    bottom: int
    right: int


class Book(Protocol):
    """A kind of workbook."""

    def sheets(self, path: Path) -> tuple[str, ...]:
        """Names of the visible sheets that hold a cell."""

    def rows(self, path: Path, sheet: str, limit: int | None, shown: bool) -> Iterator[list[Cell]]:
        """The rows of a sheet from its first, each from column A; with `shown` also how cells are shown."""

    def merged(self, path: Path, sheet: str) -> tuple[Area, ...]:
        """The merged areas of a sheet."""


def refuse_text(characters: int, sheet: str, file: str, most: int = MOST_TEXT) -> None:
    """Raise IntakeError for a sheet that holds more text than is read."""
    if characters > most:
        raise IntakeError(
            f"The sheet {sheet!r} repeats texts so that it holds more than {most:,} characters, which are not read.",
            file=file,
            advice="Ask for delimited text.",
        )


def held_text(value: Any) -> str | None:
    """What a cell holds, as text: numbers without a needless decimal part, dates and times as ISO 8601."""
    if value is None or value == "":
        return None
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        return str(int(value)) if value.is_integer() and abs(value) < 1e15 else repr(value)
    if isinstance(value, dt.datetime):
        if value.time() == dt.time():
            return value.date().isoformat()
        rounded = value + dt.timedelta(microseconds=500)
        return rounded.isoformat(" ", "milliseconds").removesuffix(".000")
    if isinstance(value, dt.time):
        return value.isoformat("seconds")
    if isinstance(value, dt.timedelta):
        seconds = round(value.total_seconds())
        sign, seconds = ("-" if seconds < 0 else ""), abs(seconds)
        return f"{sign}{seconds // 3600:02d}:{seconds // 60 % 60:02d}:{seconds % 60:02d}"
    return str(value)


def shown_text(cell: Cell) -> str | None:
    """What a cell shows, as far as its number format is understood; else what it holds."""
    if cell.text is not None:
        return cell.text or None
    value, form = cell.held, cell.number_format.split(";")[0]
    form = re.sub(r"\[[^\]]*\]|_.|\*.", "", form).replace('"', "").replace("\\", "")
    if isinstance(value, bool) or value is None or form in ("General", "@", ""):
        return held_text(value)
    if isinstance(value, dt.datetime | dt.date | dt.time):
        return _shown_date(value, form)
    if isinstance(value, int | float):
        return _shown_number(float(value), form)
    return held_text(value)


def _shown_number(value: float, form: str) -> str | None:
    match = re.search(r"[#0,]*[#0](?:\.([0#]+))?(E\+?(0+))?", form)
    if not match:
        return held_text(value)
    decimals = len(match[1] or "")
    percent = "%" in form
    if match[2]:
        mantissa, exponent = f"{value:.{decimals}E}".split("E")
        text = f"{mantissa}E{exponent[0]}{exponent[1:].lstrip('0').zfill(len(match[3]))}"
    else:
        grouped = "," if "," in match[0].split(".")[0] else ""
        text = f"{value * (100 if percent else 1):{grouped}.{decimals}f}"
        whole = len(re.sub(r"[#,]", "", match[0].split(".")[0]))
        if whole > 1 and not grouped:
            sign, digits = ("-", text[1:]) if text.startswith("-") else ("", text)
            text = sign + digits.zfill(whole + (decimals + 1 if decimals else 0))
    return form[: match.start()] + text + form[match.end() :]


_DATE_PARTS = re.compile(r"yyyy|yy|mmmm|mmm|mm|m|dddd|ddd|dd|d|hh|h|ss|s|AM/PM", re.I)


def _shown_date(value: dt.datetime | dt.date | dt.time, form: str) -> str | None:
    moment = value if isinstance(value, dt.datetime) else dt.datetime.combine(value, dt.time()) if isinstance(
        value, dt.date) else dt.datetime.combine(dt.date(1900, 1, 1), value)  # fmt: skip
    twelve, last = "AM/PM" in form.upper(), ""

    def part(match: re.Match[str]) -> str:
        nonlocal last
        code = match[0].lower()
        clock = code in ("m", "mm") and (
            last.startswith("h") or form[match.end() :].lower().lstrip(":. ").startswith("s")
        )
        last = code
        hour = moment.hour % 12 or 12 if twelve else moment.hour
        evidence: dict[str, str] = {
            "yyyy": f"{moment.year:04d}", "yy": f"{moment.year % 100:02d}", "mmmm": moment.strftime("%B"),
            "mmm": moment.strftime("%b"), "mm": f"{moment.minute if clock else moment.month:02d}",
            "m": str(moment.minute if clock else moment.month), "dddd": moment.strftime("%A"),
            "ddd": moment.strftime("%a"), "dd": f"{moment.day:02d}", "d": str(moment.day), "hh": f"{hour:02d}",
            "h": str(hour), "ss": f"{moment.second:02d}", "s": str(moment.second), "am/pm": moment.strftime("%p"),
        }  # fmt: skip
        return evidence[code]

    return _DATE_PARTS.sub(part, form)
