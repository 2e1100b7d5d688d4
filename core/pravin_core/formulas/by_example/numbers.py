"""Numbers in texts: read with either decimal mark, rounded, scaled, and reckoned with each other."""

from __future__ import annotations

import operator
import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from decimal import ROUND_CEILING, ROUND_FLOOR, ROUND_HALF_UP, Decimal, InvalidOperation
from functools import partial

from pravin_core.formulas.by_example.parts import marks_of
from pravin_core.formulas.by_example.pieces import Piece, somewhere
from pravin_core.formulas.by_example.writing import call, text

Numbers = tuple[Decimal | None, ...]
MOST_SOURCES, PLACES = 10, 9
FACTORS = (10, 100, 1000, 60, 24, 12, 1_000_000, 3600)
_GROUPED = {
    ".": re.compile(r"[+-]?\d{1,3}(?:,\d{3})+(?:\.\d+)?"),
    ",": re.compile(r"[+-]?\d{1,3}(?:\.\d{3})+(?:,\d+)?"),
}


@dataclass(frozen=True)
class Source:
    """A formula that gives a number, and the number for each example."""

    formula: str
    numbers: Numbers
    cost: float


def sources_of(source: Piece, is_column: bool) -> Iterator[Source]:
    """The numbers that a piece reads as: whole, with either mark and grouped digits; of a column also those within it."""
    values = somewhere(source)
    for mark, other in ((".", ","), (",", ".")):
        plain = re.compile(rf"[+-]?\d+(?:\{mark}\d+)?")
        if all(plain.fullmatch(value.strip()) for value in values):
            if mark == "." or any(mark in value for value in values):
                yield _read(source, mark, "", 0.8)
        elif all(plain.fullmatch(value.strip()) or _GROUPED[mark].fullmatch(value.strip()) for value in values):
            yield _read(source, mark, other, 1.0)
    if is_column and any(re.search(r"[^\d.+-]", value) for value in values):
        expression = r"[0-9]+(?:\.[0-9]+)?"
        for at in (1, 2, 3):
            matches = [None if value is None else re.findall(expression, value) for value in source.values]
            if all(match is None or len(match) >= at for match in matches):
                formula = call("to_number", call("item", call("extract_all", source.formula, text(expression)), at))
                numbers = tuple(None if match is None else _decimal(match[at - 1]) for match in matches)
                yield Source(formula, numbers, source.cost + 1.2 + 0.1 * at)


def counts_of(source: Piece) -> Iterator[Piece]:
    """How many characters, words, marks and parts between marks."""
    f, values = source.formula, source.values
    yield _counted(call("length", f), tuple(value and len(value) for value in values), source.cost + 1.0)
    yield _counted(call("words", f), tuple(value and len(value.split()) for value in values), source.cost + 0.9)
    for mark in marks_of(somewhere(source)):
        times = call("occurrences", f, text(mark))
        yield _counted(times, tuple(value and value.count(mark) for value in values), source.cost + 1.1)
        yield _counted(f"{times} + 1", tuple(value and value.count(mark) + 1 for value in values), source.cost + 1.0)


def _counted(formula: str, counts: Sequence[int | str | None], cost: float) -> Piece:
    return Piece(call("to_text", formula), tuple(None if count is None else str(count) for count in counts), cost)


def _read(source: Piece, mark: str, grouping: str, cost: float) -> Source:
    f = call("replace", source.formula, text(grouping), "''") if grouping else source.formula
    read = call("to_number", f) if mark == "." else call("to_number", f, text(","))
    numbers = tuple(
        None if value is None else _decimal(value.strip().replace(grouping, "") .replace(",", ".") if grouping or mark == "," else value.strip())
        for value in source.values
    )  # fmt: skip
    return Source(read, numbers, source.cost + cost)


def of_numbers(sources: Sequence[Source], targets: Sequence[Sequence[str | None]]) -> Iterator[Piece]:
    """What is made of numbers: each by itself, and all that reckoning with two of them gives a target.

    `targets` are the numbers in the wanted results that are looked for, for each example (None: not wanted there).
    """
    for source in sources:
        yield from _alone(source)
    few = sources[:MOST_SOURCES]
    for target in targets:
        wanted = tuple(None if each_text is None else _decimal(each_text) for each_text in target)
        if sum(number is not None for number in wanted) >= 2:
            for source in few:
                yield from _with_constant(source, wanted)
                yield from _linear(source, wanted)
            for first in few:
                for second in few:
                    yield from _of_two(first, second, wanted)


def _alone(source: Source) -> Iterator[Piece]:
    f, numbers, cost = source.formula, source.numbers, source.cost
    yield _piece(f, numbers, cost)
    for places in (0, 1, 2, 3):
        yield _piece(call("round", f, places), _each(numbers, partial(rounded, places=places)), cost + 0.4)
    for factor in FACTORS:
        more = 0.6 + 0.1 * (factor not in (10, 100, 1000))
        yield _piece(
            call("round", f"{f} * {factor}", PLACES), _each(numbers, partial(operator.mul, factor)), cost + more
        )
        yield _piece(
            call("round", f"{f} / {factor}", PLACES), _each(numbers, partial(_divided, by=factor)), cost + more
        )
    yield _piece(call("abs", f), _each(numbers, abs), cost + 0.5)
    yield _piece(f"-{f}", _each(numbers, lambda n: -n), cost + 0.7)
    yield _piece(call("floor", f), _each(numbers, lambda n: n.to_integral_value(ROUND_FLOOR)), cost + 0.5)
    yield _piece(call("ceiling", f), _each(numbers, lambda n: n.to_integral_value(ROUND_CEILING)), cost + 0.5)


