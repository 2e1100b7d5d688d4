"""Values along a series: those that stay the same too long, and those that leave their neighbours for one moment."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from itertools import groupby
from operator import itemgetter
from typing import Any

import numpy as np
import pyarrow
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.engines.kinds import double_of
from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, make, some_records, these_records
from pravin_core.profiling.findings.tables.series.stations import Series
from pravin_core.profiling.model import ColumnProfile
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import Role

pa: Any = pyarrow
Cell = Callable[[exp.Expr], exp.Expr]
Limit = tuple[float, float]  # from where on a value is told, and how many seconds its neighbours are apart at most
STUCK = Kind(
    "stuck value",
    "The same value in more records of a series, one after the other, than chance gives: runs longer than 12 and than "
    "five times the length that one run in ten thousand would have, were neighbours alike as often as in the whole series.",
)
SPIKE = Kind(
    "spike in a series",
    "In a smooth series (the typical distance of a value from the middle of its two neighbours is at most 0.6 of its typical "
    "distance from the median of its station), values over 6 such distances and over 5 times their 70th percentile away, "
    "to the same side of both neighbours, which are nearer to each other and at most five times as far apart in time as usual. "
    "Typical is 1.4826 times the median (Hampel 1974).",
)
FEW = 0.08
SMOOTH = 0.6
APART = 5
LOOKED_AT = 20_000  # moments that tell whether a quantity is smooth
AT_ONCE = 2_000_000  # cells
_RUNS = """
CREATE OR REPLACE TEMP TABLE runs AS
SELECT q, s, any_value(v) AS v, count(*) AS n, min(m) AS m, list(r ORDER BY m, r) AS rs FROM (
  SELECT *, count_if(new) OVER along AS run FROM (
    SELECT *, v IS DISTINCT FROM lag(v) OVER along AS new FROM looked_at WINDOW along AS (PARTITION BY q, s ORDER BY m, r))
  WINDOW along AS (PARTITION BY q, s ORDER BY m, r))
WHERE v IS NOT NULL GROUP BY q, s, run
"""
_ALIKE = "SELECT q, sum(n - 1) / sum(n) FROM runs GROUP BY q"
_STUCK = "SELECT q, s, v, n, m, rs FROM runs JOIN limits USING (q) WHERE n >= least ORDER BY q, n DESC, s, m"
_NEIGHBOURS = """
CREATE OR REPLACE TEMP VIEW neighbours AS
SELECT q, r, s, m, v, lag(v) OVER along AS a, lead(v) OVER along AS b, epoch(lead(m) OVER along) - epoch(lag(m) OVER along) AS apart
FROM looked_at WHERE v IS NOT NULL
WINDOW along AS (PARTITION BY q, s ORDER BY m, r)
"""
_TYPICAL = """
SELECT q, 1.4826 * median(off), 1.4826 * median(wide), quantile_cont(off, 0.7), median(apart) FROM (
  SELECT q, apart, abs(v - (a + b) / 2) AS off, abs(v - median(v) OVER (PARTITION BY q, s)) AS wide FROM neighbours)
WHERE off IS NOT NULL GROUP BY q
"""
_SPIKES = """
SELECT q, r, s, m, v, a, b FROM neighbours JOIN limits USING (q)
WHERE abs(v - (a + b) / 2) > least AND (v - a) * (v - b) > 0
  AND least(abs(v - a), abs(v - b)) > greatest(0.6 * least, abs(a - b)) AND apart <= most ORDER BY q, r
