"""Formulas as people write them who know SQL: the words of the standard and of its neighbours, and the slips of other tools.

The formulas were written down from the SQL standard, with the results worked out by hand.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date, datetime
from pathlib import Path

import duckdb
import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_formulas import assert_told

from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.formulas.functions import FUNCTIONS
from pravin_core.formulas.language import parse
from pravin_core.formulas.standard import FORMS, Form, other_names
from pravin_core.sql.trees import sql
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType
from testing.sql_formulas import AS_WRITTEN, COLUMNS, ROW


@pytest.fixture(scope="module")
def con(tmp_path_factory: pytest.TempPathFactory) -> Iterator[duckdb.DuckDBPyConnection]:
    folder: Path = tmp_path_factory.mktemp("sql")
    with connect([folder], folder / "scratch") as own:
        know_operations(own)
        own.execute(f"CREATE TEMP TABLE t AS SELECT {ROW}")
        yield own


def value(con: duckdb.DuckDBPyConnection, formula: str) -> object:
    row = con.execute("SELECT " + sql(parse(formula, COLUMNS).expression) + " FROM t").fetchone()
    assert row is not None
    return row[0]


@pytest.mark.parametrize(("formula", "expected"), AS_WRITTEN)
def test_sql_runs_as_it_is_written(formula: str, expected: object, con: duckdb.DuckDBPyConnection) -> None:
    given_ = value(con, formula)
    assert given_ == (pytest.approx(expected) if isinstance(expected, float) else expected)
    assert isinstance(given_, date) == isinstance(expected, date)
    assert isinstance(given_, datetime) == isinstance(expected, datetime)


def test_they_are_many() -> None:
    assert len({formula for formula, _ in AS_WRITTEN}) >= 120
    assert len({formula for formula, _, _ in SLIPS}) >= 60


@pytest.mark.parametrize(
    "formula",
    [
        "mod is null or mod > 1", "div in (1, 2)", "note like 'a' and matches is null", "position('in 1' in note) > 0", "contains(note, 'if x then y')",
        "note = 'a contains ''b'", "note = '=1; 2, 3'", "\"a [b]\" > 1", "note <> '5 ^ 2 ? `x`'", "replace(note, ',', ';') = ';'", "mod in (1, 2) and div between 1 and 2",
        "note like '%in 5%'", "case when mod = 1 then 'and < 3' end = 'x'", "load is null and div not between 1 and 2", "trim(both '-' from note) = 'x'",
        "mod > 60 and \"a [b]\" = 1", "'x' = note or 'y' = note", "note in ('a', 'b') or 'c' in (note, 'd')", "case when 'x' = note then 'then' end = note",
        "current_date is null", "note = 'x' and 'and < 5' <> note", "\"a [b]\" in (1, 2)", "note like '50%' and 'a' like note",
    ],
)  # fmt: skip
def test_what_only_looks_like_a_slip_is_none(formula: str) -> None:
    """Words of other tools as names of columns, and inside of texts."""
    columns = [Column(name, DataType.DECIMAL) for name in ("mod", "div", "matches", "load", "a [b]", "current_date")]
    assert parse(formula, [*columns, Column("note")]).type is DataType.BOOLEAN


#: A slip, where it is, and a word of what is said about it.
SLIPS = [
    ("price > 7,5", "7,5", "decimal point"), ("round(price; 2)", "(price;", "commas"), ("= price * 2", "=", "begins without"),
    ("IF price > 7 THEN 'a' ELSE 'b'", "IF price > 7 THEN", "case when"), ("name & ' x'", "&", "||"), ("`name`", "`", "double quotes"),
    ("name = 'it's'", "'", "written twice"), ("CASE WHEN price > 7 THEN 1", "CASE", "end"), ("sent > 2024-01-01", "2024-01-01", "date '2024"),
    ("sent > date 2024-01-01", "date 2024-0", "quotes"), ("price, qty", ",", "one expression"), ("sent + INTERVAL 'a month'", "'a month'", "one number and one unit"),
    ("sent + sent", "sent", "days"), ("price + sent + sent", "sent", "days"), ("EXTRACT(FORTNIGHT FROM sent)", "sent", "no part of a date"),
    ("date_trunc('moon', sent)", "date_trunc('moon', sent)", "no part of a date"), ("CAST(price AS BLOB)", "price", "Cast to text"),
    ("CAST(sent AS INTEGER)", "sent", "cast to int"), ("name LIKE 'a!%' ESCAPE '!!'", "'!!'", "one character"), ("to_char(price, '999')", "to_char(price, '999')", "to_text"),
    ("regexp_replace(name, 'a', 'b', 'x')", "regexp_replace(name, 'a', 'b', 'x')", "flags"), ("trim(BOTH 7 FROM name)", "7", "to_text"),
    ("at - sent", "sent", "hours_between"), ("interval '1 day'", "interval '1 day'", "cannot be used"), ("price::interval", "price", "Cast to"),
    ("date_trunc(sent)", "date_trunc(sent)", "date_trunc('part', moment)"), ("instr(name)", "instr(name)", "position(a, b)"),
    ("[price] * 2", "[", "double quotes"), ("code[1]", "[", "substring"), ("price > 5 or < 3", "or <", "x > 5 or x < 3"), ("price in 1, 2", "in 1,", "brackets"),
    ("qty in 3", "qty in 3", "brackets"), ("price between 1, 10", "between 1,", "and"), ("5 < price < 10", "5 < price < 10", "between"), ("price ^ 2", "^", "power"),
    ("price ** 2", "**", "power"), ("case price > 7 then 1 end", "case", "when"), ("paid = 'yes'", "'yes'", "alone"), ("paid = 1", "1", "alone"),
    ("price <> ''", "''", "is null"), ("sent > '17.03.2024'", "'17.03.2024'", "to_date('17.03.2024', '%d.%m.%Y')"), ("sent > 01/01/2024", "01/01/2024", "quotes"),
    ("name contains 'x'", "contains", "contains(name, 'x')"), ("name starts with 'A'", "starts with", "starts_with"), ("name matches '^A'", "matches", "matches(name"),
    ("price mod 2", "mod", "%"), ("price div 2", "div", "quotient"), ("price = 5 ? 'a' : 'b'", "?", "case when"), ("name.upper()", "name.upper(", "before"),
    ("name like Anna%", "like Anna%", "quotes"), ("now()", "now()", ":today"), ("sent > current_date", "current_date", ":today"),
    ("VLOOKUP(code, t, 2)", "VLOOKUP(code, t, 2)", "join columns"), ("SUM(price)", "SUM(price)", "one record"), ("TEXT(price, '0.00')", "TEXT(price, '0.00')", "to_text"),
    ("datediff('day', born, sent)", "datediff('day', born, sent)", "days_between"), ("iif(price > 5; 'a'; 'b')", "(price > 5; 'a';", "commas"),
    ("name == 'x'", "==", "single ="), ("name = null", "= null", "is null"), ("name = Anna", "Anna", "single quotes"), ("Price + 1", "Price", "“price”"),
    ("len name", "len name", "brackets"), ("price and paid", "price", "x > 0"), ("year(name)", "name", "to_date"), ("price + ' EUR'", "' EUR'", "to_number"),
    ("name || split(name, ' ')", "split(name, ' ')", "join_items"), ("price || qty", "price", "to_text"), ("name IS DISTINCT FROM 7", "name", "one kind"),
]  # fmt: skip


@pytest.mark.parametrize(("formula", "where", "word"), SLIPS)
def test_slips_are_told_where_they_are(formula: str, where: str, word: str) -> None:
    assert_told(formula, COLUMNS, where, word)


@pytest.mark.parametrize("form", FORMS, ids=lambda form: form.name)
def test_every_form_does_what_its_example_says(form: Form, con: duckdb.DuckDBPyConnection) -> None:
    assert value(con, form.example) == form.result
    assert form.insert.count("|") == 1


@pytest.mark.parametrize("name", other_names())
def test_other_names_are_no_functions_of_ours_and_lead_to_some(name: str) -> None:
    assert name not in FUNCTIONS
    called = set(re.findall(r"(\w+)\(", other_names()[name])) - {"CAST", "extract"}
    assert called <= set(FUNCTIONS)


_EXAMPLES = st.sampled_from([function.example for function in FUNCTIONS.values()])


@given(st.lists(_EXAMPLES, min_size=2, max_size=6))
def test_a_part_of_a_formula_is_what_it_is_alone(examples: list[str]) -> None:
    """Also where defaults of arguments are left out in several functions."""
    alone = [sql(parse(f"to_text({example})", []).expression) for example in examples]
    together = sql(parse(f"join_texts('|', {', '.join(f'to_text({example})' for example in examples)})", []).expression)
    for text in alone:
        assert text.removeprefix("NULLIF(").removesuffix(", '')") in together
