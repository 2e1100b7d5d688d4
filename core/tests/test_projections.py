"""Steps that take every record by itself: what is passed on costs nothing, what nobody needs is not computed."""

from __future__ import annotations

import gc

import pytest
from sqlglot import exp, parse_one

from pravin_core.collecting import EVERY, collect_seldom
from pravin_core.compiler.plan import RunContext, compile_corrections, compile_rulebook
from pravin_core.compiler.plan_builder import Step
from pravin_core.compiler.projection import Projection, as_projection
from pravin_core.compiler.projection_fusion import fuse_projections
from pravin_core.rules.rulebook import Rulebook
from pravin_core.sql.trees import column, sql, table, template


def select(text: str) -> exp.Select:
    query = parse_one(text, dialect="duckdb")
    assert isinstance(query, exp.Select)
    return query


TRIMMED = template("trim(:a)", a=column("a"))


def test_a_projection_says_what_is_passed_on_renamed_and_computed() -> None:
    projection = Projection(table("t"), {"r": None, "b": TRIMMED, "c": column("a")})
    assert list(projection.computed) == ["b"]
    assert projection.reads == {"b": {"a"}}
    assert (projection.passed("r"), projection.passed("c")) == ("r", "a")
    assert sql(projection.select()) == 'SELECT "r", TRIM("a") AS "b", "a" AS "c" FROM t'
    assert TRIMMED.parent is None


def test_with_an_alias_what_is_passed_on_is_of_that_table() -> None:
    projection = Projection(table("t", "u"), {"r": None, "b": template("u.a + 1")})
    assert sql(projection.select()) == 'SELECT u."r", u.a + 1 AS "b" FROM t AS u'


@pytest.mark.parametrize(
    ("text", "cells", "of_records"),
    [
        ('SELECT r, trim(a) AS "b" FROM t', ["r", "b"], True),
        ("SELECT r, a AS b FROM t AS u", ["r", "b"], True),
        ("SELECT r, count(*) OVER () AS n FROM t", ["r", "n"], False),
        ("SELECT r, (SELECT 1) AS n FROM t", ["r", "n"], False),
        ("SELECT sum(a) AS n FROM t", ["n"], False),
        ("SELECT unnest(a) AS n FROM t", ["n"], False),
        ("SELECT a FROM read_parquet('x')", ["a"], False),
    ],
)
def test_which_queries_are_projections_of_single_records(text: str, cells: list[str], of_records: bool) -> None:
    projection = as_projection(select(text))
    assert projection is not None
    assert list(projection.cells) == cells
    assert projection.is_of_records is of_records


@pytest.mark.parametrize(
    "text",
    [
        "SELECT * FROM t", "SELECT r FROM t WHERE a > 1", "SELECT r FROM t JOIN u USING (r)", "SELECT DISTINCT r FROM t",
        "SELECT r FROM t ORDER BY r", "SELECT r FROM t LIMIT 1", "SELECT r FROM (SELECT r FROM t)", "SELECT 1 AS r",
        "SELECT t.* FROM t",
    ],
)  # fmt: skip
def test_which_queries_are_none(text: str) -> None:
    projection = as_projection(select(text))
    assert projection is None or not projection.is_of_records


def test_what_nobody_needs_is_not_computed() -> None:
    steps = [
        ("one", select("SELECT r, trim(a) AS a, lower(b) AS b, upper(c) AS c FROM t")),
        ("two", select("SELECT r, length(a) AS a, b, c FROM one")),
        ("three", select("SELECT r, a, b || c AS d FROM two")),
    ]
    text = " ".join(sql(query) for _, query in fuse_projections(steps, {"r", "a"}))
    assert "TRIM" in text
    assert "LOWER" not in text
    assert "UPPER" not in text
    assert fuse_projections(steps, {"r", "a"})[-1][1].named_selects == ["r", "a"]


def test_a_step_shows_more_without_a_change_of_its_own() -> None:
    step = Step("one", Projection(table("t"), {"r": None}), 3)
    more = step.showing({"was": column("a"), "none": exp.null()})
    assert sql(step.query) == 'SELECT "r" FROM t'
    assert sql(more.query) == 'SELECT "r", "a" AS "was", NULL AS "none" FROM t'
    assert (more.name, more.rule) == ("one", 3)
    met_step = Step("two", select("SELECT r FROM t LEFT JOIN u ON t.r = u.r"), 4)
    assert sql(met_step.showing({"was": column("a")}).query).startswith('SELECT r, "a" AS "was" FROM t LEFT JOIN')
    assert sql(met_step.query) == "SELECT r FROM t LEFT JOIN u ON t.r = u.r"


@pytest.mark.parametrize(
    ("text", "one_table", "further"),
    [
        ("SELECT r FROM t", True, False), ("SELECT r FROM t JOIN u ON t.r = u.r", True, True),
        ("SELECT r, sum(a) OVER () AS s FROM t", True, True), ("SELECT r FROM (SELECT r FROM t)", False, False),
    ],
)  # fmt: skip
def test_what_a_step_looks_at(text: str, one_table: bool, further: bool) -> None:
    for made in (select(text), as_projection(select(text))):
        if made is not None:
            step = Step("s", made, 1)
            assert (step.reads_one_table, step.looks_further) == (one_table, further)


def test_many_untouched_columns_cost_each_step_nothing() -> None:
    """What a rule over one column adds to the query does not grow with the columns it leaves alone."""

    def length(columns: int, rules: int) -> int:
        book = Rulebook.model_validate(
            {
                "rules": [
                    {"id": f"r{n}", "kind": "scale-values", "columns": ["a"], "factor": 2 + n} for n in range(rules)
                ]
            }
        )
        reading = {"id": "n", "kind": "to-number", "columns": ["a"]}
        book = Rulebook.model_validate({"rules": [reading, *book.model_dump()["rules"]]})
        names = ["a", *(f"c{n}" for n in range(columns))]
        return len(sql(compile_rulebook(book, exp.to_table("delivered"), names, max_record_id=100).query))

    few, many = length(5, 9) - length(5, 3), length(205, 9) - length(205, 3)
    assert few > 0
    assert many < 1.1 * few


def test_a_chain_is_compiled_twice_to_the_same_query() -> None:
    """Nothing that is asked of a chain changes it."""
    rules = [
        {"id": "t", "kind": "trim-spaces", "columns": [], "collapse": True},
        {"id": "d", "kind": "remove-duplicates", "columns": ["a"]},
        {"id": "n", "kind": "to-number", "columns": ["b"]},
    ]
    active = list(enumerate(Rulebook.model_validate({"rules": rules}).rules, start=1))
    builder = compile_corrections(active, exp.to_table("delivered"), ["a", "b", "c"], RunContext(), max_record_id=9)
    asked = [sql(builder.query(builder.everything(), stepwise)) for stepwise in (False, True, False, True)]
    assert asked[:2] == asked[2:]
    few = sql(builder.query([column("b")]).where("c IS NULL"))  # whoever asks may go on to ask for any column
    assert few.endswith('SELECT "b" FROM ' + builder.last + " WHERE c IS NULL")
    assert '"c"' in few
    assert sql(builder.query(builder.everything())) == asked[0]


def test_the_collector_looks_seldom() -> None:
    before = gc.get_threshold()
    try:
        gc.set_threshold(700, 10, 10)
        collect_seldom()
        assert gc.get_threshold()[0] == EVERY > 10_000
        assert gc.isenabled()
    finally:
        gc.set_threshold(*before)
