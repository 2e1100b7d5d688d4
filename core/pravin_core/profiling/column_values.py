"""The values of a column that is profiled: each distinct one with their counts, marks, shapes and kinds, in one table `column_values`.

Everything measured or found about a column is computed from that table, once for each different value.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
import pyarrow
import pyarrow.compute
from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.engines.duckdb import beside
from pravin_core.engines.functions import Mark, marks_of, plain, shape_of
from pravin_core.engines.kinds import NUMERIC, kind_of, kind_of_words, kinds_of_shapes
from pravin_core.profiling.model import ColumnProfile, ValueCount
from pravin_core.sql.trees import column, sql, template

pa: Any = pyarrow
pc: Any = pyarrow.compute

TOP = 50
WIDE = 128  # bytes from here on belong to characters beyond ASCII
SHAPES = 300
BATCH = 100_000
SHOWN = 200

_OF_SURE = "CREATE OR REPLACE TEMP TABLE column_values AS SELECT value, n, marks, shape, kind FROM sure"
_OF_NOTHING = "INSERT INTO column_values VALUES ('', $missing, 0, '', 'missing')"
_FORMS = """
CREATE OR REPLACE TEMP TABLE forms AS
SELECT shape, kind, marks, sum(n)::BIGINT AS cells, count(*) AS different, min(value) AS example
FROM column_values WHERE value <> '' GROUP BY shape, kind, marks
"""
_TOP = "SELECT left(value, $shown), n FROM column_values WHERE value <> '' ORDER BY n DESC, value LIMIT $top"
_COUNTED = "SELECT kind, marks, sum(cells)::BIGINT, sum(different)::BIGINT FROM forms GROUP BY kind, marks ORDER BY ALL"
_SHAPES = """
SELECT shape, sum(cells)::BIGINT, left(min(example), $shown), arg_max(kind, (cells, kind)) FROM (
  SELECT shape, kind, sum(cells) AS cells, min(example) AS example FROM forms GROUP BY shape, kind
) GROUP BY shape ORDER BY sum(cells) DESC, shape LIMIT $top
"""
_NUMBERS = """
SELECT try_cast(value AS DOUBLE) AS number, n FROM column_values
WHERE kind IN ('whole number', 'decimal') AND marks & $outer = 0
UNION ALL
SELECT try_cast(replace(trim(value), ',', '.') AS DOUBLE), n FROM column_values
WHERE (kind IN ('whole number', 'decimal') AND marks & $outer > 0) OR ($comma AND kind = 'decimal comma')
"""
_GROUPED_BY_COMMAS = r"""
SELECT coalesce(sum(n) FILTER (
  kind = 'decimal comma' AND regexp_full_match(trim(value), '[+-]?[1-9]\d{0,2},\d{3}')
  AND abs(try_cast(replace(trim(value), ',', '') AS DOUBLE)) < sqrt(1000) * middle
), 0)::BIGINT
FROM column_values, (
  SELECT abs(median(try_cast(value AS DOUBLE))) AS middle FROM column_values WHERE kind = 'whole number'
)
"""
_MATCHING = """
SELECT value, n, sum(n) OVER ()::BIGINT, count(*) OVER () FROM column_values
WHERE value <> '' AND ($marks = 0 OR marks & $marks > 0) AND (len($kinds) = 0 OR list_contains($kinds, kind))
  AND regexp_matches(value, $pattern) ORDER BY n DESC, value LIMIT $most
"""
MATCHES = 5000
_FEW = """
SELECT value FROM column_values WHERE value <> '' AND kind <> 'missing token' ORDER BY hash(value), value LIMIT 200
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


