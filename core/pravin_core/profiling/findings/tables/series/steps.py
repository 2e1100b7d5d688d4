"""The steps from one moment of a series to the next: gaps, moments off the step, moments that come again."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from pravin_core.profiling.findings.base import Evidence, Finding, Kind, make, some_records, these_records
from pravin_core.profiling.findings.tables.series.stations import Series

GAP = Kind(
    "gap in a series",
    "Moments of one station at equal distances (nine in ten steps are the same), and steps longer than one and a half.",
)
OFF = Kind(
    "moment off the step",
    "Moments of one station at equal distances (seven in ten steps are the same), and those that are no whole number of steps "
    "away from the most of their station.",
)
AGAIN = Kind(
    "moment repeated in a series",
    "Moments of one station at equal distances (seven in ten steps are the same), and those that come twice (at most 8 in 100), "
    "where the records are not alike in all other cells too.",
)
FEW = 0.08
LEAST_STEPS = 20
_STEPS = """
CREATE OR REPLACE TEMP TABLE steps AS
SELECT r, s, m, epoch(m) - epoch(lag(m) OVER (PARTITION BY s ORDER BY m, r)) AS d FROM series
"""
_USUAL = "SELECT d, count(*) AS n FROM steps WHERE d > 0 GROUP BY d ORDER BY n DESC, d LIMIT 1"
_COUNTED = "SELECT count(*), count_if(d = $1), count_if(d > 1.5 * $1), count_if(d = 0) FROM steps WHERE d IS NOT NULL"
_LOST = "SELECT coalesce(sum(round(d / $1) - 1), 0) FROM steps WHERE d > 1.5 * $1"
_GAPS = "SELECT r, s, m, d FROM steps WHERE d > 1.5 * $1 ORDER BY d DESC, r"
_OFF = """
WITH phases AS (SELECT r, s, m, round(epoch(m) % $1, 3) AS phase FROM steps),
  usual AS (SELECT s, mode(phase) AS phase FROM phases GROUP BY s)
SELECT phases.r, phases.s, phases.m FROM phases JOIN usual ON usual.s = phases.s
WHERE phases.phase <> usual.phase ORDER BY phases.r
"""
_AGAIN = "SELECT r, s, m FROM series QUALIFY count(*) OVER (PARTITION BY s, m) > 1 ORDER BY s, m, r"


def find(series: Series) -> Iterator[Finding]:
    """Gaps, moments off the step, moments that come again."""
    con = series.table.con
    con.execute(_STEPS)
    usual = con.execute(_USUAL).fetchone()
    if usual is None:
        return
    step = usual[0]
    total, same, gaps, again = con.execute(_COUNTED, [step]).fetchone() or (0, 0, 0, 0)
    if total < LEAST_STEPS:
        return
    if gaps and same >= 0.9 * total:
        yield _gaps(series, step)
    if same < 0.7 * total:
        return
    yield from _off(series, step, con.execute(_OFF, [step]).fetchall(), total)
    if 0 < again <= FEW * total and again > series.table.repeated:
        yield _again(series, con.execute(_AGAIN).fetchall())


def _gaps(series: Series, step: float) -> Finding:
    rows = series.table.con.execute(_GAPS, [step]).fetchall()
    lost = (series.table.con.execute(_LOST, [step]).fetchone() or (0,))[0]
    where = f" of {series.station.name}" if series.station else ""
    gaps = "1 gap" if len(rows) == 1 else f"{len(rows):,} gaps"
    moments = "1 moment" if lost == 1 else f"{int(lost):,} moments"
    return make(
        GAP, [series.moment.name], "middle", len(rows), series.table.records,
        f"{gaps} in the series{where}, {moments} missing at steps of {_length(step)}",
        evidence=[Evidence(value=f"{s or 'before'} {m:%Y-%m-%d %H:%M}: {_length(d)}", count=max(1, round(d / step) - 1)) for _, s, m, d in rows],
        **these_records([row[0] for row in rows]),
    )  # fmt: skip


def _off(series: Series, step: float, rows: list[Any], total: int) -> Iterator[Finding]:
    if not 0 < len(rows) <= FEW * total:
        return
    where = f" of its {series.station.name}" if series.station else ""
    yield make(
        OFF, [series.moment.name], "low", len(rows), series.table.records,
        f"{some_records(len(rows))} whose moment is not at the steps of {_length(step)} of the others{where}",
        evidence=_shown(rows), **these_records([row[0] for row in rows]),
    )  # fmt: skip


def _again(series: Series, rows: list[Any]) -> Finding:
    where = f" of one {series.station.name}" if series.station else ""
    return make(
        AGAIN, series.columns, "middle", len(rows), series.table.records,
        f"{some_records(len(rows))}{where} with a moment that another one has too, and other cells that differ",
        evidence=_shown(rows), **these_records([row[0] for row in rows]),
    )  # fmt: skip


def _shown(rows: list[Any]) -> list[Evidence]:
    return [Evidence(value=f"{m:%Y-%m-%d %H:%M:%S}" + (f" at {s}" if s else ""), count=1) for _, s, m in rows[:12]]


def _length(seconds: float) -> str:
    for size, word in ((86_400, "day"), (3600, "hour"), (60, "minute")):
        if seconds >= size:
            return _so_many(seconds / size, word)
    return _so_many(seconds, "second")


def _so_many(count: float, word: str) -> str:
    return f"1 {word}" if count == 1 else f"{count:,.10g} {word}s"
