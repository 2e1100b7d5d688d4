"""Every statistic of a column against exact arithmetic (fractions), pandas and Python's own calendar and letters."""

from __future__ import annotations

import math
import unicodedata
from collections import Counter
from collections.abc import Callable, Sequence
from datetime import date, datetime
from decimal import Decimal
from fractions import Fraction
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy import stats

from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.model import NumberStatistics, Profile
from pravin_core.profiling.profiler import profile_snapshot

Cells = list[str | None]
Table = Callable[[dict[str, Cells]], Snapshot]
NOW = datetime(2024, 6, 1)
property_of_tables = settings(
    max_examples=30, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)


def profiled(table: Table, tmp_path: Path, columns: dict[str, Cells]) -> Profile:
    return profile_snapshot(table(columns), tmp_path / "scratch", NOW)


def near(found: float | None, wanted: Fraction | float, slack: float) -> bool:
    """Equal to 11 digits, or as near as the rounding of the summands (`slack`) allows."""
    try:
        exact = float(wanted)
    except OverflowError:
        return found is None
    return found is not None and math.isclose(found, exact, rel_tol=1e-11, abs_tol=slack)


_ordinary = st.floats(-1e6, 1e6).map(lambda x: f"{x:.3f}")
_wild = st.sampled_from(
    ["1e308", "-1.5e308", "5e-324", "-2E-310", "1e200", "3", "0", "-0.0", "+7", "123456789012345678"]
)
_numbers = st.one_of(
    st.lists(_ordinary, min_size=1, max_size=60),
    st.lists(st.one_of(_wild, _ordinary), min_size=1, max_size=30),
    st.tuples(_ordinary, st.integers(1, 40)).map(lambda pair: [pair[0]] * pair[1]),
    st.lists(st.integers(0, 6).map(str), min_size=1, max_size=60),
)
_others = st.lists(st.sampled_from(["9" * 400, "inf", "-Infinity", "NaN", "1e999", "n/a", "x", "", None]), max_size=6)


@property_of_tables
@given(numbers=_numbers, others=_others, order=st.randoms(use_true_random=False))
def test_numbers(numbers: list[str], others: Cells, order: object, table: Table, tmp_path: Path) -> None:
    """What is no finite number is counted as such and stays out of every statistic."""
    cells: Cells = [*numbers, *others]
    order.shuffle(cells)  # type: ignore[attr-defined]
    column = profiled(table, tmp_path, {"v": cells}).columns[0]
    found_numbers = column.numbers
    assert found_numbers is not None
    assert sum(n for kind, n in column.kinds.items() if kind in ("whole number", "decimal")) == found_numbers.count
    assert column.missing == sum(not cell for cell in others)
    assert column.distinct == len({cell for cell in cells if cell})
    check_numbers(found_numbers, [float(text) for text in numbers])


