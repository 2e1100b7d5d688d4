"""A text read as a date in a form, and written in another, or a part of it."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from datetime import datetime

from pravin_core.formulas.by_example.pieces import Piece, somewhere
from pravin_core.formulas.by_example.writing import call, text
from pravin_core.tables.dates import FORMS, pattern

# forms that occur in texts but are not offered as forms of columns
FURTHER = ("%B %d, %Y", "%b %d, %Y", "%d.%m.%y", "%d/%m/%y", "%m/%d/%y", "%d. %B %Y", "%b %d %Y", "%d-%m-%y", "%Y.%m.%d", "%Y-%m-%d %H:%M:%S", "%m/%d/%Y %H:%M")  # fmt: skip
WRITTEN = (
    "%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%Y%m%d", "%Y/%m/%d", "%d-%m-%Y", "%Y-%m", "%m/%Y", "%m.%Y", "%d %b %Y", "%d %B %Y",
    "%b %Y", "%B %Y", "%Y", "%m", "%d", "%y", "%b", "%B", "%A", "%a", "%H:%M", "%H", "%d.%m.", "%d.%m.%y", "%B %d, %Y", "%j",
    "%y%m%d", "%d%m%Y", "%Y%m", "%d-%b-%Y",
)  # fmt: skip
PARTS: tuple[tuple[str, Callable[[datetime], int]], ...] = (
    ("month", lambda m: m.month), ("day", lambda m: m.day), ("quarter", lambda m: (m.month + 2) // 3),
    ("week", lambda m: m.isocalendar()[1]), ("weekday", lambda m: m.isoweekday()), ("hour", lambda m: m.hour),
    ("minute", lambda m: m.minute), ("year", lambda m: m.year), ("day_of_year", lambda m: m.timetuple().tm_yday),
)  # fmt: skip


def of_dates(source: Piece) -> Iterator[Piece]:
    """The piece read in each form that all its values fit, written in another form, or a number of its parts."""
    values = somewhere(source)
    for form in dict.fromkeys([*(known.format for known in FORMS), *FURTHER]):
        fits = re.compile(pattern(form))
        if not all(fits.fullmatch(value.strip()) for value in values):
            continue
        moments = [value and _moment(value, form) for value in source.values]
        if not any(moments):
            continue
        read = call("to_moment" if "%H" in form else "to_date", source.formula, text(form))
        for written in WRITTEN:
            if written != form:
                results = tuple(
                    moment.strftime(written) if isinstance(moment, datetime) else None for moment in moments
                )
                cost = 0.7 + 0.02 * len(written)
                yield Piece(call("write_date", read, text(written)), results, source.cost + cost)
        for part, give in PARTS:
            results = tuple(str(give(moment)) if isinstance(moment, datetime) else None for moment in moments)
            yield Piece(call("to_text", call(part, read)), results, source.cost + 0.9)


def _moment(value: str, form: str) -> datetime | None:
    try:
        return datetime.strptime(value.strip(), form)
    except ValueError:
        return None
