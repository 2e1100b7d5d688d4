"""Profile: proposed types and roles, and counts that open their records (statistics: test_statistics.py)."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.model import ColumnProfile, Profile
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.records.filters import make_filter
from pravin_core.records.pages import Stage, read_page

Table = Callable[[dict[str, list[str | None]]], Snapshot]
NOW = datetime(2024, 6, 1)


def profile(snapshot: Snapshot, tmp_path: Path) -> Profile:
    return profile_snapshot(snapshot, tmp_path / "scratch", NOW)


def one(table: Table, tmp_path: Path, cells: list[str | None], name: str = "v") -> ColumnProfile:
    return profile(table({name: cells}), tmp_path).columns[0]


@pytest.mark.parametrize(
    ("name", "cells", "data_type", "role"),
    [
        ("ph", ["7.1", "7", "n/a", "", "6.9"] * 3, "decimal", "quantity"),
        ("count", ["1", "2", "30"] * 5, "whole number", "quantity"),
        ("station_id", ["17", "18", "19"] * 5, "whole number", "identifier"),
        ("code", ["0042", "0007", "1234"] * 5, "text", "identifier"),
        ("when", ["2024-01-05", "2024-02-29"] * 5, "date", "time"),
        ("when", ["17.03.2024", "05.04.2024"] * 5, "date", "time"),
        ("at", ["09:40", "10:05"] * 5, "text", "time"),
        ("wet", ["yes", "no"] * 5, "true/false", "flag"),
        ("weather", ["rain", "sun"] * 20, "text", "category"),
        ("note", ["a long remark about the water", "nothing much to say of it"] * 5, "text", "free text"),
        ("mass", ["1,5", "2,25"] * 5, "decimal", "quantity"),
        ("odd", ["0x1F", "1_000", "1e999", "5-10", "2024-02-30"] * 5, "text", "category"),
        ("empty", [None, ""] * 5, "text", "category"),
    ],
)
def test_types_and_roles_are_proposed(
    name: str, cells: list[str | None], data_type: str, role: str, table: Table, tmp_path: Path
) -> None:
    result = one(table, tmp_path, cells, name)
    assert (result.type, result.role) == (data_type, role)
    assert sum(result.kinds.values()) == len(cells)


def test_table_measures(table: Table, tmp_path: Path) -> None:
    profile_ = profile(table({"a": ["1", "1", None, "2"], "b": ["x", "x", "", None]}), tmp_path)
    assert (profile_.records, profile_.missing_cells, profile_.records_with_missing) == (4, 3, 2)
    assert (profile_.empty_records, profile_.duplicate_records) == (1, 1)


def test_dates_take_the_form_that_fits_most(table: Table, tmp_path: Path) -> None:
    result = one(table, tmp_path, ["25/03/2024", "04/05/2024", "30/12/2025", "x"])
    assert result.dates is not None
    assert (result.dates.first, result.dates.last, result.dates.future) == ("2024-03-25", "2025-12-30", 1)
    assert result.dates.formats[0].value == "%d/%m/%Y"


def test_every_count_opens_as_many_records(table: Table, tmp_path: Path) -> None:
    cells: list[str | None] = ["7.1", "n/a", None, "x", " y ", "7", "2024-01-05", "8,5", "yes", "-"] * 4
    snapshot = table({"v": cells})
    column = profile(snapshot, tmp_path).columns[0]
    expected = [(make_filter("column", name="v", test="reads as", value=k), n) for k, n in column.kinds.items()]
    expected += [(make_filter("column", name="v", test="is", value=v.value), v.count) for v in column.values]
    expected += [(make_filter("column", name="v", test="shape", value=s.value), s.count) for s in column.shapes]
    assert column.text is not None
    expected += [
        (make_filter("column", name="v", test="outer spaces"), column.text.outer_spaces),
        (make_filter("column", name="v", test="invisible marks"), column.text.invisible),
        (make_filter("any missing"), profile(snapshot, tmp_path).records_with_missing),
    ]
    for condition, count in expected:
        page = read_page(Stage(snapshot), [condition], None, False, 0, 5, tmp_path / "s")
        assert (condition, page.total) == (condition, count)
        assert len(page.rows) == min(5, count)


_odd = st.one_of(
    st.text(st.sampled_from("0123456789.,-+eE /:aAéÄ٣ \u00a0\t<µ"), max_size=12),
    st.sampled_from(
        ["n/a", " NA ", "yes", "1e5", "1E+400", "05-Oct-2024", "2024-13-01", "2024-01-05 09:40", "٣٤", "x" * 60]
    ),
    st.dates().map(lambda day: f"{day:%d/%m/%Y}"),
)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(cells=st.lists(_odd, min_size=1, max_size=60))
def test_kinds_judged_by_shape_are_those_of_each_text(cells: list[str], table: Table, tmp_path: Path) -> None:
    snapshot = table({"v": list(cells)})
    for kind, count in profile(snapshot, tmp_path).columns[0].kinds.items():
        alone = make_filter("column", name="v", test="reads as", value=kind)
        assert (kind, read_page(Stage(snapshot), [alone], None, False, 0, 1, tmp_path / "s").total) == (kind, count)
