"""Header or none, and of how many rows: judged from the first rows of a table, the same way for every format."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import pairwise

from pravin_core.intake.formats.base import BY_HAND
from pravin_core.intake.settings import SettingsRequest

_VALUE = re.compile(
    r"^[+-]?[\d.,]+(e[+-]?\d+)?%?$|^\d{1,4}[-./]\d{1,2}[-./]\d{1,4}([ T][\d:]+)?$|^\d{1,2}:\d{2}(:\d{2})?$", re.I
)
_MOST_HEADER_ROWS = 4
_LOOKED_AT = 200


def header_rows(rows: Sequence[Sequence[str]], known: Sequence[str]) -> tuple[int, str]:
    """How many of the first rows are header (0: none) and why. `known`: the names agreed for the feed."""
    if not rows:
        return 0, "there is no row to judge by"
    head, why = _one(rows, known)
    if not head:
        return 0, why
    more = 1
    while more < min(_MOST_HEADER_ROWS, len(rows) - 1) and _continues(rows, more):
        more += 1
    if more == 1:
        return 1, why
    return more, f"the first {more} rows hold texts above columns of numbers or dates"


def names_of(
    header: Sequence[str] | None, request: SettingsRequest, known: Sequence[str], width: int
) -> tuple[list[str], str]:
    """The names of the columns as delivered, and where they come from."""
    if request.names:
        return list(request.names), BY_HAND
    if header is not None:
        return list(header), "from the header"
    if len(known) == width:
        return list(known), "from the columns agreed for the feed, in their order"
    return [f"column_{n}" for n in range(1, width + 1)], "no header: numbered"


def is_value(cell: str) -> bool:
    """Whether a text reads as a number, a date or a time, as data does and names do not."""
    return bool(_VALUE.match(cell.strip()))


def _one(rows: Sequence[Sequence[str]], known: Sequence[str]) -> tuple[bool, str]:
    first, body = rows[0], rows[1:]
    cells = [cell.strip() for cell in first]
    agreed = {name.casefold() for name in known}
    met = sum(cell.casefold() in agreed for cell in cells)
    if agreed and met >= max(1, len(cells) // 2):
        return True, f"{met} of {len(cells)} names are agreed for the feed"
    valued = sum(is_value(cell) for cell in cells)
    if not body:
        return valued == 0, "the only row holds no number or date" if valued == 0 else "the only row holds values"
    contrast = sum(not is_value(c) and c != "" and _mostly_values(body, i) for i, c in enumerate(cells))
    again = sum(
        any(len(row) > i and row[i].strip() == c for row in body[:_LOOKED_AT]) for i, c in enumerate(cells) if c
    )
    if contrast and contrast >= valued:
        return True, f"{contrast} column{'s hold' if contrast > 1 else ' holds'} numbers or dates below a name"
    like_years = all(re.fullmatch(r"(1[89]|2[01])\d\d", cell) for cell in cells if cell.isdigit())
    below = any(_counted([cell.strip() for cell in row]) for row in body[:_LOOKED_AT])
    if _counted(cells) and (like_years or not below):
        return True, "the first row counts up, as years do"
    if valued:
        return False, f"{valued} of {len(cells)} fields of the first row are numbers or dates"
    whole_again = any([cell.strip() for cell in row] == cells for row in body)
    named = [cell for cell in cells if cell]
    if (again > 0.3 * len(cells) and not whole_again) or len(set(named)) < len(named):
        return False, f"{again} fields of the first row occur again below"
    alike = sum(_looks_like_below(cell, body, column) for column, cell in enumerate(cells))
    if alike:
        return False, f"{alike} field{'s' * (alike > 1)} of the first row look{'s' * (alike == 1)} like those below"
    return True, "the first row holds texts that do not occur again below"


def _counted(cells: Sequence[str]) -> bool:
    """Whether texts are followed by whole numbers that go up by one: `site, 2021, 2022, 2023`."""
    numbers = [int(cell) for cell in cells if cell.isascii() and cell.isdigit() and len(cell) < 9]
    texts = [cell for cell in cells if cell and not is_value(cell)]
    steps = [after - before for before, after in pairwise(numbers)]
    return len(numbers) > 1 and len(texts) > 0 and len(numbers) + len(texts) == len(cells) and set(steps) == {1}


def _looks_like_below(cell: str, body: Sequence[Sequence[str]], column: int) -> bool:
    """Whether a cell with digits begins with the same shape as most of those below."""
    shape = _shape(cell)
    if "9" not in shape:
        return False
    below = [_shape(row[column].strip()) for row in body[:_LOOKED_AT] if len(row) > column and row[column].strip()]
    return sum(other == shape for other in below) > 0.5 * len(below) if below else False


def _shape(cell: str) -> str:
    return re.sub(r"[A-Za-z]", "a", re.sub(r"\d", "9", cell[:10]))


def _continues(rows: Sequence[Sequence[str]], at: int) -> bool:
    """Whether row `at` belongs to the header: texts where the rows below hold values, none of them seen again.

    A row that fills what the row above leaves empty continues it, too.
    """
    row, body = [cell.strip() for cell in rows[at]], rows[at + 1 : at + 1 + _LOOKED_AT]
    if not body or any(is_value(cell) for cell in row):
        return False
    above = [cell.strip() for cell in rows[at - 1]]
    if row == above or len(row) != len(above):
        return False
    valued = [column for column in range(len(row)) if _mostly_values(body, column)]
    texts = [column for column in valued if row[column]]
    if not valued or len(texts) < max(1, (len(valued) + 1) // 2):
        return False
    again = any(len(item) > c and item[c].strip() == row[c] for c in texts for item in body)
    missing = {"-", "n/a", "na", "null", "none", "?", "x"}
    return not again and not all(row[c].casefold() in missing for c in texts)


def _mostly_values(body: Sequence[Sequence[str]], column: int) -> bool:
    cells = [row[column].strip() for row in body[:_LOOKED_AT] if len(row) > column and row[column].strip()]
    return bool(cells) and sum(is_value(cell) for cell in cells) > 0.5 * len(cells)
