"""Values along a series: those that stay the same too long, and those that leave their neighbours for one moment."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, make, some_records, these_records
from pravin_core.profiling.findings.tables.series.stations import Series
from pravin_core.profiling.model import ColumnProfile
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import Role

STUCK = Kind(
    "stuck value",
    "The same value in more records of a series, one after the other, than chance gives: runs longer than 12 and than "
    "five times the length that one run in ten thousand would have, were neighbours alike as often as in the whole series.",
)
SPIKE = Kind(
    "spike in a series",
    "In a smooth series (the typical distance of a value from the middle of its two neighbours is at most 0.6 of its typical "
    "distance from the median of its station), values over 6 such distances and over 5 times their 70th percentile away, "
    "to the same side of both neighbours, which are nearer to each other. Typical is 1.4826 times the median (Hampel 1974).",
)
FEW = 0.08
SMOOTH = 0.6
LOOKED_AT = 20_000
_BESIDE = """
CREATE OR REPLACE TEMP TABLE beside AS
SELECT r, s, m, v, a, b, abs(v - (a + b) / 2) AS off, abs(v - median(v) OVER (PARTITION BY s)) AS wide
FROM (SELECT r, s, m, v, lag(v) OVER along AS a, lead(v) OVER along AS b FROM looked_at
      WINDOW along AS (PARTITION BY s ORDER BY m, r))
"""
_TYPICAL = """
SELECT 1.4826 * median(off), 1.4826 * median(wide), quantile_cont(off, 0.7), count(off) FROM beside WHERE off IS NOT NULL
"""
_SPIKES = """
SELECT r, s, m, v, a, b FROM (
  SELECT r, s, m, v, lag(v) OVER along AS a, lead(v) OVER along AS b FROM looked_at
  WINDOW along AS (PARTITION BY s ORDER BY m, r))
WHERE abs(v - (a + b) / 2) > $1 AND (v - a) * (v - b) > 0 AND least(abs(v - a), abs(v - b)) > greatest(0.6 * $1, abs(a - b)) ORDER BY r
"""


def find(series: Series) -> Iterator[Finding]:
    """Stuck values and spikes of each quantity."""
    for one in series.table.having(Role.QUANTITY):
        if one.numbers and one.numbers.count > 0.5 * series.table.records and one.distinct > 10:
            yield from _stuck(series, one)
            yield from _spikes(series, one)


def _stuck(series: Series, profile: ColumnProfile) -> Iterator[Finding]:
    con = series.table.con
    value = template("CASE WHEN :c = '' THEN NULL ELSE :c END", c=text_of(profile.name))
    cells = exp.select(column(RECORD).as_("r"), exp.alias_(value, "v")).from_(series.table.source)
    new = "v IS DISTINCT FROM lag(v) OVER (PARTITION BY s ORDER BY m, series.r) AS new"
    beside = exp.select("s", "m", "series.r AS r", "v", new).from_("series")
    beside = beside.join(cells.subquery("c"), on="c.r = series.r")
    run = "count_if(new) OVER (PARTITION BY s ORDER BY m, r) AS run"
    runs = exp.select("s", "v", "r", "m", run).from_(beside.subquery("b"))
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
    numbers = sorted(r for *_, rs in rows for r in rs)
    stretches = "1 stretch" if len(rows) == 1 else f"{len(rows):,} stretches"
    yield make(
        STUCK, [profile.name], "middle", len(numbers), series.table.records,
        f"{some_records(len(numbers))} in {stretches} of {least} and more in which {profile.name} does not change",
        evidence=[Evidence(value=f"{v} from {m:%Y-%m-%d %H:%M}" + (f" at {s}" if s else ""), count=n) for s, v, n, m, _ in rows],
        **these_records(numbers),
    )  # fmt: skip


def _spikes(series: Series, profile: ColumnProfile) -> Iterator[Finding]:
    """The first moments tell whether the series is smooth; all are asked only then."""
    con = series.table.con
    _look_at(series, profile, LOOKED_AT)
    con.execute(_BESIDE)
    off, wide, tail, known = con.execute(_TYPICAL).fetchone() or (0, 0, 0, 0)
    if not known or not off or off > SMOOTH * wide:
        return
    if series.table.records > LOOKED_AT:
        _look_at(series, profile, series.table.records)
    rows = con.execute(_SPIKES, [max(6 * off, 5 * tail)]).fetchall()
    if not 0 < len(rows) <= FEW * series.table.records:
        return
    where = f" of its {series.station.name}" if series.station else ""
    shown = [
        Evidence(
            value=f"{v:.10g} between {a:.10g} and {b:.10g}, {m:%Y-%m-%d %H:%M}" + (f" at {s}" if s else ""), count=1
        )
        for _, s, m, v, a, b in rows[:12]
    ]
    yield make(
        SPIKE, [profile.name], "low", len(rows), series.table.records,
        f"{some_records(len(rows))} in which {profile.name} leaves the values before and after{where} for one moment",
        evidence=shown, **these_records([row[0] for row in rows]),
    )  # fmt: skip


def _look_at(series: Series, profile: ColumnProfile, most: int) -> None:
    """`looked_at(r, s, m, v)`: the numbers of the first moments of the first stations."""
    number = template("try_cast(replace(trim(:c), ',', '.') AS DOUBLE)", c=text_of(profile.name))
    cells = exp.select(column(RECORD).as_("r"), exp.alias_(number, "v")).from_(series.table.source)
    ordered = exp.select("r", "s", "m").from_("series")
    if most < series.table.records:
        ordered = ordered.order_by("s", "m", "r").limit(most)
    joined = exp.select("o.r", "o.s", "o.m", "c.v").from_(ordered.subquery("o"))
    joined = joined.join(cells.subquery("c"), on="c.r = o.r").where("c.v IS NOT NULL")
    series.table.con.execute(sql(temporary_table("looked_at", joined)))
