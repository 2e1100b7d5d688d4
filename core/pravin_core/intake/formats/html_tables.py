"""Tables in an HTML page: choose which; spans filled, header rows and repeated headers told apart.

Spans as the table model of the HTML standard fills them (WHATWG HTML, forming a table).
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from functools import lru_cache
from itertools import islice
from pathlib import Path

from lxml import etree, html

from pravin_core.errors import IntakeError
from pravin_core.intake.encoding import detect_encoding
from pravin_core.intake.formats.base import (
    BY_HAND,
    HEADER,
    PREAMBLE,
    RECORD,
    REJECTED,
    REPEATED,
    Detected,
    LineOutcome,
    Place,
    Reader,
    assign,
    joined_header,
    with_totals,
)
from pravin_core.intake.formats.header_detection import header_rows, names_of
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.tables.columns import unique_names

LARGEST_PAGE = 64 * 2**20  # bytes
WIDEST_SPAN, TALLEST_SPAN = 1000, 65_534  # as the standard bounds them
MOST_CELLS = 20_000_000
MOST_TEXT = 2**28  # characters of a table with its spans filled
_HEADINGS = ("h1", "h2", "h3", "h4")
_SPACES = re.compile(r"[ \t\r\n\f]+")
_SKIPPED = {"script", "style", "template", "noscript"}


class HtmlTables(Reader):
    """Each table of a page is a source of its own."""

    format, label, view, unit = "html", "table of a page", "grid", "row"
    asked = 30
    first = ("encoding", "header_rows")
    more = ("skip_lines", "repeated_header", "totals_line", "names")
    apart = True

    def recognises(self, path: Path, name: str, head: bytes) -> str:
        begin = head.replace(b"\x00", b"").lstrip(b"\xef\xbb\xbf\xff\xfe \t\r\n")[:2000].lower()
        if not begin.startswith(b"<"):
            return ""
        if re.match(rb"<(!doctype html|html|head|body|table|div|main|section|p|h\d|meta|title|!--)", begin):
            return "the file begins like an HTML page"
        if begin.startswith(b"<?xml") and b"<html" in begin:
            return "the file begins like an XHTML page"
        if b"<!entity" in begin or begin.startswith(b"<?xml"):
            raise IntakeError(
                "The file is an XML document, which is not read as a table.",
                file=name,
                advice="Ask for delimited text, a workbook, JSON or a page with a table.",
            )
        return ""

    def tables(self, path: Path) -> tuple[str, ...]:
        return _titles(str(path), _stamp(path))

    def settle(self, place: Place, request: SettingsRequest, known: Sequence[str]) -> Detected:
        rows, heads, charset = _table(place)
        skip, result = (0, "") if request.skip_lines is None else (request.skip_lines, BY_HAND)
        width = max((len(row) for row in rows[skip:]), default=0)
        if not width:
            raise IntakeError("The table has no cell.", file=place.name, advice="Choose another table of the page.")
        marked = next((at for at, is_head in enumerate(heads[skip:]) if not is_head), 0)
        header, why = (
            (marked, f"{marked} row{'s are' if marked > 1 else ' is'} marked as header")
            if marked
            else header_rows(rows[skip:], known)
        )
        if request.header_rows is not None:
            header, why = request.header_rows, BY_HAND
        top = joined_header(rows[skip : skip + header], width) if header else None
        delivered, named = names_of(top, request, known, width)
        names, notes = unique_names(delivered)
        again = sum(row in rows[skip : skip + header] for row in rows[skip + header :])
        settings = FileSettings(
            format="html", encoding=request.encoding or charset, skip_lines=skip, header_rows=header,
            repeated_header=bool(header) and request.repeated_header is not False,
            totals_line=bool(request.totals_line), **assign(names, request, place.name),
        )  # fmt: skip
        evidence = {
            "encoding": BY_HAND if request.encoding else "as the page says, or as its bytes do",
            "header_rows": why,
            "names": named,
            "skip_lines": result or "the table begins with its first row",
            "repeated_header": f"{again:,} rows inside repeat the header",
        }
        return Detected(settings, evidence, tuple(notes))

    def outcomes(self, place: Place, settings: FileSettings, limit: int | None = None) -> Iterator[LineOutcome]:
        totals = _pieces(_table(place, settings.encoding)[0], settings)
        totals = with_totals(totals) if settings.totals_line and limit is None else totals
        yield from totals if limit is None else islice(totals, limit)


def _pieces(rows: Sequence[tuple[str, ...]], settings: FileSettings) -> Iterator[LineOutcome]:
    width = len(settings.names)
    top = settings.skip_lines + settings.header_rows
    heads = rows[settings.skip_lines : top]
    for at, row in enumerate(rows):
        number = at + 1
        text = "\t".join(row)
        if at < settings.skip_lines:
            yield LineOutcome(PREAMBLE, number, text=text, cells=row)
        elif at < top:
            yield LineOutcome(HEADER, number, text=text, cells=row)
        elif settings.repeated_header and row in heads:
            yield LineOutcome(REPEATED, number, text=text, cells=row)
        elif len(row) != width:
            reason = f"the row has {len(row):,} cells, the table has {width:,}"
            yield LineOutcome(REJECTED, number, text=text, cells=row, reason=reason)
        elif not any(cell.strip() for cell in row):
            yield LineOutcome(REJECTED, number, text=text, cells=row, reason="the row is empty")
        elif any("\x00" in cell for cell in row):
            yield LineOutcome(REJECTED, number, text=text, cells=row, reason="the row holds a NUL character")
        else:
            yield LineOutcome(RECORD, number, text=text, cells=row)


def _stamp(path: Path) -> tuple[int, int]:
    results = path.stat()
    return results.st_mtime_ns, results.st_size


@lru_cache(maxsize=4)
def _titles(path: str, stamp: tuple[int, int]) -> tuple[str, ...]:
    """Unique names of a page's tables: caption, else the heading before it, else a number. One walk over the page."""
    tables = _page(path, stamp, "")[0]
    if not tables:
        raise IntakeError("The page holds no table.", file=Path(path).name, advice="Choose another page or file.")
    requested, heading = set(tables), None
    titles: dict[str, None] = {}
    for node in tables[0].getroottree().getroot().iter("table", *_HEADINGS):
        if node.tag != "table":
            heading = node
        elif node in requested:
            text = _title(node, heading) or f"table {len(titles) + 1}"
            titles[text if text not in titles else f"{text} ({len(titles) + 1})"] = None
    return tuple(titles)


