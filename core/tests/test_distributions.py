"""Bars of distributions: every bar opens the records it counts, one wrong value flattens nothing, nothing is left out."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date, datetime, timedelta
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.model import Bin, ColumnProfile
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.records.filters import make_filter
from pravin_core.records.pages import Stage, find_records

Cells = list[str | None]
Table = Callable[[dict[str, Cells]], Snapshot]


def measured(table: Table, work: Path, cells: Cells) -> tuple[Snapshot, ColumnProfile]:
    snapshot = table({"v": cells})
    return snapshot, profile_snapshot(snapshot, work / "scratch", datetime(2024, 6, 1)).columns[0]


def opened(snapshot: Snapshot, column: ColumnProfile, bar: Bin, is_last: bool, work: Path) -> int:
    """How many records the door of a bar opens, as the sheet of the column makes it."""
    if column.dates and column.distribution.of == "dates":
        forms = "|".join(form.value for form in column.dates.formats)
        ends = (bar.low, f"{bar.high} 23:59:59.999999")
        door = make_filter("column", name="v", test="dated", value=forms, values=ends)
    else:
        door = make_filter(
            "column", name="v", test="between" if bar.outer or is_last else "within", values=(bar.low, bar.high)
        )
    return len(find_records(Stage(snapshot), [door], None, False, work / "s"))


def check(snapshot: Snapshot, column: ColumnProfile, work: Path) -> None:
    for bars in (column.distribution.bins, column.by_size.bins if column.by_size else ()):
        body = [bar for bar in bars if not bar.outer]
        for bar in bars:
            assert opened(snapshot, column, bar, bar is body[-1], work) == bar.count, bar
        if bars and column.numbers:
            every = column.numbers.count if bars is column.distribution.bins else column.numbers.positive
            assert sum(bar.count for bar in bars) == every
        assert [bar.outer for bar in bars] == sorted(
            (bar.outer for bar in bars[: len(bars) // 2]), reverse=True
        ) + sorted(bar.outer for bar in bars[len(bars) // 2 :])


ordinary = st.floats(-1e4, 1e4).map(lambda number: f"{number:.2f}")
far = st.sampled_from(["-999999", "1e15", "123456789.123456789", "0.0000001"])
NUMBERS = st.one_of(
    st.lists(ordinary, min_size=1, max_size=60),
    st.lists(st.one_of(ordinary, ordinary, ordinary, far), min_size=5, max_size=60),
    st.lists(st.integers(1, 9).map(str), min_size=1, max_size=40),
    st.lists(st.floats(0.001, 1e6).map(lambda number: f"{number:.17g}"), min_size=3, max_size=40),
)


@given(numbers=NUMBERS)
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_each_bar_of_numbers_opens_what_it_counts(numbers: list[str], table: Table, tmp_path: Path) -> None:
    snapshot, column = measured(table, tmp_path, [*numbers, None])
    if column.numbers and column.distribution.of == "numbers":
        check(snapshot, column, tmp_path)


@given(days=st.lists(st.dates(date(1850, 1, 1), date(2200, 1, 1)), min_size=1, max_size=40), near=st.booleans())
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_each_bar_of_dates_opens_what_it_counts(days: list[date], near: bool, table: Table, tmp_path: Path) -> None:
    some = [date(2024, 3, 1) + timedelta(days=n % 90) for n in range(60)] if near else []
    snapshot, column = measured(table, tmp_path, [f"{day:%Y-%m-%d}" for day in [*some, *days]])
    assert sum(bar.count for bar in column.distribution.bins) == len(days) + len(some)
    check(snapshot, column, tmp_path)


def test_times_of_the_day_are_in_the_bar_of_their_day(table: Table, tmp_path: Path) -> None:
    cells: Cells = [f"2024-03-{1 + n % 28:02d} {n % 24:02d}:59" for n in range(80)]
    check(*measured(table, tmp_path, cells), tmp_path)


@pytest.mark.parametrize(("wrong", "side"), [(["-999"] * 3, 0), (["9999"], -1), (["-999", "9999"], 0)])
def test_a_wrong_number_stands_beside_the_body_and_does_not_flatten_it(
    wrong: list[str], side: int, table: Table, tmp_path: Path
) -> None:
    cells: Cells = [*[f"{7 + n % 40 / 20:.2f}" for n in range(200)], *wrong]
    _, column = measured(table, tmp_path, cells)
    bars = column.distribution.bins
    assert bars[side].outer
    body = [bar for bar in bars if not bar.outer]
    assert (float(body[0].low), float(body[-1].high)) == (7, 8.95)
    assert sum(bar.count for bar in body) == 200
    assert len([bar for bar in body if bar.count]) > 20
    assert sum(bar.count for bar in bars if bar.outer) == len(wrong)


def test_a_wrong_year_stands_beside_the_others(table: Table, tmp_path: Path) -> None:
    _, column = measured(
        table, tmp_path, [*[f"2024-03-{1 + n % 28:02d}" for n in range(100)], "2107-03-04", "1900-01-01"]
    )
    bars = column.distribution.bins
    assert [(bar.low, bar.count) for bar in bars if bar.outer] == [("1900-01-01", 1), ("2024-03-29", 1)]
    assert (bars[1].low, bars[-2].high) == ("2024-03-01", "2024-03-28")


def test_bars_of_equal_ratio_are_there_for_numbers_over_powers_of_ten(table: Table, tmp_path: Path) -> None:
    _, wide = measured(table, tmp_path, [f"{1.3**n:.4f}" for n in range(60)])
    assert wide.by_size is not None
    ratios = [float(bar.high) / float(bar.low) for bar in wide.by_size.bins]
    assert max(ratios) / min(ratios) < 1.001
    for cells in (["5", "6", "7"], ["-1", "10", "1000"], ["0", "10", "1000"], ["-5", "-6"]):
        assert measured(table, tmp_path, [*cells])[1].by_size is None
    _, coded = measured(table, tmp_path, [*[f"{1.3**n:.4f}" for n in range(60)], "-999"])
    assert coded.by_size == wide.by_size  # a code for missing among them takes nothing away


FORMS = ["%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%Y-%m-%d %H:%M", "%d %b %Y"]


@given(data=st.data())
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_each_part_of_a_rhythm_opens_what_it_counts(data: st.DataObject, table: Table, tmp_path: Path) -> None:
    """By a formula, as the sheet of the column makes it; also among words and dates that no calendar has."""
    forms = data.draw(st.lists(st.sampled_from(FORMS), min_size=1, max_size=2, unique=True))
    moments = data.draw(st.lists(st.datetimes(datetime(1990, 1, 1), datetime(2040, 1, 1)), min_size=1, max_size=25))
    others = st.sampled_from(["n/a", "soon", "2024-02-31", "31.04.2024", "17.03.24", "45570", None, " 2024-03-17 "])
    cells: Cells = [f"{moment:{forms[at % len(forms)]}}" for at, moment in enumerate(moments)]
    snapshot, column = measured(table, tmp_path, [*cells, *data.draw(st.lists(others, max_size=6))])
    if column.dates is None:
        return
    reads = [f"to_moment(v, '{form.value}')" for form in column.dates.formats]
    read = reads[0] if len(reads) == 1 else f"coalesce({', '.join(reads)})"
    is_date = make_filter("column", name="v", test="reads as", value="date,date-time")
    dates = column.dates
    parts = {"year": dates.by_year, "month": dates.by_month, "weekday": dates.by_weekday, "hour": dates.by_hour}
    for part, counts in parts.items():
        for count in counts:
            door = [is_date, make_filter("formula", value=f"{part}({read}) = {int(count.value)}")]
            assert len(find_records(Stage(snapshot), door, None, False, tmp_path / "s")) == count.count, (part, count)
