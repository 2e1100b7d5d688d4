"""Association, skill, side by side and looking, against numpy, scipy and plain counting."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.comparison import compare, distance, stability
from pravin_core.profiling.cross_filter import Panel, look
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.profiling.proposed_checks import bounds_of
from pravin_core.profiling.relations.association import (
    correlation_ratio,
    cramers_v,
    missing_together,
    pearson,
    spearman,
    uncertainty,
)
from pravin_core.profiling.relations.relations import relate
from pravin_core.profiling.relations.table import Measured
from pravin_core.records.filters import make_filter
from pravin_core.records.pages import Stage, read_page
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.runner import run_rulebook

Table = Callable[[dict[str, list[str | None]]], Snapshot]
NOW = dt.datetime(2024, 6, 1)
some_numbers = st.lists(
    st.one_of(st.just(float("nan")), st.floats(-1e300, 1e300), st.sampled_from([0.0, 1.0, 1e-300, -7.5])),
    min_size=30, max_size=60,
)  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(some_numbers, some_numbers)
def test_correlations_are_those_of_scipy(left: list[float], right: list[float]) -> None:
    n = min(len(left), len(right))
    a, b = np.array(left[:n]), np.array(right[:n])
    both = np.isfinite(a) & np.isfinite(b)
    result = spearman(a, b)
    if both.sum() < 10 or len(set(a[both])) == 1 or len(set(b[both])) == 1:
        assert result is None
        return
    assert result == pytest.approx(stats.spearmanr(a[both], b[both]).statistic, abs=1e-9)
    small = np.abs(a[both]).max() < 1e100 and np.abs(b[both]).max() < 1e100
    if small and (found_result := pearson(a, b)) is not None:
        big = [values / np.abs(values).max() for values in (a[both], b[both])]
        assert found_result == pytest.approx(np.corrcoef(*big)[0, 1], abs=1e-6)


def test_correlation_ratio_and_cramers_v_by_their_definitions() -> None:
    rng = np.random.default_rng(4)
    group = rng.integers(-1, 5, 400)
    numbers = group * 2.0 + rng.normal(size=400)
    numbers[rng.random(400) < 0.1] = np.nan
    met = (group >= 0) & np.isfinite(numbers)
    parts = [numbers[met & (group == item)] for item in range(5)]
    between = sum(len(part) * (part.mean() - numbers[met].mean()) ** 2 for part in parts)
    assert correlation_ratio(group, numbers) == pytest.approx(np.sqrt(between / (numbers[met].var() * met.sum())))
    other = np.where(rng.random(400) < 0.5, group, rng.integers(0, 3, 400))
    met = (group >= 0) & (other >= 0)
    cells = np.zeros((5, 5))
    np.add.at(cells, (group[met], other[met]), 1)
    cells = cells[:, cells.any(axis=0)]
    n, (r, c) = cells.sum(), cells.shape
    phi2 = max(0, stats.chi2_contingency(cells, correction=False).statistic / n - (r - 1) * (c - 1) / (n - 1))
    least = min(r - (r - 1) ** 2 / (n - 1), c - (c - 1) ** 2 / (n - 1)) - 1
    assert cramers_v(group, other) == pytest.approx(np.sqrt(phi2 / least))
    flags = rng.random((3, 400)) < 0.3
    flags[2] = False
    phi = missing_together([Measured(str(at), row) for at, row in enumerate(flags)])
    assert phi[0][1] == pytest.approx(np.corrcoef(flags[:2])[0, 1])
    assert phi[0][2] is None


codes = st.lists(st.tuples(st.integers(-1, 4), st.integers(-1, 3)), min_size=5, max_size=80)


@settings(max_examples=80, deadline=None)
@given(codes)
def test_uncertainty_is_that_of_its_definition(pairs: list[tuple[int, int]]) -> None:
    """Mutual information over entropy, computed with scipy from the table of counts."""
    left, right = (np.array(side) for side in zip(*pairs, strict=True))
    met = [(a, b) for a, b in pairs if a >= 0 and b >= 0]
    result = uncertainty(left, right)
    sides = [Counter(side) for side in zip(*met, strict=True)] if met else []
    if len(met) < 10 or any(len(side) < 2 for side in sides):
        assert result is None
        return
    entropies = [stats.entropy(list(side.values())) for side in sides]
    shared = sum(entropies) - stats.entropy(list(Counter(met).values()))
    assert result == pytest.approx((shared / entropies[1], shared / entropies[0]), abs=1e-9)


def test_a_pair_says_both_directions_where_one_determines_the_other(table: Table, tmp_path: Path) -> None:
    towns = [f"T{n % 12}" for n in range(300)]
    columns: dict[str, list[str | None]] = {"town": [*towns], "land": [f"L{int(town[1:]) % 3}" for town in towns]}
    snapshot = table(columns)
    profile = profile_snapshot(snapshot, tmp_path / "s", NOW)
    (pair,) = relate(snapshot, profile.columns, "", tmp_path / "s").pairs
    assert pair.right_by_left == pytest.approx(1)
    assert pair.left_by_right == pytest.approx(np.log(3) / np.log(12), abs=1e-3)


def test_a_target_is_foretold_by_what_leaks_it_and_not_by_noise(table: Table, tmp_path: Path) -> None:
    rng = np.random.default_rng(7)
    bloom = rng.random(600) < 0.3
    level = rng.normal(size=600)
    columns: dict[str, list[str | None]] = {
        "bloom": ["yes" if item else "no" for item in bloom],
        "cells_counted": [str(rng.integers(500, 900)) if item else None for item in bloom],
        "temperature": [
            f"{15 + 4 * item + value:.2f}" for item, value in zip(bloom, rng.normal(size=600), strict=True)
        ],
        "noise": [f"{value:.3f}" for value in rng.normal(size=600)],
        "level": [f"{value:.4f}" for value in level],
        "level_mm": [f"{value * 1000:.1f}" for value in level],
        "sample_id": [f"C-{n:05d}" for n in range(600)],
        "constant": ["x"] * 600,
    }
    snapshot = table(columns)
    profile = profile_snapshot(snapshot, tmp_path / "s", NOW)
    result = relate(snapshot, profile.columns, "bloom", tmp_path / "s")
    results = {item.name: item for item in result.foretold}
    assert results["cells_counted"].missing == pytest.approx(1, abs=0.01)
    assert 0.4 < (results["temperature"].skill or 0) < 0.9
    assert results["noise"].skill == pytest.approx(0, abs=0.1)
    assert results["sample_id"].skill is None
    names = [column.name for column in result.columns]
    strengths = {(names[pair.left], names[pair.right]): pair.strength for pair in result.pairs}
    assert strengths["level", "level_mm"] == 1
    assert strengths["noise", "level"] < 0.15
    assert {column.name: column.why_not for column in result.columns if column.why_not} == {
        "sample_id": "nearly all values are distinct", "constant": "it does not vary",
    }  # fmt: skip


@settings(max_examples=60, deadline=None)
@given(st.lists(st.integers(0, 30), min_size=20, max_size=80), st.lists(st.integers(5, 40), min_size=20, max_size=80))
def test_distance_and_stability_by_their_definitions(first: list[int], second: list[int]) -> None:
    sides = [
        tuple(np.array(part) for part in zip(*sorted(Counter(side).items()), strict=True)) for side in (first, second)
    ]
    assert distance(*sides)[1] == pytest.approx(stats.ks_2samp(first, second).statistic)  # type: ignore[arg-type]
    p, q = np.array([3.0, 5, 2]) / 10, np.array([10.0, 6, 4]) / 20
    assert stability([3, 5, 2], [10, 6, 4]) == pytest.approx(float(((p - q) * np.log(p / q)).sum()))


def test_side_by_side_puts_what_changed_most_first(table: Table, tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    columns: dict[str, list[str | None]] = {
        "ph": [f"{value:.2f}" for value in rng.normal(7, 0.5, 500)],
        "site": list(rng.choice(["A", "B", "C"], 500)),
        "unit": ["mg"] * 250 + ["µg"] * 250,
        "day": [str(dt.date(2024, 1, 1) + dt.timedelta(days=int(n))) for n in rng.integers(0, 90, 500)],
        "gone": ["x"] * 500,
    }
    before = table(columns)
    after = table({**{k: v for k, v in columns.items() if k != "gone"}, "unit": ["mg"] * 500, "new": ["y"] * 500})
    result = compare(Stage(before), Stage(after), tmp_path / "s", NOW)
    assert [column.name for column in result.columns][:3] == ["gone", "new", "unit"]
    by_name = {column.name: column for column in result.columns}
    assert by_name["ph"].stability == by_name["day"].stability == by_name["ph"].statistic == 0
    assert by_name["unit"].statistic == pytest.approx(
        stats.chi2_contingency([[250, 250], [500, 0]], correction=False).statistic
    )
    book = Rulebook.model_validate({"rules": [
        {"kind": "to-number", "id": "n", "columns": ["ph"]}, {"kind": "drop-columns", "id": "d", "columns": ["gone"]},
    ]})  # fmt: skip
    outcome = run_rulebook(before, book, tmp_path / "r")
    rules = compare(Stage(before), Stage(before, tmp_path / "r", outcome, book), tmp_path / "s", NOW)
    results = {column.name: column for column in rules.columns}
    assert results["gone"].second is None
    assert results["ph"].stability == 0
    assert all(sum(c.first for c in item.classes) == 500 for item in results.values() if item.classes)


def test_panels_narrow_each_other_and_agree_with_the_records_behind_them(table: Table, tmp_path: Path) -> None:
    rng = np.random.default_rng(5)
    ph = [f"{value:.1f}" if rng.random() > 0.05 else "" for value in rng.normal(7, 1, 400)]
    site = list(rng.choice(["A", "B", "C"], 400))
    day = [str(dt.date(2024, 1, 1) + dt.timedelta(days=int(n))) for n in rng.integers(0, 300, 400)]
    snapshot = table({"ph": ph, "site": site, "day": day})
    profile = profile_snapshot(snapshot, tmp_path / "s", NOW)
    only_b = make_filter("column", name="site", test="is", value="B")
    wide = make_filter("column", name="ph", test="within", values=("6.5", "7.5"))
    panels = [
        Panel(name="ph", show="bars", chosen=wide), Panel(name="site", chosen=only_b), Panel(name="day", show="bars"),
        Panel(name="day", show="shapes"),
    ]  # fmt: skip
    result = look(Stage(snapshot), profile.columns, panels, [], "site", tmp_path / "s")
    inside = [bool(value) and 6.5 <= float(value) < 7.5 for value in ph]
    assert result.fitting == sum(item and place == "B" for item, place in zip(inside, site, strict=True))
    shown = {bar.label: (bar.every, bar.now) for bar in result.panels[1].bars}
    assert shown == {name: (site.count(name), sum(item and place == name for item, place in zip(inside, site, strict=True)))
                     for name in "ABC"}  # fmt: skip
    assert sum(bar.now for bar in result.panels[0].bars) == sum(
        bool(v) and s == "B" for v, s in zip(ph, site, strict=True)
    )
    assert all(sum(bar.levels) == bar.now for panel in result.panels for bar in panel.bars)
    assert sum(bar.every for bar in result.panels[2].bars) == 400
    assert result.panels[0].aside == ph.count("")
    for bar in result.panels[0].bars:
        same = make_filter("column", name="ph", test="within", values=(bar.low, bar.high))
        assert read_page(Stage(snapshot), [same], None, False, 0, 1, tmp_path / "s").total == bar.every
    for bar in result.panels[2].bars:
        same = make_filter(
            "column", name="day", test="dated", value="%Y-%m-%d", values=(bar.low, f"{bar.high} 23:59:59")
        )
        assert read_page(Stage(snapshot), [same], None, False, 0, 1, tmp_path / "s").total == bar.every


def test_bounds_hold_what_was_seen_and_break_when_it_changes(table: Table, tmp_path: Path) -> None:
    columns: dict[str, list[str | None]] = {
        "site_code": [f"WQ-{n:04d}" for n in range(60)],
        "ph": [f"{6 + n / 30:.2f}" for n in range(60)],
        "unit": ["mg", "µg"] * 30,
        "day": [f"2024-03-{1 + n % 28:02d}" for n in range(60)],
        "note": [None] * 60,
    }
    profile = profile_snapshot(table(columns), tmp_path / "s", NOW)
    rules: list[dict[str, Any]] = [{**rule, "id": f"b{at}"} for at, (rule, _) in enumerate(bounds_of(profile))]
    results = {(rule["columns"][0], rule["kind"]) for rule in rules}
    assert {("site_code", "required"), ("site_code", "unique"), ("site_code", "matches-pattern"), ("ph", "in-range"),
            ("unit", "allowed-values"), ("day", "in-range")} <= results  # fmt: skip
    assert not [item for item in results if item[0] == "note"]
    book = Rulebook.model_validate({"rules": rules})
    outcome = run_rulebook(table(columns), book, tmp_path / "r1")
    assert outcome.reconciliation.quarantined == 0
    later = {**columns, "site_code": ["wq-1", *columns["site_code"][1:]], "ph": ["5.9", *columns["ph"][1:]]}
    later["unit"] = ["kg", *columns["unit"][1:]]
    broken = {effect.rule for effect in run_rulebook(table(later), book, tmp_path / "r2").effects if effect.broken}
    kinds = {(rule["columns"][0], rule["kind"]) for rule in rules if rule["id"] in broken}
    assert kinds == {("site_code", "matches-pattern"), ("ph", "in-range"), ("unit", "allowed-values")}


def test_a_table_without_records_is_looked_at_and_compared_like_any_other(table: Table, tmp_path: Path) -> None:
    empty = table({"a": [], "b": []})
    profile = profile_snapshot(empty, tmp_path / "s", NOW)
    assert (profile.records, profile.records_with_missing, bounds_of(profile)) == (0, 0, [])
    assert relate(empty, profile.columns, "a", tmp_path / "s").pairs == ()
    assert look(Stage(empty), profile.columns, [Panel(name="a")], [], "b", tmp_path / "s").fitting == 0
    full = table({"a": ["1"] * 20, "b": ["x"] * 20})
    assert {column.stability for column in compare(Stage(empty), Stage(full), tmp_path / "s", NOW).columns} == {None}
