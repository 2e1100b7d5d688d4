"""A release as one package: the standards, the table, the script and the checksums, each tried by itself."""

from __future__ import annotations

import csv
import hashlib
import io
import json
import re
import subprocess
import sys
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from django.db import connection

from conftest import Browser, do_work

Make = Callable[[str | None], Browser]
FILE = (
    'Sensor №,value,taken,note,"it\'s, ok"\n'
    'S-1,1.50,2026-01-02 10:30:00,"=1+1, ""quoted""",yes\n'
    'S-2,x,2026-01-03 00:00:00,,no\n'
    'S-3,-0.25,2026-01-04 23:59:59,"two\nlines",yes\n'
    'S-4,900,2026-01-05 01:00:00,ü,no\n'
).encode()  # fmt: skip
RULES: list[dict[str, Any]] = [
    {"kind": "to-number", "id": "n", "columns": ["value"]},
    {"kind": "to-date", "id": "d", "columns": ["taken"], "formats": ["%Y-%m-%d %H:%M:%S"]},
    {"kind": "in-range", "id": "r", "columns": ["value"], "low": "-10", "high": "100"},
]


@pytest.fixture
def package(browser: Make, db: None, tmp_path: Path) -> Path:
    """The package of a release with a contract, unpacked."""
    approver = browser("app")
    approver("POST", "/feeds", {"name": "Sensors of the Basin"}, expect=201)
    delivery = approver.upload("sensors-of-the-basin", readings=FILE)["id"]
    do_work()
    rulebook = {"based_on": 0, "change": "x", "rules": RULES}
    approver("PUT", "/feeds/sensors-of-the-basin/rulebook", rulebook, expect=200)
    approver("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    contract = approver("GET", "/feeds/sensors-of-the-basin/contract", expect=200)["columns"]
    by_name = {column["name"]: column for column in contract}
    by_name["Sensor №"].update(key=True, label="Sensor", description="it's the probe", length=10)
    by_name["value"].update(digits=6, decimals=2, unit="mg/l")
    by_name["it's, ok"].update(allowed=["yes", "no"])
    approver("PUT", "/feeds/sensors-of-the-basin/contract", {"based_on": 0, "columns": contract}, expect=200)
    run = approver("GET", f"/deliveries/{delivery}/release")["run"]
    approver("POST", f"/deliveries/{delivery}/release", {"run": run}, expect=201)
    do_work()
    release = approver("GET", f"/deliveries/{delivery}/release")["release"]
    assert release["state"] == "published", release["error"]
    answers = [approver.client.get(f"/api/releases/{release['id']}/package") for _ in range(2)]
    first, again = (b"".join(answer.streaming_content) for answer in answers)
    assert first == again
    zipfile.ZipFile(io.BytesIO(first)).extractall(tmp_path / "package")
    return tmp_path / "package"


def rows(package: Path) -> list[dict[str, str]]:
    (data,) = (package / "data").glob("*.csv")
    with data.open(newline="", encoding="utf-8") as file:
        return list(csv.DictReader(file))


def test_the_checksums_hold_for_every_file(package: Path) -> None:
    sums = dict(reversed(line.split("  ")) for line in (package / "SHA256SUMS").read_text().splitlines())
    files = {str(path.relative_to(package)) for path in package.rglob("*") if path.is_file()} - {"SHA256SUMS"}
    assert set(sums) == files
    for name, expected in sums.items():
        assert hashlib.sha256((package / name).read_bytes()).hexdigest() == expected
    told = json.loads((package / "datapackage.json").read_text())["resources"][0]
    assert told["hash"] == f"sha256:{sums[told['path']]}"
    assert told["bytes"] == (package / told["path"]).stat().st_size


def test_the_data_is_what_was_released(package: Path) -> None:
    found = [(row["Sensor №"], row["value"], row["taken"], row["note"], row["pravin_record"]) for row in rows(package)]
    assert found == [
        ("S-1", "1.5", "2026-01-02T10:30:00", '=1+1, "quoted"', "1"), ("S-3", "-0.25", "2026-01-04T23:59:59", "two\nlines", "3"),
    ]  # fmt: skip
    quarantined = list(csv.DictReader((package / "quarantine.csv").open()))
    assert [(row["name"], row["records"]) for row in quarantined] == [("value", "1"), ("value", "1")]
    assert json.loads((package / "reconciliation.json").read_text())["quarantined"] == 2


def test_both_standards_say_the_same_of_the_columns(package: Path) -> None:
    schema = json.loads((package / "datapackage.json").read_text())["resources"][0]["schema"]
    (path,) = (package / "data").glob("*-metadata.json")
    metadata = json.loads(path.read_text())
    assert metadata["url"] == path.name.removesuffix("-metadata.json")
    header = list(rows(package)[0])
    assert [field["name"] for field in schema["fields"]] == header
    assert [each["titles"][0] for each in metadata["tableSchema"]["columns"]] == header
    assert [field["type"] for field in schema["fields"]] == [
        "string",
        "number",
        "datetime",
        "string",
        "string",
        "integer",
        "integer",
    ]
    assert schema["primaryKey"] == ["Sensor №"]
    assert metadata["tableSchema"]["primaryKey"] == ["c1"]
    first = schema["fields"][0]
    assert (first["constraints"], first["title"]) == ({"required": True, "maxLength": 10}, "Sensor")
    allowed = metadata["tableSchema"]["columns"][4]["datatype"]["format"]
    assert all(re.fullmatch(allowed, row["it's, ok"]) for row in rows(package))
    assert schema["fields"][4]["constraints"]["enum"] == ["yes", "no"]
    page = (package / "dictionary.html").read_text()
    assert "it&#x27;s the probe" in page
    assert "mg/l" in page


def test_the_table_is_made_and_the_data_loads_into_it(package: Path) -> None:
    *statements, load = (package / "table.sql").read_text().strip().splitlines()
    assert load.startswith("\\copy ")
    with connection.cursor() as cursor:
        cursor.execute("CREATE SCHEMA elsewhere")
        cursor.execute("SET LOCAL search_path TO elsewhere")
        cursor.execute("\n".join(statements))
        table, path = re.fullmatch(r"\\copy (\".*\") FROM '(.*)' WITH .*", load).groups()  # type: ignore[union-attr]
        with cursor.copy(f"COPY {table} FROM STDIN WITH (FORMAT csv, HEADER true)") as copy:
            copy.write((package / path).read_bytes())
        cursor.execute(f'SELECT "Sensor №", value::text, taken::text, note, pravin_record FROM {table} ORDER BY 1')
        assert cursor.fetchall() == [
            ("S-1", "1.50", "2026-01-02 10:30:00", '=1+1, "quoted"', 1), ("S-3", "-0.25", "2026-01-04 23:59:59", "two\nlines", 3),
        ]  # fmt: skip
        cursor.execute(f"SELECT col_description('{table}'::regclass, 1)")
        assert cursor.fetchone() == ("Sensor: it's the probe",)


def test_the_script_makes_the_data_from_the_source(package: Path, tmp_path: Path) -> None:
    source = tmp_path / "readings.txt"
    source.write_bytes(FILE)
    command = [sys.executable, str(package / "clean.py"), "--out", str(tmp_path / "made"), str(source)]
    done = subprocess.run(command, cwd=tmp_path, capture_output=True, text=True, check=False)
    assert done.returncode in (0, 1), done.stderr
    (ready,) = (tmp_path / "made").rglob("ready.csv")
    with ready.open(newline="", encoding="utf-8") as file:
        made = list(csv.DictReader(file))
    released = rows(package)
    names = ["Sensor №", "value", "note", "it's, ok"]
    assert [[row[name] for name in names] for row in made] == [[row[name] for name in names] for row in released]


def test_a_release_that_is_not_published_has_no_package(browser: Make, db: None) -> None:
    assert browser("app")("GET", "/releases/99999/package", expect=404)["detail"]
