"""Rules: the examples of every kind, and the promises of a run over random tables and rulebooks."""

from __future__ import annotations

import datetime as dt
import hashlib
import re
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from conftest import query
from pravin_core.compiler.plan import RunContext
from pravin_core.engines.duckdb import Watch, connect
from pravin_core.errors import Cancelled, RulebookError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.filters import make_filter
from pravin_core.records.pages import Stage, read_page
from pravin_core.rules.base import Example, TableCheck
from pravin_core.rules.registry import KINDS
from pravin_core.rules.reshaping import Reference
from pravin_core.rules.rulebook import Rulebook, parse_rulebook
from pravin_core.runs.decisions import Decision
from pravin_core.runs.model import Outcome
from pravin_core.runs.runner import result_parts, retry_record, run_rulebook
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

Table = Callable[[dict[str, list[str | None]]], Snapshot]


def book(*rules: dict[str, Any]) -> Rulebook:
    return Rulebook.model_validate({"rules": [{**rule, "id": f"r{n}"} for n, rule in enumerate(rules, start=1)]})


def plain(value: Any) -> Any:
    if isinstance(value, Decimal):
        return f"{value.normalize():f}"
    return value.isoformat() if isinstance(value, dt.date) else value


EXAMPLES = [(kind, example) for kind, item in KINDS.items() for example in item.examples]


def seen_by(example: Example, folder: Path) -> RunContext:
    """The day of the delivery and the reference tables of an example, as Parquet files."""
    references = {}
    for name, cells in example.references.items():
        path = folder / f"{name}.parquet"
        count = len(next(iter(cells.values())))
        results = {"__record": pa.array(range(1, count + 1), pa.int64())}
        pq.write_table(pa.table(results | {item: pa.array(texts, pa.string()) for item, texts in cells.items()}), path)
        columns = tuple(Column(cell) for cell in cells)
        references[name] = Reference(read_parquet([path]), columns, "1", folder)
    return RunContext(references=references, delivered_on=dt.date(2024, 4, 2))


def told(kind: str, example: Example, outcome: Outcome, folder: Path) -> dict[str, list[Any]]:
    """What a run of an example gave, in the shape of `after`."""
    if issubclass(KINDS[kind], TableCheck):
        return {"seen": [outcome.effects[-1].seen], "broken": [bool(outcome.effects[-1].broken)]}
    keep = "__state = 'quarantined'" if KINDS[kind].is_check else "__gone IS NULL"
    order = "__place" if outcome.ordered else "__record"
    rows = query(result_parts(folder), f"SELECT * FROM t WHERE {keep} ORDER BY {order}")
    return {name: [plain(row[3 + place]) for row in rows] for place, (name, _) in enumerate(outcome.columns)}


@pytest.mark.parametrize(("kind", "example"), EXAMPLES)
def test_examples_of_each_kind_hold(kind: str, example: Example, table: Table, tmp_path: Path) -> None:
    rules = book(*example.first, {"kind": kind, **example.rule})
    outcome = run_rulebook(table(example.before), rules, tmp_path / "r", context=seen_by(example, tmp_path))
    assert told(kind, example, outcome, tmp_path / "r") == example.after


def test_a_computed_column_is_added_and_corrects_no_record(table: Table, tmp_path: Path) -> None:
    rules = book(
        {"kind": "to-number", "columns": ["a"]},
        {"kind": "compute", "columns": ["double"], "formula": "a * 2"},
        {"kind": "compute", "columns": ["said"], "formula": "to_text(double) || b"},
        {"kind": "in-range", "columns": ["double"], "high": "5"},
        {"kind": "holds", "columns": ["b"], "formula": "length(said) < 3", "message": "is too long"},
    )
    outcome = run_rulebook(table({"a": ["1", "2", "3"], "b": ["x", "yy", None]}), rules, tmp_path / "r")
    assert [name for name, _ in outcome.columns] == ["a", "b", "double", "said"]
    rows = query(result_parts(tmp_path / "r"), "SELECT double, said, __state, __reasons FROM t ORDER BY __record")
    assert [row[:3] for row in rows] == [
        (2.0, "2x", "ready"), (4.0, "4yy", "quarantined"), (6.0, None, "quarantined")
    ]  # fmt: skip
    assert [f"{r['name']} {r['value']} {r['phrase']}" for *_, result in rows for r in result] == [
        "b yy is too long", "double 6 is above 5",
    ]  # fmt: skip
    with pytest.raises(RulebookError, match="upper"):
        run_rulebook(
            table({"a": ["1"]}), book({"kind": "compute", "columns": ["b"], "formula": "uper(a)"}), tmp_path / "s"
        )


