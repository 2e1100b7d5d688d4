"""Where the settings of delimited text are in doubt: the lines concerned, and what they are under each setting."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from pravin_core.intake.formats.base import Doubt
from pravin_core.intake.formats.delimited.cutting import Cut

MOST = 5  # lines of each doubt
LONGEST = 200  # characters of a reading
UNSURE_HEADER = ("the first row holds texts that do not occur again below", "the only row holds no number or date")


def shown(cells: Sequence[str]) -> str:
    """Cells side by side, line ends drawn."""
    text = " | ".join(cell.replace("\r\n", "¶").replace("\n", "¶").replace("\r", "¶") for cell in cells)
    return text if len(text) <= LONGEST else f"{text[:LONGEST]}…"


def doubts_of_lines(
    lines: Sequence[str], cut: Cut, above: int, header: int, why_header: str, trailing: bool
) -> tuple[Doubt, ...]:
    """The doubts of a sample of lines; `above` lines stand before the table, `header` rows are names; `trailing` says that
    the delimiter at the end of the lines ends them.
    """
    body = lines[above:]
    return (
        *_header(body, cut, above, header, why_header), *_trailing(body, cut, above, header, trailing), *_escape(body, cut, above), *_spaces(body, cut, above), *_over_lines(body, cut, above),
    )  # fmt: skip


def _header(body: Sequence[str], cut: Cut, above: int, header: int, why: str) -> Iterator[Doubt]:
    """A header that was assumed, because nothing tells it from the records but that it stands first."""
    rows = cut.numbered(body)
    if header == 1 and rows and why in UNSURE_HEADER:
        at, _, first = rows[0]
        yield Doubt(
            above + at + 1,
            (("1", f"names of the columns: {shown(first)}"), ("0", f"a record: {shown(first)}")),
            "header_rows",
        )


def _trailing(body: Sequence[str], cut: Cut, above: int, header: int, trailing: bool) -> Iterator[Doubt]:
    """A delimiter at the end of every line of a table without names: it ends the lines, or its last column is empty."""
    if not trailing or header:
        return
    for at, _, row in cut.numbered(body)[:MOST]:
        readings = (("true", shown(row[:-1])), ("false", f"{shown(row[:-1])} | (an empty column)"))
        yield Doubt(above + at + 1, readings, "trailing_delimiter")


def _escape(body: Sequence[str], cut: Cut, above: int) -> Iterator[Doubt]:
    """Backslashes that may take the next character literally, or stand for themselves."""
    ways = [cut.escape, "" if cut.escape else "\\"]
    if not any("\\" in line for line in body):
        return
    yield from _differing(body, [cut.with_(escape=way) for way in ways], ways, above, "escape", "\\")


def _spaces(body: Sequence[str], cut: Cut, above: int) -> Iterator[Doubt]:
    """Quotation marks after spaces: around a field, or part of it."""
    if not cut.quote or not re.search(rf"{re.escape(cut.delimiter)}[ \t]+{re.escape(cut.quote)}", "".join(body)):
        return
    ways = [cut.spaced_quotes, not cut.spaced_quotes]
    cuts = [cut.with_(spaced_quotes=way) for way in ways]
    yield from _differing(body, cuts, [str(way).lower() for way in ways], above, "spaced_quotes", cut.quote)


def _differing(
    body: Sequence[str], cuts: Sequence[Cut], names: Sequence[str], above: int, about: str, mark: str
) -> Iterator[Doubt]:
    """Lines with the mark that are cut differently."""
    count = 0
    for at, line in enumerate(body):
        if mark not in line or count == MOST:
            continue
        readings = [shown(rows[0]) if (rows := cut.rows([line])) else "cannot be read by itself" for cut in cuts]
        if readings[0] != readings[1]:
            count += 1
            yield Doubt(above + at + 1, tuple(zip(names, readings, strict=True)), about)


def _over_lines(body: Sequence[str], cut: Cut, above: int) -> Iterator[Doubt]:
    """Fields over several lines in which a line could be a record by itself."""
    if not cut.quote:
        return
    rows = cut.numbered(body)
    widths = [len(row) for _, _, row in rows]
    usual = max(set(widths), key=widths.count) if widths else 0
    plain = cut.with_(quote="")
    count = 0
    for at, many, row in rows:
        inner = body[at + 1 : at + many]
        if many > 1 and count < MOST and any(len(cells) == usual for cells in plain.rows(inner)):
            count += 1
            apart = " ⏎ ".join(shown(cells) for cells in plain.rows(body[at : at + many]))
            yield Doubt(
                above + at + 1, ((cut.quote, f"{many} lines: {shown(row)}"), ("", apart[: 2 * LONGEST])), "quote"
            )
