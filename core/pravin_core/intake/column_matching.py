"""Columns of sources in different layouts matched with the columns of one table, by name and by content.

A match by name needs no question; one by content is proposed with its evidence, and a person settles it.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from itertools import islice

from pydantic import BaseModel, ConfigDict
from rapidfuzz import fuzz

from pravin_core.intake.formats.base import RECORD, Place
from pravin_core.intake.formats.registry import reader_of
from pravin_core.intake.settings import FileSettings

SAMPLE = 1000  # records looked at
PROPOSED = 0.55  # the least likeness at which a match is proposed
_VALUES_KEPT = 400
_UNIT = re.compile(r"[\[(].*?[\])]")
_WORDS = re.compile(r"[^0-9a-z]+")
_NUMBER = re.compile(r"^[<>~≈±]?\s*[+-]?\d+(?:[.,]\d+)*(?:[eE][+-]?\d+)?")
_DATE = re.compile(r"^\d{1,4}[-./]\d{1,2}[-./]\d{1,4}|^\d{1,2}[- ][A-Za-z]{3,9}[- ]\d{2,4}")


class ColumnSketch(BaseModel):
    """A column in a few measures of its first records: shares of texts that read as number or date, how many differ,
    the most frequent shapes and values, the middle of its numbers, its usual length."""

    model_config = ConfigDict(frozen=True)

    name: str
    cells: int = 0
    numbers: float = 0.0
    dates: float = 0.0
    distinct: float = 0.0
    shapes: dict[str, float] = {}
    values: tuple[str, ...] = ()
    examples: tuple[str, ...] = ()
    middle: float | None = None
    length: float = 0.0


class Match(BaseModel):
    """A delivered column and the table's column it seems to be. `likeness` from 0 to 1; `how`: name, like name,
    content."""

    model_config = ConfigDict(frozen=True)

    delivered: str
    column: str
    how: str
    likeness: float
    evidence: str


def sketch_source(place: Place, settings: FileSettings) -> list[ColumnSketch]:
    """Sketches of a source's delivered columns from its first records."""
    outcomes = reader_of(settings.format).outcomes(place, settings, limit=SAMPLE)
    rows = [outcome.cells for outcome in islice((p for p in outcomes if p.status == RECORD), SAMPLE)]
    columns = list(zip(*rows, strict=True)) if rows else [()] * len(settings.names)
    return [sketch(name, cells) for name, cells in zip(settings.names, columns, strict=True)]


def sketch(name: str, cells: Sequence[str | None]) -> ColumnSketch:
    """A column's measures from its cells."""
    texts = [cell.strip() for cell in cells if cell is not None and cell.strip()]
    if not texts:
        return ColumnSketch(name=name)
    count = len(texts)
    numbers = [match[0] for text in texts if (match := _NUMBER.match(text)) and not _DATE.match(text)]
    # a decimal comma or point is a habit of the writer, not what tells columns apart
    written = [text.replace(",", ".") if _NUMBER.fullmatch(text) else text for text in texts]
    shapes = Counter(_shape(text) for text in written).most_common(12)
    values = Counter(text.casefold() for text in texts)
    return ColumnSketch(
        name=name,
        cells=count,
        numbers=len(numbers) / count,
        dates=sum(bool(_DATE.match(text)) for text in texts) / count,
        distinct=len(values) / count,
        shapes={shape: each_count / count for shape, each_count in shapes},
        values=tuple(value for value, _ in values.most_common(_VALUES_KEPT)),
        examples=tuple(text for text, _ in Counter(texts).most_common(3)),
        middle=_middle(numbers),
        length=sum(map(len, texts)) / count,
    )


def plain_name(name: str) -> str:
    """A name without letter case, punctuation and units in brackets: `Water temp. (°C)` is `water temp`."""
    return " ".join(word for word in _WORDS.split(_UNIT.sub(" ", name).casefold()) if word)


