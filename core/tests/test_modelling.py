"""Parts for modelling, against hashlib and plain counting: over random tables, as they grow."""

from __future__ import annotations

import datetime as dt
import hashlib
import random
from collections import Counter, defaultdict
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from pydantic import ValidationError

from pravin_core.engines.duckdb import connect
from pravin_core.errors import RunError
from pravin_core.releases.modelling import (
    TOP,
    Division,
    PartShare,
    Report,
    Table,
    rows_of,
    settle,
    write_divided,
)  # fmt: skip
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import sql
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType

T, W, D, X = DataType.TEXT, DataType.WHOLE, DataType.DECIMAL, DataType.DATE
COLUMNS = (("pump", T), ("hall", T), ("grade", T), ("day", X), ("flow", D))
ARROW = {T: pa.string(), D: pa.float64(), X: pa.date32(), W: pa.int64()}
SHARES = tuple(PartShare(name=name, share=share) for name, share in (("train", 70), ("validate", 15), ("test", 15)))
Row = tuple[str, str | None, str | None, dt.date | None, float | None]


def rows_at_random(random_: random.Random, n: int, first: int = 0) -> list[Row]:
    halls = [f"hall {at}" for at in range(random_.randint(40, 120))]
    grades, weights = ["a", "b", "c", None], [60, 30, 8, 2]
    return [
        (
            f"P{first + at:06}",
            random_.choice(halls) if random_.random() > 0.01 else None,
            random_.choices(grades, weights)[0],
            dt.date(2020, 1, 1) + dt.timedelta(days=random_.randint(0, 900)) if random_.random() > 0.02 else None,
            random_.choice([None, random_.uniform(0, 1e4)]),
        )
        for at in range(n)
    ]


def table_of(folder: Path, rows: list[Row], columns: Any = COLUMNS) -> Table:
    folder.mkdir(exist_ok=True)
    cells = {name: pa.array([row[at] for row in rows], ARROW[kind]) for at, (name, kind) in enumerate(columns)}
    file = folder / f"table-{len(rows)}-{random.random()}.parquet"
    pq.write_table(pa.table({RECORD: pa.array(range(1, len(rows) + 1), pa.int64()), **cells}), file)
    return Table(read_parquet([file]), tuple(columns))


def divide(
    folder: Path, division: Division, rows: list[Row], fixed: bool = False
) -> tuple[Division, list[str | None], Report]:
    """The division with its cuts, the part of each row, and the report."""
    table = table_of(folder, rows)
    with connect([folder], folder / "scratch") as con:
        settled = division if fixed else settle(division, table, con)
        target = folder / "divided.parquet"
        report = write_divided(settled, table, target, con)
    return settled, pq.read_table(target).column("part").to_pylist(), report


def place(seed: str, *values: str | None) -> int:
    told = seed + "".join("\x1f" + ("\x1e" if value is None else value) for value in values)
    return int(hashlib.sha256(told.encode()).hexdigest()[:13], 16)


def within_sampling_error(parts: list[str | None], n: int) -> bool:
    counts = Counter(parts)
    return all(
        abs(counts[each.name] - n * each.share / 100) <= 5 * (n * each.share / 100 * (1 - each.share / 100)) ** 0.5
        for each in SHARES
    )


