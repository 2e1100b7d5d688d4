"""And and or beside each other: both readings with brackets; the first one means what the formula means."""

from __future__ import annotations

import itertools

import duckdb
import pytest

from pravin_core.formulas.brackets import readings
from pravin_core.formulas.language import condition
from pravin_core.tables.columns import Column

COLUMNS = [Column(name) for name in "abcd"]
MIXED = [
    ("a = 'x' or b = 'x' and c = 'x'", "a = 'x' or (b = 'x' and c = 'x')", "(a = 'x' or b = 'x') and c = 'x'"),
    ("a = 'x' AND b = 'x' OR c = 'x'", "(a = 'x' AND b = 'x') OR c = 'x'", "a = 'x' AND (b = 'x' OR c = 'x')"),
    ("a is null or b is null and c is null or d is null", "a is null or (b is null and c is null) or d is null",
     "(a is null or b is null) and (c is null or d is null)"),
    ("not (a = 'x' or b = 'x' and c = 'x')", "not (a = 'x' or (b = 'x' and c = 'x'))", "not ((a = 'x' or b = 'x') and c = 'x')"),
    ("length(a) between 1 and 2 or b = 'and' and c = 'or'", "length(a) between 1 and 2 or (b = 'and' and c = 'or')",
     "(length(a) between 1 and 2 or b = 'and') and c = 'or'"),
    ("case when a = 'x' or b = 'x' and c = 'x' then true else false end", "case when a = 'x' or (b = 'x' and c = 'x') then true else false end",
     "case when (a = 'x' or b = 'x') and c = 'x' then true else false end"),
]  # fmt: skip
CLEAR = [
    "a = 'x' and b = 'x' and c = 'x'", "a = 'x' or b = 'x'", "a = 'x' or (b = 'x' and c = 'x')", "(a = 'x' or b = 'x') and c = 'x'",
    "length(a) between 1 and 2 or b = 'x'", "a = 'this and that or none'", "if(a = 'x' and b = 'x', c = 'x' or d = 'x', true)",
    "case when a = 'x' and b = 'x' then c = 'x' or d = 'x' end", "upper(a)", "a = 'it", "",
]  # fmt: skip


@pytest.mark.parametrize(("text", "read", "other"), MIXED)
def test_both_readings_are_written_out(text: str, read: str, other: str) -> None:
    assert readings(text) == (read, other)


@pytest.mark.parametrize("text", CLEAR)
def test_what_is_clear_is_not_asked(text: str) -> None:
    assert readings(text) == ()


@pytest.mark.parametrize(("text", "read", "other"), MIXED)
def test_the_first_reading_means_the_same_and_asks_nothing_more(text: str, read: str, other: str) -> None:
    assert readings(read) == readings(other) == ()
    rows = list(itertools.product(["x", None, "yy"], repeat=4))
    with duckdb.connect() as con:
        con.execute("CREATE TABLE t AS SELECT * FROM (VALUES " + ", ".join(["(?, ?, ?, ?)"] * len(rows)) + ") AS v(a, b, c, d)",
                    [cell for row in rows for cell in row])  # fmt: skip
        given = [
            con.execute(
                f"SELECT a, b, c, d, {condition(each, COLUMNS).expression.sql(dialect='duckdb')} FROM t ORDER BY ALL"
            ).fetchall()
            for each in (text, read, other)
        ]
    assert given[0] == given[1]
    assert given[0] != given[2]
