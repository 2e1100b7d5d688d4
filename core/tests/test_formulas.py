"""Formulas: every function does what its example says, mistakes are explained where they are, nothing else gets through."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

import duckdb
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlglot import exp

from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.errors import FormulaError
from pravin_core.formulas.checking import Checking
from pravin_core.formulas.functions import FUNCTIONS
from pravin_core.formulas.language import _PARTS, condition, parse
from pravin_core.formulas.patterns import groups
from pravin_core.formulas.reading import DEEPEST
from pravin_core.sql.trees import sql
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

COLUMNS = [
    Column("ph", DataType.DECIMAL), Column("station"), Column("sampled_on", DataType.DATE), Column("water temp"),
    Column("wet", DataType.BOOLEAN), Column("depth"),
]  # fmt: skip


@pytest.fixture(scope="module")
def con(tmp_path_factory: pytest.TempPathFactory) -> Iterator[duckdb.DuckDBPyConnection]:
    folder: Path = tmp_path_factory.mktemp("formulas")
    with connect([folder], folder / "scratch") as result_:
        know_operations(result_)
        result_.execute(
            "CREATE TEMP TABLE t AS SELECT 7.4::DOUBLE AS ph, ' Weir 2 ' AS station, DATE '2024-03-17' AS sampled_on, "
            "'12,5' AS \"water temp\", true AS wet, NULL::VARCHAR AS depth"
        )
        yield result_


def result(con: duckdb.DuckDBPyConnection, formula: str) -> object:
    row = con.execute("SELECT " + sql(parse(formula, COLUMNS).expression) + " FROM t").fetchone()
    assert row is not None
    return row[0]


@pytest.mark.parametrize("name", FUNCTIONS)
def test_every_function_does_what_its_example_says(name: str, con: duckdb.DuckDBPyConnection) -> None:
    assert result(con, FUNCTIONS[name].example) == FUNCTIONS[name].result


def test_there_are_many_functions() -> None:
    assert len(FUNCTIONS) >= 90
    assert all(function.about.endswith(".") for function in FUNCTIONS.values())


@pytest.mark.parametrize(
    ("formula", "wanted"),
    [
        ("ph * 2 + 1", 15.8), ("-ph", -7.4), ("ph / 0", None), ("ph % 5", 2.4), ("1 + 2 * 3", 7.0), ("(1 + 2) * 3", 9.0),
        ("trim(station) || '!'", "Weir 2!"), ("station || depth", None), ("coalesce(depth, 'none')", "none"),
        ('to_number("water temp", \',\') > 12', True), ("ph between 7 and 8 and not wet", False), ("depth is null", True),
        ("wet is true", True), ("station in ('a', ' Weir 2 ')", True), ("station like '%2 '", True), ("ph <> 7.4", False),
        ("case when ph > 7 then 'high' when ph > 5 then 'low' end", "high"), ("case when ph > 9 then 1 end", None),
        ("sampled_on >= date '2024-03-01'", True), ("year(sampled_on) * 100 + month(sampled_on)", 202403.0),
        ("if(depth = 'x', 1, 2)", 2.0), ("''", None), ("null", None), ("'it''s'", "it's"), ("0.1 + 0.2", 0.1 + 0.2),
        ("power(10, 400)", None), ("to_text(ph) || to_text(sampled_on)", "7.42024-03-17"), ("item(split(station, ' '), 9)", None),
        ("make_date(2024, 2, 30)", None), ("to_date('30.02.2024', '%d.%m.%Y')", None), ("word(station, 0)", None),
    ],
)  # fmt: skip
def test_formulas_give(formula: str, wanted: object, con: duckdb.DuckDBPyConnection) -> None:
    result_ = result(con, formula)
    assert result_ == (pytest.approx(wanted) if isinstance(wanted, float) else wanted)


@pytest.mark.parametrize(
    ("formula", "opposite"),
    [
        ("station like '%2 '", "station not like '%2 '"), ("station like 'x'", "station not like 'x'"),
        ("station ilike '%WEIR%'", "station not ilike '%WEIR%'"), ("ph between 7 and 8", "ph not between 7 and 8"),
        ("station in ('a', ' Weir 2 ')", "station not in ('a', ' Weir 2 ')"), ("ph is null", "ph is not null"),
        ("depth is null", "depth is not null"), ("wet is true", "wet is not true"), ("wet is false", "wet is not false"),
        ("station ~~ '%2 '", "station !~~ '%2 '"), ("ph = 7.4", "ph <> 7.4"), ("ph > 7.4", "ph <= 7.4"), ("ph < 7.4", "ph >= 7.4"),
    ],
)  # fmt: skip
def test_what_is_not_so_is_the_opposite(formula: str, opposite: str, con: duckdb.DuckDBPyConnection) -> None:
    plain, negated = result(con, formula), result(con, opposite)
    assert isinstance(plain, bool)
    assert negated is (not plain)
    assert result(con, f"not ({opposite})") is plain


def test_every_argument_that_the_parser_can_give_is_read_or_refused() -> None:
    """For each type of node that is read: an argument not read here is refused, so nothing is dropped silently."""
    for kind, part in _PARTS.items():
        for name in {*kind.arg_types, "negate", "symmetric", "escape", "something"} - part.arguments:
            needed = {"this": "1", "is_string": False} if kind is exp.Literal else {}
            node = kind(**needed, **{name: exp.true()})
            with pytest.raises(FormulaError, match="cannot be used"):
                Checking("x", COLUMNS, _PARTS).of(node)


def test_every_other_type_of_node_is_refused() -> None:
    others = [kind for kind in _all_nodes(exp.Expression) if kind not in _PARTS]
    assert len(others) > 500
    for kind in others:
        with pytest.raises(FormulaError, match="cannot be used"):
            Checking("x", COLUMNS, _PARTS).of(kind())


def _all_nodes(kind: type[exp.Expr]) -> set[type[exp.Expr]]:
    return {kind, *(node for each in kind.__subclasses__() for node in _all_nodes(each))}


@pytest.mark.parametrize("formula", ["station like any ('a')", "cast(station as int default 1 on conversion error)", "station similar to 'a'",
                                     "ph between asymmetric 7 and 8 and 1 over ()", "station collate nocase = 'a'", "trim(station collate nocase)"])  # fmt: skip
def test_what_the_parser_understands_and_nobody_reads_is_refused(formula: str) -> None:
    with pytest.raises(FormulaError):
        parse(formula, COLUMNS)


MISTAKES = [
    ("", "", "is empty"), ("uper(station)", "uper(station)", "“upper” meant"), ("upper(statoin)", "statoin", "“station” meant"),
    ("upper station", "upper station", "operator is missing"), ("ph ph", "ph ph", "operator is missing"), ("ph > > 7", "> >", "Two comparisons"),
    ("ph == 7", "==", "single ="), ("ph => 7", "=>", ">="), ("ph =< 7", "=<", "<="), ("ph = null", "= null", "is null"),
    ("ph <> NULL", "<> NULL", "is null"), ("station + 'x'", "station", "||"), ("ph + station", "station", "to_number"),
    ("depth > 7", "depth", "to_number"), ("ph > 'high'", "'high'", "to_number"), ("upper(ph)", "ph", "to_text"), ("ph && wet", "&&", "and"),
    ('station = "Weir"', '"Weir"', "'Weir'"), ("upper(station", "(", "not closed"), ("upper(station))", ")", "closes none"),
    ("'open", "'open", "not closed"), ('"open', '"open', "not closed"), ("“a”", "“", "curly"), ("station = ’a’", "’", "curly"),
    ("round(ph, 1, 2)", "round(ph, 1, 2)", "1 to 2"), ("upper()", "upper()", "1 argument"), ("pi(3)", "pi(3)", "no arguments"),
    ("abs(7,4)", "abs(7,4)", "decimal point"), ("to_number(station, '..')", "'..'", "one character"), ("lpad(station, 4, 0)", "0", "one character"),
    ("to_date(station, 'tag.monat.jahr')", "'tag.monat.jahr'", "%d.%m.%Y"), ("matches(station, '(')", "'('", "pattern"),
    ("matches(station, depth)", "depth", "written out"), ("case ph when 'a' then 2 end", "'a'", "one kind"),
    ("case when ph then 1 end", "ph", "x > 0"), ("if(ph > 7, 'a', 2)", "2", "one kind"), ("coalesce(ph, 'none')", "'none'", "one kind"),
    ("sum(ph)", "sum(ph)", "one record"), ("count(*)", "count(*)", "one record"), ("avg(ph)", "avg(ph)", "one record"),
    ("ph over (order by ph)", "over (", "others"), ("select ph", "select p", "tables"), ("ph::json", "ph", "Cast to text"),
    ("cast(ph as date)", "ph", "Cast to text"), ("sampled_on + sampled_on", "sampled_on", "days"),
    ("sampled_on + station", "station", "days"), ("sampled_on > '1.1.2024'", "'1.1.2024'", "to_date"),
    ("date '2024-02-30'", "'2024-02-30'", "calendar"), ("station like 7", "7", "to_text"), ("not ph", "ph", "x > 0"), ("wet and ph", "ph", "x > 0"),
    ("in ('a')", "'a'", "missing after"), ("station in ('a', 7)", "7", "one kind"), ("station in ()", "station", "brackets"),
    ("ph between 1", "1", "missing after"), ("ph is 7", "ph is 7", "="), ("ph +", "+", "missing after"), ("ph;", ";", "one expression"),
    ("ph -- note", "--", "note"), ("station is empty", "is empty", "is null"), ("split(station, ',')", "split(station, ',')", "join_items"),
    ("wet = 'yes'", "'yes'", "alone"), ("substr(station)", "substr(station)", "2 to 3"), ("len(station, 1)", "len(station, 1)", "1 argument"),
    ("strptime(station, 'x')", "'x'", "form"), ("lower", "lower", "lower(…)"), ("samples.ph", "samples.ph", "one name"),
]  # fmt: skip


def assert_told(formula: str, columns: list[Column], where: str, word: str) -> None:
    """A formula is refused at its part `where`, with a word of what is said about it."""
    with pytest.raises(FormulaError) as caught:
        parse(formula, columns)
    assert formula[caught.value.start : caught.value.end] == where
    assert word in f"{caught.value.message} {caught.value.advice}"


@pytest.mark.parametrize(("formula", "where", "word"), MISTAKES)
def test_mistakes_are_explained_where_they_are(formula: str, where: str, word: str) -> None:
    assert_told(formula, COLUMNS, where, word)


def test_mistakes_are_many_and_conditions_must_hold_or_not() -> None:
    assert len(MISTAKES) >= 60
    with pytest.raises(FormulaError, match="must hold or not"):
        condition("ph + 1", COLUMNS)


_OUTSIDE = [
    f"{name}({argument})"
    for name in (
        "read_csv", "read_parquet", "read_json", "read_text", "read_blob", "glob", "parquet_scan", "sniff_csv", "duckdb_settings",
        "getenv", "current_setting", "query", "query_table", "pragma_version", "load_extension", "sqlite_scan", "postgres_scan",
        "eval", "system", "range", "generate_series", "unnest", "nextval", "random", "uuid", "now", "shape_of", "marks_of", "error",
        "list_transform", "list_reduce", "list_filter", "struct_pack", "row", "json_execute_serialized_sql", "write_log", "sleep", "md5",
    )
    for argument in ("", "'/etc/passwd'", "station")
]  # fmt: skip
_STATEMENTS = [
    start + rest
    for start in ("", "ph; ", "1 = 1 or ", "(", "upper(")
    for rest in (
        "select 1", "(select max(ph) from t)", "exists (select 1 from t)", "attach 'x.db'", "copy t to 'x'", "pragma database_list",
        "install httpfs", "load httpfs", "drop table t", "create table x as select 1", "set memory_limit = '1TB'", "insert into t values (1)",
        "with x as (select 1) select * from x", "values (1)", "from t", "call pragma_version()",
    )
]  # fmt: skip
_SHAPES = [
    "(" * 500 + "ph" + ")" * 500, "not " * 900 + "wet", "upper(" * 600 + "station" + ")" * 600, "-(" * 300 + "1" + ")" * 300,
    "1" + "+1" * 1500, "'" + "x" * 5000 + "'", "if(wet," * 200 + "1" + ",2)" * 200, "case when wet then " * 200 + "1" + " end" * 200,
    "enclosed(" * 12 + "station" + ", 'a', 'b')" * 12, "matches(station, '(a{1000}){1000}')", "matches(station, '((((a{100}){100}){100}){100})')",
    "station[1]", "{'a': 1}", "[1, 2]", "x -> x", "lambda x: x + 1", "$1", "?", ":a", "@ph", "ph ** 2", "ph // 2", "ph << 2", "ph & 1", "~1",
    "ph::json", "t.ph.x", "interval 3 day", "array[1]", "row(1)", "try_cast(ph as json)", "extract(year from t)", "*", "t.*",
    "columns('.*')", "count(*) filter (where wet)", "sum(ph) over ()", "ph collate nocase", "ph at time zone 'UTC'", "station similar to 'x'",
    "station glob 'x'", "position('a' in t)", "any_value(ph)", "station ~ 'x'", "ph = any(select 1)", "e'\\x41'", "$$x$$", "\x00", "ph\x00",
]  # fmt: skip
HOSTILE = [*_OUTSIDE, *_STATEMENTS, *_SHAPES]


def test_nothing_hostile_gets_through() -> None:
    assert len(HOSTILE) >= 200
    for formula in HOSTILE:
        begun = time.process_time()
        with pytest.raises(FormulaError):
            parse(formula, COLUMNS)
        assert time.process_time() - begun < 5, formula[:60]


@pytest.mark.parametrize("formula", [
    "length(repeat(repeat(repeat(station, 1000), 1000), 1000))", "length(lpad(station, 2000000000, 'x'))", "power(power(10, 300), 300)",
    "replace(replace(replace(repeat('a', 1000), 'a', repeat('a', 1000)), 'a', repeat('a', 1000)), 'a', repeat('b', 1000))",
    "matches(repeat('a', 1000), '^(a+)+$') and matches(repeat('a', 1000) || 'b', '^(a|aa)+$')",
    "substring(station, -99999999999, 99999999999)", "left(station, -5)", "add_days(sampled_on, 1e300)", "round(ph, 1e300)",
    "add_years(sampled_on, 999999)", "item(split(station, ''), 1e18)", "sqrt(-1)", "ln(0)", "acos(2)", "make_date(99999999, 1, 1)",
    "write_date(add_months(sampled_on, 90000), '%Y')", " || ".join(["station"] * DEEPEST)[:900].rpartition(" ||")[0],
])  # fmt: skip
def test_what_could_grow_is_bounded_and_never_stops_a_run(formula: str, con: duckdb.DuckDBPyConnection) -> None:
    begun = time.process_time()
    result_ = result(con, formula)
    assert not isinstance(result_, str) or len(result_) <= 20_000_000
    assert time.process_time() - begun < 10


_pieces = st.sampled_from(
    ["ph", "station", "wet", "sampled_on", "1", "'a'", "null", "(", ")", ",", "+", "||", "and", "or", "not", "=", "<", "between", "in", "is",
     "case", "when", "then", "end", "upper(", "round(", "if(", "coalesce(", "like", "-", "'", '"', ".", ";", "select", "[", "::"]
)  # fmt: skip


@settings(max_examples=200, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(pieces=st.lists(_pieces, max_size=9))
def test_any_text_is_refused_with_a_place_or_runs(pieces: list[str], con: duckdb.DuckDBPyConnection) -> None:
    formula = " ".join(pieces)
    with suppress(FormulaError):
        result(con, formula)
        return
    with pytest.raises(FormulaError) as caught:
        parse(formula, COLUMNS)
    assert 0 <= caught.value.start <= caught.value.end <= len(formula)
    assert caught.value.message
    assert caught.value.advice


@pytest.mark.parametrize(
    ("pattern", "count"),
    [
        ("", 0), ("a(b)", 1), (r"a\(b", 0), (r"\\(b)", 1), (r"\\\(b", 0), ("(a)(b(c))", 3), ("(?:a)", 0), ("(?i)a", 0), ("(?P<n>a)", 1),
        ("[(]a", 0), ("[^(](a)", 1), ("[](]a", 0), (r"[\](]a", 0), ("[[:alpha:](](a)", 1), (r"([a-z]+)\.([0-9]+)", 2), (r"([+-]?\d+),(\d+)", 2),
    ],
)  # fmt: skip
def test_the_groups_of_a_pattern_are_counted_as_the_engine_does(pattern: str, count: int) -> None:
    assert groups(pattern) == count
    if count:  # the engine refuses to extract a group that is not there
        with tempfile.TemporaryDirectory() as scratch, connect([], Path(scratch)) as con:
            con.execute("SELECT regexp_extract('x', $1, $2)", [pattern, count])
