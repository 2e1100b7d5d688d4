#!/usr/bin/env python3
"""Cleans tables by a rulebook, without Pravin: needs Python 3.10 or newer and the package duckdb only.

    python3 SCRIPT FILE... --out FOLDER [--format csv|parquet]
    python3 SCRIPT --delivered FILE.parquet --out FOLDER

reads the files in the order given, as the feed's import settings say, runs the rules, and writes ready, quarantined,
removed and rejected. Columns are found by their names in the header, in any order; a file with other columns is refused
(--by-position reads it all the same, by the places of its columns). The exit code is 1 when a check stops the release (in
a script of checks only: when any check is broken that is not only noted), 2 when a file cannot be read.
"""

from __future__ import annotations

import argparse
import csv
import datetime as dt
import fnmatch
import json
import re
import sys
import tempfile
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import duckdb

BOOK: dict[str, Any] = {}  # filled in when the script is written

Cells = list[str | None]
LineOutcome = tuple[int, Cells | None, str, str]  # line, cells (None: rejected), raw text, reason


class Unreadable(Exception):
    """A file that this script cannot read."""


BY_POSITION = False  # as the command line says


def header_names(rows: list[Cells]) -> list[str]:
    """The names of the columns of a header: of several rows joined, each name once, none empty."""
    width = max(len(row) for row in rows)
    filled: list[list[str]] = []
    for position, row in enumerate(rows):
        cells = [*((cell or "").strip() for cell in row), *[""] * width][:width]
        if position < len(rows) - 1:
            for at in range(1, width):
                cells[at] = cells[at] or cells[at - 1]
        filled.append(cells)
    headed = [" ".join(dict.fromkeys(part for part in parts if part)) for parts in zip(*filled, strict=True)]
    in_use: set[str] = set()
    names: list[str] = []
    delivered = {name.strip().casefold() for name in headed}
    for position, head in enumerate(headed, start=1):
        plain = head.strip().replace("\x00", "") or f"column_{position}"
        plain = f"column{plain}" if plain.startswith("__") else plain
        name, number = plain, 2
        while name.casefold() in in_use or (number > 2 and name.casefold() in delivered):
            name, number = f"{plain}_{number}", number + 1
        in_use.add(name.casefold())
        names.append(name)
    return names


def places_of(file: str, header: list[Cells], names: list[str]) -> list[int]:
    """Where each of the columns stands in a file with this header. Raises Unreadable when they are not the same."""
    if not header or BY_POSITION:
        return list(range(len(names)))
    headed = header_names(header)
    if sorted(headed) == sorted(names):
        return [headed.index(name) for name in names]
    missing = [name for name in names if name not in headed]
    unknown = [name for name in headed if name not in names]
    sentences = [f"without {', '.join(missing)}"] * bool(missing) + [f"with {', '.join(unknown)} besides"] * bool(
        unknown
    )
    raise Unreadable(
        f"{file}: its columns are others than those that this script was made for: {' and '.join(sentences)}. "
        "Where only the names differ, --by-position reads the columns in the order they stand in."
    )


def settings_of(name: str) -> list[dict[str, Any]]:
    """The import settings of a file: those under its name, or of the first file alike."""
    sources = BOOK["sources"]
    for fits in (lambda s: s["name"] == name, lambda s: fnmatch.fnmatch(name, re.sub(r"\d+", "*", s["name"])),
                 lambda s: Path(s["name"]).suffix == Path(name).suffix):  # fmt: skip
        found_sources = [source for source in sources if fits(source)]
        if found_sources:
            first = found_sources[0]["name"]
            return [item for item in found_sources if item["name"] == first]
    raise Unreadable(f"{name}: there are no import settings for such a file.")


def pieces_of(path: Path, said: dict[str, Any]) -> Iterator[LineOutcome]:
    """The records and rejected lines of a file."""
    kind = said["settings"]["format"]
    if kind == "delimited":
        return delimited(path, said["settings"])
    if kind == "workbook" and path.suffix.lower() == ".xlsx":
        return workbook(path, said["settings"], said["table"])
    raise Unreadable(
        f"{path.name}: this script reads delimited text and .xlsx; give the delivered table with --delivered."
    )


