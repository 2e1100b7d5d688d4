"""What every kind of rule promises, on random tables: nothing is lost, its counts are those of plain counting, and doing it
again changes nothing more where that is promised.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, get_args

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from test_rules import book, seen_by

from conftest import query
from pravin_core.errors import RulebookError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import Check, ColumnCorrection, RecordCorrection, TableCheck
from pravin_core.rules.registry import KINDS
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.tables.types import DataType

Table = Callable[[dict[str, list[str | None]]], Snapshot]
NASTY = [
    None,
    "",
    " ",
    "\t",
    "\u00a0",
    "a",
    "A b",
    "é",
    "7",
    "7,4",
    "7.4",
    "-0.0",
    "1e999",
    "2024-02-29",
    "31.02.2024",
    "n/a",
    "x|y|x",
    "'",
    '"',
    "\\n",
]
# kinds that may do something again: they put in, take out or multiply each time
AGAIN = {"replace-text", "replace-pattern", "extract", "scale-values", "mask", "translate", "decode", "insert-text", "write-numbers", "bands", "remove-first", "undo-date"}  # fmt: skip


def cells_for(kind: str) -> st.SearchStrategy[list[tuple[str | None, ...]]]:
    """Records for the columns of a kind's first example: its own values among nasty ones."""
    own = [cell for column in KINDS[kind].examples[0].before.values() for cell in column]
    width = len(KINDS[kind].examples[0].before)
    return st.lists(st.tuples(*[st.sampled_from([*own, *NASTY])] * width), min_size=1, max_size=30)


def as_written(value: Any) -> str | None:
    return None if value is None or value == "" else str(value)


@pytest.mark.parametrize("kind", sorted(KINDS))
@settings(max_examples=2, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data())
def test_a_kind_keeps_its_promises(kind: str, data: st.DataObject, table: Table, tmp_path: Path) -> None:
    example = KINDS[kind].examples[0]
    rows = data.draw(cells_for(kind))
    snapshot = table({name: [row[at] for row in rows] for at, name in enumerate(example.before)})
    folder = tmp_path / f"r{len(list(tmp_path.iterdir()))}"
    folder.mkdir()
    rules = book(*example.first, {"kind": kind, **example.rule})
    outcome = run_rulebook(snapshot, rules, folder / "one", context=seen_by(example, folder))
    result, found_result = outcome.effects[-1], query(result_parts(folder / "one"), "SELECT * FROM t ORDER BY __record")

    # every delivered record is there under its number; what was added has the numbers after the last
    assert outcome.reconciliation.balances
    assert [row[0] for row in found_result] == list(range(1, len(rows) + outcome.reconciliation.added + 1))

    # counts by plain counting
    place = {name: 3 + at for at, (name, _) in enumerate(outcome.columns)}
    if issubclass(KINDS[kind], ColumnCorrection) and not example.first:
        texts = [name for name, type_ in outcome.columns if type_ == DataType.TEXT and name in example.before]
        if all(type_ == DataType.TEXT for _, type_ in outcome.columns) and rules.rules[-1].result == "in place":
            columns = list(example.before)
            changed = sum(
                as_written(row[columns.index(name)]) != as_written(after[place[name]])
                for row, after in zip(rows, found_result, strict=True)
                for name in texts
            )
            assert result.cells == changed
    if issubclass(KINDS[kind], RecordCorrection):
        assert result.removed == outcome.reconciliation.removed
    if issubclass(KINDS[kind], Check) and rules.rules[-1].consequence == "quarantine":
        assert result.broken == outcome.reconciliation.quarantined

    # once more
    if (
        kind in AGAIN
        or issubclass(KINDS[kind], TableCheck)
        or not issubclass(KINDS[kind], ColumnCorrection | RecordCorrection)
    ):
        return
    try:
        twice = run_rulebook(snapshot, book(*example.first, *[{"kind": kind, **example.rule}] * 2), folder / "two")
    except RulebookError:  # a column of another type now, or a new one that is there already
        return
    again = twice.effects[-1]
    assert (again.cells, again.removed) == (0, 0)