"""


def find(series: Series) -> Iterator[Finding]:
    """Stuck values and spikes of the quantities, as many at a time as their cells allow."""
    records = series.table.records
    able = [
        each_column for each_column in series.table.having(Role.QUANTITY)
        if each_column.numbers and each_column.numbers.count > 0.5 * records and each_column.distinct > 10
    ]  # fmt: skip
    for some in _batches(able, records):
        yield from _stuck(series, some)
    smooth: dict[str, Limit] = {}
    for some in _batches(able, min(records, LOOKED_AT)):
        smooth |= {some[q].name: limit for q, limit in _smooth(series, some).items()}
    for some in _batches([each_column for each_column in able if each_column.name in smooth], records):
        yield from _spikes(series, some, smooth)


def _batches(profiles: Sequence[ColumnProfile], records: int) -> Iterator[Sequence[ColumnProfile]]:
    size = max(1, AT_ONCE // max(1, records))
    for at in range(0, len(profiles), size):
        yield profiles[at : at + size]


def _look_at(series: Series, profiles: Sequence[ColumnProfile], cell: Cell, most: int | None = None) -> None:
    """`looked_at(q, r, s, m, v)`: the cells of some quantities (by their place), at the first moments of the first stations."""
    values = exp.Array(expressions=[cell(text_of(profile.name)) for profile in profiles])
    cells = exp.select(column(RECORD).as_("r"), exp.alias_(values, "each")).from_(series.table.source)
    ordered = exp.select("r", "s", "m").from_("series")
    if most is not None and most < series.table.records:
        ordered = ordered.order_by("s", "m", "r").limit(most)
    joined = exp.select("o.r", "o.s", "o.m", f"unnest(range({len(profiles)}))::INTEGER AS q", "unnest(c.each) AS v")
    joined = joined.from_(ordered.subquery("o")).join(cells.subquery("c"), on="c.r = o.r")
    series.table.con.execute(sql(temporary_table("looked_at", joined)))


def _by_quantity(con: Connection, query: str, limits: dict[int, Limit]) -> Iterator[tuple[int, list[Any]]]:
    """The rows of a query that knows the limits of each quantity, by the place of their quantity."""
    known = [pa.array([limit[at] for limit in limits.values()], pa.float64()) for at in (0, 1)]
    con.register("limits", pa.table([pa.array(limits.keys(), pa.int32()), *known], ["q", "least", "most"]))
    rows = con.execute(query).fetchall()
    con.unregister("limits")
    for q, own in groupby(rows, key=itemgetter(0)):
        yield q, [row[1:] for row in own]


def _filled(text: exp.Expr) -> exp.Expr:
    return template("nullif(:c, '')", c=text)


def _stuck(series: Series, profiles: Sequence[ColumnProfile]) -> Iterator[Finding]:
    con = series.table.con
    _look_at(series, profiles, _filled)
    con.execute(_RUNS)
    limits: dict[int, Limit] = {}
    for q, alike in con.execute(_ALIKE).fetchall():
        if alike <= 0.8:  # values that hardly ever change tell nothing by staying
            chance = np.log(1e-4) / np.log(alike) if alike > 0 else 0.0
            limits[q] = (max(12, int(np.ceil(5 * chance)) if alike > 0.05 else 12), np.inf)
    for q, rows in _by_quantity(con, _STUCK, limits):
        yield _stretches(series, profiles[q], int(limits[q][0]), rows)


def _stretches(series: Series, profile: ColumnProfile, least: int, rows: Sequence[Any]) -> Finding:
    numbers = sorted(r for *_, rs in rows for r in rs)
    stretches = "1 stretch" if len(rows) == 1 else f"{len(rows):,} stretches"
    return make(
        STUCK, [profile.name], "middle", len(numbers), series.table.records,
        f"{some_records(len(numbers))} in {stretches} of {least} and more in which {profile.name} does not change",
        evidence=[Evidence(value=f"{v} from {m:%Y-%m-%d %H:%M}" + (f" at {s}" if s else ""), count=n) for s, v, n, m, _ in rows],
        **these_records(numbers),
    )  # fmt: skip


def _smooth(series: Series, profiles: Sequence[ColumnProfile]) -> dict[int, Limit]:
    """By the place of a smooth quantity how far off a spike is, and how far apart in time its neighbours may be."""
    _look_at(series, profiles, double_of, LOOKED_AT)
    series.table.con.execute(_NEIGHBOURS)
    rows = series.table.con.execute(_TYPICAL).fetchall()
    return {
        q: (max(6 * off, 5 * tail), APART * apart) for q, off, wide, tail, apart in rows if 0 < off <= SMOOTH * wide
    }


def _spikes(series: Series, profiles: Sequence[ColumnProfile], smooth: dict[str, Limit]) -> Iterator[Finding]:
    _look_at(series, profiles, double_of)
    series.table.con.execute(_NEIGHBOURS)
    limits = {q: smooth[profile.name] for q, profile in enumerate(profiles)}
    where = f" of its {series.station.name}" if series.station else ""
    for q, rows in _by_quantity(series.table.con, _SPIKES, limits):
        if len(rows) > FEW * series.table.records:
            continue
        name = profiles[q].name
        shown = [
            Evidence(
                value=f"{v:.10g} between {a:.10g} and {b:.10g}, {m:%Y-%m-%d %H:%M}" + (f" at {s}" if s else ""), count=1
            )
            for _, s, m, v, a, b in rows[:12]
        ]
        yield make(
            SPIKE, [name], "low", len(rows), series.table.records,
            f"{some_records(len(rows))} in which {name} leaves the values before and after{where} for one moment",
            evidence=shown, **these_records([row[0] for row in rows]),
        )  # fmt: skip
