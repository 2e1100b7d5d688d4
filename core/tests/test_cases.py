"""Cases: counts of reasons, keys, meeting records again, amendments by formula, what rules did, files."""

from __future__ import annotations

import csv
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from test_rules import book

from conftest import query
from pravin_core.cases.amending import by_formula, by_rule
from pravin_core.cases.carrying import carried, same_records
from pravin_core.cases.chosen import Waiting
from pravin_core.cases.counting import count_files, count_reasons, quarantined_numbers
from pravin_core.cases.excepting import also_excepted
from pravin_core.cases.files import write_cases
from pravin_core.cases.keys import Candidate, measure_key, propose_keys
from pravin_core.cases.matching import matches
from pravin_core.cases.tracing import trace
from pravin_core.cases.trying import states_of
from pravin_core.compiler.plan import RunContext
from pravin_core.errors import FormulaError, PravinError, RulebookError, RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.filters import make_filter
from pravin_core.records.pages import Stage, find_records
from pravin_core.releases.writers import FORMATS
from pravin_core.rules.reshaping import Reference
from pravin_core.runs.decisions import Decision, amendments
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.sql.statements import read_parquet
from pravin_core.tables.columns import Column
from pravin_core.tables.record_sets import unpacked, unpacked_numbers

Table = Callable[[dict[str, list[str | None]]], Snapshot]
FIXTURES = [HealthCheck.function_scoped_fixture]
RULES: list[dict[str, Any]] = [
    {"kind": "trim-spaces", "columns": ["site"]},
    {"kind": "to-number", "columns": ["n"]},
    {"kind": "required", "columns": ["site"]},
    {"kind": "in-range", "columns": ["n"], "high": "10"},
]


def staged(snapshot: Snapshot, work: Path, *rules: dict[str, Any], decisions: list[Decision] | None = None) -> Stage:
    """The records of a table as rules leave them."""
    folder = work / f"result-{len(list(work.iterdir()))}"
    rulebook = book(*(rules or RULES))
    outcome = run_rulebook(snapshot, rulebook, folder, decisions or [])
    return Stage(snapshot, folder, outcome, rulebook)


_SITE = st.sampled_from(["A", " ", "", None, " B "])
_NUMBER = st.sampled_from(["1", "7,5", "11", None, "x", "99"])


@settings(max_examples=40, deadline=None, suppress_health_check=FIXTURES)
@given(rows=st.lists(st.tuples(_SITE, _NUMBER), min_size=1, max_size=12), data=st.data())
def test_counts_are_those_of_the_records(
    rows: list[tuple[str | None, str | None]], data: st.DataObject, table: Table, tmp_path: Path
) -> None:
    stage = staged(table({"site": [site for site, _ in rows], "n": [n for _, n in rows]}), tmp_path)
    expected: dict[int, set[tuple[int, str]]] = {}
    for record, (site, n) in enumerate(rows, start=1):
        reasons = set()
        if not (site or "").strip():
            reasons.add((3, "site"))
        if n in ("7,5", "x"):
            reasons.add((2, "n"))
        if n in ("11", "99"):
            reasons.add((4, "n"))
        if reasons:
            expected[record] = reasons
    spills = tmp_path / "s"
    assert quarantined_numbers(stage, spills).tolist() == sorted(expected)
    for among in (None, data.draw(st.lists(st.sampled_from(sorted(expected)), unique=True)) if expected else None):
        wanted = Counter(
            reason for record in expected if among is None or record in among for reason in expected[record]
        )
        numbers = None if among is None else np.asarray(sorted(among), dtype=np.int64)
        counted = count_reasons(stage, spills, among=numbers)
        assert {(reason.rule, reason.name): reason.records for reason in counted} == dict(wanted)
        assert [reason.records for reason in counted] == sorted((r.records for r in counted), reverse=True)
        records = len(expected if among is None else among)
        assert count_files(stage, spills, among=numbers) == ([(0, records)] if records else [])
        for reason in counted if among is None else []:
            filters = [make_filter("reason", value=str(reason.rule), name=reason.name, phrase=reason.phrase)]
            assert len(find_records(stage, filters, None, False, spills)) == reason.records


