"""What follows from one value is computed once for each different value when a run is large. It must come out the same as record
by record: every cell, state, reason and count, for every kind of rule, with conditions and with results beside.
"""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import example as with_example
from hypothesis import strategies as st
from sqlglot import exp
from test_promises import NASTY
from test_rules import RECORDS, RULES, book, seen_by

from pravin_core.compiler import distinct_pushdown, projection_fusion
from pravin_core.compiler.plan import RunContext
from pravin_core.errors import PravinError, RunError
from pravin_core.intake.snapshot import FileCounts, Snapshot, part_of
from pravin_core.rules.base import ColumnCorrection
from pravin_core.rules.registry import KINDS
from pravin_core.runs import runner
from pravin_core.runs.model import Outcome
from pravin_core.runs.runner import result_parts, run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Cells = dict[str, list[str | None]]
TIMES = 4  # so often each record comes: columns whose values repeat less are computed record by record
Result = tuple[Outcome | None, list[dict[str, Any]], str]


def told(snapshot: Snapshot, rules: list[dict[str, Any]], folder: Path, context: RunContext, is_large: bool) -> Result:
    """The outcome of a run with its records, or what it is refused with; as a large run or as a small one."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(runner, "SMALL", 0 if is_large else 10**9)
        try:
            outcome = run_rulebook(snapshot, book(*rules), folder, context=context)
        except PravinError as error:
            return None, [], error.message
    rows = [row for part in result_parts(folder) for row in pq.read_table(part).to_pylist()]
    return outcome, sorted(rows, key=lambda row: row["__record"]), ""


def same(snapshot: Snapshot, rules: list[dict[str, Any]], work: Path, context: RunContext = RunContext()) -> Result:
    """Both ways, which must be alike; gives the result."""
    folder = work / f"both-{len(list(work.iterdir()))}"
    folder.mkdir()
    record_by_record = told(snapshot, rules, folder / "small", context, is_large=False)
    by_value = told(snapshot, rules, folder / "large", context, is_large=True)
    assert by_value[2] == record_by_record[2]
    assert repr(by_value[1]) == repr(record_by_record[1])  # NaN is not equal to itself
    for part in ("effects", "reconciliation", "columns", "stopped_by", "lost"):
        assert getattr(by_value[0], part, None) == getattr(record_by_record[0], part, None), part
    return by_value


def repeated(example: Cells) -> Cells:
    """The example's own values among nasty ones, each several times."""
    columns: Cells = {}
    for at, (name, own) in enumerate(example.items()):
        pool = [*own, *NASTY]
        columns[name] = [pool[(n + at * 3) % len(pool)] for n in range(len(pool) * TIMES)]
    return columns


@pytest.mark.parametrize("kind", sorted(KINDS))
def test_every_kind_comes_out_the_same(kind: str, table: Table, tmp_path: Path) -> None:
    for at, example in enumerate(KINDS[kind].examples):
        (folder := tmp_path / f"example-{at}").mkdir()
        snapshot = table(repeated(example.before))
        same(snapshot, [*example.first, {"kind": kind, **example.rule}], folder, seen_by(example, folder))


CONDITIONAL = sorted(kind for kind, item in KINDS.items() if "when" in item.model_fields and not item.examples[0].first)


