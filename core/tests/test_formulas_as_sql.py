"""Formulas as people write them who know SQL: the words of the standard and of its neighbours, and the slips of other tools.

The formulas were written down from the SQL standard, with the results worked out by hand.
"""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path

import duckdb
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.errors import FormulaError
from pravin_core.formulas.functions import FUNCTIONS
from pravin_core.formulas.language import parse
from pravin_core.sql.trees import sql
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

COLUMNS = [
    Column("price", DataType.DECIMAL), Column("qty", DataType.WHOLE), Column("name"), Column("code"), Column("sent", DataType.DATE),
    Column("at", DataType.DATETIME), Column("paid", DataType.BOOLEAN), Column("note"), Column("amount", DataType.EXACT), Column("born", DataType.DATE),
    Column("raw"), Column("load", DataType.DECIMAL), Column("site name"),
]  # fmt: skip
_ROW = (
    "12.5::DOUBLE AS price, 3::BIGINT AS qty, 'Anna Tarrow' AS name, 'WQ-0042-b' AS code, DATE '2024-03-17' AS sent, "
    "TIMESTAMP '2024-03-17 09:40:05' AS at, true AS paid, NULL::VARCHAR AS note, 1170.495::DECIMAL(38, 10) AS amount, "
    "DATE '2000-02-29' AS born, ' 7.25 ' AS raw, 40.0::DOUBLE AS load, 'Upper Merrow' AS \"site name\""
)


@pytest.fixture(scope="module")
def con(tmp_path_factory: pytest.TempPathFactory) -> Iterator[duckdb.DuckDBPyConnection]:
    folder: Path = tmp_path_factory.mktemp("sql")
    with connect([folder], folder / "scratch") as own:
        know_operations(own)
        own.execute(f"CREATE TEMP TABLE t AS SELECT {_ROW}")
        yield own


def value(con: duckdb.DuckDBPyConnection, formula: str) -> object:
    row = con.execute("SELECT " + sql(parse(formula, COLUMNS).expression) + " FROM t").fetchone()
    assert row is not None
    return row[0]