def match_columns(delivered: Sequence[ColumnSketch], agreed: Sequence[ColumnSketch]) -> list[Match]:
    """The best match of each delivered column among the agreed ones, every agreed column once.

    Equal names match first, then equal plain names, then what is most alike by name and content together.
    """
    matches: list[Match] = []
    left, free = list(delivered), list(agreed)
    for how, key in (("name", _same), ("like name", plain_name)):
        by_name = {key(column.name): column for column in reversed(free)}
        for sketch_ in list(left):
            other = by_name.pop(key(sketch_.name), None)
            if other is not None and key(sketch_.name) and other in free:
                same = (
                    "the same name" if how == "name" else f"{sketch_.name!r} and {other.name!r} differ in writing only"
                )
                matches.append(Match(delivered=sketch_.name, column=other.name, how=how, likeness=1.0, evidence=same))
                left.remove(sketch_)
                free.remove(other)
    scored = [
        (_likeness(each_sketch, other), at, each_sketch, other) for at, each_sketch in enumerate(left) for other in free
    ]
    for (likeness, evidence), _, sketch_, other in sorted(scored, key=lambda entry: (-entry[0][0], entry[1])):
        if likeness >= PROPOSED and sketch_ in left and other in free:
            matches.append(
                Match(delivered=sketch_.name, column=other.name, how="content", likeness=likeness, evidence=evidence)
            )
            left.remove(sketch_)
            free.remove(other)
    return matches


def _same(name: str) -> str:
    """Names that differ in letter case only are the same: no table could hold both."""
    return name.strip().casefold()


def _likeness(sketch: ColumnSketch, other: ColumnSketch) -> tuple[float, str]:
    """How alike two columns are, and the sentence that says why.

    Content counts for two thirds: kinds of values, shapes (cosine), values in common (overlap coefficient), length
    and the size of numbers; the name for one third (token set ratio).
    """
    name = fuzz.token_set_ratio(plain_name(sketch.name), plain_name(other.name)) / 100
    if not sketch.cells or not other.cells:
        return (name * 0.6, f"the names are {name:.0%} alike; one of them holds no value")
    kinds = 1 - max(abs(sketch.numbers - other.numbers), abs(sketch.dates - other.dates))
    shapes = _cosine(sketch.shapes, other.shapes)
    mine, theirs = set(sketch.values), set(other.values)
    common = len(mine & theirs) / min(len(mine), len(theirs))
    parts = [shapes, common if common > 0.05 else shapes * 0.7]
    sentences = [f"{len(mine & theirs):,} values in common"] if mine & theirs else []
    if min(sketch.numbers, other.numbers) > 0.8:
        size = _same_size(sketch.middle, other.middle)
        parts = [size, max(common, shapes, 0.5 * size)]
        sentences.append(f"numbers around {sketch.middle:g} and {other.middle:g}")
    elif shapes > 0.5:
        top = max(sketch.shapes, key=lambda shape: sketch.shapes[shape])
        sentences.append(f"texts like {top}")
    if min(sketch.dates, other.dates) > 0.8:
        sentences.append("both hold dates")
    content = kinds * sum(parts) / len(parts)
    if min(sketch.dates, other.dates) > 0.8:
        content = max(content, 0.75)
    evidence = "; ".join([*sentences, f"names {name:.0%} alike"])
    return round(content * 2 / 3 + name / 3, 3), evidence


def _cosine(one: dict[str, float], other: dict[str, float]) -> float:
    dot = sum(share * other.get(shape, 0.0) for shape, share in one.items())
    size = sum(v * v for v in one.values()) ** 0.5 * sum(v * v for v in other.values()) ** 0.5
    return dot / size if size else 0.0


def _same_size(one: float | None, other: float | None) -> float:
    if not one or not other or (one > 0) != (other > 0):
        return 0.5
    small, large = sorted((abs(one), abs(other)))
    return small / large


def _middle(numbers: Sequence[str]) -> float | None:
    numbers_read = sorted(_read(text) for text in numbers)
    return numbers_read[len(numbers_read) // 2] if numbers_read else None


def _read(text: str) -> float:
    plain = text.lstrip("<>~≈± ")
    if "," in plain and "." not in plain:
        plain = plain.replace(",", ".", 1)
    try:
        return float(plain.replace(",", ""))
    except ValueError:
        return 0.0


def _shape(text: str) -> str:
    runs = re.sub(r"[A-Z]+", "A", re.sub(r"[a-z]+", "a", re.sub(r"\d", "9", text[:60])))
    return re.sub(r"9{5,}", "9…", runs)
