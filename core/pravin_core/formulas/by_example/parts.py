"""Parts of a text: by mark, word, kind of character, position, and by what stands around the part that is wanted."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from pravin_core.formulas.by_example.pieces import Piece, Traits, derived, somewhere
from pravin_core.formulas.by_example.writing import call, in_class, text

MOST_PLACES, MOST_MARKS, MOST_LONG_MARKS = 6, 8, 10
NUMBER = r"[0-9]+(?:[.,][0-9]+)?"
BRACKETS = (("(", ")"), ("[", "]"), ("{", "}"), ("<", ">"), ('"', '"'), ("'", "'"))
KINDS_OF_CHARACTERS = (
    ("[0-9]+", 0.55), (NUMBER, 0.6), (r"\p{L}+", 0.75), ("[A-Z]+", 0.9), ("[a-z]+", 1.0), (r"[\p{L}0-9]+", 0.9), ("[A-Z][a-z]+", 1.0),
)  # fmt: skip


def parts_of(source: Piece, traits: Traits) -> Iterator[Piece]:
    """All parts of a piece, one step deep."""
    values = somewhere(source)
    yield from _plain_parts(source, values, traits)
    yield from _at_long_marks(source, values)
    yield from _between_marks(source, values)
    yield from _by_position(source, values, traits)


def parts_of_part(source: Piece, traits: Traits) -> Iterator[Piece]:
    """The parts that a part is likely to have."""
    yield from _plain_parts(source, somewhere(source), traits)


def _plain_parts(source: Piece, values: Sequence[str], traits: Traits) -> Iterator[Piece]:
    for mark in marks_of(values):
        yield from _at_mark(source, values, mark)
    for opening, closing in BRACKETS:
        if any(opening in value for value in values):
            yield from _enclosed(source, opening, closing, 0.5)
    yield from _words(source, values)
    yield from _by_kind(source, values, traits)


def around(source: Piece, targets: Sequence[str | None]) -> Iterator[Piece]:
    """Parts found by what stands before and behind the target in each example, whatever the target itself is.

    Of what stands before, the end that all have in common counts; of what follows, the first character of each.
    """
    before, behind = [], []
    for value, target in zip(source.values, targets, strict=True):
        if target is None:
            continue
        at = (value or "").lower().find(target.lower())
        if value is None or at < 0:
            return
        before.append(value[:at])
        behind.append(value[at + len(target) :])
    if len(before) < 2:
        return
    start = _common_end(before)
    openings = _openings(start, all(not each_text for each_text in before))
    closings = _closings(behind)
    for opening, opening_cost in openings:
        for closing, closing_cost in closings:
            expression = f"{opening}({closing})"
            formula = call("extract", source.formula, text(expression))
            yield from derived(
                source, formula, opening_cost + closing_cost, lambda s, e: _first_group(e, s), expression
            )


def _common_end(texts: Sequence[str]) -> str:
    """The longest end that all texts have."""
    shortest = min(texts, key=len)
    starts = (at for at in range(len(shortest) + 1) if all(each_text.endswith(shortest[at:]) for each_text in texts))
    return shortest[next(starts) :]


def _openings(start: str, at_the_beginning: bool) -> list[tuple[str, float]]:
    """Patterns of what stands before: the beginning, or the last word and marks before."""
    openings: list[tuple[str, float]] = [("^", 0.35)] if at_the_beginning else []
    last = re.search(r"(?:[^\W\d_]+)?[\W_]+$", start)
    for mark in dict.fromkeys(filter(None, (last[0] if last else "", start[-16:]))):
        if not mark.isspace():
            openings.append((re.escape(mark).replace("\\ ", " "), 0.7 + 0.01 * len(mark)))
    return openings


def _closings(behind: Sequence[str]) -> list[tuple[str, float]]:
    """Patterns of the part itself: up to the characters that follow it, or to the end."""
    if not any(behind):
        return [(".+", 0.5)]
    closings: list[tuple[str, float]] = []
    for rests, cost in ((behind, 0.5), ([rest.lstrip() for rest in behind], 0.6)):
        marks = sorted({rest[0] for rest in rests if rest})
        if marks and all(mark.isascii() and mark.isdigit() for mark in marks):
            closings.append(("[^0-9]+", cost + 0.1))
        elif all(not mark.isalnum() for mark in marks) and len(marks) <= 4:
            closing = f"[^{''.join(in_class(mark) for mark in marks)}]+"
            if closing not in [known for known, _ in closings]:
                closings.append((closing, cost + 0.1 * len(marks)))
    return closings


def _first_group(expression: str, value: str) -> str | None:
    match = re.search(python_pattern(expression), value)
    return match[1] if match else None


def marks_of(values: Sequence[str]) -> list[str]:
    """The characters that divide: neither letters nor digits, the ones that most values hold first."""
    every = {character for value in values for character in value if not character.isalnum()}
    return sorted(every, key=lambda mark: (-sum(mark in value for value in values), mark))[:MOST_MARKS]


def _at_long_marks(source: Piece, values: Sequence[str]) -> Iterator[Piece]:
    for mark in _long_marks(values):
        cost = 1.2 if any(character.isalnum() for character in mark) else 0.55
        yield from derived(source, call("after", source.formula, text(mark)), cost, _after, mark)
        yield from derived(source, call("before", source.formula, text(mark)), cost, _before, mark)
        for closing in marks_of(values):
            yield from _enclosed(source, mark, closing, 1.5)


def _at_mark(source: Piece, values: Sequence[str], mark: str) -> Iterator[Piece]:
    """What stands around a mark."""
    f, m = source.formula, text(mark)
    counts = [value.count(mark) for value in values]
    yield from derived(source, call("before", f, m), 0.45, lambda s: _before(s, mark))
    yield from derived(source, call("after", f, m), 0.45, lambda s: _after(s, mark))
    yield from derived(source, call("before_last", f, m), 0.55, lambda s: s.rpartition(mark)[0] or None)
    yield from derived(source, call("after_last", f, m), 0.5, lambda s: _after_last(s, mark))
    for at in _places([count + 1 for count in counts]):
        formula = call("item", call("split", f, m), at)
        cost = 0.6 + 0.05 * abs(at) + 0.05 * (at < 0)
        yield from derived(source, formula, cost, lambda s, n: _item(s.split(mark), n), at)


def _between_marks(source: Piece, values: Sequence[str]) -> Iterator[Piece]:
    marks = marks_of(values)
    for opening in marks:
        for closing in marks:
            if (opening, closing) not in BRACKETS:
                yield from _enclosed(source, opening, closing, 0.85)


def _enclosed(source: Piece, opening: str, closing: str, cost: float) -> Iterator[Piece]:
    formula = call("enclosed", source.formula, text(opening), text(closing))
    yield from derived(source, formula, cost, _between, opening, closing)


def _words(source: Piece, values: Sequence[str]) -> Iterator[Piece]:
    counts = [len(value.split()) for value in values]
    if max(counts, default=0) > 1:
        for at in _places(counts):
            cost = 0.5 + 0.05 * abs(at) + 0.05 * (at < 0)
            yield from derived(source, call("word", source.formula, at), cost, lambda s, n: _item(s.split(), n), at)


def _by_kind(source: Piece, values: Sequence[str], traits: Traits) -> Iterator[Piece]:
    for expression, base in KINDS_OF_CHARACTERS:
        cost = base + 0.2 * (expression == "[0-9]+" and traits.decimals)
        python = python_pattern(expression)
        for at in _places([len(re.findall(python, value)) for value in values]):
            formula = call("item", call("extract_all", source.formula, text(expression)), at)
            more = cost + 0.1 * abs(at) + 0.05 * (at < 0)
            yield from derived(source, formula, more, lambda s, e, n: _item(re.findall(e, s), n), python, at)
    of_digits = 0.75 + 0.6 * traits.decimals
    yield from derived(source, call("digits", source.formula), of_digits, lambda s: re.sub(r"[^0-9]", "", s))
    yield from derived(source, call("letters", source.formula), 1.2, lambda s: "".join(filter(str.isalpha, s)))


def _by_position(source: Piece, values: Sequence[str], traits: Traits) -> Iterator[Piece]:
    """Parts by position: likely where all values are equally long, or all begin or end in the same way."""
    f, shortest = source.formula, min(map(len, values))
    base = 0.3 if traits.uniform else 1.4
    for n in range(1, min(shortest, 13)):
        yield from derived(source, call("left", f, n), base + 0.1 + 0.02 * n, lambda s, n: s[:n], n)
        yield from derived(source, call("right", f, n), base + 0.1 + 0.02 * n, lambda s, n: s[-n:], n)
    for n in range(1, min(shortest, 8)):
        yield from derived(source, call("substring", f, n + 1), base + 0.2 + 0.02 * n, lambda s, n: s[n:], n)
        formula = call("left", f, f"length({f}) - {n}")
        yield from derived(source, formula, base + 0.5 + 0.02 * n, lambda s, n: s[:-n], n)
    for start in range(2, min(shortest, 20)):
        for length in range(1, min(shortest - start + 1, 12) + 1):
            formula = call("substring", f, start, length)
            cost = base + 0.3 + 0.02 * start
            yield from derived(source, formula, cost, lambda s, a, n: s[a - 1 : a - 1 + n], start, length)


def _long_marks(values: Sequence[str]) -> list[str]:
    """Words and marks of several characters that stand in all examples."""
    first = min(values, key=len)
    results = {match[0] for match in re.finditer(r"[^\w\s]+\s|\s?[^\w\s]+\s?|\b\w+\b[:=]?\s?", first)}
    shared = [mark for mark in results if len(mark) > 1 and all(mark in value for value in values)]
    return sorted(shared, key=lambda mark: (mark.strip().isalnum(), mark))[:MOST_LONG_MARKS]


def _places(counts: Sequence[int]) -> list[int]:
    """The places, from the left and from the right, that one list has at least."""
    most = min(max(counts, default=0), MOST_PLACES)
    ahead = list(range(1, most + 1))
    return ahead if most == 1 else [*ahead, *(-n for n in ahead)]


def _item(items: Sequence[str], n: int) -> str | None:
    at = n - 1 if n > 0 else len(items) + n
    return items[at] if 0 <= at < len(items) else None


def _between(value: str, opening: str, closing: str) -> str | None:
    return _before(_after(value, opening), closing)


def _before(value: str | None, mark: str) -> str | None:
    return None if value is None or mark not in value else value.partition(mark)[0]


def _after(value: str | None, mark: str) -> str | None:
    return None if value is None or mark not in value else value.partition(mark)[2]


def _after_last(value: str, mark: str) -> str | None:
    return value.rpartition(mark)[2] if mark in value else None


def python_pattern(expression: str) -> str:
    """A pattern of the engine for Python's own, which knows no classes of Unicode."""
    return expression.replace(r"[\p{L}0-9]", r"(?:[^\W_])").replace(r"\p{L}", r"[^\W\d_]").replace(r"[^\s\p{Z}]", r"\S")