AS_WRITTEN: list[tuple[str, object]] = [
    # casts
    ("CAST(raw AS DOUBLE PRECISION)", 7.25), ("CAST(raw AS INTEGER)", 7.0), ("CAST(price AS INTEGER)", 13.0),
    ("CAST(price AS VARCHAR)", "12.5"), ("CAST(price AS TEXT) || ' EUR'", "12.5 EUR"), ("CAST(name AS CHAR(4))", "Anna"),
    ("CAST(name AS VARCHAR(4))", "Anna"), ("CAST('2024-02-29' AS DATE)", date(2024, 2, 29)), ("CAST('2024-02-30' AS TEXT)", "2024-02-30"),
    ("CAST(at AS DATE)", date(2024, 3, 17)), ("CAST(sent AS TIMESTAMP)", datetime(2024, 3, 17)), ("raw::numeric(10, 1)", 7.3), ("qty::text", "3"),
    ("CAST(name AS INTEGER)", None), ("TRY_CAST(name AS DOUBLE)", None), ("CAST('yes' AS BOOLEAN)", True), ("'12'::int + 1", 13.0),
    ("CAST('2024-03-17 09:40:05' AS TIMESTAMP)", datetime(2024, 3, 17, 9, 40, 5)), ("CAST(price AS DECIMAL(10, 0))", 13.0),
    ("CAST(note AS INTEGER)", None), ("CAST(paid AS INTEGER)", 1.0),
    # parts of dates
    ("EXTRACT(YEAR FROM sent)", 2024.0), ("EXTRACT(MONTH FROM sent)", 3.0), ("EXTRACT(DAY FROM sent)", 17.0), ("EXTRACT(HOUR FROM at)", 9.0),
    ("EXTRACT(MINUTE FROM at)", 40.0), ("EXTRACT(SECOND FROM at)", 5.0), ("EXTRACT(QUARTER FROM sent)", 1.0), ("EXTRACT(DOW FROM sent)", 0.0),
    ("EXTRACT(ISODOW FROM sent)", 7.0), ("EXTRACT(DOY FROM sent)", 77.0), ("EXTRACT(WEEK FROM sent)", 11.0), ("DATE_PART('year', sent)", 2024.0),
    ("EXTRACT(EPOCH FROM at)", 1710668405.0), ("extract(isoyear from date '2021-01-02')", 2020.0),
    ("DATE_TRUNC('month', sent)", date(2024, 3, 1)), ("DATE_TRUNC('year', sent)", date(2024, 1, 1)), ("DATE_TRUNC('quarter', sent)", date(2024, 1, 1)),
    ("date_trunc('week', sent)", date(2024, 3, 11)), ("date_trunc('hour', at)", datetime(2024, 3, 17, 9)), ("date_trunc('day', at)", date(2024, 3, 17)),
    ("date_trunc('minute', at)", datetime(2024, 3, 17, 9, 40)),
    # calculating with dates
    ("sent + 7", date(2024, 3, 24)), ("sent - 17", date(2024, 2, 29)), ("7 + sent", date(2024, 3, 24)), ("sent - born", 8783.0),
    ("sent + INTERVAL '1 month'", date(2024, 4, 17)), ("sent + INTERVAL '1' YEAR", date(2025, 3, 17)), ("born + INTERVAL '1' YEAR", date(2001, 2, 28)),
    ("sent - INTERVAL '2 weeks'", date(2024, 3, 3)), ("at + INTERVAL '90 minutes'", datetime(2024, 3, 17, 11, 10, 5)),
    ("at - INTERVAL '1 hour'", datetime(2024, 3, 17, 8, 40, 5)), ("sent + INTERVAL 3 DAY", date(2024, 3, 20)), ("sent - born > 365", True),
    ("(sent - born) / 365.25 > 24", True), ("sent - born + 1", 8784.0), ("sent + qty", date(2024, 3, 20)), ("sent + interval '1 day' - born", 8784.0),
    ("sent > '2024-01-01'", True), ("sent BETWEEN '2024-03-01' AND '2024-03-31'", True), ("at >= '2024-03-17 09:40'", True),
    ("sent IN ('2024-03-17', '2024-03-18')", True), ("sent = DATE '2024-03-17'", True),
    # texts
    ("SUBSTRING(code FROM 4 FOR 4)", "0042"), ("SUBSTRING(code FROM 4)", "0042-b"), ("SUBSTRING(code, 1, 2)", "WQ"), ("SUBSTR(code, 4, 2)", "00"),
    ("SUBSTRING(code FOR 2)", "WQ"), ("POSITION('-' IN code)", 3.0), ("STRPOS(code, '-')", 3.0), ("INSTR(code, '-')", 3.0), ("POSITION('x' IN code)", 0.0),
    ("TRIM(raw)", "7.25"), ("TRIM(BOTH ' ' FROM raw)", "7.25"), ("TRIM(LEADING 'W' FROM code)", "Q-0042-b"), ("TRIM(TRAILING 'b' FROM code)", "WQ-0042-"),
    ("TRIM(BOTH FROM raw)", "7.25"), ("BTRIM(code, 'Wb')", "Q-0042-"), ("LTRIM('0042', '0')", "42"), ("RTRIM('7.500', '0')", "7.5"),
    ("UPPER(name)", "ANNA TARROW"), ("LOWER(name)", "anna tarrow"), ("INITCAP('anna TARROW')", "Anna Tarrow"), ("CHAR_LENGTH(code)", 9.0),
    ("CHARACTER_LENGTH(code)", 9.0), ("LENGTH(code)", 9.0), ("OVERLAY(code PLACING 'xx' FROM 1 FOR 2)", "xx-0042-b"),
    ("OVERLAY(code PLACING 'xx' FROM 1)", "xx-0042-b"), ("CONCAT(name, ', ', qty)", "Anna Tarrow, 3"), ("CONCAT_WS('-', 'a', note, qty)", "a-3"),
    ("name || ' ' || qty", "Anna Tarrow 3"), ("name || note", None), ("REPLACE(code, '-', '')", "WQ0042b"), ("REVERSE('abc')", "cba"),
    ("LEFT(code, 2)", "WQ"), ("RIGHT(code, 1)", "b"), ("REPEAT('ab', 2)", "abab"), ("SPLIT_PART(code, '-', 2)", "0042"),
    ("TRANSLATE(code, '-b', '_c')", "WQ_0042_c"), ("CHR(65)", "A"), ("ASCII('A')", 65.0), ("LPAD('7', 3, '0')", "007"), ("RPAD('7', 3, '.')", "7.."),
    ("REGEXP_REPLACE(code, '[0-9]', 'x')", "WQ-x042-b"), ("REGEXP_REPLACE(code, '[0-9]', 'x', 'g')", "WQ-xxxx-b"),
    ("REGEXP_REPLACE(code, 'wq', 'x', 'i')", "x-0042-b"), ("REGEXP_MATCHES(code, '^WQ')", True), ("REGEXP_SUBSTR(code, '[0-9]+')", "0042"),
    ("STARTS_WITH(code, 'WQ')", True), ("TO_CHAR(sent, 'DD.MM.YYYY')", "17.03.2024"), ("TO_CHAR(at, 'YYYY-MM-DD HH24:MI')", "2024-03-17 09:40"),
    ("TO_DATE('17.03.2024', 'DD.MM.YYYY')", date(2024, 3, 17)), ("TO_TIMESTAMP('17/03/2024 09:40', 'DD/MM/YYYY HH24:MI')", datetime(2024, 3, 17, 9, 40)),
    ('"site name"', "Upper Merrow"),
    # numbers
    ("CEIL(price)", 13.0), ("CEILING(price)", 13.0), ("FLOOR(price)", 12.0), ("ROUND(price / 3, 2)", 4.17), ("TRUNC(price)", 12.0), ("TRUNC(12.789, 1)", 12.7),
    ("MOD(qty, 2)", 1.0), ("qty % 2", 1.0), ("ABS(-price)", 12.5), ("POWER(qty, 2)", 9.0), ("POW(qty, 2)", 9.0), ("SQRT(qty * qty)", 3.0), ("SIGN(-2)", -1.0),
    ("LN(1)", 0.0), ("LOG(100)", 2.0), ("GREATEST(price, qty)", 12.5), ("LEAST(price, qty)", 3.0), ("ROUND(amount, 2)", Decimal("1170.50")),
    ("price * qty", 37.5), ("load + 1", 41.0), ("-qty", -3.0), ("1 / 3 < 0.34", True),
    # choices and conditions
    ("CASE qty WHEN 1 THEN 'one' WHEN 3 THEN 'three' ELSE 'many' END", "three"), ("CASE WHEN price > 10 THEN 'dear' ELSE 'cheap' END", "dear"),
    ("CASE name WHEN 'x' THEN 1 END", None), ("NULLIF(qty, 3)", None), ("COALESCE(note, name)", "Anna Tarrow"), ("IFNULL(note, 'none')", "none"),
    ("NVL(note, 'none')", "none"), ("note IS NULL", True), ("note IS NOT NULL", False), ("paid", True), ("NOT paid", False), ("paid IS TRUE", True),
    ("note IS DISTINCT FROM name", True), ("note IS NOT DISTINCT FROM NULL", True), ("qty IS NOT DISTINCT FROM 3", True), ("name LIKE 'Anna%'", True),
    ("name NOT LIKE '%x%'", True), ("name ILIKE 'ANNA%'", True), ("'50%' LIKE '50!%' ESCAPE '!'", True), ("'500' LIKE '50!%' ESCAPE '!'", False),
    ("'500' NOT LIKE '50!%' ESCAPE '!'", True), ("price BETWEEN 10 AND 20", True), ("price NOT BETWEEN 10 AND 20", False),
    ("price BETWEEN SYMMETRIC 20 AND 10", True), ("qty IN (1, 2, 3)", True), ("qty NOT IN (1, 2, 3)", False), ("qty <> 3", False), ("qty != 3", False),
    ("price > 10 AND (qty = 3 OR paid)", True), ("load > 10 and paid", True), ("IIF(paid, 'y', 'n')", "y"),
]  # fmt: skip


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
    ],
)  # fmt: skip
def test_what_only_looks_like_a_slip_is_none(formula: str) -> None:
    """Words of other tools as names of columns, and inside of texts."""
    columns = [Column(name, DataType.DECIMAL) for name in ("mod", "div", "matches", "load", "a [b]")]
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
    with pytest.raises(FormulaError) as caught:
        parse(formula, COLUMNS)
    assert formula[caught.value.start : caught.value.end] == where
    assert word in f"{caught.value.message} {caught.value.advice}"


_EXAMPLES = st.sampled_from([function.example for function in FUNCTIONS.values()])


@given(st.lists(_EXAMPLES, min_size=2, max_size=6))
def test_a_part_of_a_formula_is_what_it_is_alone(examples: list[str]) -> None:
    """Also where defaults of arguments are left out in several functions."""
    alone = [sql(parse(f"to_text({example})", []).expression) for example in examples]
    together = sql(parse(f"join_texts('|', {', '.join(f'to_text({example})' for example in examples)})", []).expression)
    for text in alone:
        assert text.removeprefix("NULLIF(").removesuffix(", '')") in together
