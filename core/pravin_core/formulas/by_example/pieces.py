"""Pieces that a wanted result may be made of: each a formula over one column, with what it gives for every example.

What a piece gives is computed here for the few examples only; the engine computes the formula for all records, and a
candidate whose formula does not reproduce the examples there is dropped.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from pravin_core.formulas.by_example.writing import call, text
from pravin_core.tables.dates import FORMS, pattern

Values = tuple[str, ...]
MOST_PLACES = 6


@dataclass(frozen=True)
class Piece:
    """A formula, what it gives for each example, and how far-fetched it is (smaller is simpler)."""

    formula: str
    values: Values
    cost: float


def pieces_of(column: str, inputs: Sequence[str | None], uniform: bool) -> Iterator[Piece]:
    """All pieces of a column: `column` is its formula, `inputs` its text in each example.

    `uniform`: all values of the column are equally long, so that positions mean something.
    """
    if any(item is None for item in inputs):
        return
    whole = tuple(item or "" for item in inputs)
    basic = [Piece(column, whole, 1.0), *_parts(column, whole, uniform)]
    seen: dict[str, None] = {}
    for piece in basic:
        for new_piece in (piece, *_written_otherwise(piece)):
            if new_piece.formula not in seen and all(new_piece.values):
                seen[new_piece.formula] = None
                yield new_piece
    yield from _of_dates(column, whole)
    yield from _of_numbers(column, whole)


def _made(formula: str, inputs: Values, cost: float, give: Callable[..., str | None], *how: Any) -> Iterator[Piece]:
    """A piece, if it gives something for every example; `how` is handed on to what computes it."""
    values = tuple(give(each_text, *how) for each_text in inputs)
    if all(values):
        yield Piece(formula, tuple(value or "" for value in values), cost)


def _parts(column: str, inputs: Values, uniform: bool) -> Iterator[Piece]:
    """Parts by mark, word, kind of character and position."""
    marks = sorted(c for c in set(inputs[0]) if not c.isalnum() and all(c in each_text for each_text in inputs))
    for mark in marks:
        yield from _at_mark(column, inputs, mark)
    for mark in _long_marks(inputs):
        yield from _made(call("after", column, text(mark)), inputs, 2.2, _after, mark)
        yield from _made(call("before", column, text(mark)), inputs, 2.2, _before, mark)
    for opening, closing in (("(", ")"), ("[", "]"), ("{", "}"), ("<", ">"), ('"', '"'), ("'", "'")):
        formula = call("enclosed", column, text(opening), text(closing))
        yield from _made(formula, inputs, 1.5, _between, opening, closing)
    words = [re.findall(r"\S+", each_text) for each_text in inputs]
    if all(len(word) > 1 for word in words):
        for at in _places(words):
            yield from _made(
                call("word", column, at),
                inputs,
                1.5 + 0.05 * abs(at) + 0.05 * (at < 0),
                _nth,
                r"\S+",
                at,
            )
    for expression, cost in (("[0-9]+", 1.55), ("[A-Za-z]+", 1.75), ("[A-Z]+", 1.9), ("[a-z]+", 2.0), ("[0-9.]+", 2.0), ("[A-Za-z0-9]+", 1.9), ("[A-Z][a-z]+", 2.0), ("[0-9,.-]+", 2.2), (r"\p{L}+", 1.85)):  # fmt: skip
        runs = [re.findall(_python(expression), each_text) for each_text in inputs]
        for at in _places(runs):
            formula = call("item", call("extract_all", column, text(expression)), at)
            yield from _made(
                formula,
                inputs,
                cost + 0.1 * abs(at) + 0.05 * (at < 0),
                _nth,
                _python(expression),
                at,
            )
    yield from _made(call("digits", column), inputs, 1.5, lambda s: re.sub(r"[^0-9]", "", s))
    yield from _made(call("letters", column), inputs, 1.6, lambda s: "".join(c for c in s if c.isalpha()))
    yield from _by_position(column, inputs, uniform)


def _at_mark(column: str, inputs: Values, mark: str) -> Iterator[Piece]:
    """What stands around a mark that all examples hold."""
    m = text(mark)
    parts = [each_text.split(mark) for each_text in inputs]
    several = any(len(part) > 2 for part in parts)
    yield from _made(call("before", column, m), inputs, 1.45, lambda s: _before(s, mark))
    yield from _made(call("after", column, m), inputs, 1.45, lambda s: _after(s, mark))
    if several:
        yield from _made(
            call("before_last", column, m), inputs, 1.55, lambda s: s.rpartition(mark)[0] if mark in s else None
        )
        yield from _made(
            call("after_last", column, m), inputs, 1.5, lambda s: s.rpartition(mark)[2] if mark in s else None
        )
        for at in _places(parts):
            formula = call("item", call("split", column, m), at)
            yield from _made(formula, inputs, 1.6 + 0.05 * abs(at) + 0.05 * (at < 0), _part, mark, at)
    for new, cost in (("", 1.7), (" ", 1.8), ("-", 1.9), ("_", 1.9), ("/", 1.9), (".", 1.9), (",", 1.9), (", ", 2.0), (":", 2.0), ("|", 2.0), (";", 2.0), (" | ", 2.1), ("; ", 2.1), (" - ", 2.1), (" / ", 2.1)):  # fmt: skip
        if new != mark:
            yield from _made(call("replace", column, m, text(new)), inputs, cost, str.replace, mark, new)


def _by_position(column: str, inputs: Values, uniform: bool) -> Iterator[Piece]:
    shortest = min(len(each_text) for each_text in inputs)
    base = 1.4 if uniform else 2.3
    for n in range(1, min(shortest, 20)):
        yield from _made(call("left", column, n), inputs, base + 0.02 * n, _slice, 0, n)
        yield from _made(call("right", column, n), inputs, base + 0.02 * n, _slice, -n, None)
        yield from _made(call("substring", column, n + 1), inputs, base + 0.1 + 0.02 * n, _slice, n, None)
        yield from _made(call("left", column, f"length({column}) - {n}"), inputs, base + 0.5 + 0.02 * n, _slice, 0, -n)
    for start in range(2, min(shortest, 20)):
        for length in range(1, min(shortest - start + 1, 12) + 1):
            formula = call("substring", column, start, length)
            yield from _made(formula, inputs, base + 0.3 + 0.02 * start, _slice, start - 1, start - 1 + length)


def _long_marks(inputs: Values) -> list[str]:
    """Words and marks of several characters that stand in all examples."""
    first = min(inputs, key=len)
    results = {match[0] for match in re.finditer(r"[^\w\s]+\s|\s?[^\w\s]+\s?|\b\w+\b:?\s?", first)}
    return sorted(
        each_text for each_text in results if len(each_text) > 1 and all(each_text in other for other in inputs)
    )[:12]


def _written_otherwise(piece: Piece) -> Iterator[Piece]:
    """The same part in another case, without zeros or spaces, or its first letter."""
    f, values, cost = piece.formula, piece.values, piece.cost
    ways: tuple[tuple[str, Callable[[str], str], float], ...] = (
        ("upper", str.upper, 0.4), ("lower", str.lower, 0.4), ("capitalise", lambda s: s[:1].upper() + s[1:].lower(), 0.5),
        ("capitalise_words", _capital_words, 0.55), ("trim", str.strip, 0.2), ("single_spaces", lambda s: " ".join(s.split()), 0.45),
        ("without_accents", _without_accents, 0.6), ("reverse", lambda s: s[::-1], 1.5),
    )  # fmt: skip
    for way, give, more in ways:
        results = tuple(give(value) for value in values)
        if results != values:
            yield Piece(call(way, f), results, cost + more)
            if way == "trim":
                yield Piece(
                    call("upper", call(way, f)), tuple(each_text.upper() for each_text in results), cost + more + 0.4
                )
                yield Piece(
                    call("lower", call(way, f)), tuple(each_text.lower() for each_text in results), cost + more + 0.4
                )
                yield Piece(
                    call("capitalise_words", call(way, f)),
                    tuple(_capital_words(each_text) for each_text in results),
                    cost + more + 0.5,
                )
            if way == "single_spaces":
                yield Piece(
                    call("capitalise_words", call(way, f)),
                    tuple(_capital_words(each_text) for each_text in results),
                    cost + more + 0.5,
                )
                yield Piece(
                    call("capitalise", call(way, f)),
                    tuple(each_text[:1].upper() + each_text[1:].lower() for each_text in results),
                    cost + more + 0.5,
                )
    for n in (1, 2, 3):
        if all(len(value) > n for value in values):
            left = tuple(value[:n] for value in values)
            yield Piece(call("left", f, n), left, cost + 0.35 + 0.15 * n)
            yield Piece(
                call("upper", call("left", f, n)), tuple(each_text.upper() for each_text in left), cost + 0.7 + 0.15 * n
            )
    if all(value.strip().lstrip("0").isdigit() for value in values):
        yield Piece(
            call("to_text", call("to_number", f)), tuple(value.strip().lstrip("0") for value in values), cost + 0.5
        )
    if all(value.isdigit() for value in values):
        for n in range(2, 13):
            if any(len(value) < n for value in values):
                yield Piece(call("lpad", f, n), tuple(value.zfill(n) for value in values), cost + 0.5)


_WRITTEN = (
    "%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%Y%m%d", "%Y/%m/%d", "%d-%m-%Y", "%Y-%m", "%m/%Y", "%d %b %Y", "%d %B %Y",
    "%b %Y", "%B %Y", "%Y", "%m", "%d", "%y", "%b", "%B", "%A", "%a", "%H:%M", "%H", "%d.%m.", "%d.%m.%y", "%B %d, %Y", "%j",
)  # fmt: skip


def _of_dates(column: str, inputs: Values) -> Iterator[Piece]:
    """The column read as a date in a form, and written in another, or a part of it."""
    for form in FORMS:
        fits = re.compile(_python(pattern(form.format)))
        moments = [_moment(each_text, form.format, fits) for each_text in inputs]
        if any(moment is None for moment in moments):
            continue
        read = call("to_moment" if form.has_time else "to_date", column, text(form.format))
        found_moments = [moment for moment in moments if moment is not None]
        for written in _WRITTEN:
            if written != form.format:
                values = tuple(each_moment.strftime(written) for each_moment in found_moments)
                yield Piece(call("write_date", read, text(written)), values, 1.7 + 0.02 * len(written))
        numbers: tuple[tuple[str, Callable[[datetime], int]], ...] = (
            ("month", lambda m: m.month), ("day", lambda m: m.day), ("quarter", lambda m: (m.month + 2) // 3),
            ("week", lambda m: m.isocalendar()[1]), ("weekday", lambda m: m.isoweekday()), ("hour", lambda m: m.hour),
        )  # fmt: skip
        for part, give in numbers:
            yield Piece(
                call("to_text", call(part, read)), tuple(str(give(each_moment)) for each_moment in found_moments), 1.9
            )


def _of_numbers(column: str, inputs: Values) -> Iterator[Piece]:
    """The column, or the first number in it, read as a number: rounded, scaled, with another decimal mark."""
    for mark in (".", ","):
        plain = re.compile(rf"[+-]?\d+(?:\{mark}\d+)?")
        if all(plain.fullmatch(each_text.strip()) for each_text in inputs):
            read = call("to_number", column) if mark == "." else call("to_number", column, text(","))
            yield from _scaled(read, [float(each_text.strip().replace(mark, ".")) for each_text in inputs], 1.8)
    if any(re.search(r"[^\d.+-]", each_text) for each_text in inputs):
        matches = [re.search(r"\d+(?:\.\d+)?", each_text) for each_text in inputs]
        if all(matches):
            read = call("to_number", call("extract", column, text(r"[0-9]+\.?[0-9]*")))
            yield from _scaled(read, [float(match[0]) for match in matches if match], 2.3)


def _scaled(read: str, numbers: Sequence[float], cost: float) -> Iterator[Piece]:
    yield Piece(call("to_text", read), tuple(_number(number) for number in numbers), cost)
    for places in (0, 1, 2, 3):
        yield Piece(
            call("to_text", call("round", read, places)),
            tuple(_number(_rounded(number, places)) for number in numbers),
            cost + 0.4,
        )
    for sign, factor in (("*", 10), ("*", 100), ("*", 1000), ("/", 10), ("/", 100), ("/", 1000), ("*", 60), ("/", 60)):
        results = [number * factor if sign == "*" else number / factor for number in numbers]
        formula = call("to_text", call("round", f"{read} {sign} {factor}", 6))
        yield Piece(formula, tuple(_number(_rounded(value, 6)) for value in results), cost + 0.6 + 0.1 * (factor == 60))
    for function, give in (("abs", abs), ("floor", lambda n: float(n // 1)), ("ceiling", lambda n: float(-(-n // 1)))):
        yield Piece(
            call("to_text", call(function, read)), tuple(_number(give(number)) for number in numbers), cost + 0.5
        )


def _rounded(number: float, places: int) -> float:
    """Halves away from zero, as the engine rounds."""
    scale = 10**places
    return (abs(number) * scale + 0.5) // 1 / scale * (1 if number >= 0 else -1)


def _number(number: float) -> str:
    return f"{number:.12g}"


def _moment(value: str, form: str, fits: re.Pattern[str]) -> datetime | None:
    if not fits.fullmatch(value.strip()):
        return None
    try:
        return datetime.strptime(value.strip(), form)
    except ValueError:
        return None


def _places(items: Sequence[Sequence[str]]) -> list[int]:
    """The places, from the left and from the right, that all lists have."""
    fewest = min(len(item) for item in items)
    ahead = list(range(1, min(fewest, MOST_PLACES) + 1))
    return ahead if all(len(item) == fewest for item in items) and fewest == 1 else [*ahead, *(-n for n in ahead)]


def _item(items: Sequence[str], n: int) -> str | None:
    at = n - 1 if n > 0 else len(items) + n
    return items[at] if 0 <= at < len(items) else None


def _nth(value: str, expression: str, n: int) -> str | None:
    return _item(re.findall(expression, value), n)


def _part(value: str, mark: str, n: int) -> str | None:
    return _item(value.split(mark), n)


def _slice(value: str, start: int, end: int | None) -> str:
    return value[start:end]


def _between(value: str, opening: str, closing: str) -> str | None:
    return _before(_after(value, opening), closing)


def _before(value: str | None, mark: str) -> str | None:
    return None if value is None or mark not in value else value.partition(mark)[0]


def _after(value: str | None, mark: str) -> str | None:
    return None if value is None or mark not in value else value.partition(mark)[2]


def _capital_words(value: str) -> str:
    return re.sub(r"[^\W_]+(?:'[^\W_]+)*", lambda match: match[0][:1].upper() + match[0][1:].lower(), value)


def _without_accents(value: str) -> str:
    return "".join(c for c in unicodedata.normalize("NFD", value) if not unicodedata.combining(c))


def _python(expression: str) -> str:
    """A pattern of the engine for Python's own, which knows no classes of Unicode."""
    return expression.replace(r"\p{L}", r"[^\W\d_]").replace("(?i:", "(?i:")
