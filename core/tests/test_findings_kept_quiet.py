"""What is right, however odd it looks, is not found: each table holds what a finding could take for a fault."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path

import pytest
from test_findings import DAYS, cycle, findings

from pravin_core.intake.snapshot import Snapshot

Table = Callable[[dict[str, list[str | None]]], Snapshot]
draw = random.Random(2311)
AIRPORTS = ["Merrow", "Kelby", "Tarn", "Upham", "Fen"]
RIGHT: list[tuple[str, str, list[str | None]]] = [
    ("sign that never else occurs", "temperature", [f"{draw.gauss(3, 2):.1f}" for _ in range(300)]),
    ("sign that never else occurs", "balance", [str(n - 40) for n in range(90)]),
    ("sign that never else occurs", "change", [*[f"{i % 30 + 20}" for i in range(120)], "-0.1", "-0.2"]),
    ("disguised missing", "rain", ["0" if i % 3 else f"{i / 7:.1f}" for i in range(200)]),
    ("disguised missing", "sold", [*["0"] * 40, *[str(900 + i % 50) for i in range(160)]]),
    ("broken key", "postcode", [f"{draw.randrange(30_000):05d}" for _ in range(2000)]),
    ("broken key", "flight", [f"{draw.choice(('LH', 'AF', 'BA'))}{draw.randrange(1, 9999)}" for _ in range(1500)]),
    (
        "broken key",
        "part",
        [f"{draw.randrange(1, 99)}-{draw.randrange(100, 999)}/{draw.choice('XYZ')}" for _ in range(1500)],
    ),
    ("percent", "cover", [*[f"0.{10 + i}" for i in range(60)], "0.5"]),
    ("spelling variants", "place", [*cycle(["Kiel", "Merrow"], 80), "Kiel-Ost"]),
    ("spelling variants", "name", [*cycle(["lead", "Merrow"], 80), "bead"]),
    ("year of five digits", "day", [*DAYS]),
    ("other form of a date", "day", [*DAYS, *[f"{d} Mar 2024" for d in range(10, 31)]]),
    ("serial number for a date", "day", [*DAYS, "20240", "59999"]),
    ("unknown code", "grade", [*cycle(["AA", "BB", "CC", "DD", "EE"], 60), "ZZ"]),
    ("coordinate off the globe", "plate", [*[f"5{i % 9}.123" for i in range(60)], "512.5"]),
    # near zero a small step is many times: that one of 600 degrees about 8 is 0.3 can be chance
    ("scale slip", "warmth", [*[f"{max(2.5, random.Random(n).gauss(8, 2)):.1f}" for n in range(600)], "0.3"]),
    ("nearly constant", "site", cycle(["Fen", "Tarn"], 400)),
    ("literal escape", "file", [*cycle(["x", "y"], 40), r"C:\temp\new.txt"]),
    ("literal escape", "link", [*cycle(["x", "y"], 40), "https://merrow.example/a%20b"]),
    (
        "decimal or thousands mark",
        "register",
        [f"{draw.randrange(100, 999)} {draw.randrange(100, 999)} {draw.randrange(100, 999)}" for _ in range(90)],
    ),
    (
        "decimal or thousands mark",
        "call",
        [f"0{draw.randrange(10, 99)} {draw.randrange(100, 999)} {draw.randrange(100, 999)}" for _ in range(90)],
    ),
    (
        "decimal or thousands mark",
        "seen",
        [",".join(str(draw.randrange(100, 999)) for _ in range(1 + i % 4)) for i in range(90)],
    ),
    (
        "decimal or thousands mark",
        "place",
        [f"{draw.randrange(10, 99)} {draw.randrange(100, 999)} Merrow" for _ in range(90)],
    ),
    ("decimal or thousands mark", "depth", [f"{draw.uniform(1, 9):.3f}" for _ in range(90)]),
    (
        "invisible characters",
        "remark",
        [f"wet ground and\nno {bird} at {i} feeders\ttoday" for i in range(45) for bird in ("duck", "goose")],
    ),
    ("disguised missing", "batch", [f"{i % 7 + 1:04d}-{i % 9:02d}-00" for i in range(60)]),
    ("personal data", "sexton", cycle(["Upper", "Lower"], 40)),
]


@pytest.mark.parametrize(("kind", "name", "cells"), RIGHT)
def test_what_is_right_is_not_found(
    kind: str, name: str, cells: list[str | None], table: Table, tmp_path: Path
) -> None:
    _, noticed = findings(table, tmp_path, {name: cells, "other": [str(i * i) for i in range(len(cells))]})
    assert [item.says for item in noticed if item.kind == kind and name in item.columns] == []


def lines(n: int) -> dict[str, list[str | None]]:
    """Lines of orders: several of one order are alike in much, and differ in article and number."""
    articles = ["bolt 4", "bolt 5", "bolt 6", "nut 4", "nut 5"]
    orders = [i // 3 for i in range(n)]
    return {
        "order": [f"K-{order:05d}" for order in orders],
        "buyer": [f"{AIRPORTS[order % 5]} works {order % 41}" for order in orders],
        "day": [f"2024-{1 + order % 12:02d}-{1 + order % 28:02d}" for order in orders],
        "article": [articles[i % 5] for i in range(n)],
        "pieces": [str(5 + i * 7 % 50) for i in range(n)],
        "price": [f"{(5 + i * 7 % 50) * (1 + i % 5)}.50" for i in range(n)],
    }


@pytest.mark.parametrize(
    "kind", ["nearly alike records", "near duplicates", "swapped columns", "subtotal among the records"]
)
def test_lines_of_orders_are_no_repeats(kind: str, table: Table, tmp_path: Path) -> None:
    _, noticed = findings(table, tmp_path, lines(900))
    assert [item.says for item in noticed if item.kind == kind] == []


def test_from_and_to_are_not_exchanged(table: Table, tmp_path: Path) -> None:
    """Two columns of one vocabulary, in which some values are rare on one side."""
    begin = [draw.choices(AIRPORTS, (50, 30, 10, 9, 1))[0] for _ in range(600)]
    end = [draw.choices(AIRPORTS, (1, 9, 10, 30, 50))[0] for _ in range(600)]
    _, noticed = findings(table, tmp_path, {"from": list(begin), "to": list(end), "n": [str(i) for i in range(600)]})
    assert [item.says for item in noticed if item.kind == "swapped columns"] == []
