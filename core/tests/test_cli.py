"""The command line: files out, run.json, exit codes."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import pytest

from pravin_core.cli import main

DATA = "id|ph\n1|7.4\n2|74\n2|74\n3|n/a\nbroken\n4| =x\n"
RULES: list[dict[str, Any]] = [
    {"kind": "trim-spaces", "id": "trim"},
    {"kind": "missing-tokens", "id": "tokens", "tokens": ["n/a"]},
    {"kind": "remove-duplicates", "id": "repeats", "columns": ["id"]},
    {"kind": "in-range", "id": "range", "columns": ["ph"], "low": "0", "high": "14"},
]


@pytest.fixture
def files(tmp_path: Path) -> tuple[Path, Path]:
    data, rules = tmp_path / "d.txt", tmp_path / "rules.json"
    data.write_text(DATA)
    rules.write_text(json.dumps({"rules": RULES}))
    return data, rules


def rows(path: Path) -> list[list[str]]:
    with path.open(newline="") as file:
        return list(csv.reader(file))


def test_run_writes_every_record_somewhere(files: tuple[Path, Path], tmp_path: Path) -> None:
    data, rules = files
    out = tmp_path / "out"
    assert main(["run", str(rules), str(data), "--out", str(out)]) == 0
    said = json.loads((out / "run.json").read_text())["reconciliation"]
    assert said == {
        "delivered": 6, "added": 0, "ready": 1, "corrected": 1, "quarantined": 2, "removed": 1, "rejected": 1,
        "balances": True,
    }  # fmt: skip
    assert rows(out / "ready.csv") == [["id", "ph"], ["1", "7.4"], ["3", ""]]
    quarantined = rows(out / "quarantined.csv")
    assert quarantined[0][-1] == "reasons"
    assert [row[-1] for row in quarantined[1:]] == ["ph 74 lies outside 0 to 14", "ph =x lies outside 0 to 14"]
    assert rows(out / "removed.csv")[1][-1] == "3. Remove records that repeat id, keep the first."
    assert rows(out / "rejected.csv")[1][:3] == ["d.txt", "6", "broken"]
    assert sorted(p.name for p in out.iterdir()) == [
        "quarantined.csv",
        "ready.csv",
        "rejected.csv",
        "removed.csv",
        "run.json",
    ]


@pytest.mark.parametrize("form", ["tsv", "jsonl", "parquet"])
def test_other_formats_hold_the_same_records(form: str, files: tuple[Path, Path], tmp_path: Path) -> None:
    data, rules = files
    assert main(["run", str(rules), str(data), "--out", str(tmp_path / "o"), "--format", form]) == 0
    path = tmp_path / "o" / f"ready.{form}"
    if form == "parquet":
        found = pq.read_table(path).to_pylist()
    elif form == "jsonl":
        found = [json.loads(line) for line in path.read_text().splitlines()]
    else:
        found = [dict(zip(["id", "ph"], line.split("\t"), strict=True)) for line in path.read_text().splitlines()[1:]]
    assert [row["id"] for row in found] == ["1", "3"]
    assert found[0]["ph"] == "7.4"


def test_exit_codes(files: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    data, rules = files
    stopping = tmp_path / "stop.json"
    stopping.write_text(json.dumps({"rules": [{**RULES[3], "consequence": "stop"}]}))
    assert main(["run", str(stopping), str(data), "--out", str(tmp_path / "o")]) == 1
    assert main(["run", str(rules), str(tmp_path / "none.txt"), "--out", str(tmp_path / "o2")]) == 2
    assert "none.txt" in capsys.readouterr().err
    rules.write_text('{"rules": [{"kind": "nonsense", "id": "x"}]}')
    assert main(["run", str(rules), str(data), "--out", str(tmp_path / "o3")]) == 2
    assert "rule 1" in capsys.readouterr().err


def test_inspect_and_profile_print_json(
    files: tuple[Path, Path], tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    data, _ = files
    assert main(["inspect", str(data), "--json"]) == 0
    found = json.loads(capsys.readouterr().out)[0]
    assert (found["file"], found["settings"]["delimiter"], found["settings"]["names"]) == ("d.txt", "|", ["id", "ph"])
    assert main(["profile", str(data), "--json", "-"]) == 0
    profile = json.loads(capsys.readouterr().out)
    assert (profile["records"], profile["rejected"], [c["name"] for c in profile["columns"]]) == (5, 1, ["id", "ph"])