def delimited(path: Path, s: dict[str, Any]) -> Iterator[LineOutcome]:
    """Delimited text: what does not fit is rejected with its reason, and reading goes on at the next line."""
    width, header, skip = len(s["names"]), s["header_rows"], s["skip_lines"]
    raw = path.read_bytes()
    for bom in (b"\xef\xbb\xbf",):
        raw = raw[len(bom) :] if raw.startswith(bom) and s["encoding"].replace("_", "-").startswith("utf-8") else raw
    text = raw.decode(s["encoding"], "surrogateescape")
    ends = s["line_end"]
    lines = (
        re.findall(r"[^\r\n]*(?:\r\n|\n|\r)|[^\r\n]+", text) if ends == "any" else [p + ends for p in text.split(ends)]
    )
    if ends != "any" and lines and lines[-1] == ends:
        lines.pop()
    options: dict[str, Any] = {"delimiter": s["delimiter"], "strict": True}
    if len(s["delimiter"]) > 1:  # a character that no text holds stands for it
        lines, options["delimiter"] = [line.replace(s["delimiter"], "\ufdd0") for line in lines], "\ufdd0"
    options.update(
        {"quotechar": s["quote"], "doublequote": not s["escape"]} if s["quote"] else {"quoting": csv.QUOTE_NONE}
    )
    if s["escape"]:  # it takes marks literally; before anything else it stands for itself
        options["escapechar"] = s["escape"]
        marks = re.escape("".join({s["escape"], s["quote"] or '"', options["delimiter"], "\r", "\n"}))
        meant = re.compile(rf"{re.escape(s['escape'])}([{marks}]|$)|{re.escape(s['escape'])}")
        lines = [meant.sub(lambda match: match[0] if match[1] is not None else match[0] * 2, line) for line in lines]
    if s.get("spaced_quotes") and s["quote"]:  # spaces before other texts are kept by characters that no text holds
        options["skipinitialspace"] = True
        kept = {" ": "\ufdd8", "\t": "\ufdd9"}
        mark = re.escape(options["delimiter"])
        leading = re.compile(rf"(^|{mark})([ \t]+)(?![ \t]|{re.escape(s['quote'])})")
        lines = [leading.sub(lambda match: match[1] + "".join(kept[item] for item in match[2]), line) for line in lines]

    def cut(some: list[str], of_header: bool = False) -> tuple[Cells | None, str]:
        try:
            rows = list(csv.reader(some, **options))
        except csv.Error as error:
            message = str(error)
            if "expected after" in message:
                return None, "text stands after a closing quotation mark"
            return (
                None,
                "a quotation mark opened here is not closed"
                if "unexpected end" in message
                else f"the line cannot be read ({message})",
            )
        cells: Cells = [cell.replace("\ufdd8", " ").replace("\ufdd9", "\t") for cell in rows[0]] if rows else []
        if s["trailing_delimiter"] and len(cells) > 1 and not cells[-1] and (len(cells) == width + 1 or of_header):
            cells = cells[:-1]
        if of_header:
            return cells, ""
        if "\x00" in "".join(some):
            return None, "the line holds a NUL byte"
        if any("\udc80" <= c <= "\udcff" for c in "".join(some)):
            return None, "the line holds bytes that are not valid in the encoding"
        if not cells:
            return ([""], "") if width == 1 else (None, "the line is empty")
        if len(cells) != width:
            what = "line" if len(some) == 1 else f"record over {len(some):,} lines"
            return None, f"the {what} has {len(cells):,} field{'s' * (len(cells) != 1)}, the table has {width:,}"
        return cells, ""

    at = 0
    heads: list[Cells] = []
    places: list[int] = []
    records: list[tuple[int, Cells, str]] = []
    while at < len(lines):
        line = lines[at]
        if at < skip or (s["comment"] and line.startswith(s["comment"])):
            at += 1
            continue
        taken = 1
        if s["quote"]:  # a quoted field may go over several lines
            while taken < 1000 and at + taken < len(lines) and "".join(lines[at : at + taken]).count(s["quote"]) % 2:
                taken += 1
        if len(heads) < header:
            cells, _ = cut(lines[at : at + taken], of_header=True)
            heads.append(cells or cut(lines[at : at + 1], of_header=True)[0] or [])
            at += taken if cells else 1
            continue
        if not places:
            places = places_of(path.name, heads, s["names"])
        cells, reason = cut(lines[at : at + taken])
        if cells is None:
            closed = reason.startswith(("the record", "the line h")) and taken <= 50
            taken = 1 + next(
                (n for n, later in enumerate(lines[at + 1 : at + taken]) if not closed and cut([later])[0] is not None),
                taken - 1,
            )
            for n in range(taken):
                yield at + n + 1, None, lines[at + n].rstrip("\r\n"), reason
        elif not (s["repeated_header"] and cells in heads):
            records.append((at + 1, cells, "".join(lines[at : at + taken])))
        at += taken
        while len(records) > (1 if s["totals_line"] else 0):
            number, cells, whole = records.pop(0)
            yield number, [cells[place] for place in places], whole, ""