def test_a_reason_is_found_by_what_was_seen(table: Table, tmp_path: Path) -> None:
    stage = staged(table({"site": ["A", "A", ""], "n": ["acid", "77", "1"]}), tmp_path)
    for seen, records in (("ACID", [1]), ("7", [2]), ("nothing", [])):
        assert find_records(stage, [make_filter("reason", seen=seen)], None, False, tmp_path / "s").tolist() == records
    both = [make_filter("reason", value="4", seen="acid")]  # of the same reason, not of two
    assert find_records(stage, both, None, False, tmp_path / "s").tolist() == []


_KEY = st.sampled_from(["k1", "k2", "k3", " k1", "", None])


@settings(max_examples=60, deadline=None, suppress_health_check=FIXTURES)
@given(
    earlier=st.lists(st.tuples(_KEY, st.booleans()), min_size=1, max_size=6),
    later=st.lists(st.tuples(_KEY, st.sampled_from(["ready", "broken", "removed"])), min_size=1, max_size=6),
)
def test_records_are_met_again_by_their_key(
    earlier: list[tuple[str | None, bool]], later: list[tuple[str | None, str]], table: Table, tmp_path: Path
) -> None:
    rules: list[dict[str, Any]] = [
        {"kind": "trim-spaces", "columns": ["key"]},
        {"kind": "required", "columns": ["site"]},
    ]
    first = staged(
        table({"key": [key for key, _ in earlier], "site": ["" if broken else "A" for _, broken in earlier]}), tmp_path, *rules
    )  # fmt: skip
    discarded = [at for at, (_, state) in enumerate(later, start=1) if state == "removed"]
    second = staged(
        table({"key": [key for key, _ in later], "site": ["" if state == "broken" else "A" for _, state in later]}),
        tmp_path, *rules, decisions=[Decision.on("discard", discarded)] if discarded else None,
    )  # fmt: skip
    expected = []
    for record, (key, broken) in enumerate(earlier, start=1):
        same = [
            (at, state) for at, (other, state) in enumerate(later, start=1)
            if (other or "").strip() == (key or "").strip() and state != "removed"
        ]  # fmt: skip
        if not broken or not (key or "").strip() or not same:
            continue
        ready = [at for at, state in same if state == "ready"]
        expected.append((record, ready[0] if ready else same[0][0], 0 if ready else 1))
    met = matches(first, second, ["key"], tmp_path / "s").to_pylist()
    assert [(row["record"], row["by_record"], row["again"]) for row in met] == expected


def test_a_key_that_is_not_there_meets_nothing(table: Table, tmp_path: Path) -> None:
    stage = staged(table({"site": [""], "n": ["1"]}), tmp_path)
    assert matches(stage, stage, ["other"], tmp_path / "s").num_rows == 0
    assert matches(stage, stage, [], tmp_path / "s").num_rows == 0
    assert matches(stage, stage, ["n"], tmp_path / "s").num_rows == 1


def test_a_key_is_compared_as_text_also_where_types_differ(table: Table, tmp_path: Path) -> None:
    number = staged(table({"id": ["007", "8"], "site": ["", ""]}), tmp_path, {"kind": "to-number", "columns": ["id"]}, {"kind": "required", "columns": ["site"]})  # fmt: skip
    text = staged(table({"id": ["007", "8"], "site": ["A", "A"]}), tmp_path, {"kind": "required", "columns": ["site"]})
    assert [row["by_record"] for row in matches(number, text, ["id"], tmp_path / "s").to_pylist()] == [2]