def check_numbers(found: NumberStatistics, values: Sequence[float]) -> None:
    exact, n = [Fraction(value) for value in values], len(values)
    most = max(abs(value) for value in values)
    mean = sum(exact) / n
    assert (found.count, found.minimum, found.maximum) == (n, min(values), max(values))
    assert (found.positive, found.negative) == (sum(v > 0 for v in values), sum(v < 0 for v in values))
    assert found.zero == n - found.positive - found.negative
    for total, part in (
        (found.total, exact),
        (found.positive_total, [v for v in exact if v > 0]),
        (found.negative_total, [v for v in exact if v < 0]),
    ):
        if sum(abs(v) for v in part) < Fraction(10) ** 308:
            assert near(total, sum(part), 1e-15 * n * most)
    assert near(found.mean, mean, 1e-14 * most)
    for share, value in found.quantiles.items():
        assert near(value, quantile(sorted(exact), Fraction(share)), 1e-15 * most)
    assert found.median == found.quantiles["0.5"]
    reach = 3 * (found.quantiles["0.75"] - found.quantiles["0.25"])
    fences = (found.quantiles["0.25"] - reach, found.quantiles["0.75"] + reach)
    inside = [Fraction(v) for v in values if not reach or not math.isfinite(reach) or fences[0] <= v <= fences[1]]
    assert found.body is not None
    assert found.body.count == len(inside)
    assert near(found.body.mean, sum(inside) / len(inside), 1e-14 * most)
    if len(inside) < 2:
        assert found.body.standard_deviation is None
    elif (
        1e-5 * most < (apart := max(inside) - min(inside)) < 10**308
    ):  # else rounding, or too large a number, is all there is
        assert near(
            found.body.standard_deviation,
            np.std([float(v / Fraction(most)) for v in inside], ddof=1) * most,
            1e-9 * float(apart),
        )
    powers = [sum((v - mean) ** k for v in exact) / n for k in (2, 3, 4)]
    if n < 2:
        assert (found.variance, found.standard_deviation, found.skewness) == (None, None, None)
        return
    spread = root(powers[0])
    assert near(found.standard_deviation, root(powers[0] * n / (n - 1)), 1e-13 * most)
    if 1e-100 < most < 1e100:
        assert near(found.variance, powers[0] * n / (n - 1), 1e-13 * most * most)
    if n > 3 and powers[0] and spread > 1e-3 * most:  # else the digits of the cells do not carry the shape
        skewness, kurtosis = float(powers[1] / powers[0]) / spread, float(powers[2] / powers[0] ** 2) - 3
        skewness *= math.sqrt(n * (n - 1)) / (n - 2)
        kurtosis = ((n + 1) * kurtosis + 6) * (n - 1) / ((n - 2) * (n - 3))
        assert near(found.skewness, skewness, 1e-8)
        assert near(found.kurtosis, kurtosis, 1e-8)
        if most < 1e50 and spread > 1e-50:
            assert near(found.skewness, stats.skew(values, bias=False), 1e-8)
            assert near(found.kurtosis, stats.kurtosis(values, bias=False), 1e-8)


def quantile(ordered: Sequence[Fraction], share: Fraction) -> Fraction:
    place = share * (len(ordered) - 1)
    low = ordered[math.floor(place)]
    return low + (ordered[math.ceil(place)] - low) * (place - math.floor(place))