NAMESPACE = "{http://schemas.openxmlformats.org/spreadsheetml/2006/main}"


def workbook(path: Path, s: dict[str, Any], sheet: str) -> Iterator[LineOutcome]:
    """A sheet of an .xlsx workbook: what its cells hold as text, dates as year-month-day."""
    if s["shown"] or s["fill_merged"]:
        raise Unreadable(
            f"{path.name}: shown or merged cells are read by Pravin only; give the table with --delivered."
        )
    with zipfile.ZipFile(path) as archive:
        book = ElementTree.fromstring(archive.read("xl/workbook.xml"))
        relations = {
            item.get("Id"): item.get("Target") or ""
            for item in ElementTree.fromstring(archive.read("xl/_rels/workbook.xml.rels"))
        }
        key = "{http://schemas.openxmlformats.org/officeDocument/2006/relationships}id"
        results = [node for node in book.iter(NAMESPACE + "sheet") if node.get("name") == sheet] or list(
            book.iter(NAMESPACE + "sheet")
        )
        target = relations[results[0].get(key)]
        part = target.lstrip("/") if target.startswith("/") else "xl/" + target
        strings = []
        if "xl/sharedStrings.xml" in archive.namelist():
            for node in ElementTree.fromstring(archive.read("xl/sharedStrings.xml")).iter(NAMESPACE + "si"):
                runs = list(node.iter(NAMESPACE + "t"))
                strings.append("".join(t.text or "" for t in runs))
        dated = dated_styles(archive)
        rows = list(sheet_rows(archive.read(part), strings, dated, book.find(NAMESPACE + "workbookPr")))
    top, left, bottom, right = area(s["cells"])
    start = max(top, s["skip_lines"]) if not s["cells"] else top + s["skip_lines"]
    width = len(s["names"])
    heads: list[Cells] = []
    places: list[int] = []
    for number, cells in rows:
        if number <= start or number > bottom:
            continue
        if len(heads) < s["header_rows"]:
            named = cells[left:right]
            while len(named) > width and not named[-1]:
                named.pop()
            heads.append(named)
            continue
        if not places:
            places = places_of(path.name, heads, s["names"])
        own: Cells = (cells + [None] * (left + width))[left : min(left + width, right)]
        if all(item is None for item in own):
            yield number, None, "", "the row is empty"
            continue
        yield number, [own[place] for place in places], "", ""


def area(cells: str) -> tuple[int, int, int, int]:
    """The range of a sheet as rows and columns from 0."""
    match = re.match(r"([A-Z]+)(\d+)(?::([A-Z]+)(\d+)?)?$", cells or "A1")
    assert match
    number = number_of(match[1])
    return (
        int(match[2]) - 1,
        number - 1,
        int(match[4]) if match[4] else 10**9,
        number_of(match[3]) if match[3] else 10**9,
    )


def number_of(letters: str) -> int:
    number = 0
    for letter in letters:
        number = number * 26 + ord(letter) - 64
    return number


def dated_styles(archive: zipfile.ZipFile) -> list[bool]:
    """Which cell styles show dates."""
    if "xl/styles.xml" not in archive.namelist():
        return []
    styles = ElementTree.fromstring(archive.read("xl/styles.xml"))
    own = {node.get("numFmtId"): node.get("formatCode") or "" for node in styles.iter(NAMESPACE + "numFmt")}
    formats = styles.find(NAMESPACE + "cellXfs")
    dated = []
    for format_ in formats if formats is not None else []:
        code = own.get(format_.get("numFmtId") or "", "")
        plain = re.sub(r'"[^"]*"|\[[^\]]*\]|\\.', "", code)
        dated.append(
            14 <= int(format_.get("numFmtId") or 0) <= 22
            or 45 <= int(format_.get("numFmtId") or 0) <= 47
            or bool(re.search(r"[ymdhs]", plain, re.I))
        )
    return dated


