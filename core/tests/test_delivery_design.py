"""Combining layouts, design changes, control totals, schema files."""

from __future__ import annotations

import json
import random
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pravin_core.errors import IntakeError, SettingsError
from pravin_core.intake.column_matching import match_columns, sketch
from pravin_core.intake.design import AgreedColumn, ChangeKind, compare_layout, compare_types
from pravin_core.intake.schema_files import CSVW, TABLE_SCHEMA, read_schema_file, schema_file
from pravin_core.intake.snapshot import Snapshot
from pravin_core.intake.totals import ControlTotals, compare_totals, from_totals_line, is_companion, read_companion
from pravin_core.tables.types import DataType


def _cells(seed: int) -> dict[str, list[str | None]]:
    rng = random.Random(seed)
    return {
        "sample": [f"WQ-{rng.randrange(10_000):04d}" for _ in range(200)],
        "analyte": [rng.choice(("nitrate", "phosphate", "ammonium")) for _ in range(200)],
        "value": [f"{rng.gauss(5, 1):.2f}" for _ in range(200)],
        "volume": [f"{rng.gauss(250, 10):.0f}" for _ in range(200)],
        "taken": [f"2024-03-{rng.randint(1, 28):02d}" for _ in range(200)],
    }


def test_columns_are_matched_by_name_and_by_content() -> None:
    agreed = [sketch(name, cells) for name, cells in _cells(1).items()]
    other = _cells(2)
    delivered = {
        "Sample (no.)": other["sample"], "Taken": other["taken"], "parameter": other["analyte"],
        "result": [text.replace(".", ",") for text in other["value"] if text], "remark": ["ok", "see report"] * 100,
    }  # fmt: skip
    columns = match_columns([sketch(name, cells) for name, cells in delivered.items()], agreed)
    pairs = {match.delivered: (match.column, match.how) for match in columns}
    assert pairs["Taken"] == ("taken", "name")
    assert pairs["parameter"] == ("analyte", "content")
    assert pairs["result"] == ("value", "content")
    assert pairs["Sample (no.)"][0] == "sample"
    assert "remark" not in pairs
    result = next(match.evidence for match in columns if match.delivered == "parameter")
    assert "3 values in common" in result


def test_design_changes_name_what_differs() -> None:
    agreed = [
        AgreedColumn(name=name, type=DataType.TEXT, sketch=sketch(name, cells)) for name, cells in _cells(1).items()
    ]
    other = _cells(3)
    delivered = [sketch(name, other[name]) for name in ("sample", "value", "volume", "taken")]
    delivered += [sketch("parameter", other["analyte"]), sketch("lab", ["North"] * 200)]
    changes, sure = compare_layout(delivered, agreed)
    assert [(change.kind, change.name, change.column) for change in changes] == [
        (ChangeKind.RENAMED, "parameter", "analyte"), (ChangeKind.NEW, "lab", ""),
    ]  # fmt: skip
    assert sure == {name: name for name in ("sample", "value", "volume", "taken")}
    moved, _ = compare_layout([sketch(name, cells) for name, cells in reversed(_cells(1).items())], agreed)
    assert [change.kind for change in moved] == [ChangeKind.MOVED]
    missing, _ = compare_layout([column.sketch for column in agreed[:4] if column.sketch], agreed)
    assert [(change.kind, change.name) for change in missing] == [(ChangeKind.MISSING, "taken")]
    same, _ = compare_layout([column.sketch for column in agreed if column.sketch], agreed)
    assert same == []


def test_retyped_columns_are_those_that_read_otherwise() -> None:
    agreed = [
        AgreedColumn(name="a", type=DataType.WHOLE), AgreedColumn(name="b", type=DataType.DECIMAL),
        AgreedColumn(name="c", type=DataType.TEXT), AgreedColumn(name="d"),
    ]  # fmt: skip
    now = {"a": DataType.TEXT, "b": DataType.WHOLE, "c": DataType.WHOLE, "d": DataType.DATE}
    assert [change.name for change in compare_types(now, agreed)] == ["a"]


