"""Two tables side by side: what changed in each column, most changed first.

The change of a column is its population stability index: the sum over classes of (p - q) ln(p / q), where p and q are
the shares of the class in either table (Jeffreys 1946; Siddiqi 2006). Numbers and dates are classed by the tenths of
the first table, texts by its fifty most frequent values; missing is a class of its own, and a class that is empty on one
side counts half a cell. Beside it stands a two-sample statistic: for numbers and dates the greatest distance of the
distributions (Kolmogorov and Smirnov), for texts chi-squared over the classes, each with its asymptotic p-value.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from datetime import datetime, timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict
from scipy import stats
from sqlglot import exp

from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import beside, connect
from pravin_core.errors import Cancelled
from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.profiler import profile_column
from pravin_core.records.pages import Stage
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import ORIGIN
from pravin_core.tables.types import NUMBERS, DataType

CLASSES = 50
DATES = (DataType.DATE, DataType.DATETIME)
_TOP = "SELECT value, n FROM column_values WHERE value <> '' AND kind <> 'missing token' ORDER BY n DESC, value LIMIT $most"
_OF = "SELECT value, n FROM column_values WHERE list_contains($values, value)"
_EPOCHS = "SELECT epoch(moment) AS number, sum(n)::BIGINT AS n FROM dates WHERE moment IS NOT NULL GROUP BY number"
Array = np.ndarray[Any, Any]


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True)


class Class(_Part):
    """A class of values and its cells on either side."""

    label: str
    first: int
    second: int


class ColumnChange(_Part):
    """One column. `stability` is the population stability index; `test` names the statistic (distance or chi-squared)."""

    name: str
    first: ColumnProfile | None
    second: ColumnProfile | None
    stability: float | None = None
    test: str = ""
    statistic: float | None = None
    p_value: float | None = None
    classes: tuple[Class, ...] = ()


class Comparison(_Part):
    """Two tables: records of each, and the columns, most changed first."""

    first_records: int
    second_records: int
    columns: tuple[ColumnChange, ...]


def compare(
    first: Stage,
    second: Stage,
    scratch: Path,
    now: datetime,
    limits: Limits = Limits(),
    progress: Callable[[float], bool] | None = None,
) -> Comparison:
    """Compare two tables column by column, aligned by name; every record that was not removed is counted.

    `progress(share)` returns False to cancel. `now` decides what is in the future.
    """
    folders = [place for stage in (first, second) for place in (stage.snapshot.folder, stage.result) if place]
    changes = []
    with connect(folders, scratch, limits) as con:
        sides = [_Side(con, stage, now) for stage in (first, second)]
        everything = list(dict.fromkeys([*first.types, *second.types]))
        for at, name in enumerate(everything):
            if progress and not progress(at / len(everything)):
                raise Cancelled("The comparison was cancelled.")
            changes.append(_compare(name, sides))
    changes.sort(key=lambda change: (-(math.inf if change.stability is None else change.stability), change.name))
    return Comparison(first_records=sides[0].records, second_records=sides[1].records, columns=tuple(changes))


class _Side:
    """One of the two tables, its cells as text."""

    def __init__(self, con: Connection, stage: Stage, now: datetime) -> None:
        self.con, self.names, self.now = con, list(stage.types), now
        cells = [exp.alias_(written(column(n), t), n, quoted=True) for n, t in stage.types.items()]
        query = exp.select(*(column(name) for name in ORIGIN), *cells).from_(read_parquet(stage.files))
        if stage.result is not None:
            query = query.where(template(":s <> 'removed'", s=column(names.STATE)))
        self.source = query.subquery("side")
        counted = con.execute(sql(exp.select("count(*)").from_(self.source.copy()))).fetchone()
        self.records = int(counted[0]) if counted else 0

    def column_values(self, con: Connection, name: str) -> ColumnValues:
        return ColumnValues(con, self.source.copy(), name, self.names.index(name) + 1, self.records, self.now)


def _compare(name: str, sides: Sequence[_Side]) -> ColumnChange:
    there = [side for side in sides if name in side.names]
    profiles: list[ColumnProfile | None] = [None, None]
    if len(there) == 1:
        side = there[0]
        with beside(side.con) as con:
            profiles[sides.index(side)] = profile_column(side.column_values(con, name))
        return ColumnChange(name=name, first=profiles[0], second=profiles[1])
    with beside(sides[0].con) as left, beside(sides[1].con) as right:
        each_column_values, other = sides[0].column_values(left, name), sides[1].column_values(right, name)
        before, after = profile_column(each_column_values), profile_column(other)
        missing = [
            sum(column_values.kinds.get(kind, 0) for kind in _GONE) for column_values in (each_column_values, other)
        ]
        if before.type in NUMBERS and after.type in NUMBERS:
            classes, test = _by_tenths(each_column_values.numbers, other.numbers, "{:.6g}".format)
        elif before.type in DATES and after.type in DATES:
            classes, test = _by_tenths(_epochs(each_column_values), _epochs(other), _day)
        else:
            classes, test = _by_values(each_column_values, other)
    classes = [Class(label="missing", first=missing[0], second=missing[1]), *classes]
    unfit = [Class(label="does not fit", first=sides[0].records - sum(c.first for c in classes),
                   second=sides[1].records - sum(c.second for c in classes))]  # fmt: skip
    classes += [class_ for class_ in unfit if class_.first or class_.second]
    return ColumnChange(
        name=name, first=before, second=after, stability=stability([c.first for c in classes], [c.second for c in classes]),
        test=test[0], statistic=test[1], p_value=test[2], classes=tuple(classes),
    )  # fmt: skip


_GONE = ("missing", "missing token")


def stability(first: Sequence[int], second: Sequence[int]) -> float | None:
    """The population stability index of two sets of counts by class; None when either is empty."""
    p, q = np.asarray(first, dtype=float), np.asarray(second, dtype=float)
    met = (p > 0) | (q > 0)
    p, q = np.maximum(p[met], 0.5), np.maximum(q[met], 0.5)
    if not sum(first) or not sum(second):
        return None
    p, q = p / sum(first), q / sum(second)
    return float(((p - q) * np.log(p / q)).sum())


Weighted = tuple[Array, Array]
Test = tuple[str, float | None, float | None]


def _by_tenths(weighted: Weighted, other: Weighted, label: Callable[[float], str]) -> tuple[list[Class], Test]:
    if len(weighted[0]) == 0 or len(other[0]) == 0:
        counts = [Class(label="all", first=int(weighted[1].sum()), second=int(other[1].sum()))]
        return counts, ("distance", None, None)
    up_to = np.cumsum(weighted[1])
    cuts = np.unique(weighted[0][np.searchsorted(up_to, np.arange(1, 10) / 10 * up_to[-1])])
    left, right = (
        np.bincount(np.searchsorted(cuts, values, side="left"), weights=cells, minlength=len(cuts) + 1).astype(int)
        for values, cells in (weighted, other)
    )
    between = [f"{label(low)} to {label(high)}" for low, high in pairwise(cuts)]
    labels = [f"up to {label(cuts[0])}", *between, f"above {label(cuts[-1])}"]
    classes = [
        Class(label=each_label, first=int(a), second=int(b))
        for each_label, a, b in zip(labels, left, right, strict=True)
    ]
    return classes, distance(weighted, other)


def distance(weighted: Weighted, other: Weighted) -> Test:
    """The Kolmogorov-Smirnov distance of two weighted samples (values in rising order, cells) and its p-value."""
    every = np.union1d(weighted[0], other[0])
    shares = []
    for values, cells in (weighted, other):
        up_to = np.append(0, np.cumsum(cells))
        shares.append(up_to[np.searchsorted(values, every, side="right")] / up_to[-1])
    greatest = float(np.abs(shares[0] - shares[1]).max())
    n, m = float(weighted[1].sum()), float(other[1].sum())
    return "distance", greatest, float(stats.kstwobign.sf(greatest * math.sqrt(n * m / (n + m))))


def _epochs(column_values: ColumnValues) -> Weighted:
    results = column_values.con.execute(_EPOCHS).fetchnumpy()
    values, cells = np.asarray(results["number"], dtype=float), np.asarray(results["n"], dtype=np.int64)
    order = np.argsort(values)
    return values[order], cells[order]


def _day(seconds: float) -> str:
    return f"{datetime(1970, 1, 1) + timedelta(seconds=float(seconds)):%Y-%m-%d}"


def _by_values(values: ColumnValues, other: ColumnValues) -> tuple[list[Class], Test]:
    top = dict(values.ask(_TOP, {"most": CLASSES}))
    more = [value for value, _ in other.ask(_TOP, {"most": CLASSES}) if value not in top]
    requested = [*top, *more]
    left, right = dict(values.ask(_OF, {"values": requested})), dict(other.ask(_OF, {"values": requested}))
    classes = [Class(label=value[:200], first=left.get(value, 0), second=right.get(value, 0)) for value in requested]
    rest = Class(label="other values", first=values.present - sum(c.first for c in classes),
                 second=other.present - sum(c.second for c in classes))  # fmt: skip
    classes += [rest] if rest.first or rest.second else []
    table = np.array([[c.first for c in classes], [c.second for c in classes]])
    if len(classes) < 2 or not table.sum(axis=1).all():
        return classes, ("chi-squared", None, None)
    test = stats.chi2_contingency(table, correction=False)
    return classes, ("chi-squared", float(test.statistic), float(test.pvalue))