def sheet_rows(data: bytes, strings: list[str], dated: list[bool], properties: Any) -> Iterator[tuple[int, Cells]]:
    """The rows of a sheet with their numbers; rows without a cell between them too."""
    epoch = (
        dt.datetime(1904, 1, 1)
        if properties is not None and properties.get("date1904") in ("1", "true")
        else dt.datetime(1899, 12, 30)
    )
    last = 0
    for row in ElementTree.fromstring(data).iter(NAMESPACE + "row"):
        number = int(row.get("r") or last + 1)
        for empty in range(last + 1, number):
            yield empty, []
        last = number
        cells: Cells = []
        for cell in row.iter(NAMESPACE + "c"):
            place = re.match(r"[A-Z]+", cell.get("r") or "")
            at = number_of(place[0]) - 1 if place else len(cells)
            cells += [None] * (at + 1 - len(cells))
            cells[at] = held(cell, strings, dated, epoch)
        yield number, cells


def held(cell: Any, strings: list[str], dated: list[bool], epoch: dt.datetime) -> str | None:
    """What a cell holds, as text."""
    kind, value = cell.get("t") or "n", cell.find(NAMESPACE + "v")
    if kind == "inlineStr":
        return "".join(t.text or "" for t in cell.iter(NAMESPACE + "t")) or None
    if value is None or value.text is None:
        return None
    if kind == "s":
        return strings[int(value.text)] or None
    if kind == "b":
        return "true" if value.text == "1" else "false"
    if kind in ("str", "e", "d"):
        return value.text or None
    number = float(value.text)
    style = int(cell.get("s") or 0)
    if style < len(dated) and dated[style]:
        moment = epoch + dt.timedelta(days=number)
        if moment.time() == dt.time():
            return moment.date().isoformat()
        return (moment + dt.timedelta(microseconds=500)).isoformat(" ", "milliseconds").replace(".000", "")
    return str(int(number)) if number.is_integer() and abs(number) < 1e15 else repr(number)


def deliver(con: Any, files: list[Path], work: Path) -> int:
    """Fill the table `delivered`; returns how many lines were rejected."""
    columns, record, rejected, file = BOOK["columns"], 0, 0, 0
    # by way of JSON Lines, in which no text can be taken for the end of a cell or of a record
    target, aside = work / "delivered.jsonl", work / "rejected.jsonl"
    names = {"__record": "BIGINT", "__file": "SMALLINT", "__line": "BIGINT", **dict.fromkeys(columns, "VARCHAR")}
    fields = {"file": "VARCHAR", "line": "BIGINT", "text": "VARCHAR", "reason": "VARCHAR"}
    with open(target, "w", encoding="utf-8") as out, open(aside, "w", encoding="utf-8") as bad:
        for path in files:
            for item in settings_of(path.name):
                s = item["settings"]
                filled = (
                    [name for name in s["columns"] if name is not None]
                    + list(s["facts"])
                    + [s["source_column"]] * bool(s["source_column"])
                )
                place = {name: at for at, name in enumerate(filled)}
                for line, cells, raw, reason in pieces_of(path, item):
                    if cells is None:
                        rejected += 1
                        raw = raw.encode("utf-8", "replace").decode().replace("\0", "\ufffd")
                        bad.write(json.dumps(dict(zip(fields, (path.name, line, raw, reason), strict=True))) + "\n")
                        continue
                    record += 1
                    own = [cell for cell, name in zip(cells, s["columns"], strict=False) if name is not None]
                    own += [*s["facts"].values(), *([path.name] if s["source_column"] else [])]
                    row = [own[place[name]] if name in place else None for name in columns]
                    out.write(json.dumps(dict(zip(names, (record, file, line, *row), strict=True))) + "\n")
                file += 1
    for table, path, kinds in (("delivered", target, names), ("rejected", aside, fields)):
        con.execute(
            f"CREATE TABLE {table} AS SELECT * FROM read_json($1, columns={literal(kinds)}, format='newline_delimited', "
            "maximum_object_size=200000000)",
            [str(path)],
        )
    return rejected