@pytest.mark.parametrize("seed", range(50))
def test_the_same_record_in_the_same_part_as_the_table_grows(tmp_path: Path, seed: int) -> None:
    random_ = random.Random(f"pumps {seed}")
    rows = rows_at_random(random_, random_.randint(2500, 4000))
    later = [*rows[: len(rows) // 2], *rows_at_random(random_, 1000, first=len(rows))]
    random_.shuffle(later)

    by_record, parts, report = divide(tmp_path, Division(shares=SHARES, seed=f"s{seed}", key=("pump",)), rows)
    expected = [place(f"s{seed}", row[0]) / TOP for row in rows]
    assert parts == ["train" if at < 0.7 else "validate" if at < 0.85 else "test" for at in expected]
    assert within_sampling_error(parts, len(rows))
    assert [(each.name, each.records) for each in report.parts] == [(p.name, parts.count(p.name)) for p in SHARES]
    again = divide(tmp_path, by_record, later, fixed=True)[1]
    assert_same(rows, parts, later, again)

    by_stratum, parts, report = divide(tmp_path, by_record.model_copy(update={"stratum": "grade"}), rows)
    counts = Counter((row[2], part) for row, part in zip(rows, parts, strict=True))
    for grade, n in Counter(row[2] for row in rows).items():
        assert all(abs(counts[grade, each.name] - n * each.share / 100) <= 1 for each in SHARES)
        told = next(each.records for each in report.strata if each.value == grade)
        assert told == tuple(counts[grade, each.name] for each in SHARES)
    again = divide(tmp_path, by_stratum, later, fixed=True)[1]
    assert_same(rows, parts, later, again)

    grouped = Division(shares=SHARES, seed="g", way="groups", column="hall")
    _, parts, report = divide(tmp_path, grouped, rows)
    halls: dict[Any, set[str | None]] = defaultdict(set)
    for row, part in zip(rows, parts, strict=True):
        halls[row[1]].add(part)
    assert halls.pop(None, {None}) == {None}
    assert all(len(found) == 1 for found in halls.values())
    assert within_sampling_error([next(iter(found)) for found in halls.values()], len(halls))
    assert (report.watched[0].name, report.watched[0].values, report.without) == ("hall", 0, parts.count(None))
    again = divide(tmp_path, grouped, later, fixed=True)[1]
    assert_same(rows, parts, later, again)


def assert_same(rows: list[Row], parts: list[str | None], later: list[Row], again: list[str | None]) -> None:
    then = dict(zip((row[0] for row in rows), parts, strict=True))
    now = dict(zip((row[0] for row in later), again, strict=True))
    shared = then.keys() & now.keys()
    assert len(shared) > 1000
    assert {pump: then[pump] for pump in shared} == {pump: now[pump] for pump in shared}


@pytest.mark.parametrize("seed", range(5))
def test_what_is_later_lies_in_a_later_part(tmp_path: Path, seed: int) -> None:
    rows = rows_at_random(random.Random(f"time {seed}"), 3000)
    division, parts, report = divide(tmp_path, Division(shares=SHARES, seed="", way="time", column="day"), rows)
    days: dict[Any, list[dt.date]] = defaultdict(list)
    for row, part in zip(rows, parts, strict=True):
        assert (part is None) == (row[3] is None)
        if row[3]:
            days[part].append(row[3])
    assert max(days["train"]) < min(days["validate"]) <= max(days["validate"]) < min(days["test"])
    assert division.moments == (min(days["validate"]).isoformat(), min(days["test"]).isoformat())
    dated = sum(map(len, days.values()))
    busiest = max(Counter(row[3] for row in rows if row[3]).values())
    up_to = 0.0
    for each, share in zip(("train", "validate"), (0.7, 0.85), strict=True):
        up_to += len(days[each])
        assert abs(up_to - share * dated) <= busiest
    (watched,) = report.watched
    assert watched.ranges[0] == (min(days["train"]).isoformat(), max(days["train"]).isoformat())
    assert watched.values == 0


def test_the_report_tells_what_leaks(tmp_path: Path) -> None:
    rows: list[Row] = [(f"P{at}", "hall 1" if at % 2 else f"hall {at}", "a", None, float(at)) for at in range(300)]
    twins: list[Row] = [(f"Q{at}", hall and f" {hall.upper()} ", grade, day, flow and flow * 1.0001)
             for at, (_, hall, grade, day, flow) in enumerate(rows)]  # fmt: skip
    division = Division(shares=SHARES, seed="leak", key=("pump",), watched=("hall", "flow"))
    _, parts, report = divide(tmp_path, division, [*rows, *twins])
    hall, flow = report.watched
    in_parts: dict[Any, set[Any]] = defaultdict(set)
    for row, part in zip([*rows, *twins], parts, strict=True):
        in_parts[row[1]].add(part)
    several = {value for value, found in in_parts.items() if len(found) > 1}
    assert (hall.values, hall.records) == (len(several), sum(row[1] in several for row in [*rows, *twins]))
    assert flow.ranges[0][0] == "0"
    first = {at for at in range(300) for which in (0, 300) if parts[at + which] == "train"}
    alike = sum(parts[at + which] != "train" and at in first for at in range(300) for which in (0, 300))
    assert alike > 50
    assert report.alike == pytest.approx(alike, abs=3)  # rounding may meet another record


def test_what_is_left_out_and_one_part_alone(tmp_path: Path) -> None:
    rows = rows_at_random(random.Random("left"), 400)
    table = table_of(tmp_path, rows)
    division = Division(
        shares=SHARES, seed="z", key=("pump",), left_out={"flow": "leaks the target", "day": "all different"}
    )
    with connect([tmp_path], tmp_path / "scratch") as con:
        report = write_divided(division, table, tmp_path / "d.parquet", con)
        test = con.execute(sql(rows_of(division, table, tmp_path / "d.parquet", "test"))).fetchall()
        whole = con.execute(sql(rows_of(division, table, tmp_path / "d.parquet"))).fetchall()
    assert len(test) == report.parts[2].records
    assert {row[0] for row in test} == {row[0] for row in rows if place("z", row[0]) / TOP >= 0.85}
    assert [row[0] for row in whole] == [row[0] for row in rows]  # in their order
    assert {len(row) for row in whole} == {4}


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"key": ()}, "by the key of the feed"),
        ({"way": "groups"}, "by which column"),
        ({"way": "groups", "column": "hall", "stratum": "grade"}, "cannot be stratified"),
        ({"shares": (PartShare(name="a", share=50), PartShare(name="b", share=49))}, "make 99 %"),
        ({"shares": (PartShare(name="a", share=50), PartShare(name="a", share=50))}, "the same name"),
        ({"shares": (PartShare(name="A b", share=50), PartShare(name="b", share=50))}, "cannot be a part's name"),
    ],
)
def test_divisions_that_make_no_sense(more: dict[str, Any], words: str) -> None:
    with pytest.raises(ValidationError, match=words):
        Division(**{"shares": SHARES, "seed": "", "key": ("pump",), **more})


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ({"key": ("pum",)}, "no column 'pum'"),
        ({"watched": ("x",)}, "no column 'x'"),
        ({"way": "time", "column": "hall"}, "holds text, no dates"),
        ({"left_out": {name: "" for name, _ in COLUMNS}}, "All columns are left out"),
        ({"way": "time", "column": "day"}, "too few distinct times"),
    ],
)
def test_tables_that_cannot_be_divided_so(tmp_path: Path, more: dict[str, Any], words: str) -> None:
    rows: list[Row] = [(f"P{at}", "h", "a", dt.date(2024, 1, 1), 1.0) for at in range(9)]
    table = table_of(tmp_path, rows)
    with connect([tmp_path], tmp_path / "scratch") as con, pytest.raises(RunError, match=words):
        settle(Division(**{"shares": SHARES, "seed": "", "key": ("pump",), **more}), table, con)