def _title(table: html.HtmlElement, heading: html.HtmlElement | None) -> str:
    caption = table.find("caption")
    if caption is not None:
        return _text(caption)[:120]
    return _text(heading)[:120] if heading is not None else str(table.get("id") or "")[:120]


@lru_cache(maxsize=4)
def _page(path: str, stamp: tuple[int, int], encoding: str) -> tuple[list[html.HtmlElement], str]:
    """The tables of a page that hold cells, outermost and nested, and the encoding it was read in."""
    if stamp[1] > LARGEST_PAGE:
        raise IntakeError(f"The page is larger than {LARGEST_PAGE:,} bytes.", file=Path(path).name)
    data = Path(path).read_bytes()
    if b"<!entity" in data[:65_536].lower():
        raise IntakeError(
            "The page declares entities of its own, which are not expanded.",
            file=Path(path).name,
            advice="Ask for a plain page.",
        )
    charset = encoding or _charset(Path(path), data)
    try:
        text = data.decode(charset, "replace").replace("\x00", "\ufffd").removeprefix("\ufeff")
        parser = html.HTMLParser(huge_tree=False, no_network=True, encoding="utf-8")
        root = html.document_fromstring(text.encode("utf-8", "replace"), parser=parser)
    except (etree.LxmlError, ValueError, AssertionError) as error:
        raise IntakeError(
            "The page cannot be read: it holds nothing, or its parts lie within each other too deeply.",
            file=Path(path).name,
            advice="Ask for a plain page, or for delimited text.",
        ) from error
    return [table for table in root.iter("table") if next(table.iter("td", "th"), None) is not None], charset