# what people of the trade say, and a kind that does it; written down before looking at the kinds' own words
SETS_APART = [
    (kind, name)
    for kind, model in sorted(KINDS.items())
    for name in ("unconverted", "others", "unmatched")
    if name in model.model_fields and "quarantine" in get_args(model.model_fields[name].annotation)
]


@pytest.mark.parametrize(("kind", "field"), SETS_APART)
def test_what_a_rule_cannot_treat_is_quarantined_also_in_new_columns(
    kind: str, field: str, table: Table, tmp_path: Path
) -> None:
    failed = 0
    for at, example in enumerate(KINDS[kind].examples):
        (folder := tmp_path / str(at)).mkdir()
        rule = {"kind": kind, **example.rule, field: "quarantine"}
        cells: dict[str, list[str | None]] = {
            name: [*own, *NASTY, *own[::-1], "2024-02-31"] for name, own in example.before.items()
        }
        snapshot = table(cells)
        try:
            rules = book(*example.first, rule)
        except ValidationError:
            continue  # this example asks for something else
        outcome = run_rulebook(snapshot, rules, folder / "r", context=seen_by(example, folder))
        effect, quarantined = outcome.effects[-1], outcome.reconciliation.quarantined
        assert (quarantined > 0) == (effect.unconverted > 0)
        assert quarantined <= effect.unconverted
        failed += effect.unconverted
        reasons = query(result_parts(folder / "r"), "SELECT __reasons FROM t WHERE __state = 'quarantined'")
        assert all(reason["value"] is not None for (row,) in reasons for reason in row)
    assert failed, "no example has a value that it cannot treat"


SAID = [
    ("null", "fill"), ("blank", "missing-tokens"), ("empty", "required"), ("dedupe", "remove-duplicates"), ("concatenate", "merge-columns"),
    ("join", "look-up"), ("lookup", "look-up"), ("left join", "look-up"), ("pivot", "records-to-columns"), ("unpivot", "columns-to-records"),
    ("regex", "replace-pattern"), ("recode", "translate"), ("strip", "trim-spaces"), ("whitespace", "trim-spaces"), ("filter", "remove-fitting"),
    ("contains", "matches-pattern"), ("state", "split-addresses"), ("random", "compute"), ("delete column", "drop-columns"), ("multiply", "scale-values"),
    ("last name", "split-names"), ("previous", "fill"), ("union", "append-table"), ("group by", "summarise"), ("average", "summarise"),
    ("uppercase", "letter-case"), ("leading zeros", "pad"), ("substring", "extract"), ("prefix", "insert-text"), ("impute", "fill"),
    ("boolean", "to-truth"), ("cast", "to-number"), ("round", "round-numbers"), ("clip", "limit-numbers"), ("bin", "bands"), ("not null", "required"),
    ("primary key", "unique"), ("foreign key", "in-reference"), ("outlier", "outlier-fence"), ("range", "in-range"), ("row count", "record-count"),
    ("anonymize", "mask"), ("explode", "break-cells"), ("sort", "sort-records"), ("rename", "rename-columns"), ("weekday", "date-part"),
    ("days between", "difference"), ("if", "compute"), ("checksum", "control-total"), ("enum", "allowed-values"),
]  # fmt: skip


@pytest.mark.parametrize(("said", "kind"), SAID)
def test_a_kind_is_found_by_the_words_of_the_trade(said: str, kind: str) -> None:
    one = KINDS[kind]
    texts = [one.title, one.about, *one.synonyms]
    assert any(said in text.lower() for text in texts)


def test_every_kind_is_called_something_else_too_in_words_that_are_not_its_title() -> None:
    for name, item in KINDS.items():
        assert len(item.synonyms) >= 3, name
        assert len(set(item.synonyms)) == len(item.synonyms), name
        assert all(text == text.strip() and text.lower() != item.title.lower() for text in item.synonyms), name
