"""What makes runs fast changes nothing: layers against steps, values treated once against records, bits against joins, shares against one file, quick operations."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlglot import exp, parse_one
from test_rules import RECORDS, RULES, book

from conftest import query
from pravin_core.compiler.distinct_pushdown import RepeatingColumns
from pravin_core.compiler.plan import compile_rulebook
from pravin_core.compiler.projection_fusion import fuse_projections
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.engines.operations import OPERATIONS
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs import repeating_columns, runner
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import sql

Table = Callable[[dict[str, list[str | None]]], Snapshot]


def as_large(patch: pytest.MonkeyPatch) -> None:
    """Runs of small tables go the ways of large ones, with every column as one whose values repeat."""
    patch.setattr(runner, "SMALL", 1)
    patch.setattr(repeating_columns, "SHARE", 2)


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(records=RECORDS, said=RULES)
def test_layers_bits_and_shares_give_what_steps_and_joins_give(
    records: list[tuple[str | None, ...]], said: list[dict[str, object]], table: Table, tmp_path: Path
) -> None:
    snapshot = table({name: [row[at] for row in records] for at, name in enumerate("abc")})
    rulebook: Rulebook = book(*said)
    folder = tmp_path / f"r{len(list(tmp_path.iterdir()))}"
    with pytest.MonkeyPatch.context() as patch:
        as_large(patch)
        outcome = runner.run_rulebook(snapshot, rulebook, folder)
    names = ["__record", "__state", "__reasons", "__gone", *(f'"{name}"' for name, _ in outcome.columns)]
    ours = query(runner.result_parts(folder), f"SELECT {', '.join(names)} FROM t")
    with connect([snapshot.folder], tmp_path / "s") as con:
        know_operations(con)
        plan = compile_rulebook(rulebook, read_parquet(snapshot.parts), snapshot.columns)
        plain = con.execute(sql(plan.query.select(*names, append=False))).fetchall()
    assert ours == sorted(plain)
    assert len(runner.result_parts(folder)) == (2 if len(records) > 1 else 1)


def test_cells_that_do_not_need_each_other_are_computed_side_by_side() -> None:
    steps: list[tuple[str, exp.Select]] = []
    for name, own_result in (
        ("one", "SELECT r, trim(a) AS a, b FROM t"), ("two", "SELECT r, a, lower(b) AS b FROM one"),
        ("three", "SELECT r, a, b, length(a) AS n FROM two"), ("four", "SELECT r, b AS a, a AS b, n + 1 AS n FROM three"),
        ("five", "SELECT r, count(*) OVER () AS k, a FROM four"), ("six", "SELECT r, a FROM five"),
    ):  # fmt: skip
        query_ = parse_one(own_result, dialect="duckdb")
        assert isinstance(query_, exp.Select)
        steps.append((name, query_))
    result = fuse_projections(steps)
    assert [name for name, _ in result] == ["four_1", "four_2", "four", "five", "six"]
    with connect([], Path("/tmp")) as con:
        con.execute("CREATE TABLE t AS SELECT * FROM (VALUES (1, ' x ', 'Y'), (2, NULL, 'Z')) v(r, a, b)")
        whole = exp.select("*").from_("four")
        for name, step in result[:3]:
            whole = whole.with_(name, as_=step)
        assert con.execute(sql(whole)).fetchall() == [(1, "y", "x", 2), (2, "z", None, None)]


def test_what_follows_from_one_value_is_computed_once_and_nothing_fails_that_was_never_asked() -> None:
    steps: list[tuple[str, exp.Select]] = []
    for name, result in (
        ("one", "SELECT __record, lower(trim(a)) AS a, trim(b) AS b FROM t"),
        (
            "two",
            "SELECT __record, a, b, a = 'n' AS n, CASE WHEN b = 'y' THEN CAST(a AS INTEGER) END AS i, TRY(CAST(a AS INTEGER) + __record) AS j FROM one",
        ),
        ("three", "SELECT __record, a, b, i, j, CAST(n AS INTEGER) + length(b) + length(a) AS k FROM two"),
    ):
        query_ = parse_one(result, dialect="duckdb")
        assert isinstance(query_, exp.Select)
        steps.append((name, query_))
    plain = fuse_projections(steps)
    once = fuse_projections(steps, repeating=RepeatingColumns("t", {"a": "different_a"}))
    parts = " ".join(step.sql(dialect="duckdb") for name, step in once if "once" in name)
    assert "TRIM" in parts
    assert "LENGTH" in parts
    with connect([], Path("/tmp"), in_order=True) as con:
        con.execute(
            "CREATE TABLE t AS SELECT * FROM (VALUES (1, ' N', 'x'), (2, '7', 'y '), (3, NULL, 'x'), (4, 'q', NULL)) v(__record, a, b)"
        )
        con.execute("CREATE TABLE different_a AS SELECT DISTINCT a FROM t")
        results = []
        for item in (plain, once):
            whole = exp.select("*").from_("three")
            for name, step in item:
                whole = whole.with_(name, as_=step)
            results.append(con.execute(sql(whole)).fetchall())
    assert (
        results[0]
        == results[1]
        == [
            (1, "n", "x", None, None, 3),
            (2, "7", "y", 7, 9, 2),
            (3, None, "x", None, None, None),
            (4, "q", None, None, None, None),
        ]
    )


_SPACES = "\t\n\f\r"


def is_space(letter: str) -> bool:
    return letter in _SPACES or unicodedata.category(letter).startswith("Z")


_texts = st.lists(
    st.one_of(
        st.text(st.sampled_from("aZ 9'-~\t\n\v\u00a0\u2003\u2028\u200b\x7féÉßǆİ"), max_size=8),
        st.text(max_size=12).filter(lambda text: "\0" not in text),
    ),
    min_size=1,
    max_size=40,
)


@settings(max_examples=60, deadline=None)
@given(texts=_texts)
def test_quick_operations_on_texts_give_what_plain_ones_give(texts: list[str]) -> None:
    words = next(operation for operation in OPERATIONS if operation.name == "words_capital")
    with connect([], Path("/tmp")) as con:
        know_operations(con)
        con.execute(words.statement.replace("words_capital", "plain_words", 1))
        sentence = (
            "SELECT t, single_spaces(t), trim_spaces(t), words_capital(t), plain_words(t) FROM (SELECT unnest($1) AS t)"
        )
        for text, single, trimmed, quick, plain in con.execute(sentence, [texts]).fetchall():
            parts = "".join(" " if is_space(letter) else letter for letter in text).split(" ")
            assert single == " ".join(part for part in parts if part)
            first = next((at for at, letter in enumerate(text) if not is_space(letter)), len(text))
            last = next((at for at, letter in enumerate(text[::-1]) if not is_space(letter)), 0)
            assert trimmed == text[first : len(text) - last]
            assert quick == plain