def _with_constant(source: Source, wanted: Numbers) -> Iterator[Piece]:
    """The number with a constant added, or times one, where that gives every wanted number."""
    pairs = [(a, b) for a, b in zip(source.numbers, wanted, strict=True) if a is not None and b is not None]
    if len({a for a, _ in pairs}) < 2:
        return
    differences = {b - a for a, b in pairs}
    if len(differences) == 1 and (k := differences.pop()):
        sign = "+" if k > 0 else "-"
        yield _piece(call("round", f"{source.formula} {sign} {plain(abs(k))}", PLACES), _each(source.numbers, lambda n: n + k), source.cost + 0.8)  # fmt: skip
    ratios = {rounded(b / a, PLACES) for a, b in pairs if a}
    if len(ratios) == 1 and (k := ratios.pop()) not in (0, 1) and len(plain(k)) <= 7:
        yield _piece(call("round", f"{source.formula} * {plain(k)}", PLACES), _each(source.numbers, lambda n: n * k), source.cost + 0.9)  # fmt: skip


def _linear(source: Source, wanted: Numbers) -> Iterator[Piece]:
    """The number times one short constant and another added, as between scales of temperature."""
    pairs = [(a, b) for a, b in zip(source.numbers, wanted, strict=True) if a is not None and b is not None]
    if len(pairs) < 2:
        return
    (x, y), others = pairs[0], pairs[1:]
    other = next(((u, v) for u, v in others if u != x), None)
    if other is None or other[1] == y:
        return
    k = rounded((other[1] - y) / (other[0] - x), PLACES)
    c = rounded(y - k * x, PLACES)
    if k == 1 or c == 0 or len(plain(abs(k))) > 5 or len(plain(abs(c))) > 6:
        return
    if all(rounded(k * a + c, PLACES) == rounded(b, PLACES) for a, b in pairs):
        formula = f"{source.formula} * {plain(k)} {'+' if c > 0 else '-'} {plain(abs(c))}"
        yield _piece(call("round", formula, PLACES), _each(source.numbers, lambda n: k * n + c), source.cost + 1.6)


def _of_two(first: Source, second: Source, wanted: Numbers) -> Iterator[Piece]:
    if first is second:
        return
    a, b = first.formula, second.formula
    ways: tuple[tuple[str, Callable[[Decimal, Decimal], Decimal], float], ...] = (
        (f"{a} + {b}", lambda x, y: x + y, 0.6), (f"{a} - {b}", lambda x, y: x - y, 0.65), (f"{a} * {b}", lambda x, y: x * y, 0.65),
        (f"{a} / {b}", lambda x, y: x / y, 0.7), (f"({a} + {b}) / 2", lambda x, y: (x + y) / 2, 0.9),
        (f"100 * {a} / {b}", lambda x, y: 100 * x / y, 1.0), (f"100 * ({a} - {b}) / {b}", lambda x, y: 100 * (x - y) / y, 1.3),
    )  # fmt: skip
    if a > b:
        ways = ways[1:2] + ways[3:4] + ways[5:]  # sums and products read the same the other way round
    for formula, give, cost in ways:
        numbers = _both(first.numbers, second.numbers, give)
        for places in (PLACES, 0, 1, 2):
            results = _each(numbers, partial(rounded, places=places))
            if any(results) and all(w is None or w == r for w, r in zip(wanted, results, strict=True)):
                yield _piece(call("round", formula, places), results, first.cost + second.cost + cost - 1.4)
                break


def _both(first: Numbers, second: Numbers, give: Callable[[Decimal, Decimal], Decimal]) -> Numbers:
    results: list[Decimal | None] = []
    for x, y in zip(first, second, strict=True):
        try:
            results.append(None if x is None or y is None else give(x, y))
        except (InvalidOperation, ZeroDivisionError):
            results.append(None)
    return tuple(results)


def _each(numbers: Numbers, give: Callable[[Decimal], Decimal]) -> Numbers:
    return tuple(None if number is None else give(number) for number in numbers)


def _piece(formula: str, numbers: Numbers, cost: float) -> Piece:
    written = tuple(None if number is None else plain(rounded(number, PLACES)) for number in numbers)
    return Piece(call("to_text", formula), written, cost)


def _divided(number: Decimal, by: int) -> Decimal:
    return number / by


def rounded(number: Decimal, places: int) -> Decimal:
    """Halves away from zero, as the engine rounds."""
    return number.quantize(Decimal(1).scaleb(-places), ROUND_HALF_UP) if abs(number) < 10**15 else number


def plain(number: Decimal) -> str:
    """A number as the engine writes it: no zeros at the end, no exponent."""
    written = f"{number:f}"
    return (written.rstrip("0").rstrip(".") if "." in written else written) or "0"


def _decimal(value: str) -> Decimal | None:
    try:
        return Decimal(value)
    except InvalidOperation:
        return None
