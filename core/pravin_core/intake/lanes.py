"""The fast lane, and the scan that says whether a file may take it.

DuckDB's reader drops or alters what does not fit (blank lines, spaces around quoted fields, mixed line ends), so
it gets only files in which none of that occurs, with every option fixed, and its record count must equal an
independent count of the lines.
"""

from __future__ import annotations

import codecs
import re
from dataclasses import dataclass
from pathlib import Path

import duckdb
from sqlglot import exp

from pravin_core.engines.duckdb import column, copy_to, sql
from pravin_core.intake.encoding import CHUNK
from pravin_core.intake.settings import FileSettings
from pravin_core.tables.columns import FILE, LINE, RECORD

_NEVER = "\x1b\x02 no such text \x03\x1b"  # the text that stands for NULL: cannot be allowed to occur


@dataclass(frozen=True)
class Scan:
    """What a pass over the bytes found. `line_end` is None when there are several kinds or none usual."""

    lines: int
    line_end: str | None
    plain: bool


def scan(path: Path, settings: FileSettings) -> Scan:
    """Count physical lines and look for all that the fast lane cannot keep. One pass, constant memory."""
    quote, mark = settings.quote.encode(), re.escape(settings.delimiter.encode())
    risky = re.compile(rb"[ \t]" + quote + rb"(?:" + mark + rb"|[\r\n])|(?:" + mark + rb"|\n)[ \t]+" + quote + rb"|" +
                       quote + rb"[ \t]+(?:" + mark + rb"|[\r\n]|$)") if quote else None  # fmt: skip
    newlines = returns = pairs = 0
    plain, last = settings.encoding == "utf-8", b""
    decoder = codecs.getincrementaldecoder("utf-8")()
    with path.open("rb") as file:
        while chunk := file.read(CHUNK):
            newlines += chunk.count(b"\n")
            returns += chunk.count(b"\r")
            pairs += (last[-1:] + chunk).count(b"\r\n")
            if plain:
                joined = last[-64:] + chunk
                plain = b"\0" not in chunk and _NEVER.encode() not in joined and not (risky and risky.search(joined))
                plain = plain and _valid(decoder, chunk)
            last = (last[-64:] + chunk)[-64:]
    ends = newlines + returns - pairs
    line_end = "\n" if returns == 0 else "\r\n" if returns == newlines == pairs else None
    open_end = bool(last) and last[-1:] not in (b"\n", b"\r")
    return Scan(ends + open_end, line_end, plain and line_end is not None and _valid(decoder, b"", final=True))


def _valid(decoder: codecs.IncrementalDecoder, chunk: bytes, final: bool = False) -> bool:
    try:
        decoder.decode(chunk, final)
    except UnicodeDecodeError:
        return False
    return True


def read_fast(
    con: duckdb.DuckDBPyConnection, path: Path, settings: FileSettings, seen: Scan, first: int, number: int, out: Path
) -> int | None:
    """Write a file's records as Parquet to `out`; None when the file does not fit this lane.

    `first` is the record number of its first record, `number` the file's place in the delivery.
    """
    above = settings.skip_lines + settings.header
    expected = seen.lines - above
    if not seen.plain or expected <= 0:
        return None
    names = [column(name) for name in settings.names]
    types = [
        exp.PropertyEQ(this=exp.Literal.string(n), expression=exp.Literal.string("VARCHAR")) for n in settings.names
    ]
    options: dict[str, exp.Expr] = {
        "auto_detect": exp.false(),
        "columns": exp.Struct(expressions=types),
        "header": exp.false(),
        "skip": exp.Literal.number(above),
        "delim": exp.Literal.string(settings.delimiter),
        "quote": exp.Literal.string(settings.quote),
        "escape": exp.Literal.string(settings.quote),
        "nullstr": exp.Literal.string(_NEVER),
        "new_line": exp.Literal.string(seen.line_end.encode("unicode_escape").decode() if seen.line_end else ""),
        "strict_mode": exp.true(),
        "max_line_size": exp.Literal.number(16 * 2**20),
    }
    arguments = [exp.PropertyEQ(this=exp.to_identifier(name), expression=value) for name, value in options.items()]
    source = exp.Anonymous(this="read_csv", expressions=[exp.Literal.string(str(path)), *arguments])
    position = exp.Window(this=exp.Anonymous(this="row_number"))
    query = exp.select(
        exp.alias_(position + exp.Literal.number(first - 1), RECORD, quoted=True),
        exp.alias_(exp.cast(exp.Literal.number(number), "SMALLINT"), FILE, quoted=True),
        exp.alias_(exp.cast(position + exp.Literal.number(above), "BIGINT"), LINE, quoted=True),
        *names,
    ).from_(source)
    try:
        con.execute(sql(copy_to(query, out, format="parquet", row_group_size=100_000)))
    except (duckdb.InvalidInputException, duckdb.ConversionException):
        return None
    found = con.execute("SELECT count(*) FROM read_parquet($1)", [str(out)]).fetchone()
    return expected if found and found[0] == expected else None
