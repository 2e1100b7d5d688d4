"""The effect of one rule alone is what a whole run tells of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from hypothesis import HealthCheck, given, settings
from test_rules import RECORDS, book
from test_rules import RULES as SAID

from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.dependencies import needed_by
from pravin_core.runs.effects.effect import effect_of
from pravin_core.runs.runner import run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
CELLS: dict[str, list[str | None]] = {
    "id": ["1", "2", "2", "4", "5", "6"],
    "ph": [" 7.4", "74", "x", "n/a", "8,1", "7.4 "],
    "lab": ["north", "North", " NORTH", None, "harbour", "north"],
}
RULES = book(
    {"kind": "trim-spaces"},
    {"kind": "letter-case", "columns": ["lab"], "letters": "capitals"},
    {"kind": "missing-tokens", "columns": ["ph"], "tokens": ["n/a"]},
    {"kind": "to-number", "columns": ["ph"]},
    {"kind": "remove-duplicates", "columns": ["id"]},
    {"kind": "letter-case", "columns": ["lab"], "letters": "small"},
    {"kind": "compute", "columns": ["twice"], "formula": "ph * 2"},
    {"kind": "summarise", "groups": ["lab"], "measures": [{"what": "records", "name": "n"}], "enabled": False},
    {"kind": "in-range", "columns": ["ph"], "high": "14"},
    {"kind": "unique", "columns": ["lab"]},
    {"kind": "record-count", "least": 6},
)


COUNTS = ("cells", "unconverted", "records", "removed", "added", "broken", "columns", "seen")


def same_as_the_run(snapshot: Snapshot, rulebook: Rulebook, folder: Path) -> None:
    for effect in run_rulebook(snapshot, rulebook, folder / "r").effects:
        if effect.enabled:
            alone = effect_of(snapshot, rulebook, effect.rule, folder / "s")
            counts = [n for n in COUNTS if n != "records" or alone.records is not None]
            assert {n: getattr(alone, n) for n in counts} == {n: getattr(effect, n) for n in counts}, effect.kind
            # the values of columns are kept after the first time
            assert effect_of(snapshot, rulebook, effect.rule, folder / "s") == alone


def test_each_rule_does_alone_what_the_run_says(table: Table, tmp_path: Path) -> None:
    same_as_the_run(table(CELLS), RULES, tmp_path)


@settings(max_examples=15, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(records=RECORDS, said=SAID)
def test_so_it_does_for_any_table_and_rulebook(
    records: list[tuple[str | None, ...]], said: list[dict[str, object]], table: Table, tmp_path: Path
) -> None:
    snapshot = table({name: [row[at] for row in records] for at, name in enumerate("abc")})
    same_as_the_run(snapshot, book(*said), tmp_path / f"r{len(list(tmp_path.iterdir()))}")


def test_what_changes_is_shown_once_with_how_often_it_does(table: Table, tmp_path: Path) -> None:
    snapshot = table(CELLS)
    effect = effect_of(snapshot, RULES, "r2", tmp_path / "s")
    shown = [(pair.before, pair.after, pair.times, pair.record) for pair in effect.pairs]
    assert shown == [("north", "NORTH", 2, 1), ("North", "NORTH", 1, 2), ("harbour", "HARBOUR", 1, 5)]
    lost = effect_of(snapshot, RULES, "r4", tmp_path / "s").lost
    assert [(pair.before, pair.record) for pair in lost] == [("x", 3), ("8,1", 5)]
    broken = effect_of(snapshot, RULES, "r9", tmp_path / "s").pairs
    assert [(pair.before, pair.times, pair.record) for pair in broken] == [("74", 1, 2)]
    removed = effect_of(snapshot, RULES, "r5", tmp_path / "s")
    assert [row.record for row in removed.rows] == [3]


def test_a_rule_that_gives_back_what_another_changed_says_so(table: Table, tmp_path: Path) -> None:
    effect = effect_of(table(CELLS), RULES, "r6", tmp_path / "s")
    assert (effect.undone, effect.undoes) == (3, "r2")
    off = effect_of(table(CELLS), RULES, "r8", tmp_path / "s")  # one that is switched off is tried too
    assert (off.removed, off.columns) == (2, 1)


def test_only_what_a_rule_needs_of_those_above_is_computed() -> None:
    numbered = list(enumerate(RULES.rules, start=1))
    assert [n for n, _ in needed_by(RULES.rules[3], numbered[:3])] == [1, 3]
    assert [n for n, _ in needed_by(RULES.rules[6], numbered[:6])] == [1, 3, 4, 5]


def test_to_fill_a_new_column_is_not_to_change_cells(table: Table, tmp_path: Path) -> None:
    def fills(rule: dict[str, object]) -> bool:
        return effect_of(table(CELLS), book(rule), "r1", tmp_path / "s").fills

    assert fills({"kind": "compute", "columns": ["new"], "formula": "lower(lab)"})
    assert fills({"kind": "letter-case", "columns": ["lab", "ph"], "letters": "small", "result": "beside"})
    assert not fills({"kind": "compute", "columns": ["lab"], "formula": "lower(lab)"})
    assert not fills({"kind": "letter-case", "columns": ["lab"], "letters": "small"})
    assert fills({"kind": "compute", "columns": ["n"], "formula": "count(*) over (partition by lab)"})
