"""The fast lane, and the scan that says whether a file may take it.

DuckDB's reader drops or alters what does not fit (blank lines, spaces around quoted fields, mixed line ends), so
it gets only files in which none of that occurs, with every option fixed, and its record count must equal an
independent count of the lines.
"""

from __future__ import annotations

import codecs
import re
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import dataclass
from pathlib import Path

import pyarrow.parquet as pq
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.engines.duckdb import NOT_CONVERTED
from pravin_core.intake.encoding import CHUNK, decoding
from pravin_core.intake.formats.base import FastRead, Place
from pravin_core.intake.formats.delimited.lines import LONGEST_LINE, too_long
from pravin_core.intake.formats.delimited.plain_lines import TRAILING
from pravin_core.intake.settings import FileSettings
from pravin_core.intake.writing import filled, origin_columns
from pravin_core.sql.statements import copy_to
from pravin_core.sql.trees import column, sql
from pravin_core.stopping import go_on
from pravin_core.tables.columns import LINE

_NEVER = "\x1b\x02 no such text \x03\x1b"  # the text that stands for NULL: cannot be allowed to occur
_OVERLAP = 64
_LONGEST_FAST = 2**20  # bytes of a line; the engine keeps a multiple of it for each thread


@dataclass(frozen=True)
class Scan:
    """What a pass over the bytes found. `line_end` is None when there are several kinds or none usual.

    `heads`: lines that are the header once more, byte for byte.
    """

    lines: int
    line_end: str | None
    plain: bool
    header_lines: int = 0


def may_be_fast(settings: FileSettings) -> bool:
    """Whether the settings leave everything to what the engine's reader does exactly."""
    mark = settings.delimiter
    simple = len(mark) == 1 and mark.isascii() and not mark.isalnum() and mark not in " \\"
    return (
        simple
        and not settings.escape
        and not settings.spaced_quotes
        and not settings.comment
        and settings.header_rows <= 1
    )


def made_plain(path: Path, settings: FileSettings, work: Path) -> Path | None:
    """The file as UTF-8 without byte order mark and totals line: itself, or a copy in `work`.

    None when bytes cannot be decoded.
    """
    with path.open("rb") as file:
        marked = file.read(3) == codecs.BOM_UTF8
    if settings.encoding in ("utf-8", "utf-8-sig", "ascii") and not marked and not settings.totals_line:
        return path
    work.mkdir(parents=True, exist_ok=True)
    copy = work / "plain.txt"
    decoder = codecs.getincrementaldecoder(decoding(settings.encoding))()
    with path.open("rb") as file, copy.open("wb") as out:
        try:
            while chunk := file.read(CHUNK):
                go_on()
                out.write(decoder.decode(chunk).encode())
            out.write(decoder.decode(b"", final=True).encode())
        except UnicodeError:
            return None
    return copy if not settings.totals_line or _cut_last_line(copy) else None


def _cut_last_line(path: Path) -> bool:
    """Cut the last line off; False, when it is blank."""
    with path.open("r+b") as file:
        size = file.seek(0, 2)
        file.seek(max(0, size - LONGEST_LINE))
        tail = file.read()
        body = tail.removesuffix(b"\n").removesuffix(b"\r")
        if not body.strip() or body.endswith((b"\n", b"\r")):
            return False
        at = max(body.rfind(b"\n"), body.rfind(b"\r"))
        file.truncate(size - len(tail) + at + 1)
    return True


def scan(path: Path, settings: FileSettings, name: str) -> Scan:
    """Count physical lines and look for all that the fast lane cannot keep. One pass, constant memory.

    Raises IntakeError for a line that is too long to be one of a table.
    """
    risky, quote = _risky(settings), settings.quote.encode()
    newlines = returns = pairs = header_lines = since = 0
    plain, last, header = True, b"\n", b""
    decoder = codecs.getincrementaldecoder("utf-8")()
    with path.open("rb") as file:
        if settings.repeated_header and settings.header_rows == 1:
            for _ in range(settings.skip_lines + 1):
                header = file.readline(LONGEST_LINE)
            file.seek(0)
            header = b"\n" + header.rstrip(b"\r\n")
        reach = max(_OVERLAP, len(header) + 1)
        while chunk := file.read(CHUNK):
            go_on()
            newlines += chunk.count(b"\n")
            if b"\r" in chunk:
                returns += chunk.count(b"\r")
                pairs += chunk.count(b"\r\n")
            pairs += last[-1:] == b"\r" and chunk[:1] == b"\n"
            since = _since_line_end(chunk, since)
            if since > LONGEST_LINE:
                raise too_long(name, newlines + returns - pairs + 1)
            if plain:
                plain = b"\0" not in chunk and b"\x1b" not in chunk and _valid(decoder, chunk)
                plain = plain and not (risky and quote in chunk and risky.search(last[-_OVERLAP:] + chunk))
            if header:
                seam = last + chunk[:reach]
                header_lines += (
                    _whole_lines(seam, header) - _whole_lines(last, header) - _whole_lines(chunk[:reach], header)
                )
                header_lines += _whole_lines(chunk, header)
            last = (last + chunk)[-reach:] if len(chunk) < reach else chunk[-reach:]
    ends = newlines + returns - pairs
    line_end = "\n" if returns == 0 else "\r\n" if returns == newlines == pairs else None
    open_end = ends == 0 or last[-1:] not in (b"\n", b"\r")
    as_expected = settings.line_end in ("any", line_end)
    plain = plain and line_end is not None and as_expected and _valid(decoder, b"", final=True)
    return Scan(ends + open_end, line_end, plain, header_lines)


