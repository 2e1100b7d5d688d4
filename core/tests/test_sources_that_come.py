"""Deliveries that lack a source, and files that came before."""

from __future__ import annotations

from datetime import datetime, timedelta

import pytest

from pravin_core.monitoring.measures import DeliveryMemory, Scale, measured
from pravin_core.monitoring.news import news
from pravin_core.monitoring.novelties import Novelty, Remembered

FOUR = {"north-#.csv": 1, "south-#.csv": 1, "harbour-#.csv": 2}


def came(number: int, sources: dict[str, int] | None = None, files: str | None = None) -> Remembered:
    """A delivery of sources by pattern, or of files written as their contents, a letter each."""
    memory = DeliveryMemory(
        records=100, rejected=0, volume=measured(Scale.SIZE, 100, 0.0, 0.05), columns={}, sources=sources,
        files=None if files is None else {content: f"{content}.csv" for content in files},
    )  # fmt: skip
    return Remembered(number, datetime(2026, 1, 5) + timedelta(days=number), memory)


def told(deliveries: list[Remembered], **expected: list[int]) -> list[tuple[str, str, list[str]]]:
    return [(each.weight, each.says, [text.text for text in each.texts]) for each in news(deliveries, expected)]


@pytest.mark.parametrize(
    ("past", "now", "says"),
    [
        ([FOUR] * 5, FOUR, []),
        ([FOUR] * 5, {**FOUR, "new-#.csv": 1}, []),
        ([FOUR] * 5, {**FOUR, "north-#.csv": 0, "nord-#.csv": 1}, []),  # as many, under another name
        ([FOUR] * 5, {"north-#.csv": 1, "harbour-#.csv": 2}, [("3 sources, usually 4", ["south-#.csv (0 of 1)"])]),
        ([FOUR] * 5, {**FOUR, "harbour-#.csv": 1}, [("3 sources, usually 4", ["harbour-#.csv (1 of 2)"])]),
        ([FOUR] * 2, {"north-#.csv": 1}, []),  # two are too few to know what is usual
        ([FOUR] * 2 + [None] * 9, {"north-#.csv": 1}, []),  # type: ignore[list-item]
        ([{"day-#.csv": days} for days in (31, 30, 31, 28, 31)], {"day-#.csv": 28}, []),
        ([{"day-#.csv": 31}] * 5, {"day-#.csv": 30}, [("30 sources, usually 31", ["day-#.csv (30 of 31)"])]),
        ([FOUR] * 20 + [{"north-#.csv": 1}] * 12, {"north-#.csv": 1}, []),  # the others ended long ago
        ([FOUR] * 9 + [{"north-#.csv": 1}], {"south-#.csv": 1}, [("1 source, usually 4", ["harbour-#.csv (0 of 2)", "north-#.csv (0 of 1)"])]),
        ([{f"{month}.csv": 1, f"{month}-b.csv": 1} for month in ("may", "june", "july")], {"august.csv": 1}, [("1 source, usually 2", [])]),
    ],
)  # fmt: skip
def test_a_source_that_usually_comes_is_lacking(
    past: list[dict[str, int] | None], now: dict[str, int], says: list[tuple[str, list[str]]]
) -> None:
    feed = [came(number, sources) for number, sources in enumerate([*past, now])]
    assert told(feed) == [("high", words, texts) for words, texts in says]


def incompleteness(feed: list[Remembered]) -> Novelty:
    (novelty,) = news(feed)
    return novelty


def test_fewer_sources_are_expected_from_an_answer_on() -> None:
    feed = [came(number, FOUR if number < 6 else {"north-#.csv": 1}) for number in range(9)]
    id_ = incompleteness(feed[:7]).id
    assert [told(feed[:last], **{id_: [6]}) for last in (7, 8, 9)] == [[], [], []]
    assert told([*feed, came(9, {})], **{id_: [6]}) == [("high", "0 sources, usually 1", ["north-#.csv (0 of 1)"])]
    assert told([*feed, came(9, FOUR)], **{id_: [6]}) == []


@pytest.mark.parametrize(
    ("files", "says"),
    [
        (["a", "b", "c"], []),
        (["a", "b", "a"], [("high", "the file is byte for byte as in delivery 0", ["a.csv (delivery 0)"])]),
        (["ab", "cd", "ad"], [("high", "all files are byte for byte as in 2 earlier deliveries", ["a.csv (delivery 0)", "d.csv (delivery 1)"])]),
        (["ab", "cb", "eb"], [("middle", "1 of 2 files is byte for byte as in delivery 1", ["b.csv (delivery 1)"])]),
        (["ab", "cb", "db", "eb", "fb", "gb", "hb", "ib"], [("low", "1 of 2 files is byte for byte as in delivery 6", ["b.csv (delivery 6)"])]),
        (["ab", "cb", "db", "eb", "fb", "gb", "hb", "gb"], [("high", "all files are byte for byte as in 2 earlier deliveries", ["g.csv (delivery 5)", "b.csv (delivery 6)"])]),
        (["a", "", "", "a"], [("high", "the file is byte for byte as in delivery 0", ["a.csv (delivery 0)"])]),
        (["a", ""], []),
    ],
)  # fmt: skip
def test_files_that_came_before(files: list[str], says: list[tuple[str, str, list[str]]]) -> None:
    assert told([came(number, files=content) for number, content in enumerate(files)]) == says


def test_a_repetition_that_is_expected_calls_nobody_later() -> None:
    feed = [came(number, files="a") for number in range(3)]
    id_ = news(feed)[0].id
    assert told(feed, **{id_: [2]}) == []
    assert [weight for weight, _, _ in told([*feed, came(3, files="a")], **{id_: [2]})] == ["low"]


def test_what_nobody_noted_is_no_lack() -> None:
    feed = [*(came(number, FOUR, files="a") for number in range(5)), came(5)]
    assert news(feed) == []


def test_an_answer_to_deliveries_that_were_not_noted_is_no_fault() -> None:
    feed = [came(number, FOUR if number < 6 else {"north-#.csv": 1}) for number in range(7)]
    id_ = incompleteness(feed).id
    assert told([*(came(each.number) for each in feed), came(7, {})], **{id_: [6]}) == []