@pytest.mark.parametrize(
    ("columns", "identifiers", "expected"),
    [
        ({"id": [str(n) for n in range(40)], "x": ["1"] * 40}, ["id"], [(("id",), 40, 0)]),
        ({"a": [str(n // 2) for n in range(40)], "b": ["x", "y"] * 20, "c": ["1"] * 40}, [], [(("a", "b"), 40, 0)]),
        ({"a": ["1"] * 40, "b": ["2"] * 40}, [], []),
        # one nearly tells all apart, two together do: both are told, the better of the two behind the shorter
        (
            {"id": [str(max(n, 1)) for n in range(40)], "day": ["a", *"b" * 39]},
            ["id"],
            [(("id",), 38, 0), (("id", "day"), 40, 0)],
        ),
        ({"m": [str(n) for n in range(40)], "id": [str(n) for n in range(40)]}, ["id"], [(("id",), 40, 0), (("m",), 40, 0)]),
        ({"id": ["", *(str(n) for n in range(39))]}, ["id"], [(("id",), 39, 1)]),
    ],
)  # fmt: skip
def test_keys_are_proposed(
    columns: dict[str, list[str | None]], identifiers: list[str], expected: list[Any], table: Table, tmp_path: Path
) -> None:
    candidates = [
        Candidate(name, len(set(cells) - {""}), cells.count(""), name in identifiers) for name, cells in columns.items()
    ]
    proposed = propose_keys(table(columns), candidates, tmp_path / "s")
    assert [(key.columns, key.different, key.missing) for key in proposed] == expected


def test_a_key_is_measured_exactly(table: Table, tmp_path: Path) -> None:
    key = measure_key(
        table({"a": ["1", "1", "2", "", None], "b": ["x", "x", "x", "y", "z"]}), ["a", "b"], tmp_path / "s"
    )
    assert (key.different, key.missing) == (1, 2)


@pytest.mark.parametrize(
    ("formula", "values"),
    [
        ("replace(n, ',', '.')", ["7.5", "1e", None]),
        ("'5'", ["5", "5", "5"]),
        ("coalesce(n, site)", ["7,5", "1e", "B"]),
        ("id + 1", ["2", "3", "4"]),
    ],
)
def test_an_amendment_by_formula_sees_what_could_not_be_read(
    formula: str, values: list[str | None], table: Table, tmp_path: Path
) -> None:
    rules: list[dict[str, Any]] = [
        {"kind": "to-number", "columns": ["id", "n"]},
        {"kind": "required", "columns": ["n"]},
    ]
    stage = staged(
        table({"id": ["1", "2", "3"], "site": ["A", "A", "B"], "n": ["7,5", "1e", None]}), tmp_path, *rules
    )  # fmt: skip
    decision = by_formula(stage, np.asarray([1, 2, 3]), "n", formula, tmp_path / "s")
    assert [row["value"] for row in amendments([decision]).to_pylist()] == values
    after = staged(stage.snapshot, tmp_path, *rules, decisions=[decision])
    readable = [value is not None and value.replace(".", "").isdigit() for value in values]
    assert states_of(after.files[0].parent, np.asarray([1, 2, 3]), tmp_path / "t").get(
        "quarantined", 0
    ) == readable.count(False)


def test_an_amendment_that_cannot_be_reckoned_is_refused(table: Table, tmp_path: Path) -> None:
    stage = staged(table({"site": [""], "n": ["1"]}), tmp_path)
    with pytest.raises(FormulaError):
        by_formula(stage, np.asarray([1]), "n", "n +", tmp_path / "s")
    with pytest.raises(RunError, match="no column 'm'"):
        by_formula(stage, np.asarray([1]), "m", "n", tmp_path / "s")
    with pytest.raises(PravinError):
        by_formula(stage, np.asarray([1]), "n", "nowhere * 2", tmp_path / "s")


def test_what_each_rule_did_to_a_record(table: Table, tmp_path: Path) -> None:
    rules: list[dict[str, Any]] = [
        {"kind": "trim-spaces", "columns": ["site"]},
        {"kind": "missing-tokens", "columns": ["site"], "tokens": ["-"]},
        {"kind": "to-number", "columns": ["n"]},
        {"kind": "remove-duplicates", "columns": ["id"]},
        {"kind": "required", "columns": ["site"]},
    ]
    stage = staged(table({"id": ["1", "2", "2"], "site": [" - ", "A", "B"], "n": ["x", "5", "6"]}), tmp_path, *rules)
    steps = [(step.rule, step.before, step.after) for step in trace(stage, 1, tmp_path / "s")]
    assert steps == [
        (1, {"site": " - "}, {"site": "-"}),
        (2, {"site": "-"}, {"site": None}),
        (3, {"n": "x"}, {"n": None}),
    ]
    assert trace(stage, 2, tmp_path / "s") == []


def test_cases_as_a_file(table: Table, tmp_path: Path) -> None:
    one = staged(table({"site": [" ", "=A"], "n": ["5", "x"]}), tmp_path)
    two = staged(table({"site": [""], "n": ["5"], "record": ["own"]}), tmp_path)
    waiting = [Waiting(1, one, np.asarray([1, 2])), Waiting(2, two, np.asarray([1]))]
    write_cases(waiting, tmp_path / "cases.csv", "csv")
    with (tmp_path / "cases.csv").open() as file:
        rows = list(csv.DictReader(file))
    assert list(rows[0])[:6] == ["delivery", "record_2", "file", "line", "reasons", "site"]
    assert [(row["delivery"], row["record_2"], row["record"]) for row in rows] == [
        ("1", "1", ""),
        ("1", "2", ""),
        ("2", "1", "own"),
    ]
    assert [(row["site"], row["site (delivered)"], row["n"]) for row in rows] == [
        ("", " ", "5"),
        ("'=A", "'=A", "x"),
        ("", "", "5"),
    ]
    assert rows[1]["reasons"] == "n x could not be read"
    for form in FORMATS:
        write_cases(waiting, tmp_path / f"again.{form}", form, defused=False)
    assert pq.read_table(tmp_path / "again.parquet").column("site").to_pylist() == [None, "=A", None]


def test_a_record_that_a_rule_made_shows_what_it_was_made_from(table: Table, tmp_path: Path) -> None:
    rules: list[dict[str, Any]] = [
        {"kind": "break-cells", "column": "site", "mark": ";"},
        {"kind": "allowed-values", "columns": ["site"], "values": ["A"]},
    ]
    stage = staged(table({"site": ["A;B", "A"]}), tmp_path, *rules)
    numbers = quarantined_numbers(stage, tmp_path / "s")
    write_cases([Waiting(1, stage, numbers)], tmp_path / "cases.parquet", "parquet")
    (row,) = pq.read_table(tmp_path / "cases.parquet").to_pylist()
    assert (row["site"], row["site (delivered)"]) == ("B", "A;B")
    assert query(result_parts(stage.files[0].parent), "SELECT count(*) FROM t WHERE __state = 'quarantined'") == [(1,)]


def test_decisions_go_with_records_that_are_the_same(read: Callable[..., Snapshot], tmp_path: Path) -> None:
    data = b"id|n\n1|a\nbroken\n2|b\n3|c\n"
    before = read(data)
    after = read(data.replace(b"broken", b"9|z").replace(b"3|c", b"3|d"))
    pairs = same_records(before, after, tmp_path / "s")
    assert pairs.tolist() == [[1, 1], [2, 3]]  # the third was changed
    assert unpacked_numbers(carried(Decision.on("accept", [2, 3]).content, pairs)).tolist() == [3]
    (cell,) = unpacked(carried(Decision.amending([1, 3], {"n": "x"}).content, pairs)).to_pylist()
    assert cell == {"record": 1, "name": "n", "value": "x"}
    nothing = same_records(before, read(b"other|names\n1|a\n"), tmp_path / "s")
    assert unpacked_numbers(carried(Decision.on("accept", [1]).content, nothing)).tolist() == []


EARLIER = {
    "id": ["1", "2", "3", "4", None, "6"],
    "site": ["A", "", "", "A", "", ""],
    "n": ["99", "5", "99", "5", "5", "x"],
}


@pytest.mark.parametrize(
    ("row", "accepted", "held"),
    [
        (("1", "A", "11"), [1], True),  # another value, wrong in the same way
        (("1", "A", "x"), [1], False),  # could not be read: another fault
        (("1", "", "99"), [1], False),  # one fault more than was accepted
        (("3", "", "5"), [3], True),  # one of two that were accepted
        (("3", "", "99"), [3], True),
        (("2", "", "5"), [3], False),  # another key was accepted
        (("2", "", "5"), [2, 3], True),
        (("4", "", "5"), [4], False),  # nothing was wrong with it then
        (("6", "", "y"), [6], True),  # what could not be read, with another text
        ((None, "", "5"), [5], False),  # no key
    ],
)
def test_an_exception_holds_for_the_same_key_wrong_in_the_same_way(
    row: tuple[str | None, str, str], accepted: list[int], held: bool, table: Table, tmp_path: Path
) -> None:
    rules: list[dict[str, Any]] = [
        {"kind": "to-number", "columns": ["n"]},
        {"kind": "required", "columns": ["site"]},
        {"kind": "in-range", "columns": ["n"], "low": "0", "high": "10"},
    ]
    decisions = [Decision.on("accept", accepted)]
    earlier = staged(table(EARLIER), tmp_path, *rules, decisions=decisions)
    ready = ("7", "A", "1")
    later = staged(
        table({name: [ready[at], row[at], ready[at]] for at, name in enumerate(EARLIER)}),
        tmp_path, {"kind": "trim-spaces", "columns": []}, *rules,
    )  # fmt: skip  # a rule more: rules are told by what they say, not by their number
    found = also_excepted(earlier, np.asarray(accepted), later, ["id"], tmp_path)
    assert found.tolist() == ([2] if held else [])
    assert not len(also_excepted(earlier, np.asarray(accepted), later, [], tmp_path))
    assert not len(also_excepted(earlier, np.asarray(accepted), later, ["id", "other"], tmp_path))
    assert not len(also_excepted(earlier, np.asarray([], np.int64), later, ["id"], tmp_path))


@pytest.mark.parametrize(
    ("rule", "name", "cells"),
    [
        ({"kind": "scale-values", "columns": ["n"], "factor": 0.1, "low": "50", "high": "99"}, "n", [(2, "7.4"), (5, "9.9")]),
        ({"kind": "replace-text", "columns": ["n"], "find": ",", "replacement": "."}, "n", [(3, "7.5")]),
        ({"kind": "fill", "columns": ["site"], "value": "Z"}, "site", [(3, "Z"), (5, "Z")]),
        ({"kind": "missing-tokens", "columns": ["site"], "tokens": ["A"]}, "site", [(2, None)]),
        ({"kind": "look-up", "reference": "sites", "keys": [{"code": "id", "meaning": "code"}], "take": ["river"]}, "site", [(3, "Alder")]),
        ({"kind": "look-up", "reference": "sites", "keys": [{"code": "id", "meaning": "code"}], "take": ["site"], "prefix": "found: "}, "site", [(3, "own")]),
    ],
)  # fmt: skip
def test_amending_by_a_rule(
    rule: dict[str, Any], name: str, cells: list[tuple[int, str | None]], table: Table, tmp_path: Path
) -> None:
    """Only the chosen records, only what the rule changes; what it makes missing without saying so is left as it is."""
    stage = staged(table({"id": ["1", "2", "3", "4", "5"], "site": ["A", "A", None, "B", ""], "n": ["60", "74", "7,5", "88", "99"]}), tmp_path,
                   {"kind": "to-number", "columns": ["n"]}, {"kind": "required", "columns": ["site"]},
                   {"kind": "in-range", "columns": ["n"], "low": "0", "high": "10"})  # fmt: skip
    (made,) = book({"id": "x", **rule}).rules
    sites = table({"code": ["3", "9", "1"], "river": ["Alder", "Merrow", "Oak"], "site": ["own", "x", "y"]})
    columns = tuple(Column(each) for each in sites.columns)
    context = RunContext(references={"sites": Reference(read_parquet(sites.parts), columns, "1", sites.folder)})
    decision = by_rule(stage, np.asarray([2, 3, 5]), name, made, tmp_path / "scratch", context=context)
    assert [(row["record"], row["value"]) for row in amendments([decision]).to_pylist()] == cells
    assert {row["name"] for row in amendments([decision]).to_pylist()} == {name}


def test_amending_by_a_rule_that_changes_nothing_or_does_not_fit(table: Table, tmp_path: Path) -> None:
    stage = staged(table({"site": ["A", ""]}), tmp_path, {"kind": "required", "columns": ["site"]})
    for at, rule in enumerate(
        [{"kind": "trim-spaces", "columns": ["site"]}, {"kind": "required", "columns": ["site"]}]
    ):
        with pytest.raises(RunError, match="changes nothing"):
            by_rule(stage, np.asarray([1, 2]), "site", book(rule).rules[0], tmp_path / f"scratch{at}")
    scale = book({"kind": "scale-values", "columns": ["site"], "factor": 2}).rules[0]
    with pytest.raises(RunError, match="changes nothing"):  # what is no number stays as it is
        by_rule(stage, np.asarray([1]), "site", scale, tmp_path / "other")
    strange = book({"kind": "pad", "columns": ["none"], "length": 4}).rules[0]
    with pytest.raises(RulebookError, match="none"):
        by_rule(stage, np.asarray([1]), "site", strange, tmp_path / "strange")
    with pytest.raises(RunError, match="no column 'n'"):
        by_rule(stage, np.asarray([1]), "n", scale, tmp_path / "none")