def _risky(settings: FileSettings) -> re.Pattern[bytes] | None:
    """Spaces beside quotation marks: the engine strips them even in strict mode."""
    if not settings.quote:
        return None
    quote, mark = re.escape(settings.quote.encode()), re.escape(settings.delimiter.encode())
    before = rb"(?:" + mark + rb"|[\r\n])[ \t]+" + quote
    after = quote + rb"[ \t]+(?:" + mark + rb"|[\r\n]|$)"
    return re.compile(before + rb"|" + after + rb"|[ \t]" + quote + rb"(?:" + mark + rb"|[\r\n])")


def _since_line_end(chunk: bytes, since: int) -> int:
    at = max(chunk.rfind(b"\n"), chunk.rfind(b"\r"))
    return since + len(chunk) if at < 0 else len(chunk) - at - 1


def _whole_lines(data: bytes, header: bytes) -> int:
    """How often a header stands as a line that is ended."""
    if not data.count(header):
        return 0
    return data.count(header + b"\n") + data.count(header + b"\r")


def _valid(decoder: codecs.IncrementalDecoder, chunk: bytes, final: bool = False) -> bool:
    if chunk and chunk.isascii() and not decoder.getstate()[0]:
        return True
    try:
        decoder.decode(chunk, final)
    except UnicodeDecodeError:
        return False
    return True


def read_fast(
    con: Connection, place: Place, path: Path, settings: FileSettings, origin: tuple[int, int], out: Path
) -> FastRead | None:
    """Write a file's records as Parquet to `out`; None when the file does not fit this lane.

    `path` is the plain text; `origin` the number of the first record and the source's place in the delivery. The
    engine reads while the scan looks; what the scan does not find plain is not used.
    """
    with ThreadPoolExecutor(1) as pool:
        seeing = pool.submit(copy_context().run, scan, path, settings, place.name)
        records = _copy(con, place, path, settings, origin, out)
        seen = seeing.result()
    header_lines = max(0, seen.header_lines - settings.header_rows) if settings.repeated_header else 0
    expected = seen.lines - settings.skip_lines - settings.header_rows - header_lines
    if not seen.plain or expected <= 0 or records != expected:
        return None
    return FastRead(seen.lines, records, header_lines)


def _copy(
    con: Connection, place: Place, path: Path, settings: FileSettings, origin: tuple[int, int], out: Path
) -> int | None:
    """Let the engine write the records that are not the header once more; None when it refuses."""
    above = settings.skip_lines + settings.header_rows
    position = exp.Window(this=exp.Anonymous(this="row_number")) + _number(above)
    lines: exp.Select = exp.select(exp.alias_(exp.cast(position, "BIGINT"), LINE, quoted=True), exp.Star())
    lines = lines.from_(_read_csv(path, settings, above))
    if settings.repeated_header:
        same = [exp.EQ(this=column(name), expression=exp.Literal.string(name)) for name in settings.names]
        lines = exp.select(exp.Star()).from_(lines.subquery("l")).where(exp.not_(exp.and_(*same)))
    query = exp.select(*origin_columns(origin), *filled(settings, place.name)).from_(lines.subquery("k"))
    if settings.trailing_delimiter:
        query = query.where(_nothing_trails())
    try:
        con.execute(sql(copy_to(query, out, format="parquet", row_group_size=100_000)))
    except NOT_CONVERTED:
        return None
    return int(pq.ParquetFile(out).metadata.num_rows)


def _nothing_trails() -> exp.Expr:
    """True where nothing stands after the last delimiter; the query fails where something does."""
    empty = exp.EQ(this=column(TRAILING), expression=exp.Literal.string(""))
    wrong = exp.Anonymous(this="error", expressions=[exp.Literal.string("a value after the last delimiter")])
    return exp.Case(ifs=[exp.If(this=empty, true=exp.true())], default=exp.cast(wrong, "BOOLEAN"))


def _number(value: int) -> exp.Expr:
    return exp.Literal.number(value)


def _read_csv(path: Path, settings: FileSettings, above: int) -> exp.Expr:
    names = [*settings.names, *([TRAILING] if settings.trailing_delimiter else [])]
    types = [exp.PropertyEQ(this=exp.Literal.string(n), expression=exp.Literal.string("VARCHAR")) for n in names]
    # no new_line: told "\\r\\n" in strict mode, the engine finds no record; untold it finds all, the scan having seen
    # that there is one kind only
    options: dict[str, exp.Expr] = {
        "auto_detect": exp.false(),
        "columns": exp.Struct(expressions=types),
        "header": exp.false(),
        "skip": exp.Literal.number(above),
        "delim": exp.Literal.string(settings.delimiter),
        "quote": exp.Literal.string(settings.quote),
        "escape": exp.Literal.string(settings.quote),
        "nullstr": exp.Literal.string(_NEVER),
        "strict_mode": exp.true(),
        "max_line_size": exp.Literal.number(_LONGEST_FAST),
    }
    arguments = [exp.PropertyEQ(this=exp.to_identifier(name), expression=value) for name, value in options.items()]
    return exp.Anonymous(this="read_csv", expressions=[exp.Literal.string(str(path)), *arguments])
