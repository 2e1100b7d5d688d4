"""A text written otherwise: its case, spaces, accents, zeros, first letters, and the marks between its parts."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterator, Sequence

from pravin_core.formulas.by_example.pieces import Piece, derived, somewhere
from pravin_core.formulas.by_example.writing import call, in_class, text

FIRST_LETTERS, REST_OF_WORDS = r"([\p{L}0-9])[^\s\p{Z}]*[\s\p{Z}]*", r"([\p{L}0-9])[^\s\p{Z}]*"
_MARKS_FOR_SPLITTING = re.compile(r"[\W_]+")


def capital(value: str) -> str:
    return value[:1].upper() + value[1:].lower()


def capital_words(value: str) -> str:
    return re.sub(r"[^\W_]+(?:'[^\W_]+)*", lambda match: capital(match[0]), value)


CASES: tuple[tuple[str, Callable[[str], str], float], ...] = (
    ("upper", str.upper, 0.4), ("lower", str.lower, 0.4), ("capitalise", capital, 0.5), ("capitalise_words", capital_words, 0.55),
)  # fmt: skip


def written_otherwise(piece: Piece, results: Sequence[str | None]) -> Iterator[Piece]:
    """The same part in another case, without zeros or spaces, or its first letters, as far as it may stand in a result."""
    if _stands_in_one(piece, results, squeezed):
        for plain in (piece, *_tidied(piece)):
            if plain is not piece:
                yield plain
            for way, give, cost in CASES:
                yield from derived(plain, call(way, plain.formula), cost, give)
    elif _stands_in_one(piece, results, lambda s: squeezed(s)[:1]):
        yield from derived(piece, call("reverse", piece.formula), 1.5, lambda s: s[::-1])
        yield from _beginnings(piece)
    if _stands_in_one(piece, results, lambda s: s.strip().lstrip("0")):
        yield from _zeros(piece)


def squeezed(value: str) -> str:
    """A text without spaces and accents in lower case: what stays when it is only written otherwise."""
    return "".join(_without_accents(value).lower().split())


def _stands_in_one(piece: Piece, results: Sequence[str | None], view: Callable[[str], str]) -> bool:
    return any(
        value and result and view(value) and view(value) in squeezed(result)
        for value, result in zip(piece.values, results, strict=True)
    )


def _tidied(piece: Piece) -> Iterator[Piece]:
    yield from derived(piece, call("trim", piece.formula), 0.2, str.strip)
    yield from derived(piece, call("single_spaces", piece.formula), 0.45, lambda s: " ".join(s.split()))
    yield from derived(piece, call("without_accents", piece.formula), 0.6, _without_accents)


def _beginnings(piece: Piece) -> Iterator[Piece]:
    """The first letters of the text, or of each of its words."""
    f, values = piece.formula, somewhere(piece)
    for n in (1, 2, 3):
        if all(len(value) > n for value in values):
            for left in derived(piece, call("left", f, n), 0.35 + 0.15 * n, lambda s, n=n: s[:n]):
                yield left
                yield from derived(left, call("upper", left.formula), 0.35, str.upper)
                yield from derived(left, call("lower", left.formula), 0.35, str.lower)
    if any(" " in value for value in values):
        python = r"([^\W_])\S*"
        ways = (
            (FIRST_LETTERS, python + r"\s*", r"\1", 0.7), (REST_OF_WORDS, python, r"\1.", 0.8),
            (FIRST_LETTERS, python + r"\s*", r"\1.", 0.85), (REST_OF_WORDS, python, r"\1", 0.9),
        )  # fmt: skip
        for engine, expression, by, cost in ways:
            formula = call("replace_pattern", f, text(engine), text(by))
            for letters in derived(piece, formula, cost, lambda s, e=expression, b=by: re.sub(e, b, s)):
                yield letters
                yield from derived(letters, call("upper", formula), 0.3, str.upper)
                yield from derived(letters, call("lower", formula), 0.3, str.lower)


def _zeros(piece: Piece) -> Iterator[Piece]:
    f, values = piece.formula, somewhere(piece)
    if all(value.strip().lstrip("0").isdigit() for value in values):
        formula = call("to_text", call("to_number", f))
        yield from derived(piece, formula, 0.5, lambda s: s.strip().lstrip("0"))
    if all(value.isdigit() for value in values):
        for n in range(2, 13):
            if any(len(value) < n for value in values):
                yield from derived(piece, call("lpad", f, n), 0.5, lambda s, n: s.zfill(n), n)


def remarked(piece: Piece, targets: Sequence[str | None]) -> Iterator[Piece]:
    """The piece with its marks replaced or left out, as the targets show: their letters and digits are the same.

    One mark is replaced by `replace`, several that become the same by a pattern, several that become others by `translate`.
    """
    marks: dict[str, str] = {}
    for value, target in zip(piece.values, targets, strict=True):
        if value is None or target is None:
            continue
        changes = _changed_marks(value, target)
        if changes is None or any(marks.get(mark, by) != by for mark, by in changes.items()):
            return
        marks |= changes
    changed = {mark: by for mark, by in marks.items() if mark != by}
    if not changed:
        return
    f = piece.formula
    if len(changed) == 1:
        ((mark, by),) = changed.items()
        yield from derived(piece, call("replace", f, text(mark), text(by)), 0.8, lambda s: s.replace(mark, by))
        if len(mark) == 1 or len(set(mark)) == 1:
            expression = f"[{in_class(mark[0])}]+"
            formula = call("replace_pattern", f, text(expression), text(by))
            yield from derived(piece, formula, 1.1, lambda s: re.sub(expression, lambda _: by, s))
        return
    if len(set(changed.values())) == 1 and all(len(mark) == 1 for mark in changed):
        by = next(iter(changed.values()))
        expression = f"[{''.join(in_class(mark) for mark in sorted(changed))}]"
        formula = call("replace_pattern", f, text(expression), text(by))
        yield from derived(piece, formula, 1.1, lambda s: re.sub(expression, lambda _: by, s))
    kept = sorted(changed, key=lambda mark: changed[mark] == "")
    if all(len(mark) == 1 and len(changed[mark]) <= 1 for mark in kept):
        old, new = "".join(kept), "".join(changed[mark] for mark in kept)
        table = str.maketrans({mark: changed[mark] for mark in kept})
        yield from derived(piece, call("translate", f, text(old), text(new)), 1.0, lambda s: s.translate(table))
    nested, given = f, piece
    for mark in kept[:4]:
        nested = call("replace", nested, text(mark), text(changed[mark]))
        given = Piece(nested, tuple(v and v.replace(mark, changed[mark]) for v in given.values), given.cost + 0.6)
    yield given


def _changed_marks(value: str, target: str) -> dict[str, str] | None:
    """What each run of marks became; None where letters and digits differ, or one mark became two different things."""
    if value == target or _MARKS_FOR_SPLITTING.sub("", value).lower() != _MARKS_FOR_SPLITTING.sub("", target).lower():
        return {} if value == target else None
    changes: dict[str, str] = {}
    at = 0
    for run in re.finditer(r"[\W_]+|[^\W_]+", value):
        if run[0][0].isalnum():
            if target[at : at + len(run[0])].lower() != run[0].lower():  # a mark stands within the word of the target
                return None
            at += len(run[0])
            continue
        become = re.compile(r"[\W_]*").match(target, at)
        by = become[0] if become else ""
        if changes.setdefault(run[0], by) != by:
            return None
        at += len(by)
    return changes if at == len(target) else None


def _without_accents(value: str) -> str:
    return "".join(c for c in unicodedata.normalize("NFD", value) if not unicodedata.combining(c))
