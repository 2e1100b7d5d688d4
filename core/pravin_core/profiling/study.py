"""A column under study: its different values with their counts, marks, shapes and kinds, in one table `study`.

Everything measured or found about a column is computed from that table, once for each different value.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property, lru_cache
from typing import Any

import duckdb
import numpy as np
from sqlglot import exp

from pravin_core.engines.duckdb import column, sql, template, temporary_table
from pravin_core.engines.kinds import kind_of, marks_of, shape_of
from pravin_core.profiling.model import ValueCount

TOP = 50
SHAPES = 300
SHOWN = 200
NUMERIC = ("whole number", "decimal", "decimal comma")

_TOP = "SELECT left(value, $shown), n FROM study WHERE value <> '' ORDER BY n DESC, value LIMIT $top"
_KINDS = "SELECT kind, sum(n)::BIGINT FROM study GROUP BY kind ORDER BY kind"
_MARKS = "SELECT marks, sum(n)::BIGINT FROM study WHERE value <> '' GROUP BY marks"
_SHAPES = """
SELECT shape, sum(n)::BIGINT AS cells, min(left(value, $shown)), mode(kind) FROM study WHERE value <> ''
GROUP BY shape ORDER BY cells DESC, shape LIMIT $top
"""
_DISTINCT = "SELECT count(*) FROM study WHERE value <> ''"
_NUMBERS = """
SELECT try_cast(replace(trim(value), ',', '.') AS DOUBLE) AS number, n FROM study
WHERE kind IN ('whole number', 'decimal') OR ($comma AND kind = 'decimal comma')
"""


_NOT_THOUSANDS = r"""
SELECT coalesce(sum(n), 0)::BIGINT FROM study
WHERE kind = 'decimal comma' AND NOT regexp_full_match(trim(value), '[+-]?[1-9]\d{0,2},\d{3}')
"""
_MATCHING = """
SELECT value, n, sum(n) OVER ()::BIGINT, count(*) OVER () FROM study
WHERE value <> '' AND ($marks = 0 OR marks & $marks > 0) AND (len($kinds) = 0 OR list_contains($kinds, kind))
  AND regexp_matches(value, $pattern) ORDER BY n DESC, value LIMIT $most