class ColumnValues:
    """The column `name` of `source`; `records` is the length of the table, `now` what counts as the present."""

    def __init__(
        self, con: Connection, source: exp.Expr, name: str, position: int, records: int, now: datetime
    ) -> None:
        self.con, self.source, self.name, self.position, self.records, self.now = (
            con, source, name, position, records, now,
        )  # fmt: skip
        cell = column(name)
        grouped = exp.select(exp.alias_(cell, "value"), exp.alias_(exp.Count(this=exp.Star()), "n"))
        grouped = grouped.from_(source).where(template(":c <> ''", c=cell)).group_by(cell.copy())
        with beside(con) as other:
            judging = _Judging(other.sql(sql(grouped)).to_arrow_reader(BATCH))
            con.register("sure", judging.sure())
            con.execute(_OF_SURE)
            con.unregister("sure")
        if judging.unsure:
            con.register("unsure", pa.Table.from_batches(judging.unsure))
            con.execute(_of_unsure(judging.digits))
            con.unregister("unsure")
        if records > judging.cells:
            con.execute(_OF_NOTHING, {"missing": records - judging.cells})
        con.execute(_FORMS)
        self._missing = records - judging.cells

    def ask(self, query: str, parameters: Any = None) -> list[tuple[Any, ...]]:
        """The rows of a query over `column_values(value, n, marks, shape, kind)`."""
        return self.con.execute(query, parameters).fetchall()

    def pairs(self, query: str, parameters: Any = None) -> tuple[ValueCount, ...]:
        """The rows of a query that gives texts and their cells."""
        return tuple(ValueCount(value=value, count=count) for value, count in self.ask(query, parameters))

    @cached_property
    def _counted(self) -> list[tuple[str, int, int, int]]:
        """Kind, marks, cells and different values of each combination."""
        results = [(kind, marks, cells, values) for kind, marks, cells, values in self.ask(_COUNTED)]
        return [*results, ("missing", 0, self._missing, 1)] if self._missing else results

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

    def count_where(self, mark: int) -> int:
        """Cells that hold any character of these marks."""
        return sum(cells for _, marks, cells, _ in self._counted if marks & mark)

    def matching(self, pattern: str, marks: int = 0, kinds: Sequence[str] = ()) -> Matches:
        """The values that match a pattern, of some kinds, holding any of some marks; most frequent first."""
        if marks and not self.count_where(marks):
            return Matches(0, 0, ())
        parameters = {"pattern": pattern, "marks": int(marks), "kinds": list(kinds), "most": MATCHES}
        rows = self.ask(_MATCHING, parameters)
        return Matches(rows[0][2], rows[0][3], tuple((v, n) for v, n, *_ in rows)) if rows else Matches(0, 0, ())

    def match_rate(self, pattern: str) -> float:
        """The share of at most 200 of the different values that match: a cheap look before all are searched."""
        matches = pc.sum(pc.match_substring_regex(self._few, pattern)).as_py()
        return float(matches or 0) / max(1, len(self._few))

    @cached_property
    def _few(self) -> Any:
        """At most 200 of the different values, spread over the column and always the same (Arrow texts)."""
        return pa.array([row[0] for row in self.ask(_FEW)], pa.string())

    @property
    def decimal_mark(self) -> str:
        """The mark that most decimals of the column are written with.

        Three digits after a comma, nearer to the whole numbers of the column as thousands than as decimals, speak for the point.
        """
        commas, points = self.kinds.get("decimal comma", 0), self.kinds.get("decimal", 0)
        if commas > points and self.kinds.get("whole number", 0) > commas:
            commas -= self._grouped_by_commas
            points += self._grouped_by_commas
        return "," if commas > points else "."

    @cached_property
    def _grouped_by_commas(self) -> int:
        return int(self.ask(_GROUPED_BY_COMMAS)[0][0])

    @property
    def decimals(self) -> int:
        """Cells that read as a number with decimals."""
        return self.kinds.get("decimal", 0) + self.kinds.get("decimal comma", 0)

    @property
    def numeric(self) -> int:
        """Cells that read as a number."""
        return sum(self.kinds.get(kind, 0) for kind in NUMERIC)

    @cached_property
    def numbers(self) -> tuple[np.ndarray[Any, Any], np.ndarray[Any, Any]]:
        """The different numbers in rising order (float64) and the cells of each (int64)."""
        parameters = {"comma": self.decimal_mark == ",", "outer": int(Mark.OUTER_SPACE)}
        results = self.con.execute(_NUMBERS, parameters).fetchnumpy()
        values, cells = np.asarray(results["number"], dtype=float), np.asarray(results["n"], dtype=np.int64)
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


def cell_of(profile: ColumnProfile) -> exp.Expr:
    """The cells of a column as text that is never NULL, taken as they stand where none is missing: that reads much faster."""
    return text_of(profile.name) if profile.missing else column(profile.name)


class _Judging:
    """Goes through the different values of a column with their cells, in batches, once.

    Those whose shape tells their kind come out of `sure`; the others are kept in `unsure`, `digits` when any of these
    holds one. `cells` is how many cells all of them have.
    """

    def __init__(self, counted: Any) -> None:
        self.counted = counted
        self.unsure: list[Any] = []
        self.digits = False
        self.cells = 0

    def sure(self) -> Any:
        """An Arrow reader of value, n, marks, shape and kind."""
        fields = [("value", pa.string()), ("n", pa.int64()), ("marks", pa.int32()), ("shape", pa.string())]
        return pa.RecordBatchReader.from_batches(pa.schema([*fields, ("kind", pa.string())]), self._batches())

    def _batches(self) -> Iterator[Any]:
        for batch in self.counted:
            value, data, _ = plain(batch.column(0))
            n = batch.column(1)
            self.cells += pc.sum(n).as_py() or 0
            shape = shape_of(value)
            encoded = shape.dictionary_encode()
            marks = marks_of(encoded.dictionary).take(encoded.indices)
            kind = kinds_of_shapes(encoded.dictionary).take(encoded.indices)
            sure = pc.is_valid(kind)
            if (data >= WIDE).any():
                sure = pc.and_(sure, pc.equal(pc.binary_length(value), pc.utf8_length(value)))
            judged = pa.record_batch([value, n, marks, shape, kind], ["value", "n", "marks", "shape", "kind"])
            if not pc.all(sure).as_py():
                unsure = judged.filter(pc.invert(sure)).drop_columns(["kind"])
                self.digits = self.digits or pc.any(pc.match_substring_regex(unsure["value"], "[0-9]")).as_py()
                self.unsure.append(unsure)
                judged = judged.filter(sure)
            yield judged


@lru_cache(maxsize=2)
def _of_unsure(digits: bool) -> str:
    """Adds to `column_values` the texts whose shape does not tell their kind; texts without digits are judged faster."""
    kind = kind_of(column("value")) if digits else kind_of_words(column("value"))
    judged = exp.select("value", "n", "marks_of(value)", "shape", exp.alias_(kind, "kind")).from_("unsure")
    return sql(exp.insert(judged, "column_values"))


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