def test_a_condition_limits_corrections_and_checks(table: Table, tmp_path: Path) -> None:
    cells: dict[str, list[str | None]] = {
        "id": ["1", "2", "2", "3", "3"],
        "s": ["a", "b", "b", "a", None],
        "v": ["x ", " y", None, "9", "z "],
    }
    rules = book(
        {"kind": "trim-spaces", "columns": ["v"], "when": "s = 'a'"},
        {"kind": "compute", "columns": ["n"], "formula": "to_number(v)", "when": "is_number(v)"},
        {"kind": "required", "columns": ["v"], "when": "s = 'a'"},
        {"kind": "required", "columns": ["s"], "when": "v like 'z%'"},
        {"kind": "unique", "columns": ["id"], "when": "s = 'b'"},
    )
    outcome = run_rulebook(table(cells), rules, tmp_path / "r")
    rows = query(result_parts(tmp_path / "r"), "SELECT v, n, __state, __reasons FROM t ORDER BY __record")
    assert [row[:2] for row in rows] == [("x", None), (" y", None), (None, None), ("9", 9.0), ("z ", None)]
    assert [[r["rule"] for r in row[3]] for row in rows] == [[], [5], [5], [], [4]]
    assert [effect.cells for effect in outcome.effects[:2]] == [1, 1]
    assert "".join(part.text for part in rules.rules[0].describe()).endswith(" Only where s = 'a'.")
    with pytest.raises(RulebookError, match="another type"):
        run_rulebook(table(cells), book({"kind": "to-number", "columns": ["v"], "when": "s = 'a'"}), tmp_path / "t")
    with pytest.raises(RulebookError, match="does not have"):
        run_rulebook(table(cells), book({"kind": "required", "columns": ["v"], "when": "w = 'a'"}), tmp_path / "u")


def test_every_kind_has_examples_and_a_sentence() -> None:
    for kind, item in KINDS.items():
        assert item.examples, kind
        sentence = item.model_validate({"kind": kind, "id": "x", **item.examples[0].rule}).sentence()
        assert "".join(part.text for part in sentence).endswith(".")
        assert any(None in cells for cells in item.examples[0].before.values()), f"{kind}: no missing value in examples"


def test_reasons_effects_and_states_of_a_small_run(table: Table, tmp_path: Path) -> None:
    snapshot = table(
        {"id": ["1", "2", "2", "4", "5"], "ph": ["7.4", "74", "x", " n/a", "8,1"], "s": [" a", "b", "", "d", "e"]}
    )
    rules = book(
        {"kind": "trim-spaces"},
        {"kind": "missing-tokens", "tokens": ["n/a"], "columns": ["ph"]},
        {"kind": "to-number", "columns": ["ph"]},
        {"kind": "in-range", "columns": ["ph"], "low": "0", "high": "14"},
        {"kind": "unique", "columns": ["id"]},
        {"kind": "required", "columns": ["s"], "consequence": "stop"},
    )
    outcome = run_rulebook(snapshot, rules, tmp_path / "r")
    rows = query(result_parts(tmp_path / "r"), "SELECT __record, __state, __reasons FROM t ORDER BY 1")
    assert [(record, state) for record, state, _ in rows] == [
        (1, "corrected"), (2, "quarantined"), (3, "quarantined"), (4, "corrected"), (5, "quarantined"),
    ]  # fmt: skip
    results = [[f"{r['name']} {r['value']} {r['phrase']}" for r in reasons] for _, _, reasons in rows]
    assert results[1] == ["ph 74 is outside 0 to 14", "id 2 occurs more than once"]
    assert results[2] == ["ph x could not be read", "id 2 occurs more than once", "s None is missing"]
    assert results[4] == ["ph 8,1 could not be read"]
    own_results = {e.kind: (e.cells, e.unconverted, e.broken) for e in outcome.effects}
    assert own_results["trim-spaces"] == (2, 0, 0)
    assert own_results["missing-tokens"] == (1, 0, 0)
    assert own_results["to-number"] == (2, 2, 0)
    assert own_results["in-range"] == (0, 0, 1)
    assert outcome.stopped_by == ("r6",)


