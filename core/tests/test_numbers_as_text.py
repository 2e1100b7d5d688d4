"""A rule about texts sees a number as people see it: 42, not 42.0. So it does the same to a column of numbers as to the
column of their texts.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from test_rules import book

from pravin_core.compiler.plan import RunContext
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.pages import Stage, read_page
from pravin_core.rules.reshaping import Reference
from pravin_core.runs.runner import run_rulebook
from pravin_core.sql.statements import read_parquet
from pravin_core.tables.columns import Column
from pravin_core.tables.types import DataType

Table = Callable[[dict[str, list[str | None]]], Snapshot]
Rule = dict[str, Any]
CELLS: dict[str, list[str | None]] = {
    "n": ["42", "7.5", "-3", None, "1200", "42", "0"],
    "k": ["a", "b", "c", "d", "e", "f", "g"],
}
CONVERSIONS: dict[str, Rule] = {
    "decimals": {"kind": "to-number", "columns": ["n"]},
    "exact decimals": {"kind": "to-number", "columns": ["n"], "exact": True},
}
CODES = [{"code": "42", "meaning": "low"}, {"code": "-3", "meaning": "frost"}]
RULES: list[Rule] = [
    {"kind": "allowed-values", "columns": ["n"], "values": ["42", "7.5", "0"]},
    {"kind": "matches-pattern", "columns": ["n"], "pattern": "-?[0-9]{1,2}"},
    {"kind": "text-length", "columns": ["n"], "most": 2},
    {"kind": "in-reference", "columns": ["n"], "theirs": ["code"], "reference": "sites"},
    {"kind": "in-reference", "columns": ["n"], "theirs": ["number"], "reference": "sites"},
    {"kind": "one-to-one", "columns": ["n", "k"]},
    {"kind": "remove-where", "columns": ["n"], "values": ["42", "1200"]},
    {"kind": "look-up", "keys": [{"code": "n", "meaning": "code"}], "take": ["river"], "reference": "sites", "unmatched": "quarantine"},
    {"kind": "look-up", "keys": [{"code": "n", "meaning": "number"}], "take": ["river"], "reference": "sites", "several": "each"},
    {"kind": "translate", "columns": ["n"], "codes": CODES},
    {"kind": "missing-tokens", "columns": ["n"], "tokens": ["-3"]},
    {"kind": "replace-text", "columns": ["n"], "find": "42", "replacement": "43"},
    {"kind": "replace-pattern", "columns": ["n"], "find": "^(.)2", "replacement": "#"},
    {"kind": "replace-several", "columns": ["n"], "pairs": CODES},
    {"kind": "pad", "columns": ["n"], "length": 6},
    {"kind": "insert-text", "columns": ["n"], "insert": "No "},
    {"kind": "extract", "columns": ["n"], "which": "pattern", "pattern": "[0-9]+$"},
    {"kind": "remove-characters", "columns": ["n"], "characters": ["punctuation"]},
    {"kind": "mask", "columns": ["n"]},
    {"kind": "split-column", "column": "n", "mark": ".", "into": ["i", "j"]},
    {"kind": "merge-columns", "columns": ["n", "k"], "into": "both", "mark": "-"},
    {"kind": "break-cells", "column": "n", "mark": "."},
    {"kind": "join-records", "column": "n", "mark": "+", "groups": ["k"]},
    {"kind": "join-records", "column": "k", "mark": "+", "groups": ["n"]},
    {"kind": "records-to-columns", "keys": ["k"], "names": "n", "values": "k", "into": ["42", "0"]},
    {"kind": "split-by-share", "into": "part", "column": "n", "draw": "7"},
    {"kind": "summarise", "groups": ["k"], "measures": [{"what": "list", "column": "n", "name": "all"}]},
    {"kind": "compute", "columns": ["x"], "formula": "'no ' || to_text(n)"},
]  # fmt: skip


def references(folder: Path) -> RunContext:
    """A table of sites whose codes are texts, and once more numbers."""
    cells = {
        "__record": pa.array(range(1, 5), pa.int64()),
        "code": pa.array(["42", "7.5", "0", "42.0"]),
        "number": pa.array([42.0, 7.5, -3.0, 5.0]),
        "river": pa.array(["Merrow", "Alder", "Weir", "none"]),
    }
    pq.write_table(pa.table(cells), folder / "sites.parquet")
    columns = (Column("code"), Column("number", DataType.DECIMAL), Column("river"))
    return RunContext(references={"sites": Reference(read_parquet([folder / "sites.parquet"]), columns, "1", folder)})


def shown(table: Table, rules: list[Rule], folder: Path) -> tuple[list[Any], dict[str, int]]:
    """The records of a run as they are shown, and its counts."""
    folder.mkdir()
    snapshot, rulebook = table(CELLS), book(*rules)
    outcome = run_rulebook(snapshot, rulebook, folder / "r", context=references(folder))
    stage = Stage(snapshot, folder / "r", outcome, rulebook)
    rows = [
        (row["record"], row["state"], row["cells"], [reason["value"] for reason in row["reasons"] or ()])
        for row in read_page(stage, [], None, False, 0, 100, folder / "scratch").rows
    ]
    balance, effect = outcome.reconciliation, outcome.effects[-1]
    counts = {
        "removed": balance.removed,
        "quarantined": balance.quarantined,
        "added": balance.added,
        "broken": effect.broken,
    }
    return rows, counts | {"changed": effect.cells}


@pytest.mark.parametrize("conversion", sorted(CONVERSIONS))
@pytest.mark.parametrize("rule", RULES, ids=[f"{at}-{rule['kind']}" for at, rule in enumerate(RULES)])
def test_numbers_are_seen_as_their_texts(conversion: str, rule: Rule, table: Table, tmp_path: Path) -> None:
    of_texts = shown(table, [rule], tmp_path / "texts")
    of_numbers = shown(table, [CONVERSIONS[conversion], rule], tmp_path / "numbers")
    assert of_numbers == of_texts


@pytest.mark.parametrize(
    "formula",
    [
        "round(n)",
        "-n",
        "n * -1",
        "truncate(n)",
        "ceiling(n)",
        "to_text(round(n))",
        "round(n - 0.0, 1) * 0",
        "avg(-n) over ()",
    ],
)
def test_zero_has_no_sign(formula: str, table: Table, tmp_path: Path) -> None:
    rules = book({"kind": "to-number", "columns": ["n"]}, {"kind": "compute", "columns": ["x"], "formula": formula})
    snapshot = table({"n": ["0", "-0.0", None]})
    outcome = run_rulebook(snapshot, rules, tmp_path / "r")
    rows = read_page(Stage(snapshot, tmp_path / "r", outcome, rules), [], None, False, 0, 9, tmp_path / "scratch").rows
    assert {row["cells"][1] for row in rows} <= {"0", None}
    stored = pq.read_table(tmp_path / "r" / "part-0000.parquet").column("x").to_pylist()
    assert not any(str(value).startswith("-") for value in stored)
    rounding = book({"kind": "to-number", "columns": ["n"]}, {"kind": "round-numbers", "columns": ["n"]})
    run_rulebook(table({"n": ["-0.4", "0.4"]}), rounding, tmp_path / "s")
    assert [str(value) for value in pq.read_table(tmp_path / "s" / "part-0000.parquet").column("n").to_pylist()] == [
        "0.0",
        "0.0",
    ]