def test_a_column_with_too_many_values_is_no_stratum(tmp_path: Path) -> None:
    rows: list[Row] = [(f"P{at}", f"h{at}", "a", None, 1.0) for at in range(1001)]
    table = table_of(tmp_path, rows)
    with connect([tmp_path], tmp_path / "scratch") as con, pytest.raises(RunError, match="1,001 distinct values"):
        settle(Division(shares=SHARES, seed="", key=("pump",), stratum="hall"), table, con)


def test_a_table_that_has_a_column_part_keeps_it(tmp_path: Path) -> None:
    columns = (("pump", T), ("Part", T))
    table = table_of(tmp_path, [(f"P{at}", "own") for at in range(20)], columns)  # type: ignore[misc]
    division = Division(shares=SHARES, seed="", key=("pump",))
    with connect([tmp_path], tmp_path / "scratch") as con:
        write_divided(division, table, tmp_path / "d.parquet", con)
    assert pq.read_table(tmp_path / "d.parquet").column_names == [RECORD, "pump", "Part", "part_"]


@pytest.mark.parametrize(
    "more",
    [{"key": ("value",), "stratum": "cut0"}, {"way": "groups", "column": "n"}, {"way": "time", "column": "moment"}],
)
def test_columns_may_be_called_anything(tmp_path: Path, more: dict[str, Any]) -> None:
    names = ("value", "cut0", "n", "place", "like", "parts", "strata", "at")
    columns = (*((name, T) for name in names), ("moment", X))
    rows = [
        (f"V{at}", "ab"[at % 2], f"n{at % 30}", *"wxyz", str(at), dt.date(2024, 1, 1) + dt.timedelta(at))
        for at in range(300)
    ]
    table = table_of(tmp_path, rows, columns)  # type: ignore[arg-type]
    with connect([tmp_path], tmp_path / "scratch") as con:
        division = settle(Division(shares=SHARES, seed="", watched=("parts", "value"), **more), table, con)
        report = write_divided(division, table, tmp_path / "d.parquet", con)
    assert sum(part.records for part in report.parts) == 300
    assert [each.values for each in report.watched][-2:] == [1, 0]
    assert [sum(each.records) for each in report.strata] == ([150, 150] if "stratum" in more else [])


def test_a_table_that_lost_a_column_of_the_division(tmp_path: Path) -> None:
    table = table_of(tmp_path, [("P1", "h")], (("pump", T), ("hall", T)))  # type: ignore[list-item]
    division = Division(shares=SHARES, seed="", key=("pump",), watched=("grade",))
    with connect([tmp_path], tmp_path / "scratch") as con, pytest.raises(RunError, match="no column 'grade'"):
        write_divided(division, table, tmp_path / "d.parquet", con)
