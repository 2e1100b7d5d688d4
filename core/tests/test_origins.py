"""From which columns values come: whatever a kind of rule really reads for a cell is named, and little else is."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from test_rules import book, seen_by

from conftest import query
from pravin_core.compiler.origins import DELIVERED, Origin, column_origins
from pravin_core.compiler.plan import RunContext
from pravin_core.errors import PravinError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import Example, TableCorrection
from pravin_core.rules.registry import KINDS
from pravin_core.rules.reshaping import Reference
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.sql.statements import read_parquet
from pravin_core.tables.columns import Column

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Cells = dict[str, list[str | None]]
CORRECTIONS = sorted(name for name, kind in KINDS.items() if not kind.is_check)
OTHER = {"code": ["1", "2", "2", None], "river": ["Merrow", "Alder", "Esk", "none"], "km": ["3", "5", "x", "9"]}


def rules_of(kind: str, example: Example) -> list[dict[str, Any]]:
    return [*example.first, {"kind": kind, **example.rule}]


def after(
    snapshot: Snapshot, rules: list[dict[str, Any]], folder: Path, context: RunContext
) -> dict[str, list[Any]] | None:
    """The live records by column, and their numbers; None when the rules refuse the table."""
    try:
        outcome = run_rulebook(snapshot, book(*rules), folder, context=context)
    except PravinError:
        return None
    names = ["__record", *(name for name, _ in outcome.columns)]
    order = "__place" if outcome.ordered else "__record"
    chosen = ", ".join('"' + name.replace('"', '""') + '"' for name in names)
    rows = query(result_parts(folder), f"SELECT {chosen} FROM t WHERE __gone IS NULL ORDER BY {order}")
    return {name: [row[at] for row in rows] for at, name in enumerate(names)}


def spoiled(cells: Cells) -> Iterator[tuple[str, Cells]]:
    """A table with another value in the first and the last cell of each column: that of its neighbour, or one of its own."""
    for name, values in cells.items():
        for at in {0, len(values) - 1}:
            for changed in (values[at - 1], "17"):
                if changed != values[at]:
                    yield name, {**cells, name: [*values[:at], changed, *values[at + 1 :]]}


@pytest.mark.parametrize("kind", CORRECTIONS)
def test_what_changes_a_cell_is_named_as_its_origin(kind: str, table: Table, tmp_path: Path) -> None:
    for number, example in enumerate(KINDS[kind].examples[:2]):
        place = tmp_path / str(number)
        place.mkdir()
        context, rules = seen_by(example, place), rules_of(kind, example)
        origins = column_origins(book(*rules), list(example.before), context)
        before = after(table(example.before), rules, place / "before", context)
        assert before is not None
        assert list(origins) == list(before)[1:]
        decides = {name for rule in book(*rules).rules if isinstance(rule, TableCorrection) for name in rule.needs()}
        for at, (changed, cells) in enumerate(spoiled(example.before)):
            now = after(table(cells), rules, place / f"after-{at}", context)
            if now is None or list(now) != list(before) or now["__record"] != before["__record"] or changed in decides:
                continue
            for name in origins:
                if now[name] != before[name]:
                    assert Origin(DELIVERED, changed) in origins[name], f"{name} changes with {changed}"


def traced(rules: list[dict[str, Any]], columns: list[str], folder: Path) -> dict[str, list[tuple[str, str]]]:
    folder.mkdir(exist_ok=True)
    reference = Reference(read_parquet([folder / "none"]), tuple(Column(name) for name in OTHER))
    found = column_origins(book(*rules), columns, RunContext(references={"sites": reference}))
    return {name: [(origin.table, origin.column) for origin in some] for name, some in found.items()}


LOOK_UP = {"kind": "look-up", "reference": "sites", "keys": [{"code": "s", "meaning": "code"}], "take": ["river", "km"]}


@pytest.mark.parametrize(
    ("rules", "columns", "origins"),
    [
        ([], ["a", "b"], {"a": [("", "a")], "b": [("", "b")]}),
        ([LOOK_UP], ["s", "v"], {"s": [("", "s")], "v": [("", "v")], "river": [("sites", "river")], "km": [("sites", "km")]}),
        ([{**LOOK_UP, "several": "each", "prefix": "site "}], ["s"],
         {"s": [("", "s")], "site river": [("sites", "river")], "site km": [("sites", "km")]}),
        ([{"kind": "append-table", "reference": "sites", "more_columns": True}], ["Code", "v"],
         {"Code": [("", "Code"), ("sites", "code")], "v": [("", "v")], "river": [("sites", "river")], "km": [("sites", "km")]}),
        ([{"kind": "summarise", "groups": ["g"], "measures": [{"what": "mean", "column": "v", "name": "m"},
                                                              {"what": "records", "name": "n"}]}], ["g", "v", "w"],
         {"g": [("", "g")], "m": [("", "v")], "n": []}),
        ([{"kind": "compute", "columns": ["sum"], "formula": "to_number(a) + to_number(b)"},
          {"kind": "drop-columns", "columns": ["a"]},
          {"kind": "rename-columns", "names": [{"code": "sum", "meaning": "total"}]}], ["a", "b", "c"],
         {"b": [("", "b")], "c": [("", "c")], "total": [("", "a"), ("", "b")]}),
        ([LOOK_UP, {"kind": "compute", "columns": ["n"], "formula": "river || v"},
          {"kind": "remove-fitting", "formula": "v = '1'"},
          {"kind": "summarise", "groups": ["river"], "measures": [{"what": "list", "column": "n", "name": "all"}]}], ["s", "v"],
         {"river": [("sites", "river")], "all": [("", "v"), ("sites", "river")]}),
        ([{"kind": "compute", "columns": ["n"], "formula": "s || v"},
          {"kind": "in-reference", "columns": ["s"], "reference": "sites", "theirs": ["code"]}], ["s", "v"],
         {"s": [("", "s")], "v": [("", "v")], "n": [("", "s"), ("", "v")]}),
    ],
    ids=["as delivered", "looked up", "each match", "appended", "summed up", "by a formula", "one after another", "checked"],
)  # fmt: skip
def test_origins_of_columns(
    rules: list[dict[str, Any]], columns: list[str], origins: dict[str, list[tuple[str, str]]], tmp_path: Path
) -> None:
    assert traced(rules, columns, tmp_path) == origins
