"""Control totals that came with a delivery, compared with what was loaded."""

from __future__ import annotations

import csv
import io
import json
import re
from collections.abc import Sequence
from decimal import Decimal, InvalidOperation
from pathlib import Path

from pydantic import BaseModel, ConfigDict, Field
from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect
from pravin_core.errors import IntakeError
from pravin_core.intake.encoding import shown
from pravin_core.intake.snapshot import Snapshot
from pravin_core.refusals import of_json
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.numbers import number_pattern

LARGEST_COMPANION = 2**20
_COMPANION = re.compile(r"(^|[._\- ])(control[._\- ]?)?totals?([._\- ]|$)|\.ctl$|(^|[._\- ])control([._\- ]|$)", re.I)
_RECORDS = re.compile(r"^(number[ _]of[ _])?(records?|rows?|lines?|count|record[ _]count|row[ _]count)$", re.I)
_SUM = re.compile(r"^(sum|total)[ _:(]+(?:of[ _])?(?P<name>.+?)\)?$", re.I)


class ControlTotals(BaseModel):
    """What the supplier says: the number of records, sums of columns.

    `source` says where it stands; `of` which source of the delivery it is about, empty for all of it.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    records: int | None = Field(default=None, ge=0, le=10**12)
    sums: dict[str, Decimal] = Field(default={}, max_length=500)
    source: str = Field(default="typed in", max_length=400)
    of: str = Field(default="", max_length=800)


class Compared(BaseModel):
    """One control total. `unread`: cells of the column that hold something but are no number; `of` as above."""

    model_config = ConfigDict(frozen=True)

    what: str
    of: str = ""
    stated: str
    loaded: str
    difference: str
    agrees: bool
    unread: int = 0
    remark: str = ""


def is_companion(name: str) -> bool:
    """Whether a file's name says that it holds control totals."""
    return Path(name).suffix.casefold() in (".txt", ".csv", ".json", ".ctl", ".tsv") and bool(_COMPANION.search(name))


def read_companion(path: Path, name: str) -> ControlTotals:
    """Control totals from a companion file: JSON, or lines of a name and a number.

    Names are `records` (rows, count) and `sum of COLUMN`, `sum COLUMN` or a column's own name. Raises IntakeError
    when no total can be read.
    """
    if path.stat().st_size > LARGEST_COMPANION:
        raise IntakeError("The file is too large to hold control totals.", file=name)
    text = path.read_bytes().decode("utf-8-sig", "replace")
    pairs = _json_pairs(text) if text.lstrip().startswith("{") else _line_pairs(text)
    records, sums = None, {}
    for key, value in pairs:
        number = _number(value)
        if number is None:
            continue
        if _RECORDS.match(key.strip()):
            records = int(number)
        else:
            match = _SUM.match(key.strip())
            sums[(match["name"] if match else key).strip(" \"'")] = number
    if records is None and not sums:
        raise IntakeError(
            "No control total can be read from the file.", file=name,
            advice="Write lines like `records;1204` and `sum of volume;88.5`, or treat it as a file of records.",
        )  # fmt: skip
    return ControlTotals(records=records, sums=sums, source=name)


def from_totals_line(cells: Sequence[str | None], names: Sequence[str | None], source: str) -> ControlTotals:
    """Control totals from the cells of a totals line: numbers below columns are sums; beside a word for records they
    are the count. `names` are the table's columns that the cells fill."""
    records, sums = None, {}
    texts = [(cell or "").strip() for cell in cells]
    first = next((text for text in texts if text), "")
    counting = bool(re.search(r"\b(records?|rows?|count|lines?)\b", first, re.I))
    if counting and (match := re.search(r"(\d[\d.,']*)\s*$", " ".join(t for t in texts if t))):
        number = _number(match[1])
        return ControlTotals(records=int(number) if number is not None else None, source=source)
    for text, name in zip(texts, names, strict=False):
        number = _number(text)
        if name is not None and number is not None:
            sums[name] = number
    return ControlTotals(records=records, sums=sums, source=source)


