"""The work of a delivery by command line and by program alone, on the running application."""

from __future__ import annotations

import csv
import json
import os
import subprocess
import sys
import zipfile
from pathlib import Path
from typing import Any

import pytest

ROOT = Path(__file__).resolve().parent.parent
EXAMPLES = ROOT / "docs" / "examples"
RULES = """
rules:
- {kind: trim-spaces, id: trim, columns: []}
- {kind: to-number, id: litres, columns: [litres], decimal: "."}
- {kind: required, id: vessel, columns: [vessel]}
- {kind: in-range, id: range, columns: [litres], low: "0", high: "500"}
"""


def tanks(path: Path, first: int, count: int = 40) -> list[tuple[str, str, str]]:
    """A file of tank readings; every tenth is out of range, one has no vessel. Returns what ought to be ready."""
    ready = []
    with path.open("w", newline="", encoding="utf-8") as file:
        lines = csv.writer(file)
        lines.writerow(("reading", "vessel", "litres"))
        for number in range(first, first + count):
            litres = 900 if number % 10 == 0 else 20 + number
            vessel = "" if number == first + 3 else f"tank {number % 4} "
            lines.writerow((f"R{number}", vessel, litres))
            if litres < 500 and vessel:
                ready.append((f"R{number}", vessel.strip(), str(litres)))
    return ready


@pytest.fixture(scope="module")
def tokens(address: str) -> dict[str, str]:
    """A token of the analyst and one of the approver, made by command line."""
    return {who: made(address, who)["text"] for who in ("marlo", "tessen")}


def made(address: str, who: str) -> Any:
    done = pravin(address, "token", who, "--name", "schedule", PRAVIN_PASSWORD=f"merrow-{who}")
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


def pravin(address: str, *arguments: str, **environment: str) -> subprocess.CompletedProcess[str]:
    """`./pravin api`, with an address."""
    return subprocess.run(
        [sys.executable, ROOT / "pravin", "api", *arguments],
        env={**os.environ, "PRAVIN_ADDRESS": address, **environment},
        capture_output=True,
        text=True,
    )


def rows(file: Path) -> list[dict[str, str]]:
    with file.open(encoding="utf-8-sig", newline="") as lines:
        return list(csv.DictReader(lines))


def test_from_nothing_to_a_release_by_a_script_that_may_be_run_again(
    address: str, tokens: dict[str, str], tmp_path: Path
) -> None:
    script = (EXAMPLES / "month.sh").read_text().splitlines()
    assert len(script) < 60
    ready = tanks(tmp_path / "tanks.csv", first=1)
    (tmp_path / "rules.yaml").write_text(RULES)
    amended = {"kind": "amend", "records": [10], "values": {"litres": "30"}, "justification": "read off again"}
    gone = {"kind": "discard", "records": [20], "justification": "the tank was not there"}
    (tmp_path / "decisions.json").write_text(json.dumps([amended, gone]))
    out = tmp_path / "out"
    command = [
        EXAMPLES / "month.sh",
        "Tank readings",
        "2026-11",
        tmp_path / "rules.yaml",
        tmp_path / "decisions.json",
        out,
    ]
    environment = {
        **os.environ, "PRAVIN_ADDRESS": address, "ANALYST": tokens["marlo"], "APPROVER": tokens["tessen"],
    }  # fmt: skip

    said = [
        subprocess.run([*command, tmp_path / "tanks.csv"], env=environment, capture_output=True, text=True)
        for _ in range(2)
    ]

    assert [done.returncode for done in said] == [0, 0], said
    assert said[0].stdout == said[1].stdout  # the same delivery, the same release
    released = [tuple(row[name] for name in ("reading", "vessel", "litres")) for row in rows(out / "ready.csv")]
    assert sorted(released) == sorted([*ready, ("R10", "tank 2", "30")])
    assert {row["reading"] for row in rows(out / "quarantined.csv")} == {
        "R4",
        "R30",
        "R40",
    }  # as the second time found them
    checks = json.loads((out / "verified.json").read_text())
    assert checks
    assert all(checks.values())
    with zipfile.ZipFile(out / "package.zip") as package:
        assert set(checks) <= set(package.namelist())
    activity = json.loads(pravin(address, "events", PRAVIN_TOKEN=tokens["marlo"]).stdout)
    done = [each["what"] for each in activity if each["feed"] == "tank-readings"]
    assert len([what for what in done if "published" in what]) == 1, done
    assert len([what for what in done if what.startswith("took in")]) == 1, done


def test_a_step_of_an_orchestrator_is_the_same_when_it_is_repeated(
    address: str, tokens: dict[str, str], tmp_path: Path
) -> None:
    work = {"PRAVIN_TOKEN": tokens["tessen"]}
    pravin(address, "new-feed", "Nightly tanks", **work)
    (tmp_path / "rules.yaml").write_text(RULES.replace('"500"', '"1000"'))
    assert pravin(address, "rules", "nightly-tanks", str(tmp_path / "rules.yaml"), **work).returncode == 0
    tanks(tmp_path / "night.csv", first=100)
    command = [
        sys.executable,
        EXAMPLES / "nightly.py",
        "nightly-tanks",
        tmp_path / "night.parquet",
        tmp_path / "night.csv",
    ]
    environment = {**os.environ, "PYTHONPATH": str(ROOT / "client"), "PRAVIN_ADDRESS": address, **work}

    twice = [subprocess.run(command, env=environment, capture_output=True, text=True) for _ in range(2)]

    assert [done.returncode for done in twice] == [0, 0], twice
    assert twice[0].stdout == twice[1].stdout
    assert (tmp_path / "night.parquet").read_bytes()[:4] == b"PAR1"


def test_exit_codes_and_errors_say_what_is_wrong(address: str, tokens: dict[str, str], tmp_path: Path) -> None:
    work = {"PRAVIN_TOKEN": tokens["marlo"]}
    assert pravin(address, "feeds").returncode == 3  # nobody is let in without a token
    assert pravin("http://127.0.0.1:9", "call", "feeds.nothing", PRAVIN_PATIENCE="0").returncode == 3
    refused = pravin(address, "wait", "999999", **work)
    assert (refused.returncode, "no delivery" in refused.stderr.lower()) == (2, True), refused.stderr
    strange = pravin(address, "call", "quarantine.decid", **work)
    assert strange.returncode == 2
    assert "quarantine.decide" in strange.stderr
    (tmp_path / "broken.json").write_text("[")
    assert pravin(address, "decide", "1", str(tmp_path / "broken.json"), **work).returncode == 2
    told = pravin(address, "call", "workspace.feeds", **work)
    assert told.returncode == 0
    assert isinstance(json.loads(told.stdout), list)