def test_a_page_shows_the_original_only_where_it_says_something_else(table: Table, tmp_path: Path) -> None:
    snapshot = table({"n": ["8.0", " 8", "x", ""], "t": ["a", " a", "", "b"]})
    rules = book({"kind": "trim-spaces"}, {"kind": "to-number", "columns": ["n"]})
    outcome = run_rulebook(snapshot, rules, tmp_path / "r")
    page = read_page(Stage(snapshot, tmp_path / "r", outcome, rules), [], None, False, 0, 10, tmp_path / "s")
    assert [row["cells"] for row in page.rows] == [["8", "a"], ["8", "a"], ["x", None], [None, "b"]]
    assert [row["originals"] for row in page.rows] == [[None, None], [None, " a"], [None, None], [None, None]]
    down = read_page(Stage(snapshot, tmp_path / "r", outcome, rules), [], "t", True, 1, 2, tmp_path / "s")
    assert [row["record"] for row in down.rows] == [1, 2]
    touched = read_page(
        Stage(snapshot, tmp_path / "r", outcome, rules),
        [make_filter("rule", value="2")],
        None,
        False,
        0,
        9,
        tmp_path / "s",
    )
    assert [row["record"] for row in touched.rows] == [3]


def test_the_records_behind_the_effect_of_each_sort_of_rule(table: Table, tmp_path: Path) -> None:
    snapshot = table({"a": ["x|y", "z", "z", None], "b": ["1", "2", "2", "3"]})
    rules = book(
        {"kind": "compute", "columns": ["c"], "formula": "a || b"},
        {"kind": "remove-duplicates", "columns": ["a"]},
        {"kind": "break-cells", "column": "a"},
        {"kind": "summarise", "groups": ["b"], "measures": [{"what": "records", "name": "n"}]},
    )
    outcome = run_rulebook(snapshot, rules, tmp_path / "r")
    stage = Stage(snapshot, tmp_path / "r", outcome, rules)

    def behind(number: int) -> list[int]:
        page = read_page(stage, [make_filter("rule", value=str(number))], None, False, 0, 9, tmp_path / "s")
        return [row["record"] for row in page.rows]

    assert [behind(number) for number in (1, 2, 3, 4)] == [[1, 2, 3], [3], [5], [5]]
    last = read_page(stage, [], None, False, 0, 9, tmp_path / "s")
    assert [row["record"] for row in last.rows] == [1, 5, 2, 3, 4]  # what was made stands behind what it was made from


def test_decisions_change_what_they_say_and_nothing_else(table: Table, tmp_path: Path) -> None:
    snapshot = table({"id": ["1", "1", "3", "4"], "n": ["5", "6", "x", "99"]})
    rules = book(
        {"kind": "to-number", "columns": ["n"]},
        {"kind": "in-range", "columns": ["n"], "high": "50"},
        {"kind": "unique", "columns": ["id"]},
    )
    decisions = [
        Decision.on("discard", [2]),
        Decision.amending([3], {"n": "7"}),
        Decision.on("accept", [4]),
    ]
    outcome = run_rulebook(snapshot, rules, tmp_path / "r", decisions)
    rows = query(result_parts(tmp_path / "r"), "SELECT __record, __state, n FROM t ORDER BY 1")
    assert rows == [(1, "ready", 5.0), (2, "removed", 6.0), (3, "corrected", 7.0), (4, "ready", 99.0)]
    assert (outcome.discarded, outcome.accepted) == (1, 1)
    wrong = retry_record(snapshot, rules, 3, [Decision.amending([3], {"n": "seven"})], tmp_path / "s")
    assert wrong["state"] == "quarantined"
    assert wrong["reasons"][0]["value"] == "seven"


