"""Text that was decoded wrongly."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator

from pravin_core.engines.functions import Mark
from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, of_column, those, translation
from pravin_core.profiling.model import ColumnProfile

KIND = Kind(
    "wrong decoding",
    "UTF-8 that was read as Windows-1252, Latin-1, code page 437 or Mac Roman, found by writing it back and reading it "
    "rightly; and texts with � (or ? between letters) that fit exactly one other value of the column.",
)
CODECS = ("cp1252", "latin-1", "cp437", "mac_roman")
_SUSPECT = r"[^\x00-\x7F]{2}|\x{FFFD}"
_LOST = r"\x{FFFD}|\pL\?\pL"


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Each wrongly decoded value with the text it was where that can be told."""
    met: dict[str, int] = {}
    was: dict[str, str] = {}
    for value, n in column_values.matching(_SUSPECT, Mark.WIDE).values:
        better = repaired(value)
        if better is not None:
            met[value], was[value] = n, better
    lost = dict(column_values.matching(_LOST, Mark.OTHER | Mark.WIDE).values)
    if lost:
        whole = Counter(
            {
                v: n
                for v, n in column_values.matching(r"[^\x00-\x7F]", Mark.WIDE).values
                if "\ufffd" not in v and v not in met
            }
        )
        for value in was.values():
            whole[value] += 1
        for value, n in lost.items():
            fitting = _fitting(value, whole)
            if "\ufffd" in value or fitting:
                met[value] = n
            if fitting and value not in was:
                was[value] = fitting
    if not met:
        return
    count = sum(met.values())
    yield of_column(
        column_values, KIND, "high", count, f"{cells(count)} decoded wrongly: {listed(list(met))}",
        evidence=[Evidence(value=v, count=n, becomes=was.get(v)) for v, n in met.items()],
        filters=those(column_values.name, list(met)), rule=translation(column_values.name, was),
    )  # fmt: skip


def repaired(value: str) -> str | None:
    """The text as it was before UTF-8 was read in another encoding; None when it was not."""
    for codec in CODECS:
        better = _read_rightly(value, codec)
        if better is not None and better != value and len(better) < len(value) and _plausible(better, codec):
            return repaired(better) or better
    return None


def _read_rightly(value: str, codec: str) -> str | None:
    raw = bytearray()
    for character in value:
        try:
            raw += character.encode(codec)
        except UnicodeEncodeError:
            if codec != "cp1252" or ord(character) > 255:
                return None
            raw.append(ord(character))  # the five bytes that Windows-1252 leaves undefined
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError:
        return None


def _plausible(better: str, codec: str) -> bool:
    wide = [c for c in better if ord(c) > 127]
    return all(c.isprintable() or c == "\u00a0" for c in wide) and (
        codec in CODECS[:2] or all(c.isalpha() for c in wide)
    )


def _fitting(value: str, whole: Counter[str]) -> str | None:
    pattern = re.compile("".join("." if c in "\ufffd?" else re.escape(c) for c in value) + "$", re.S)
    met = [text for text in whole if pattern.match(text)]
    return met[0] if len(met) == 1 else None