def root(number: Fraction) -> float:
    """The square root of a fraction that may be beyond the range of a float."""
    scale = max(0, (number.numerator.bit_length() - number.denominator.bit_length()) // 2)
    scale = scale or -max(0, (number.denominator.bit_length() - number.numerator.bit_length()) // 2)
    try:
        return math.ldexp(math.sqrt(number / Fraction(4) ** scale), scale)
    except OverflowError:
        return math.inf


@property_of_tables
@given(
    days=st.lists(st.datetimes(datetime(1901, 1, 1), datetime(2199, 12, 31)).map(lambda t: t.replace(microsecond=0)),
                  min_size=1, max_size=40),
    timed=st.booleans(), gaps=st.integers(0, 5),
)  # fmt: skip
def test_dates(days: list[datetime], timed: bool, gaps: int, table: Table, tmp_path: Path) -> None:
    form = "%Y-%m-%d %H:%M:%S" if timed else "%Y-%m-%d"
    values = pd.Series([datetime.fromisoformat(f"{day:{form}}") for day in days])
    column = profiled(table, tmp_path, {"v": [f"{day:{form}}" for day in days] + [None] * gaps}).columns[0]
    dates = column.dates
    assert dates is not None
    assert (dates.count, column.missing) == (len(days), gaps)
    assert pd.Timestamp(dates.first) == values.min()
    assert pd.Timestamp(dates.last) == values.max()
    assert dates.future == (values > NOW).sum()
    for counted, part in (
        (dates.by_year, values.dt.year),
        (dates.by_month, values.dt.month),
        (dates.by_weekday, values.dt.dayofweek + 1),
        *(((dates.by_hour, values.dt.hour),) if timed and (values.dt.normalize() != values).any() else ()),
    ):
        assert {int(item.value): item.count for item in counted} == part.value_counts().to_dict()
    assert sum(bar.count for bar in column.distribution.bins) == len(days)


_characters = st.sampled_from("abzABZ0359 -_.é ÄßЖ水٣\u00a0\u200b\t,'\"")
_texts = st.lists(st.one_of(st.none(), st.text(_characters, max_size=50)), min_size=1, max_size=50)


@property_of_tables
@given(cells=_texts)
def test_texts(cells: Cells, table: Table, tmp_path: Path) -> None:
    column = profiled(table, tmp_path, {"v": cells}).columns[0]
    present = [cell for cell in cells if cell]
    counts = Counter(present)
    assert (column.missing, column.distinct) == (len(cells) - len(present), len(counts))
    ordered = sorted(counts.items(), key=lambda pair: (-pair[1], pair[0].encode()))
    assert [(value.value, value.count) for value in column.values] == ordered[:50]
    shapes = Counter(map(shape, present))
    assert {shape.value: shape.count for shape in column.shapes} == shapes
    if column.text is None:
        assert not present
        return
    lengths = [len(cell) for cell in present]
    assert (column.text.shortest, column.text.longest) == (min(lengths), max(lengths))
    assert column.text.mean_length == pytest.approx(np.mean(lengths))
    assert column.text.mean_letters == pytest.approx(np.mean([sum(map(is_cased, cell)) for cell in present]))
    assert column.text.mean_words == pytest.approx(
        np.mean([len([word for word in cell.replace("\t", " ").split(" ") if word]) for cell in present])
    )
    space = lambda c: c in "\t" or unicodedata.category(c)[0] == "Z"  # noqa: E731
    assert column.text.outer_spaces == sum(space(cell[0]) or space(cell[-1]) for cell in present)
    hidden = lambda c: unicodedata.category(c) in ("Cc", "Cf") or c == "\u00a0"  # noqa: E731
    assert column.text.invisible == sum(any(map(hidden, cell)) for cell in present)


def is_cased(character: str) -> bool:
    return unicodedata.category(character) in ("Lu", "Lt", "Ll")


def shape(text: str) -> str:
    if len(text) > 40:
        return "longer than 40 characters"
    kinds = {"Nd": "9", "Lu": "A", "Lt": "A", "Ll": "a"}
    return "".join(kinds.get(unicodedata.category(character), character) for character in text)


_cell = st.sampled_from(["1", "2", "", None, "x", " x"])


@property_of_tables
@given(rows=st.lists(st.tuples(_cell, _cell, _cell), min_size=1, max_size=30))
def test_tables(rows: list[tuple[str | None, ...]], table: Table, tmp_path: Path) -> None:
    result = profiled(table, tmp_path, {name: [row[at] for row in rows] for at, name in enumerate("abc")})
    frame = pd.DataFrame([[cell or None for cell in row] for row in rows], columns=list("abc"), dtype=object)
    assert result.missing_cells == frame.isna().to_numpy().sum()
    assert result.records_with_missing == frame.isna().any(axis=1).sum()
    assert result.empty_records == frame.isna().all(axis=1).sum()
    assert result.duplicate_records == frame.fillna("").duplicated().sum()


def test_a_constant_and_a_single_value(table: Table, tmp_path: Path) -> None:
    day = date(2024, 2, 29)
    columns: dict[str, Cells] = {"tenth": ["0.1"] * 10, "one": ["7"] + [None] * 9, "day": [day.isoformat()] * 10}
    tenth, one, dated = profiled(table, tmp_path, columns).columns
    assert tenth.numbers is not None
    assert (tenth.numbers.mean, tenth.numbers.variance, tenth.numbers.skewness) == (0.1, 0, None)
    assert tenth.numbers.total == pytest.approx(1.0, abs=1e-15)
    assert one.numbers is not None
    assert (one.numbers.count, one.numbers.mean, one.numbers.standard_deviation) == (1, 7, None)
    assert dated.dates is not None
    assert (dated.dates.first, dated.dates.last) == ("2024-02-29", "2024-02-29")


@property_of_tables
@given(cells=st.lists(st.decimals(-(10**9), 10**9, places=3, allow_nan=False), min_size=1, max_size=60))
def test_the_sum_of_decimals_is_that_of_their_digits(cells: list[Decimal], table: Table, tmp_path: Path) -> None:
    numbers = profiled(table, tmp_path, {"a": [f"{cell:f}" for cell in cells]}).columns[0].numbers
    assert numbers is not None
    assert Decimal(repr(numbers.total)) == sum(cells)
