"""A column under study: its different values with their counts, marks, shapes and kinds, in one table `study`.

Everything measured or found about a column is computed from that table, once for each different value.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property, lru_cache
from typing import Any

import duckdb
import numpy as np
from sqlglot import exp

from pravin_core.engines.duckdb import column, sql, template, temporary_table
from pravin_core.engines.functions import Mark, shaped
from pravin_core.engines.kinds import NUMERIC, kind_of, kind_of_shape, marks_of
from pravin_core.profiling.model import ValueCount

TOP = 50
SHAPES = 300
BATCH = 200_000
SHOWN = 200

_SHAPED = """
CREATE OR REPLACE TEMP TABLE shaped AS SELECT value, n, shape, strlen(value) = length(value) AS plain FROM batches
"""
_OF_SURE_SHAPES = """
CREATE OR REPLACE TEMP TABLE study AS
SELECT value, n, marks, shape, kind FROM shaped JOIN shapes USING (shape) WHERE plain AND kind IS NOT NULL
"""
_OF_NOTHING = """
INSERT INTO study SELECT '', missing, 0, '', 'missing'
FROM (SELECT $records - coalesce(sum(n), 0)::BIGINT AS missing FROM study) WHERE missing > 0
"""
_TIDY = "DROP TABLE shaped"
_TOP = "SELECT left(value, $shown), n FROM study WHERE value <> '' ORDER BY n DESC, value LIMIT $top"
_COUNTED = "SELECT kind, marks, sum(n)::BIGINT, count(*) FROM study GROUP BY kind, marks ORDER BY kind, marks"
_SHAPES = """
SELECT shape, sum(cells)::BIGINT AS cells, min(example), arg_max(kind, (cells, kind)) FROM (
  SELECT shape, kind, sum(n) AS cells, left(min(value), $shown) AS example FROM study WHERE value <> '' GROUP BY shape, kind
) GROUP BY shape ORDER BY sum(cells) DESC, shape LIMIT $top
"""
_NUMBERS = """
SELECT try_cast(value AS DOUBLE) AS number, n FROM study
WHERE kind IN ('whole number', 'decimal') AND marks & $outer = 0
UNION ALL
SELECT try_cast(replace(trim(value), ',', '.') AS DOUBLE), n FROM study
WHERE (kind IN ('whole number', 'decimal') AND marks & $outer > 0) OR ($comma AND kind = 'decimal comma')
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
_FEW = """
SELECT value FROM study WHERE value <> '' AND kind <> 'missing token' ORDER BY hash(value), value LIMIT 200
"""
_LIKELY = """
SELECT coalesce(avg(CASE WHEN regexp_matches(value, $pattern) THEN 1 ELSE 0 END), 0) FROM (SELECT unnest($few) AS value)
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
        cell = column(name)
        grouped = exp.select(exp.alias_(cell, "value"), exp.alias_(exp.Count(this=exp.Star()), "n"))
        grouped = grouped.from_(source).where(template(":c <> ''", c=cell)).group_by(cell.copy())
        with con.cursor() as other:
            con.register("batches", shaped(other.sql(sql(grouped)).to_arrow_reader(BATCH)))
            con.execute(_SHAPED)
            con.unregister("batches")
        con.execute(_of_shapes())
        con.execute(_OF_SURE_SHAPES)
        con.execute(_of_texts())
        con.execute(_OF_NOTHING, {"records": records})
        con.execute(_TIDY)

    def ask(self, query: str, parameters: Any = None) -> list[tuple[Any, ...]]:
        """The rows of a query over `study(value, n, marks, shape, kind)`."""
        return self.con.execute(query, parameters).fetchall()

    def pairs(self, query: str, parameters: Any = None) -> tuple[ValueCount, ...]:
        """The rows of a query that gives texts and their cells."""
        return tuple(ValueCount(value=value, count=count) for value, count in self.ask(query, parameters))

    @cached_property
    def _counted(self) -> list[tuple[str, int, int, int]]:
        """Kind, marks, cells and different values of each combination."""
        return [(kind, marks, cells, values) for kind, marks, cells, values in self.ask(_COUNTED)]

    @cached_property
    def kinds(self) -> dict[str, int]:
        """Cells of each kind."""
        cells: Counter[str] = Counter()
        for kind, _, count, _ in self._counted:
            cells[kind] += count
        return dict(cells)

    @cached_property
    def present(self) -> int:
        """Cells that hold something, missing tokens aside."""
        return sum(cells for kind, cells in self.kinds.items() if kind not in ("missing", "missing token"))

    @cached_property
    def distinct(self) -> int:
        """How many different values there are; missing is none."""
        return sum(values for kind, *_, values in self._counted if kind != "missing")

    @cached_property
    def top(self) -> tuple[ValueCount, ...]:
        """The most frequent values (the first 200 characters of each), ties by text."""
        return self.pairs(_TOP, {"top": TOP, "shown": SHOWN})

    @cached_property
    def shapes(self) -> tuple[Shape, ...]:
        """The most frequent shapes, ties by text."""
        return tuple(Shape(*row) for row in self.ask(_SHAPES, {"top": SHAPES, "shown": SHOWN}))

    def holds(self, mark: int) -> int:
        """Cells that hold any character of these marks."""
        return sum(cells for _, marks, cells, _ in self._counted if marks & mark)

    def matching(self, pattern: str, marks: int = 0, kinds: Sequence[str] = ()) -> Matches:
        """The values that match a pattern, of some kinds, holding any of some marks; most frequent first."""
        if marks and not self.holds(marks):
            return Matches(0, 0, ())
        said = {"pattern": pattern, "marks": int(marks), "kinds": list(kinds), "most": MATCHES}
        rows = self.ask(_MATCHING, said)
        return Matches(rows[0][2], rows[0][3], tuple((v, n) for v, n, *_ in rows)) if rows else Matches(0, 0, ())

    def likely(self, pattern: str) -> float:
        """The share of at most 200 of the different values that match: a cheap look before all are searched."""
        return float(self.ask(_LIKELY, {"pattern": pattern, "few": self._few})[0][0])

    @cached_property
    def _few(self) -> list[str]:
        """At most 200 of the different values, spread over the column and always the same."""
        return [row[0] for row in self.ask(_FEW)]

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
        said = {"comma": self.decimal_mark == ",", "outer": int(Mark.OUTER_SPACE)}
        found = self.con.execute(_NUMBERS, said).fetchnumpy()
        values, cells = np.asarray(found["number"], dtype=float), np.asarray(found["n"], dtype=np.int64)
        if len(values) == 0:
            return values, cells
        if cells.sum() < 3 * len(values):  # hardly any repeats: plain sorting is several times faster
            values = np.sort(np.repeat(values, cells))
            cells = np.ones(len(values), dtype=np.int64)
        else:
            order = np.argsort(values)
            values, cells = values[order], cells[order]
        first = np.flatnonzero(np.append(True, values[1:] != values[:-1]))
        return values[first], np.add.reduceat(cells, first)


def text_of(name: str) -> exp.Expr:
    """A delivered cell as text that is never NULL."""
    return template("coalesce(:c, '')", c=column(name))


@lru_cache(maxsize=1)
def _of_shapes() -> str:
    """`shapes`: what is known of the texts of each shape without looking at them."""
    found = exp.select("shape", exp.alias_(marks_of(column("shape")), "marks"))
    found = found.from_(exp.select("shape").distinct().from_("shaped").where("plain").subquery("different"))
    judged = exp.select("shape", "marks", exp.alias_(kind_of_shape(column("shape"), column("marks")), "kind"))
    return sql(temporary_table("shapes", judged.from_(found.subquery("marked"))))


@lru_cache(maxsize=1)
def _of_texts() -> str:
    """Adds to `study` the texts whose shape does not tell their kind."""
    marked = exp.select("value", "n", exp.alias_(marks_of(column("value")), "marks"), "shape").from_("shaped")
    marked = marked.where("NOT plain OR shape IN (SELECT shape FROM shapes WHERE kind IS NULL)")
    judged = exp.select("value", "n", "marks", "shape", exp.alias_(kind_of(column("value")), "kind"))
    return sql(exp.insert(judged.from_(marked.subquery("marked")), "study"))


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
