"""Series in time: dates out of order, gaps and repeated moments, sensors that stick."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from sqlglot import exp

from pravin_core.engines.kinds import moment_of
from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, make, some_records
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.records.filters import make_filter
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import FILE, RECORD
from pravin_core.tables.types import DataType, Role

ORDER = Kind(
    "dates out of order", "At least 97 of 100 dates of each file are not before the one above; the others are."
)
GAP = Kind(
    "gap in a series",
    "Moments of one station at equal distances (nine in ten steps are the same), and steps longer than one and a half.",
)
STUCK = Kind(
    "stuck value",
    "The same value in more records of a series, one after the other, than chance gives: runs longer than 12 and than "
    "five times the length that one run in ten thousand would have, were neighbours alike as often as in the whole series.",
)
MOST_SERIES = 2000
_LISTED = 500


def find(table: TableStudy) -> Iterator[Finding]:
    """What is wrong with the order and the regularity of moments, and with values along them."""
    for one in table.having(Role.TIME):
        if one.type in (DataType.DATE, DataType.DATETIME) and one.dates and one.dates.count > 0.6 * table.records > 12:
            yield from _order(table, one)
    moment = next((one for one in table.having(Role.TIME) if one.type is DataType.DATETIME and one.dates), None)
    if moment is None or moment.distinct < 50:
        return
    station = _station(table, moment)
    if station is False:
        return
    _keep_series(table, moment, station)
    yield from _gaps(table, moment, station)
    for one in table.having(Role.QUANTITY):
        if one.numbers and one.numbers.count > 0.5 * table.records and one.distinct > 10:
            yield from _stuck(table, one)


def _moment(profile: ColumnProfile) -> exp.Expr:
    return moment_of(text_of(profile.name), [form.value for form in profile.dates.formats] if profile.dates else [])


def _order(table: TableStudy, profile: ColumnProfile) -> Iterator[Finding]:
    """Dates before the greatest so far would count everything after one wrong date, so neighbours are compared: a date
    is out of order when it lies before the one above and that one not after the one below."""
    if _shuffled(table, profile):
        return
    window = f'OVER (PARTITION BY "{FILE}" ORDER BY "{RECORD}")'
    dated = exp.select(column(RECORD), column(FILE), exp.alias_(_moment(profile), "m")).from_(table.source)
    known = exp.select("*").from_(dated.subquery("d")).where("m IS NOT NULL")
    beside = exp.select(column(RECORD).as_("r"), "m", f"lag(m) {window} AS above", f"lead(m) {window} AS below")
    beside = beside.from_(known.subquery("k"))
    odd = (
        "(above IS NOT NULL AND m < above AND (below IS NULL OR below >= above OR m < below AND above <= below)) "
        "OR (below IS NOT NULL AND m > below AND above IS NOT NULL AND above <= below)"
    )
    sums = exp.select(
        "count(*)", "count_if(above IS NOT NULL AND m < above)", "count_if(m <> above)", f"count_if({odd})"
    )
    total, falls, changes, wrong = table.ask(sums.from_(beside.subquery("b")))[0]
    if not wrong or falls > 0.03 * total or changes < 5 or falls > 0.2 * changes:
        return
    numbers = [
        row[0] for row in table.ask(exp.select("r").from_(beside.subquery("b")).where(odd).order_by("r").limit(_LISTED))
    ]
    yield make(
        ORDER, [profile.name], "middle", wrong, table.records,
        f"{some_records(wrong)} with a date before or after both neighbours, otherwise the dates rise",
        filters=[make_filter("records", values=tuple(str(n) for n in numbers))],
    )  # fmt: skip


def _shuffled(table: TableStudy, profile: ColumnProfile) -> bool:
    """Whether the dates of an even sample fall so often that the column is not in order at all."""
    falls = exp.select("m", f'lag(m) OVER (PARTITION BY "{FILE}" ORDER BY "{RECORD}") AS above').from_(
        exp.select(column(RECORD), column(FILE), exp.alias_(_moment(profile), "m"))
        .from_(table.source)
        .where(table.sampled)
        .subquery("d")
    )
    query = exp.select("count_if(m < above)", "count_if(m <> above)").from_(falls.subquery("f"))
    fell, changed = table.ask(query)[0]
    return bool(fell > 0.3 * changed)


def _station(table: TableStudy, moment: ColumnProfile) -> ColumnProfile | bool | None:
    """The column whose values have a series each: None when the table is one series, False when there is none."""
    if moment.distinct > 0.98 * moment.dates.count:  # type: ignore[union-attr]
        return None
    for one in table.having(Role.IDENTIFIER, Role.CATEGORY):
        if 2 <= one.distinct <= MOST_SERIES:
            pairs = exp.select("count(DISTINCT (a, b))").from_(
                exp.select(exp.alias_(text_of(one.name), "a"), exp.alias_(text_of(moment.name), "b"))
                .from_(table.source)
                .subquery("p")
            )
            if table.ask(pairs)[0][0] > 0.97 * moment.dates.count:  # type: ignore[union-attr]
                return one
    return False


def _keep_series(table: TableStudy, moment: ColumnProfile, station: ColumnProfile | bool | None) -> None:
    """`series(r, s, m)`: record, station and moment."""
    name = text_of(station.name) if isinstance(station, ColumnProfile) else exp.Literal.string("")
    rows = exp.select(column(RECORD).as_("r"), exp.alias_(name, "s"), exp.alias_(_moment(moment), "m")).from_(
        table.source
    )
    table.con.execute(sql(temporary_table("series", exp.select("*").from_(rows.subquery("d")).where("m IS NOT NULL"))))


def _gaps(table: TableStudy, moment: ColumnProfile, station: ColumnProfile | bool | None) -> Iterator[Finding]:
    con = table.con
    con.execute(
        "CREATE OR REPLACE TEMP TABLE steps AS SELECT r, s, m, epoch(m) - epoch(lag(m) OVER (PARTITION BY s ORDER BY m, r)) AS d FROM series"
    )
    usual = con.execute(
        "SELECT d, count(*) AS n FROM steps WHERE d > 0 GROUP BY d ORDER BY n DESC, d LIMIT 1"
    ).fetchone()
    if usual is None:
        return
    step = usual[0]
    total, same, gaps, lost = con.execute(
        "SELECT count(*), count_if(d = $1), count_if(d > 1.5 * $1), coalesce(sum(round(d / $1) - 1) FILTER (d > 1.5 * $1), 0) FROM steps WHERE d IS NOT NULL",
        [step],
    ).fetchone() or (0, 0, 0, 0)
    if total < 20 or same < 0.9 * total or not gaps:
        return
    rows = con.execute(
        "SELECT r, s, m, d FROM steps WHERE d > 1.5 * $1 ORDER BY d DESC, r LIMIT $2", [step, _LISTED]
    ).fetchall()
    where = f" of {station.name}" if isinstance(station, ColumnProfile) else ""
    yield make(
        GAP, [moment.name], "middle", gaps, table.records,
        f"{gaps:,} gaps in the series{where}, {int(lost):,} moments missing at steps of {_length(step)}",
        evidence=[Evidence(value=f"{s or 'before'} {m:%Y-%m-%d %H:%M}: {_length(d)}", count=max(1, round(d / step) - 1)) for _, s, m, d in rows],
        filters=[make_filter("records", values=tuple(str(r) for r, *_ in rows))],
    )  # fmt: skip


def _length(seconds: float) -> str:
    for size, word in ((86_400, "days"), (3600, "hours"), (60, "minutes")):
        if seconds >= size:
            return f"{seconds / size:,.10g} {word}"
    return f"{seconds:,.10g} seconds"


def _stuck(table: TableStudy, profile: ColumnProfile) -> Iterator[Finding]:
    con = table.con
    value = template("CASE WHEN :c = '' THEN NULL ELSE :c END", c=text_of(profile.name))
    cells = exp.select(column(RECORD).as_("r"), exp.alias_(value, "v")).from_(table.source)
    beside = (
        exp.select(
            "s",
            "m",
            "series.r AS r",
            "v",
            "v IS DISTINCT FROM lag(v) OVER (PARTITION BY s ORDER BY m, series.r) AS new",
        )
        .from_("series")
        .join(cells.subquery("c"), on="c.r = series.r")
    )
    runs = exp.select("s", "v", "r", "m", "count_if(new) OVER (PARTITION BY s ORDER BY m, r) AS run").from_(
        beside.subquery("b")
    )
    lengths = exp.select("s", "run", "any_value(v) AS v", "count(*) AS n", "min(m) AS m", "list(r ORDER BY m, r) AS rs")
    grouped = lengths.from_(runs.subquery("x")).where("v IS NOT NULL").group_by("s", "run")
    con.execute(sql(temporary_table("runs", exp.select("s", "v", "n", "m", "rs").from_(grouped.subquery("g")))))
    cells_, several = con.execute("SELECT sum(n), sum(n - 1) FROM runs").fetchone() or (0, 0)
    alike = float(several) / float(cells_) if cells_ else 1.0
    if alike > 0.8:
        return  # values that hardly ever change tell nothing by staying
    chance = np.log(1e-4) / np.log(alike) if alike > 0 else 0.0
    least = max(12, int(np.ceil(5 * chance)) if alike > 0.05 else 12)
    rows = con.execute("SELECT s, v, n, m, rs FROM runs WHERE n >= $1 ORDER BY n DESC, s, m", [least]).fetchall()
    if not rows:
        return
    count = sum(n for _, _, n, _, _ in rows)
    numbers = sorted(r for *_, rs in rows for r in rs)[:2000]
    yield make(
        STUCK, [profile.name], "middle", count, table.records,
        f"{some_records(count)} in {len(rows):,} stretches of {least} and more in which {profile.name} does not change",
        evidence=[Evidence(value=f"{v} from {m:%Y-%m-%d %H:%M}" + (f" at {s}" if s else ""), count=n) for s, v, n, m, _ in rows],
        filters=[make_filter("records", values=tuple(str(r) for r in numbers))],
    )  # fmt: skip
