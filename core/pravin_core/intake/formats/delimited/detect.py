"""Settings of delimited text: each proposed from the beginning (and end) of the file, with evidence and rivals."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

from pravin_core.intake.encoding import EncodingGuess, split_lines
from pravin_core.intake.formats.base import BY_HAND, Detected, assign, joined_header
from pravin_core.intake.formats.delimited.cutting import Cut
from pravin_core.intake.formats.delimited.doubts import doubts_of_lines
from pravin_core.intake.formats.header_detection import header_rows, is_value, names_of
from pravin_core.intake.settings import FileSettings, LineEnd, SettingsRequest
from pravin_core.tables.columns import unique_names

DELIMITERS = {"\t": "tab", "|": "pipe", ";": "semicolon", ",": "comma"}
LABELS = {**DELIMITERS, " ": "space", ":": "colon", "^": "caret", "~": "tilde", "\x1f": "unit separator"}
_OTHERS = ("^", "~", "¦", "§", "\x01", "\x1e", "\x1f", "#", "!")
_IN_VALUES = (":", " ")  # also stand inside of times and names: taken only where names stand above values
_SAYS = re.compile(r"^\"?sep=(.)\"?$", re.I)
_RUN = re.compile(r"[^\w\s\"'.,+\-()%/]{2,6}|,{2,6}")
_COMMENTS = ("#", "//", "%", "--", "!", "*")
_TOTAL = re.compile(
    r"^\W*(grand[ _]?total|totals?|sums?|control[ _]totals?|trailer|end of file|(number of )?(records|rows)|count)\b",
    re.I,
)
_DECIMAL = re.compile(r"^[+-]?\d+,\d+$")
_SAMPLE_LINES = 1000
_END = re.compile(r"\r\n|\r|\n")


def detect(
    head: str,
    whole: bool,
    tail: str,
    encoding: EncodingGuess,
    request: SettingsRequest,
    known: Sequence[str],
    file: str,
) -> Detected:
    """Complete a request from the text of a file.

    `head` is its decoded beginning (`whole` when nothing follows), `tail` its end; `known` are the columns agreed
    for the feed: they name the columns of a file without header, and recognise a header.
    """
    evidence: dict[str, str] = {"encoding": encoding.evidence if request.encoding is None else BY_HAND}
    line_end, evidence["line_end"] = _line_end(head, request)
    lines = split_lines(head, line_end)
    lines = (lines if whole or len(lines) < 2 else lines[:-1])[:_SAMPLE_LINES]
    quote, evidence["quote"] = (request.quote, BY_HAND) if request.quote is not None else _quote(lines)
    match = _SAYS.match(lines[0].rstrip("\r\n")) if lines else None
    delimiter, rivals = (match[1], ()) if match else _delimiter(lines, quote) if not request.delimiter else ("", ())
    delimiter = request.delimiter or delimiter
    plain = Cut(delimiter, quote, "", line_end)
    escape, evidence["escape"] = (request.escape, BY_HAND) if request.escape is not None else _escape(lines, plain)
    cut = Cut(delimiter, quote, escape, line_end)
    spaced, evidence["spaced_quotes"] = _spaced(lines, cut)
    if request.spaced_quotes is not None:
        spaced, evidence["spaced_quotes"] = request.spaced_quotes, BY_HAND
    cut = cut.with_(spaced_quotes=spaced)
    comment, evidence["comment"] = (request.comment, BY_HAND) if request.comment is not None else _comment(lines, cut)
    width = _usual([len(row) for row in cut.rows(_without(lines, comment))])
    skip, evidence["skip_lines"] = _preamble(lines, cut, width, comment)
    if request.skip_lines is not None:
        skip, evidence["skip_lines"] = request.skip_lines, BY_HAND
    if match and request.skip_lines is None:
        skip, evidence["skip_lines"] = max(1, skip), f"the first line says which delimiter is used: {lines[0].strip()}"
    if request.skip_lines is None and _header_without_end(lines, cut, skip, width):
        skip, evidence["skip_lines"] = skip - 1, "the header has no delimiter at its end, the records do"
    rows = cut.rows(_without(lines[skip:], comment))
    width = _usual([len(row) for row in rows])
    evidence["delimiter"] = _said_delimiter(delimiter, rows, width) + (f" ({BY_HAND})" if request.delimiter else "")
    trailing, evidence["trailing_delimiter"] = _trailing(rows, width)
    if request.trailing_delimiter is not None:
        trailing, evidence["trailing_delimiter"] = request.trailing_delimiter, BY_HAND
    if trailing and width > 1:
        rows = [row[:-1] if len(row) == width and not row[-1] else row for row in rows]
        width -= 1
    header, evidence["header_rows"] = header_rows(rows, known)
    doubts = doubts_of_lines(lines, cut, skip, header, evidence["header_rows"], trailing)
    if request.header_rows is not None:
        header, evidence["header_rows"] = request.header_rows, BY_HAND
    delivered, evidence["names"] = names_of(
        joined_header(rows[:header], width) if header else None, request, known, width
    )
    names, notes = unique_names(delivered)
    repeated, evidence["repeated_header"] = _repeated(rows, header, len(names))
    if request.repeated_header is not None:
        repeated, evidence["repeated_header"] = request.repeated_header, BY_HAND
    totals, evidence["totals_line"] = _totals(tail, cut, len(rows) - header)
    if request.totals_line is not None:
        totals, evidence["totals_line"] = request.totals_line, BY_HAND
    settings = FileSettings(
        format="delimited", encoding=request.encoding or encoding.name, line_end=line_end, delimiter=delimiter, quote=quote,
        escape=escape, spaced_quotes=spaced, comment=comment, skip_lines=skip, header_rows=header, trailing_delimiter=trailing,
        repeated_header=repeated, totals_line=totals, **assign(names, request, file),
    )  # fmt: skip
    decided = set(request.model_dump(exclude_none=True))
    doubts = tuple(doubt for doubt in doubts if doubt.about not in decided)
    return Detected(settings, evidence, tuple(notes), {"encoding": encoding.rivals, "delimiter": rivals}, doubts)


def label(delimiter: str) -> str:
    """A delimiter in words."""
    return LABELS.get(delimiter, repr(delimiter))


def _without(lines: Sequence[str], comment: str) -> Sequence[str]:
    return [line for line in lines if not line.startswith(comment)] if comment else lines


def _line_end(head: str, request: SettingsRequest) -> tuple[LineEnd, str]:
    counter = Counter(_END.findall(head))
    names = {"\r\n": "CR LF", "\n": "LF", "\r": "CR"}
    evidence = ", ".join(f"{names[end]}: {count:,}" for end, count in counter.most_common()) or "there is no line end"
    if request.line_end is not None:
        return request.line_end, f"{BY_HAND}; seen: {evidence}"
    return "any", f"mixed: {evidence}" if len(counter) > 1 else evidence


def _quote(lines: Sequence[str]) -> tuple[str, str]:
    """Double quotes, unless only single ones enclose whole fields."""
    double, single = (
        sum(bool(re.search(rf"(^|[,;|\t]){q}[^{q}]*{q}($|[,;|\t\r\n])", ln)) for ln in lines) for q in "\"'"
    )
    quote = "'" if single > 2 and not double and single > 0.5 * len(lines) else '"'
    around = single if quote == "'" else double
    return quote, f"stands around fields in {around:,} of {len(lines):,} lines"


def _escape(lines: Sequence[str], cut: Cut) -> tuple[str, str]:
    """A backslash, when more lines have the usual number of fields with it than without."""
    if not any("\\" in line for line in lines):
        return "", "none seen"
    ways = {mark: _fitting(Cut(cut.delimiter, cut.quote, mark, cut.line_end).rows(lines)) for mark in ("", "\\")}
    if ways["\\"][0] > ways[""][0] and ways["\\"][1] > 1:
        return "\\", f"with a backslash as escape {ways[chr(92)][0]:,} records fit, without {ways[''][0]:,}"
    quoted = f"\\{cut.quote}" if cut.quote else ""
    if (
        quoted
        and any(
            quoted + cut.delimiter not in line
            and re.search(r"\\" + re.escape(cut.quote) + r"[^\r\n" + re.escape(cut.delimiter) + "]", line)
            for line in lines
        )
        and ways["\\"][0] == ways[""][0]
    ):
        return "\\", "quotation marks inside fields stand after a backslash"
    return "", "backslashes stand for themselves"


def _spaced(lines: Sequence[str], cut: Cut) -> tuple[bool, str]:
    """Whether quotation marks after spaces stand around fields: more lines have the usual number of fields then, or no
    quotation mark stands elsewhere.
    """
    mark, quote = re.escape(cut.delimiter), re.escape(cut.quote)
    field = re.compile(rf"{mark}[ \t]+{quote}[^{quote}]*{quote}($|[{mark}\r\n])") if cut.quote else None
    around = sum(bool(field.search(line)) for line in lines) if field else 0
    if not around:
        return False, "no quotation mark stands after spaces"
    (plain, _), (spaced, _) = (_fitting(cut.with_(spaced_quotes=way).rows(lines)) for way in (False, True))
    directly = any(re.search(rf"(^|{mark}){quote}", line) for line in lines)
    if spaced < plain or (spaced == plain and (around < 2 or directly)):
        return False, f"quotation marks after spaces in {around:,} line{'s' * (around != 1)} are part of the text"
    return True, f"quotation marks stand around fields after spaces in {around:,} lines"


def _fitting(rows: Sequence[Sequence[str]]) -> tuple[int, int]:
    width = _usual([len(row) for row in rows])
    return sum(len(row) == width for row in rows), width


def _usual(widths: Sequence[int]) -> int:
    """The most frequent number of fields; of two as frequent the larger."""
    return max(Counter(widths).items(), key=lambda pair: (pair[1], pair[0]))[0] if widths else 1


def _delimiter(lines: Sequence[str], quote: str) -> tuple[str, tuple[str, ...]]:
    """The mark that cuts most lines into the same number of fields, more fields being better, and its rivals.

    A string that is repeated comes before its characters; unusual marks are asked only when no usual one fits. When
    nothing does, the table has one column, and a mark is taken that does not occur.
    """
    marked = [line for line in lines if line.startswith(_COMMENTS)]
    lines = [line for line in lines if line not in marked] if len(marked) < 0.5 * len(lines) else lines
    for run in _runs(lines):
        score, _ = _score(run, lines, quote)
        if score > 1:
            return run, tuple(mark for mark in DELIMITERS if mark in run)
    scored = {mark: _score(mark, lines, quote) for mark in DELIMITERS}
    fitting = sorted((mark for mark in scored if scored[mark][0]), key=lambda mark: -scored[mark][0])
    if fitting:
        return fitting[0], tuple(fitting[1:])
    for mark in _OTHERS:
        score, share = _score(mark, lines, quote)
        if score and share >= 0.95 and len(lines) > 1:
            return mark, ()
    for mark in _IN_VALUES:
        score, share = _score(mark, lines, quote)
        if score and share >= 0.95 and _names_above_values(Cut(mark, quote).rows(lines)):
            return mark, ()
    absent = [mark for mark in (",", *DELIMITERS, "\x1f") if not any(mark in line for line in lines)]
    return (absent or ["\x1f"])[0], tuple(mark for mark in DELIMITERS if any(mark in line for line in lines))


def _names_above_values(rows: Sequence[Sequence[str]]) -> bool:
    """Whether the first row holds no value and the rows below hold one in most columns."""
    if len(rows) < 2 or any(is_value(cell) for cell in rows[0]):
        return False
    valued = [sum(len(row) > at and is_value(row[at]) for row in rows[1:]) for at in range(len(rows[0]))]
    return sum(count > 0.9 * (len(rows) - 1) for count in valued) > 0.5 * len(valued)


def _score(mark: str, lines: Sequence[str], quote: str) -> tuple[float, float]:
    """How well a mark cuts (0: not at all) and the share of the lines with the usual number of fields."""
    if not any(mark in line for line in lines):
        return 0.0, 0.0
    ways = ["", "\\"] if quote and any(f"\\{quote}" in line for line in lines) else [""]
    return max(_score_with(Cut(mark, quote, way), lines) for way in ways)


def _score_with(cut: Cut, lines: Sequence[str]) -> tuple[float, float]:
    mark = cut.delimiter
    widths = [len(row) for row in cut.rows(lines)]
    width = _usual(widths)
    if width < 2:
        return 0.0, 0.0
    share = sum(each_width == width for each_width in widths) / len(widths)
    below, enough = widths[widths.index(width) :], share
    if width > 2 and len(below) > 2:  # lines before the header do not rule a mark out
        enough = max(share, sum(item == width for item in below) / len(below))
    if enough < (0.5 if widths[0] == width else 0.7) or _decimal_commas(mark, width, lines):
        return 0.0, share  # a mark that occurs in texts here and there delimits nothing
    first = next((each_width for each_width in widths if each_width > 1), 1) == width
    return share + 0.015 * min(width, 20) + (0.2 if first else 0), share


def _decimal_commas(mark: str, width: int, lines: Sequence[str]) -> bool:
    """Whether commas only stand inside of the numbers of one column: the name above them has none."""
    if mark != "," or width != 2 or "," in lines[0]:
        return False
    texts = [line.strip() for line in lines if "," in line]
    return sum(bool(_DECIMAL.match(text)) for text in texts) > 0.9 * len(texts)


def _runs(lines: Sequence[str]) -> list[str]:
    """Strings of two marks or more whose characters occur in no other way."""
    counter = Counter(run for line in lines[:50] for run in _RUN.findall(line))
    text = "".join(lines)
    candidates = set()
    for run, _ in counter.most_common(8):
        for size in range(2, len(run) + 1):
            candidates.add(run[:size])
    good = [r for r in candidates if all(r.count(c) * text.count(r) >= 0.98 * text.count(c) for c in set(r))]
    return sorted(good, key=len, reverse=True)


def _said_delimiter(delimiter: str, rows: Sequence[Sequence[str]], width: int) -> str:
    fitting = sum(len(row) == width for row in rows)
    fields = f"{width:,} field{'s' * (width != 1)}"
    return f"{label(delimiter)}: {fitting:,} of {len(rows):,} records looked at have {fields}"


def _comment(lines: Sequence[str], cut: Cut) -> tuple[str, str]:
    """A mark at the beginning of lines that do not have the fields of the others, at least once below the first record."""
    width = _usual([len(row) for row in cut.rows(lines)])
    for mark in _COMMENTS:
        marked = [position for position, line in enumerate(lines) if line.startswith(mark)]
        if not marked or width < 2 or mark.startswith(cut.delimiter):
            continue
        odd = all(len(row) != width for position in marked for row in cut.rows([lines[position]]))
        first = next((p for p, line in enumerate(lines) if p not in marked and line.strip()), len(lines))
        if odd and marked[-1] > first and len(marked) < 0.5 * len(lines):
            return mark, f"{len(marked):,} lines begin with {mark} and have not the fields of the others"
    return "", "none seen"


def _preamble(lines: Sequence[str], cut: Cut, width: int, comment: str) -> tuple[int, str]:
    """How many lines stand before the first record with the usual number of fields."""
    odd = 0
    for position, line in enumerate(lines):
        if comment and line.startswith(comment):
            continue
        rows = cut.rows(lines[position : position + 40])
        if line.strip("\r\n") and rows and len(rows[0]) == width and not _beside_the_table(rows, width):
            return (
                (odd, f"{odd} lines differ from those below") if odd else (0, "the first line looks like those below")
            )
        odd = position + 1
        if width < 2 and line.strip():
            break
    return 0, "no line looks like a beginning"


def _beside_the_table(rows: Sequence[Sequence[str]], width: int) -> bool:
    """Whether a row holds something in its first two of many columns only, and a full row comes later: what a
    spreadsheet makes of lines before the table."""
    filled = [at for at, cell in enumerate(rows[0]) if cell.strip()]
    full = any(len(row) == width and all(cell.strip() for cell in row) for row in rows[1:])
    return width > 3 and max(filled, default=0) < 2 and full


def _header_without_end(lines: Sequence[str], cut: Cut, skip: int, width: int) -> bool:
    """Whether the line before the first record is its header, the records alone ending with a delimiter."""
    above = cut.rows(lines[skip - 1 : skip]) if skip else []
    below = [row for row in cut.rows(lines[skip:]) if len(row) == width]
    return bool(above) and len(above[0]) == width - 1 and width > 2 and not any(row[-1] for row in below)


def _trailing(rows: Sequence[Sequence[str]], width: int) -> tuple[bool, str]:
    """Whether every record ends with a delimiter and nothing after it."""
    full = [row for row in rows if len(row) == width]
    if width < 2 or not full or any(row[-1] for row in full[1:] or full):
        return False, "records end with a value"
    first = rows[0]
    if (len(first) == width and not first[-1]) or len(first) == width - 1:
        return True, f"nothing stands after the last delimiter of {len(full):,} records"
    return False, "the last column is empty, but it has a name"


def _repeated(rows: Sequence[Sequence[str]], header: int, width: int) -> tuple[bool, str]:
    if not header or width < 2:
        return False, "there is no header of several columns that could be repeated"
    again = sum(row in rows[:header] for row in rows[header:])
    return True, f"{again:,} seen at the beginning of the file; records equal to the header are set apart"


def _totals(tail: str, cut: Cut, records: int) -> tuple[bool, str]:
    """Whether the last line that is not blank says that it holds totals."""
    lines = [line for line in split_lines(tail, cut.line_end) if line.strip()]
    rows = cut.rows(lines[-1:]) if len(lines) > 1 and records > 1 else []
    first = next((cell for cell in rows[0] if cell.strip()), "") if rows else ""
    if _TOTAL.match(first) and any(ch.isdigit() for ch in "".join(rows[0])):
        return True, f"the last line begins with {first.strip()!r}"
    return False, "the last line looks like a record"
