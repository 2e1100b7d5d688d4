"""Values, shapes and lengths of the cells as text."""

from __future__ import annotations

from functools import lru_cache

import duckdb
from sqlglot import exp

from pravin_core.engines.duckdb import column, sql, template
from pravin_core.profiling.model import Bin, Distribution, TextStatistics, ValueCount

TOP = 50
LONGEST_SHAPE = 40
SHOWN = 200

OUTER_SPACES = r"^[\s\p{Z}]|[\s\p{Z}]$"
INVISIBLE = r"[\p{Cc}\p{Cf}\x{00A0}]"

_TOP = """
SELECT left(value, $shown), n FROM vals WHERE value <> '' ORDER BY n DESC, value LIMIT $top
"""
_LENGTHS = """
SELECT min(length(value)), max(length(value)), sum(length(value) * n) / sum(n),
  sum(n * len(regexp_extract_all(value, '\\S+'))) / sum(n),
  coalesce(sum(n) FILTER (regexp_matches(value, $outer)), 0)::BIGINT,
  coalesce(sum(n) FILTER (regexp_matches(value, $invisible)), 0)::BIGINT
FROM vals WHERE value <> ''
"""


def values(con: duckdb.DuckDBPyConnection) -> tuple[ValueCount, ...]:
    """The most frequent values (the first 200 characters of each), most frequent first, ties by text."""
    return _pairs(con, _TOP, {"top": TOP, "shown": SHOWN})


def shapes(con: duckdb.DuckDBPyConnection) -> tuple[ValueCount, ...]:
    """The most frequent shapes: digits as 9, letters as a or A, everything else as it is."""
    return tuple(ValueCount(value=shape, count=cells) for shape, cells in con.execute(_shaping()).fetchall())


@lru_cache(maxsize=1)
def _shaping() -> str:
    grouped = exp.select(shape_of(column("value")).as_("shape"), "CAST(sum(n) AS BIGINT) AS cells").from_("vals")
    return sql(grouped.where("value <> ''").group_by("shape").order_by("cells DESC", "shape").limit(TOP))


def shape_of(cell: exp.Expr) -> exp.Expr:
    """The shape of a text as an expression: digits as 9, letters as a or A; long texts share one shape."""
    return template(
        """CASE WHEN length(:c) > :longest THEN 'longer than 40 characters' ELSE
        array_to_string(list_transform(string_split(:c, ''), lambda __char:
          CASE WHEN __char BETWEEN '0' AND '9' THEN '9' WHEN __char BETWEEN 'a' AND 'z' THEN 'a'
               WHEN __char BETWEEN 'A' AND 'Z' THEN 'A' WHEN upper(__char) = lower(__char) THEN __char
               WHEN __char = upper(__char) THEN 'A' ELSE 'a' END), '') END""",
        c=cell,
        longest=exp.Literal.number(LONGEST_SHAPE),
    )


def measure(con: duckdb.DuckDBPyConnection) -> TextStatistics | None:
    """Lengths, words and what cannot be seen; None when every cell is missing."""
    row = con.execute(_LENGTHS, {"outer": OUTER_SPACES, "invisible": INVISIBLE}).fetchone()
    if row is None or row[0] is None:
        return None
    return TextStatistics(
        shortest=row[0], longest=row[1], mean_length=row[2], mean_words=row[3], outer_spaces=row[4], invisible=row[5]
    )


def distribution(top: tuple[ValueCount, ...]) -> Distribution:
    """The twelve most frequent values as bars."""
    return Distribution(
        of="values", bins=tuple(Bin(low=v.value[:40], high=v.value[:40], count=v.count) for v in top[:12])
    )


def _pairs(con: duckdb.DuckDBPyConnection, query: str, parameters: dict[str, int]) -> tuple[ValueCount, ...]:
    return tuple(ValueCount(value=value, count=count) for value, count in con.execute(query, parameters).fetchall())