def literal(names: dict[str, str]) -> str:
    return "{" + ", ".join("'" + name.replace("'", "''") + "': '" + kind + "'" for name, kind in names.items()) + "}"


def main(arguments: list[str] | None = None) -> int:
    """Run the script; returns its exit code."""
    parser = argparse.ArgumentParser(description=BOOK["title"])
    parser.add_argument("files", nargs="*", type=Path)
    parser.add_argument(
        "--delivered", type=Path, help="the delivered table as Parquet, as Pravin exports it, in place of files"
    )
    parser.add_argument("--by-position", action="store_true", help="do not compare the names of the columns")
    parser.add_argument("--out", type=Path, required=True)
    parser.add_argument("--format", choices=("csv", "parquet"), default="csv")
    options = parser.parse_args(arguments)
    global BY_POSITION
    BY_POSITION = options.by_position
    options.out.mkdir(parents=True, exist_ok=True)
    con = duckdb.connect()
    con.execute("SET TimeZone = 'UTC'")
    for statement in BOOK["operations"]:
        con.execute(statement)
    for reference in BOOK["references"]:
        con.execute(reference["create"])
        if reference["rows"]:
            con.executemany(reference["insert"], reference["rows"])
    rejected = 0
    with tempfile.TemporaryDirectory() as work:
        try:
            if options.delivered:
                con.execute("CREATE TABLE delivered AS SELECT * FROM read_parquet($1)", [str(options.delivered)])
                con.execute("CREATE TABLE rejected (file VARCHAR, line BIGINT, text VARCHAR, reason VARCHAR)")
            else:
                rejected = deliver(con, options.files, Path(work))
        except (Unreadable, OSError, UnicodeDecodeError, zipfile.BadZipFile) as error:
            print(f"cannot read: {error}", file=sys.stderr)
            return 2
        con.execute("CREATE TABLE result AS " + BOOK["result"])
    for name in ("ready", "quarantined", "removed"):
        query = BOOK[name if options.format == "parquet" else name + "_text"]
        form = "FORMAT parquet" if options.format == "parquet" else "FORMAT csv, HEADER true"
        con.execute(
            f"COPY ({query}) TO '{str(options.out / name).replace(chr(39), chr(39) * 2)}.{options.format}' ({form})"
        )
    con.execute(
        f"COPY (SELECT * FROM rejected) TO '{str(options.out / 'rejected').replace(chr(39), chr(39) * 2)}.csv' (FORMAT csv, HEADER true)"
    )
    counts = dict(con.execute("SELECT __state, count(*) FROM result GROUP BY 1").fetchall())
    delivered = con.execute("SELECT count(*) FROM delivered").fetchall()[0][0]
    ready = counts.get("ready", 0) + counts.get("corrected", 0)
    print(
        f"{delivered + rejected:,} delivered + {sum(counts.values()) - delivered:,} added = {ready:,} ready ({counts.get('corrected', 0):,} corrected)"
        f" + {counts.get('quarantined', 0):,} quarantined + {counts.get('removed', 0):,} removed + {rejected:,} rejected lines"
    )
    stopped = False
    for check in BOOK["stopping"]:
        if con.execute(check["query"]).fetchall()[0][0]:
            stopped = True
            print(f"stopped by rule {check['rule']}: {check['says']}", file=sys.stderr)
    for check in BOOK["verdicts"]:
        seen, broken = con.execute(check["query"]).fetchall()[0]
        if broken:
            stopped = stopped or check["stops"]
            print(f"rule {check['rule']}: {seen} {check['reason']}", file=sys.stderr)
    if BOOK["checks_only"] and counts.get("quarantined"):
        stopped = True
        print(
            f"{counts['quarantined']:,} of the records break a check: see quarantined.{options.format}", file=sys.stderr
        )
    (options.out / "counts.json").write_text(
        json.dumps({"delivered": delivered + rejected, "rejected": rejected, **counts}, indent=2) + "\n"
    )
    return 1 if stopped else 0


if __name__ == "__main__":
    sys.exit(main())