def test_a_rule_that_does_not_fit_says_which_and_why(table: Table, tmp_path: Path) -> None:
    snapshot = table({"a": ["1"]})
    with pytest.raises(RulebookError, match="Rule 1 needs the column 'b'"):
        run_rulebook(snapshot, book({"kind": "required", "columns": ["b"]}), tmp_path / "r")
    with pytest.raises(RulebookError, match="line 2"):
        parse_rulebook('{"rules": [\n oops ]}')
    with pytest.raises(RulebookError, match=r"rule 1, field .*low") as caught:
        parse_rulebook('{"rules": [{"kind": "in-range", "id": "x", "columns": ["a"], "low": 5}]}')
    assert "must be a text" in str(caught.value)


def test_cancelling_stops_a_statement_and_leaves_nothing_behind(table: Table, tmp_path: Path) -> None:
    with pytest.raises(Cancelled):
        run_rulebook(table({"a": ["1"]}), book(), tmp_path / "r", beat=lambda share: False)
    assert not (tmp_path / "r").exists()
    asked = iter([True, True, False])
    endless = template("SELECT sum(a.range * b.range) FROM range(1000000) a, range(1000000) b")
    with connect([], tmp_path / "s") as con, pytest.raises(Cancelled):
        Watch(lambda share: next(asked), interval=0.05).execute(con, endless)


_cell = st.one_of(
    st.none(),
    st.sampled_from(["", " ", "1", "1.5", "x", "n/a", " 7 ", "2024-01-05", "1e999", "-"]),
    st.text("aB1 ,.-|", max_size=4),
)
_columns = st.lists(st.sampled_from(["a", "b", "c"]), min_size=1, max_size=2, unique=True)
_rule = st.one_of(
    st.builds(lambda c, k: {"kind": "trim-spaces", "columns": c, "collapse": k}, _columns, st.booleans()),
    st.builds(lambda c: {"kind": "missing-tokens", "columns": c, "tokens": ["n/a", "-"]}, _columns),
    st.builds(lambda u, w: {"kind": "to-number", "columns": ["b"], "unconverted": u, "whole": w}, st.sampled_from(["missing", "quarantine"]), st.booleans()),
    st.builds(lambda o: {"kind": "translate", "columns": ["a"], "codes": [{"code": "x", "meaning": "y"}], "others": o}, st.sampled_from(["keep", "missing", "quarantine"])),
    st.builds(lambda c: {"kind": "remove-duplicates", "columns": c}, st.one_of(st.just([]), _columns)),
    st.just({"kind": "remove-empty"}),
    st.builds(lambda c, q: {"kind": "required", "columns": c, "consequence": q}, _columns, st.sampled_from(["quarantine", "note", "stop"])),
    st.builds(lambda c: {"kind": "unique", "columns": c}, _columns),
    st.builds(lambda c: {"kind": "allowed-values", "columns": c, "values": ["x", "1"]}, _columns),
)  # fmt: skip
RECORDS = st.lists(st.tuples(_cell, _cell, _cell), min_size=1, max_size=12)
RULES = st.lists(_rule, max_size=6)
_decision = st.builds(
    lambda record, kind, value: (
        Decision.amending([record], {"a": value}) if kind == "amend" else Decision.on(kind, [record])
    ),
    st.integers(1, 8),
    st.sampled_from(["amend", "accept", "discard"]),
    st.one_of(st.none(), st.sampled_from(["x", "1", "q"])),
)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    rows=RECORDS,
    rules=RULES,
    decisions=st.lists(_decision, max_size=3, unique_by=lambda d: int(d.records[0])),
)
def test_every_record_is_accounted_for(
    rows: list[tuple[str | None, ...]],
    rules: list[dict[str, Any]],
    decisions: list[Decision],
    table: Table,
    tmp_path: Path,
) -> None:
    snapshot = table({name: [row[place] for row in rows] for place, name in enumerate("abc")})
    folder = tmp_path / f"r{len(list(tmp_path.iterdir()))}"
    outcome: Outcome = run_rulebook(snapshot, book(*rules), folder, decisions)
    assert outcome.reconciliation.balances
    assert outcome.reconciliation.delivered == len(rows)
    query_ = query(result_parts(folder), "SELECT __record, __state, len(__reasons) FROM t")
    assert [record for record, _, _ in query_] == list(range(1, len(rows) + 1))
    accepted = {int(d.records[0]) for d in decisions if d.kind == "accept"}
    for record, state, reasons in query_:
        if state == "quarantined":
            assert reasons
            assert record not in accepted
    again = run_rulebook(snapshot, book(*rules), tmp_path / f"{folder.name}-again", decisions)
    assert again == outcome