@pytest.mark.parametrize(
    ("text", "records", "sums"),
    [
        ("records;1204\nsum of volume;88,5\n", 1204, {"volume": "88.5"}),
        ("rows=3\nvolume=1.50\n", 3, {"volume": "1.50"}),
        ("count,volume,value\n12,3.5,7\n", 12, {"volume": "3.5", "value": "7"}),
        ('{"records": 7, "sums": {"volume": 0.1}}', 7, {"volume": "0.1"}),
        ("Number of records: 1,204\n", 1204, {}),
    ],
)
def test_companion_files(text: str, records: int, sums: dict[str, str], tmp_path: Path) -> None:
    path = tmp_path / "x"
    path.write_text(text)
    result = read_companion(path, "march.totals.txt")
    assert result.records == records
    assert result.sums == {name: Decimal(number) for name, number in sums.items()}


def test_what_is_a_companion_file(tmp_path: Path) -> None:
    names = {
        "march.totals.csv": True,
        "control_totals.txt": True,
        "lab.ctl": True,
        "march.csv": False,
        "totalsite.csv": False,
    }
    assert {name: is_companion(name) for name in names} == names
    (tmp_path / "x").write_text("nothing to see\n")
    with pytest.raises(IntakeError, match="No control total"):
        read_companion(tmp_path / "x", "x.ctl")


def test_totals_are_compared_exactly(table: Callable[..., Snapshot], tmp_path: Path) -> None:
    snapshot = table({"v": ["0.1", "0.2", "n/a", ""], "w": ["1,5", "2,25", "-1,75", None], "t": ["x"] * 4})
    totals = ControlTotals(
        records=5, sums={"V": Decimal("0.3"), "w": Decimal("2.1"), "gone": Decimal(1)}, source="typed in"
    )
    results = {total.what: total for total in compare_totals(snapshot, totals, tmp_path / "scratch")}
    assert (results["records"].agrees, results["records"].difference) == (False, "-1")
    assert (results["sum of v"].agrees, results["sum of v"].unread) == (True, 1)
    assert (results["sum of w"].loaded, results["sum of w"].difference) == ("2", "-0.1")
    assert results["sum of gone"].remark == "the table has no such column"
    line = from_totals_line(("Total", "0,3", None, "2"), ("t", "v", None, "w"), "totals line")
    assert line.sums == {"v": Decimal("0.3"), "w": Decimal(2)}
    assert from_totals_line(("records: 2",), ("t",), "totals line").records == 2


_columns = st.lists(
    st.builds(
        AgreedColumn,
        name=st.text(st.characters(codec="ascii", categories=("L", "N")), min_size=1, max_size=8).filter(lambda s: s.strip() == s),
        type=st.sampled_from([None, *DataType]),
        missing=st.lists(st.sampled_from(("-", "n/a", "-999")), unique=True).map(tuple),
        description=st.sampled_from(("", "what it is")),
    ),
    min_size=1,
    max_size=6,
    unique_by=lambda column: column.name.casefold(),
)  # fmt: skip


@given(columns=_columns, standard=st.sampled_from([TABLE_SCHEMA, CSVW]))
def test_schema_files_round_trip(columns: list[AgreedColumn], standard: str) -> None:
    assert read_schema_file(json.dumps(schema_file(columns, standard))) == columns


def test_marks_and_formats_in_schema_files() -> None:
    column = AgreedColumn(name="v", type=DataType.DECIMAL, decimal=",", thousands=".")
    day = AgreedColumn(name="d", type=DataType.DATE, date_format="%d.%m.%Y")
    csvw = schema_file([column, day], CSVW)["tableSchema"]["columns"]
    assert csvw[0]["datatype"] == {"base": "number", "format": {"decimalChar": ",", "groupChar": "."}}
    exact = column.model_copy(update={"type": DataType.EXACT})
    assert schema_file([exact], CSVW)["tableSchema"]["columns"][0]["datatype"]["base"] == "decimal"
    assert csvw[1]["datatype"] == {"base": "date", "format": "dd.MM.yyyy"}
    fields = schema_file([column, day], TABLE_SCHEMA)["fields"]
    assert fields[0] == {"name": "v", "type": "number", "decimalChar": ",", "groupChar": "."}
    assert fields[1]["format"] == "%d.%m.%Y"
    for standard in (CSVW, TABLE_SCHEMA):
        assert read_schema_file(json.dumps(schema_file([column, day], standard))) == [column, day]
    with pytest.raises(SettingsError, match="neither"):
        read_schema_file("{}")