"""
MATCHES = 5000
_LIKELY = """
SELECT coalesce(avg(CASE WHEN regexp_matches(value, $pattern) THEN 1 ELSE 0 END), 0)
FROM (SELECT value FROM study WHERE value <> '' AND kind <> 'missing token' LIMIT 200)
"""


@dataclass(frozen=True)
class Matches:
    """How many cells and different values match, and the values with their cells (at most 5,000)."""

    cells: int
    distinct: int
    values: tuple[tuple[str, int], ...]

    @property
    def texts(self) -> list[str]:
        """The values alone."""
        return [value for value, _ in self.values]


@dataclass(frozen=True)
class Shape:
    """A shape, its cells, a value of it, and the kind most of its values are."""

    shape: str
    cells: int
    example: str
    kind: str


class Study:
    """The column `name` of `source`; `records` is the length of the table, `now` what counts as the present."""

    def __init__(
        self, con: duckdb.DuckDBPyConnection, source: exp.Expr, name: str, position: int, records: int, now: datetime
    ) -> None:
        self.con, self.source, self.name, self.position, self.records, self.now = (
            con, source, name, position, records, now,
        )  # fmt: skip
        grouped = exp.select(exp.alias_(text_of(name), "value"), exp.alias_(exp.Count(this=exp.Star()), "n"))
        query = _judging().with_("grouped", as_=grouped.from_(source).group_by("ALL"))
        con.execute(sql(temporary_table("study", query)))

    def ask(self, query: str, parameters: Any = None) -> list[tuple[Any, ...]]:
        """The rows of a query over `study(value, n, marks, shape, kind)`."""
        return self.con.execute(query, parameters).fetchall()

    def pairs(self, query: str, parameters: Any = None) -> tuple[ValueCount, ...]:
        """The rows of a query that gives texts and their cells."""
        return tuple(ValueCount(value=value, count=count) for value, count in self.ask(query, parameters))

    @cached_property
    def kinds(self) -> dict[str, int]:
        """Cells of each kind."""
        return dict(self.ask(_KINDS))

    @cached_property
    def present(self) -> int:
        """Cells that hold something, missing tokens aside."""
        return sum(cells for kind, cells in self.kinds.items() if kind not in ("missing", "missing token"))

    @cached_property
    def distinct(self) -> int:
        """How many different values there are; missing is none."""
        return int(self.ask(_DISTINCT)[0][0])

    @cached_property
    def top(self) -> tuple[ValueCount, ...]:
        """The most frequent values (the first 200 characters of each), ties by text."""
        return self.pairs(_TOP, {"top": TOP, "shown": SHOWN})

    @cached_property
    def shapes(self) -> tuple[Shape, ...]:
        """The most frequent shapes, ties by text."""
        return tuple(Shape(*row) for row in self.ask(_SHAPES, {"top": SHAPES, "shown": SHOWN}))

    @cached_property
    def marks(self) -> dict[int, int]:
        """Cells for each combination of marks."""
        return dict(self.ask(_MARKS))

    def holds(self, mark: int) -> int:
        """Cells that hold any character of these marks."""
        return sum(cells for marks, cells in self.marks.items() if marks & mark)

    def matching(self, pattern: str, marks: int = 0, kinds: Sequence[str] = ()) -> Matches:
        """The values that match a pattern, of some kinds, holding any of some marks; most frequent first."""
        if marks and not self.holds(marks):
            return Matches(0, 0, ())
        said = {"pattern": pattern, "marks": int(marks), "kinds": list(kinds), "most": MATCHES}
        rows = self.ask(_MATCHING, said)
        return Matches(rows[0][2], rows[0][3], tuple((v, n) for v, n, *_ in rows)) if rows else Matches(0, 0, ())

    def likely(self, pattern: str) -> float:
        """The share of at most 200 of the different values that match: a cheap look before all are searched."""
        return float(self.ask(_LIKELY, {"pattern": pattern})[0][0])

    @property
    def decimal_mark(self) -> str:
        """The mark that most decimals of the column are written with."""
        commas = self.kinds.get("decimal comma", 0)
        if commas <= self.kinds.get("decimal", 0):
            return "."
        if self.kinds.get("whole number", 0) > commas > 5 * self._comma_before_other_than_three:
            return "."  # whole numbers, a few of them with thousands marks
        return ","

    @cached_property
    def _comma_before_other_than_three(self) -> int:
        return int(self.ask(_NOT_THOUSANDS)[0][0])

    @property
    def numeric(self) -> int:
        """Cells that read as a number."""
        return sum(self.kinds.get(kind, 0) for kind in NUMERIC)

    @cached_property
    def numbers(self) -> tuple[np.ndarray[Any, Any], np.ndarray[Any, Any]]:
        """The different numbers in rising order (float64) and the cells of each (int64)."""
        found = self.con.execute(_NUMBERS, {"comma": self.decimal_mark == ","}).fetchnumpy()
        values, cells = np.asarray(found["number"], dtype=float), np.asarray(found["n"], dtype=np.int64)
        order = np.argsort(values)
        values, cells = values[order], cells[order]
        if len(values) == 0:
            return values, cells
        first = np.flatnonzero(np.append(True, values[1:] != values[:-1]))
        return values[first], np.add.reduceat(cells, first)


def text_of(name: str) -> exp.Expr:
    """A delivered cell as text that is never NULL."""
    return template("coalesce(:c, '')", c=column(name))


@lru_cache(maxsize=1)
def _judging() -> exp.Select:
    """`study` from `grouped`, the different values with their counts."""
    value = column("value")
    marked = exp.select("value", "n", marks_of(value).as_("marks"), shape_of(value).as_("shape")).from_("grouped")
    judged = exp.select("value", "n", "marks", "shape", kind_of(value, column("marks")).as_("kind"))
    return judged.from_(marked.subquery("marked"))


def quantile(values: np.ndarray[Any, Any], cells: np.ndarray[Any, Any], shares: Sequence[float]) -> list[float]:
    """Quantiles of values in rising order with their cells, interpolated linearly (Hyndman and Fan 1996, type 7)."""
    up_to = np.cumsum(cells)
    places = np.asarray(shares, dtype=float) * (int(up_to[-1]) - 1)
    below = np.floor(places).astype(np.int64)
    low = values[np.searchsorted(up_to, below, side="right")]
    high = values[np.searchsorted(up_to, np.minimum(below + 1, int(up_to[-1]) - 1), side="right")]
    between = places - below
    return [
        float(a if part == 0 or a == b else a * (1 - part) + b * part)
        for a, b, part in zip(low, high, between, strict=True)
    ]