@pytest.mark.parametrize("kind", CONDITIONAL)
@settings(max_examples=2, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_so_it_does_under_a_condition(kind: str, data: st.DataObject, table: Table, tmp_path: Path) -> None:
    example = data.draw(st.sampled_from(KINDS[kind].examples))
    name = '"' + data.draw(st.sampled_from(list(example.before))).replace('"', '""') + '"'
    when = data.draw(st.sampled_from((
        f"{name} is not null", f"length({name}) > 1", f"not ({name} = 'a' or {name} is null)", f"case when {name} is null then true else {name} > '3' end",
    )))  # fmt: skip
    (folder := tmp_path / f"w{len(list(tmp_path.iterdir()))}").mkdir()
    rules = [*example.first, {"kind": kind, **example.rule, "when": when}]
    same(table(repeated(example.before)), rules, folder, seen_by(example, folder))


BESIDE = sorted(
    kind for kind, item in KINDS.items() if issubclass(item, ColumnCorrection) and "result" in item.model_fields
)


@pytest.mark.parametrize("kind", BESIDE)
def test_so_it_does_with_the_result_beside(kind: str, table: Table, tmp_path: Path) -> None:
    example = KINDS[kind].examples[0]
    rules = [*example.first, {"kind": kind, **example.rule, "result": "beside"}]
    outcome, _, refused = same(table(repeated(example.before)), rules, tmp_path, seen_by(example, tmp_path))
    assert refused or any(name.endswith("_new") for name, _ in outcome.columns)  # type: ignore[union-attr]


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(records=RECORDS, rules=RULES)
def test_so_does_any_rulebook(
    records: list[tuple[str | None, ...]], rules: list[dict[str, Any]], table: Table, tmp_path: Path
) -> None:
    rows = records * TIMES
    same(table({name: [row[at] for row in rows] for at, name in enumerate("abc")}), rules, tmp_path)


def test_values_are_really_met_by_value(table: Table, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Otherwise all of the above would compare a way with itself."""
    results: list[list[str]] = []
    push_down = projection_fusion.push_down_distinct

    def noted(*given: Any) -> Any:
        steps = push_down(*given)
        results.append([name for name, _ in steps])
        return steps

    monkeypatch.setattr(projection_fusion, "push_down_distinct", noted)
    rules = [
        {"kind": "trim-spaces", "columns": ["a"]},
        {"kind": "to-number", "columns": ["a"]},
        {"kind": "required", "columns": ["a", "b"]},
    ]
    few = {"a": [" 1", "x", None, "2 "] * 20, "b": [str(n) for n in range(80)]}
    same(table(few), rules, tmp_path)
    met = [name for names in results for name in names if "_once_" in name]
    assert met, "no column was met by value"
    assert len({name.rsplit("_once_", 1)[1].split("_")[0] for name in met}) == 1  # b has a value a record


def delivered_in(groups: list[list[int]], folder: Path) -> Snapshot:
    """A delivery of a source for each list, whose file has row groups of these sizes."""
    folder.mkdir(parents=True)
    names, counts, first = ("key", "site", "unit"), [], 1
    for number, sizes in enumerate(groups):
        records = sum(sizes)
        place = part_of(folder, number)
        schema = pa.schema(
            [
                ("__record", pa.int64()),
                ("__file", pa.int16()),
                ("__line", pa.int64()),
                *((name, pa.string()) for name in names),
            ]
        )
        with pq.ParquetWriter(place, schema) as file:
            for size in sizes:
                numbers = range(first, first + size)
                cells = [
                    [f"K-{n}" for n in numbers],
                    [f" S{n % 7}" for n in numbers],
                    [["mg", " mg/l", None][n % 3] for n in numbers],
                ]
                file.write_table(pa.table([numbers, [number] * size, numbers, *cells], schema=schema))
                first += size
        counts.append(FileCounts(name=f"{number}.csv", lines=records, record_lines=records, records=records, lane=""))
    return Snapshot(folder, names, tuple(counts))


@settings(deadline=None, max_examples=15, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    groups=st.lists(
        st.lists(st.sampled_from([1, 20, 63, 64, 2048, 2048 + 40, 5000]), min_size=1, max_size=4),
        min_size=1,
        max_size=4,
    )
)
@with_example(groups=[[30], [5000], [20], [3000]])
@with_example(groups=[[2048 * 3 + 41] * 4])
def test_records_stand_in_their_order_whatever_the_pieces_they_are_read_in(
    groups: list[list[int]], tmp_path_factory: pytest.TempPathFactory
) -> None:
    """The engine holds back pieces of fewer than 64 records that come out of a join, and gives them at the end."""
    assert_in_order(delivered_in(groups, tmp_path_factory.mktemp("pieces") / "snapshot"))


def test_a_result_that_the_engine_left_out_of_order_is_put_in_order(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    snapshot = delivered_in([[30], [5000], [20], [3000]], tmp_path / "snapshot")
    monkeypatch.setattr(distinct_pushdown, "_in_whole_pieces", lambda source: source)
    monkeypatch.setattr(distinct_pushdown, "_RECORD_OF_LIST", exp.column("__record", "t"))
    assert_in_order(snapshot)
    monkeypatch.setattr(runner, "_put_in_order", lambda *_: None)
    with pytest.raises(RunError, match="not in order"):
        assert_in_order(snapshot)


def assert_in_order(snapshot: Snapshot) -> None:
    """A large run over the snapshot gives the records in the order of their numbers, each with its own cells."""
    folder = snapshot.folder.with_name("result")
    shutil.rmtree(folder, ignore_errors=True)
    rules = [
        {"kind": "trim-spaces", "id": "t", "columns": []},
        {"kind": "matches-pattern", "id": "p", "columns": ["key"], "pattern": ".*[05]"},
        {"kind": "letter-case", "id": "u", "columns": ["unit"], "letters": "capitals"},
    ]
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(runner, "SMALL", 0)
        outcome = run_rulebook(snapshot, book(*rules), folder)
    table = pq.read_table(result_parts(folder), columns=["__record", "site", "unit"])
    n = range(1, snapshot.records + 1)
    assert table.column("__record").to_pylist() == list(n)
    assert table.column("site").to_pylist() == [f"S{at % 7}" for at in n]
    assert table.column("unit").to_pylist() == [["MG", "MG/L", None][at % 3] for at in n]
    assert outcome.reconciliation.quarantined == sum(at % 5 > 0 for at in n)
