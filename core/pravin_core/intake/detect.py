"""Delimiter, quotation mark, lines before the header, header or none: proposed with evidence."""

from __future__ import annotations

import csv
import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from pravin_core.intake.encoding import EncodingGuess
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.tables.columns import unique_names

DELIMITERS = {"\t": "tab", "|": "pipe", ";": "semicolon", ",": "comma"}
_SAMPLE_LINES = 1000
_VALUE = re.compile(r"^[+-]?[\d.,]+(e[+-]?\d+)?%?$|^\d{1,4}[-./]\d{1,2}[-./]\d{1,4}([ T][\d:]+)?$|^\d{1,2}:\d{2}", re.I)


@dataclass(frozen=True)
class Detected:
    """Complete settings for a file with one sentence of evidence for each, and remarks on names."""

    settings: FileSettings
    evidence: dict[str, str]
    notes: tuple[str, ...]
    rivals: dict[str, tuple[str, ...]]


def detect(
    head: str, whole: bool, encoding: EncodingGuess, request: SettingsRequest, known: Sequence[str] = ()
) -> Detected:
    """Complete a request from the beginning of a file.

    `head` is its decoded beginning (`whole` when nothing follows), `known` the columns agreed for the feed:
    they name the columns of a file without header, and recognise a header.
    """
    lines = head.splitlines() if whole else head.splitlines()[:-1] or head.splitlines()
    lines = lines[:_SAMPLE_LINES]
    evidence: dict[str, str] = {"encoding": encoding.evidence if request.encoding is None else "chosen by hand"}
    quote = request.quote if request.quote is not None else _quote(lines)
    evidence["quote"] = "chosen by hand" if request.quote is not None else f"{_count(lines, quote):,} seen"
    delimiter = request.delimiter or _delimiter(lines, quote)
    widths = [len(row) for row in _rows(lines, delimiter, quote)]
    width = _usual(widths)
    matching = sum(found == width for found in widths)
    label = DELIMITERS.get(delimiter, repr(delimiter))
    evidence["delimiter"] = f"{label}: {matching:,} of {len(widths):,} lines looked at have {width:,} fields"
    skip = request.skip_lines if request.skip_lines is not None else _preamble(lines, delimiter, quote, width)
    rows = _rows(lines[skip:], delimiter, quote)
    evidence["skip_lines"] = "chosen by hand" if request.skip_lines is not None else _said_skip(skip)
    header, why = _header(rows, known) if request.header is None else (request.header, "chosen by hand")
    evidence["header"] = why
    if request.names:
        delivered, evidence["names"] = list(request.names), "chosen by hand"
    elif header and rows:
        delivered, evidence["names"] = rows[0], "from the header"
    elif len(known) == width:
        delivered, evidence["names"] = list(known), "from the columns agreed for the feed, in their order"
    else:
        delivered, evidence["names"] = [f"column_{n}" for n in range(1, width + 1)], "no header: numbered"
    names, notes = unique_names(delivered)
    settings = FileSettings(
        encoding=request.encoding or encoding.name,
        delimiter=delimiter,
        quote=quote,
        header=header,
        skip_lines=skip,
        names=tuple(names),
    )
    rivals = {"encoding": encoding.rivals, "delimiter": tuple(d for d in DELIMITERS if d != delimiter)}
    return Detected(settings, evidence, tuple(notes), rivals)


def _rows(lines: Sequence[str], delimiter: str, quote: str) -> list[list[str]]:
    reader = csv.reader(lines, delimiter=delimiter, **quoting(quote))
    rows: list[list[str]] = []
    while True:
        try:
            row = next(reader)
        except StopIteration:
            return rows
        except csv.Error:
            continue
        if row:
            rows.append(row)


def quoting(quote: str) -> dict[str, Any]:
    """The csv module's options for a quotation mark, or for none."""
    return {"quotechar": quote, "doublequote": True} if quote else {"quoting": csv.QUOTE_NONE, "quotechar": None}


def _count(lines: Sequence[str], quote: str) -> int:
    return sum(line.count(quote) for line in lines) if quote else 0


def _quote(lines: Sequence[str]) -> str:
    """Double quotes, unless only single ones enclose whole fields."""
    double, single = (sum(bool(re.search(rf"(^|[,;|\t]){q}[^{q}]*{q}($|[,;|\t])", ln)) for ln in lines) for q in "\"'")
    return "'" if single > 2 and not double and single > 0.5 * len(lines) else '"'


def _usual(widths: Sequence[int]) -> int:
    """The most frequent number of fields; of two as frequent the larger."""
    return max(Counter(widths).items(), key=lambda pair: (pair[1], pair[0]))[0] if widths else 1


def _delimiter(lines: Sequence[str], quote: str) -> str:
    """The mark that cuts most lines into the same number of fields, more fields being better.

    When none does, the table has one column, and a mark is taken that does not occur.
    """
    absent = [mark for mark in (",", *DELIMITERS, "\x1f") if not any(mark in line for line in lines)]
    best, best_score = (absent or ["\x1f"])[0], 0.0
    for mark in DELIMITERS:
        widths = [len(row) for row in _rows(lines, mark, quote)]
        width = _usual(widths)
        if width < 2:
            continue
        share = sum(found == width for found in widths) / len(widths)
        if share < (0.5 if widths[0] == width else 0.7):
            continue  # a mark that occurs in texts here and there delimits nothing
        first = next((w for w in widths if w > 1), 1) == width
        score = share + 0.015 * min(width, 20) + (0.2 if first else 0)
        if score > best_score + 1e-9:
            best, best_score = mark, score
    return best


def _preamble(lines: Sequence[str], delimiter: str, quote: str, width: int) -> int:
    """How many lines stand before the first one with the usual number of fields."""
    if width < 2:
        return 0
    for position, line in enumerate(lines):
        rows = _rows([line], delimiter, quote)
        if rows and len(rows[0]) == width:
            return position
    return 0


def _said_skip(skip: int) -> str:
    return f"{skip} lines differ from those below" if skip else "the first line looks like those below"


def _header(rows: Sequence[Sequence[str]], known: Sequence[str]) -> tuple[bool, str]:
    if not rows:
        return False, "there is no line to judge by"
    first, body = rows[0], rows[1:]
    cells = [cell.strip() for cell in first]
    agreed = {name.casefold() for name in known}
    met = sum(cell.casefold() in agreed for cell in cells)
    if agreed and met >= max(1, len(cells) // 2):
        return True, f"{met} of {len(cells)} names are agreed for the feed"
    valued = sum(bool(_VALUE.match(cell)) for cell in cells)
    if not body:
        return valued == 0, "the only line holds no number or date" if valued == 0 else "the only line holds values"
    contrast = sum(not _VALUE.match(c) and c != "" and _mostly_values(body, i) for i, c in enumerate(cells))
    again = sum(any(len(row) > i and row[i].strip() == c for row in body[:200]) for i, c in enumerate(cells) if c)
    if contrast and contrast >= valued:
        return True, f"{contrast} columns hold numbers or dates below a name"
    if valued:
        return False, f"{valued} of {len(cells)} fields of the first line are numbers or dates"
    if again > 0.3 * len(cells) or len(set(cells)) < len(cells):
        return False, f"{again} fields of the first line occur again below"
    return True, "the first line holds texts that do not occur again below"


def _mostly_values(body: Sequence[Sequence[str]], column: int) -> bool:
    cells = [row[column].strip() for row in body[:200] if len(row) > column and row[column].strip()]
    return bool(cells) and sum(bool(_VALUE.match(cell)) for cell in cells) > 0.5 * len(cells)