@given(
    records=RECORDS, columns=st.lists(st.sampled_from(["a", "b", "c"]), unique=True, max_size=3), many=st.integers(1, 3)
)
@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_incomplete_records_are_those_with_so_many_missing(
    table: Table,
    tmp_path_factory: pytest.TempPathFactory,
    records: list[tuple[str | None, ...]],
    columns: list[str],
    many: int,
) -> None:
    snapshot = table({name: [record[at] for record in records] for at, name in enumerate("abc")})
    places = ["abc".index(name) for name in columns or "abc"]
    missing = [sum(not record[place] for place in places) for record in records]
    folder = tmp_path_factory.mktemp("r")
    remove = book({"kind": "remove-incomplete", "columns": columns, "least": many})
    assert run_rulebook(snapshot, remove, folder / "a").reconciliation.removed == sum(
        count >= many for count in missing
    )
    if columns:
        check = book({"kind": "missing-count", "columns": columns, "most": many - 1})
        assert run_rulebook(snapshot, check, folder / "b").reconciliation.quarantined == sum(
            count >= many for count in missing
        )


@pytest.mark.parametrize("column", ["", "site"])
def test_a_split_by_share_is_the_same_at_every_run_and_keeps_together(
    table: Table, tmp_path: Path, column: str
) -> None:
    sites = [f"s{number % 500}" if number % 7 else None for number in range(4000)]
    snapshot = table({"site": sites})

    def parts(folder: str, **more: Any) -> list[str]:
        rules = book(
            {"kind": "split-by-share", "into": "part", "column": column, "percent": 30, "draw": "spring", **more}
        )
        outcome = run_rulebook(snapshot, rules, tmp_path / folder)
        page = read_page(Stage(snapshot, tmp_path / folder, outcome, rules), [], None, False, 0, 4000, tmp_path / "s")
        return [str(row["cells"][1]) for row in page.rows]

    keys = [site if column and site else f"#{number}" for number, site in enumerate(sites, start=1)]
    drawn = [hashlib.sha256(f"spring|{key}".encode()).hexdigest()[:8] for key in keys]
    assert parts("a") == ["train" if int(each, 16) < 0.3 * 2**32 else "test" for each in drawn]
    assert parts("a").count("train") == pytest.approx(1200, abs=160)
    assert parts("b", draw="autumn") != parts("a")
    assert set(parts("c", percent=99.9999999999, first="all")) == {"all"}


@given(
    values=st.lists(st.text("aAb.-$\\ ", max_size=8), min_size=1, max_size=8),
    pairs=st.lists(
        st.tuples(st.text("aAb.-$\\ ", min_size=1, max_size=3), st.text("xy$\\1", max_size=3)), min_size=1, max_size=60
    ),
    ignore_case=st.booleans(),
)
@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_several_replacements_are_those_of_a_loop(
    table: Table,
    tmp_path_factory: pytest.TempPathFactory,
    values: list[str],
    pairs: list[tuple[str, str]],
    ignore_case: bool,
) -> None:
    folder = tmp_path_factory.mktemp("r")
    snapshot = table({"a": list(values), "b": ["."] * len(values)})
    lines = [{"code": code, "meaning": meaning} for code, meaning in pairs]
    rules = book({"kind": "replace-several", "columns": ["a"], "pairs": lines, "ignore_case": ignore_case})
    page = read_page(
        Stage(snapshot, folder, run_rulebook(snapshot, rules, folder), rules), [], None, False, 0, 10, folder
    )
    expected = []
    for value in values:
        for code, meaning in pairs:
            value = re.sub(re.escape(code), lambda _, by=meaning: by, value, flags=re.I if ignore_case else 0)
        expected.append(value or None)
    assert [row["cells"][0] for row in page.rows] == expected