def _charset(path: Path, data: bytes) -> str:
    """By byte order mark, then what the page declares, then the bytes themselves."""
    guess = detect_encoding(path)
    match = re.search(rb"<meta[^>]+charset=[\"']?([\w-]+)", data[:4096], re.I)
    if match and guess.name not in ("utf-8", "utf-8-sig", "utf-16", "utf-32"):
        try:
            return SettingsRequest(encoding=match[1].decode()).encoding or guess.name
        except ValueError:
            return guess.name
    return guess.name


def _table(place: Place, encoding: str = "") -> tuple[list[tuple[str, ...]], list[bool], str]:
    """The rows of a table, spans filled, and for each whether all its own cells are header cells."""
    stamp = _stamp(place.path)
    tables, charset = _page(str(place.path), stamp, encoding)
    titles = _titles(str(place.path), stamp)
    if place.table and place.table not in titles:
        raise IntakeError(f"The page has no table {place.table!r}.", file=place.name, advice="Choose another.")
    table = tables[titles.index(place.table) if place.table else 0]
    rows: list[tuple[str, ...]] = []
    heads: list[bool] = []
    open_spans: dict[int, tuple[int, str]] = {}
    cells = characters = 0
    own_rows = table.xpath("./tr | ./thead/tr | ./tbody/tr | ./tfoot/tr")
    for row in own_rows:
        filled = _filled(row, open_spans)
        cells += len(filled)
        characters += sum(map(len, filled))
        if cells > MOST_CELLS or characters > MOST_TEXT:
            raise IntakeError(
                f"The table has, its spans filled, more than {MOST_CELLS:,} cells or {MOST_TEXT:,} characters.",
                file=place.name,
                advice="Ask for delimited text.",
            )
        kinds = [cell.tag for cell in row if cell.tag in ("td", "th")]
        in_head = row.getparent().tag == "thead"
        rows.append(tuple(filled))
        heads.append(in_head or (bool(kinds) and all(kind == "th" for kind in kinds)))
    return rows, heads, charset


def _filled(row: html.HtmlElement, open_spans: dict[int, tuple[int, str]]) -> list[str]:
    """The cells of a row; `open_spans` holds, by column, how many rows a cell above still reaches down, and its text."""
    results: list[str] = []
    for cell in (child for child in row if child.tag in ("td", "th")):
        _take_open(results, open_spans)
        wide, tall = _span(cell, "colspan", WIDEST_SPAN), _span(cell, "rowspan", TALLEST_SPAN)
        text = _text(cell)
        for _ in range(wide):
            if tall != 1:
                open_spans[len(results)] = (tall - 1 if tall else TALLEST_SPAN, text)
            results.append(text)
    _take_open(results, open_spans)
    return results


def _take_open(found: list[str], open_spans: dict[int, tuple[int, str]]) -> None:
    while len(found) in open_spans:
        left, text = open_spans.pop(len(found))
        if left > 1:
            open_spans[len(found)] = (left - 1, text)
        found.append(text)


def _span(cell: html.HtmlElement, name: str, most: int) -> int:
    text = (cell.get(name) or "1").strip()
    count = int(text) if text.isascii() and text.isdigit() and len(text) < 9 else 1
    return min(count, most) if name == "rowspan" else max(1, min(count, most))


def _text(cell: html.HtmlElement) -> str:
    """What a browser shows of a cell: white space drawn together, a line break as one, no scripts, no inner table."""
    parts: list[str] = []
    _collect(cell, parts)
    lines = [_SPACES.sub(" ", line).strip(" ") for line in "".join(parts).split("\x00")]
    return "\n".join(lines).strip("\n")


def _collect(node: html.HtmlElement, parts: list[str]) -> None:
    parts.append(node.text or "")
    for child in node:
        if child.tag == "br":
            parts.append("\x00")
        elif isinstance(child.tag, str) and child.tag not in _SKIPPED and child.tag != "table":
            _collect(child, parts)
        parts.append(child.tail or "")


READER = HtmlTables()