def compare_totals(
    snapshot: Snapshot, totals: ControlTotals, scratch: Path, limits: Limits = Limits(), part: int | None = None
) -> list[Compared]:
    """Each control total against the records of a snapshot, or of the source it is about.

    Sums are exact to ten decimals. `part`: the source's place in the delivery.
    """
    results = []
    files = snapshot.files if part is None else snapshot.files[part : part + 1]
    parts = snapshot.parts if part is None else snapshot.parts_of(part)
    if totals.records is not None:
        records, rejected = sum(file.records for file in files), sum(file.rejected for file in files)
        difference = records - totals.records
        remark = f"{rejected:,} rejected line{'s' * (rejected != 1)}" if rejected else ""
        results.append(
            Compared(
                what="records", of=totals.of, stated=f"{totals.records:,}", loaded=f"{records:,}",
                difference=f"{difference:+,}" if difference else "0", agrees=not difference, remark=remark,
            )
        )  # fmt: skip
    by_name = {name.casefold(): name for name in snapshot.columns}
    with connect([snapshot.folder], scratch, limits) as con:
        for name, stated in totals.sums.items():
            column_name = by_name.get(name.casefold())
            results.append(_compare_sum(con, parts, name, column_name, stated))
    return [item.model_copy(update={"of": totals.of}) for item in results]


_SUMS = """
SELECT count(*) FILTER (trim(:c) <> '') AS filled,
  count(*) FILTER (regexp_matches(trim(:c), :point)) AS points,
  count(*) FILTER (regexp_matches(trim(:c), :comma)) AS commas,
  sum(CASE WHEN regexp_matches(trim(:c), :point) THEN try_cast(trim(:c) AS DECIMAL(38, 10)) END) AS point_sum,
  sum(CASE WHEN regexp_matches(trim(:c), :comma)
      THEN try_cast(replace(trim(:c), ',', '.') AS DECIMAL(38, 10)) END) AS comma_sum
FROM :source
"""


def _compare_sum(
    con: Connection, parts: Sequence[Path], stated_name: str, name: str | None, stated: Decimal
) -> Compared:
    what = f"sum of {name or stated_name}"
    if name is None:
        return Compared(
            what=what, stated=_said(stated), loaded="", difference="", agrees=False,
            remark="the table has no such column",
        )  # fmt: skip
    cells = template("coalesce(:c, '')", c=column(name))
    query = template(
        _SUMS, c=cells, point=exp.Literal.string(number_pattern(".")), comma=exp.Literal.string(number_pattern(",")),
        source=read_parquet(parts),
    )  # fmt: skip
    filled, points, commas, point_sum, comma_sum = con.execute(sql(query)).fetchone() or (0, 0, 0, None, None)
    readable, total = (commas, comma_sum) if commas > points else (points, point_sum)
    loaded = Decimal(total or 0)
    difference = loaded - stated
    unread = filled - readable
    return Compared(
        what=what, stated=_said(stated), loaded=_said(loaded), difference=_said(difference, sign=True),
        agrees=difference == 0, unread=unread,
        remark=f"{unread:,} cells hold something that is not a number" if unread else "",
    )  # fmt: skip


def _said(value: Decimal, sign: bool = False) -> str:
    return f"{value.normalize():{'+' if sign and value else ''},f}"


def _number(text: object) -> Decimal | None:
    plain = str(text).strip().replace("\u00a0", "").replace(" ", "").replace("'", "")
    if "," in plain and "." in plain:
        plain = (
            plain.replace(",", "") if plain.rfind(".") > plain.rfind(",") else plain.replace(".", "").replace(",", ".")
        )
    elif plain.count(",") == 1 and not re.match(r"^[+-]?\d{1,3},\d{3}$", plain):
        plain = plain.replace(",", ".")
    else:
        plain = plain.replace(",", "")
    try:
        number = Decimal(plain)
    except InvalidOperation:
        return None
    return number if number.is_finite() else None


def _json_pairs(text: str) -> list[tuple[str, object]]:
    try:
        content = json.loads(text, parse_float=Decimal, parse_int=Decimal)
    except (ValueError, RecursionError) as error:
        raise IntakeError(f"The control totals are not JSON: {of_json(error)}.") from error
    pairs: list[tuple[str, object]] = []
    for key, value in content.items() if isinstance(content, dict) else ():
        if isinstance(value, dict):
            pairs += [(f"sum of {name}", inner) for name, inner in value.items()]
        else:
            pairs.append((str(key), value))
    return pairs


def _line_pairs(text: str) -> list[tuple[str, object]]:
    pairs: list[tuple[str, object]] = []
    rows = [shown(line) for line in text.splitlines() if line.strip()]
    for mark in (";", "\t", "|", "=", ":", ","):
        if sum(mark in line for line in rows) > 0.5 * len(rows):
            cut = [row for row in csv.reader(io.StringIO("\n".join(rows)), delimiter=mark) if len(row) >= 2]
            if len(cut) == 2 and len(cut[0]) > 2 and len(cut[0]) == len(cut[1]):
                return list(zip(cut[0], cut[1], strict=True))
            return [(row[0], row[1]) for row in cut]
    return pairs
