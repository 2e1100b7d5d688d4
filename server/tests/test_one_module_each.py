"""A kind of rule, of finding, a reader, a filter and a gate are one module each: found in forms, API, docs and runs with no
other file changed.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

KIND = '''
"""Texts written backwards."""
from typing import ClassVar, Literal
from pydantic import Field
from sqlglot import exp
from pravin_core.rules.base import ColumnCorrection, Corrected, Example, Part, as_text, text
from pravin_core.sql.trees import template
from pravin_core.tables.columns import Column

class Backwards(ColumnCorrection):
    """Each text is written from its end to its beginning."""
    title = "Write backwards"
    group = "Text"
    about = "Writes each text from its end to its beginning."
    synonyms = ("reverse", "mirror")
    examples = (Example(rule={"columns": ["a"]}, before={"a": ["abc", None]}, after={"a": ["cba", None]}),)
    repairs_text: ClassVar[bool] = True
    kind: Literal["backwards"] = "backwards"
    how: Literal["letters", "words"] = Field(
        default="letters", title="By", json_schema_extra={"widget": "choice", "labels": {"letters": "letter by letter"}}
    )
    def sentence(self) -> list[Part]:
        return [text("Write "), *self.meant(), text(" backwards.")]
    def correct(self, cell: exp.Expr, column: Column) -> Corrected:
        return Corrected(template("reverse(:c)", c=as_text(cell, column.type)))

KIND = Backwards
'''
FINDING = '''
"""Zebras."""
from pravin_core.profiling.findings.base import Kind, cells, of_column

KIND = Kind("zebra", "A cell that says zebra.")

def find(column_values, column):
    count = column_values.ask("SELECT coalesce(sum(n), 0)::BIGINT FROM column_values WHERE value = 'zebra'")[0][0]
    if count:
        yield of_column(column_values, KIND, "high", count, f"{cells(count)} with a zebra",
                        rule={"kind": "backwards", "columns": [column_values.name]}, effect=count)
'''
READER = '''
"""Lines of three letters, each letter a cell."""
from collections.abc import Iterator
from pathlib import Path
from pravin_core.intake.formats.base import RECORD, Detected, LineOutcome, Place, Reader, assign
from pravin_core.intake.settings import FileSettings, SettingsRequest

class Triplets(Reader):
    """Lines of three letters, each letter a cell; the file begins with 3L."""
    format, label = "triplets", "triplets of letters"
    asked = 5
    first = ("names",)
    def recognises(self, path: Path, name: str, head: bytes) -> str:
        return "the file begins with 3L" if head.startswith(b"3L") else ""
    def settle(self, place: Place, request: SettingsRequest, known) -> Detected:
        names = request.names or ("a", "b", "c")
        return Detected(FileSettings(format="triplets", header_rows=0, **assign(names, request, place.name)), {})
    def outcomes(self, place: Place, settings: FileSettings, limit=None) -> Iterator[LineOutcome]:
        for number, line in enumerate(place.path.read_text().splitlines()[1:], start=2):
            yield LineOutcome(RECORD, number, text=line, cells=tuple(line))

READER = Triplets()
'''
FILTER = '''
"""Ends with a text."""
from typing import ClassVar, Literal
from pydantic import Field
from sqlglot import exp
from pravin_core.records.filters.base import ColumnFilter, Takes
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType

class ColumnEndsWith(ColumnFilter):
    """The cell ends with a text."""
    takes: ClassVar[Takes | None] = "text"
    test: Literal["ends with"] = "ends with"
    value: str = Field(default="", max_length=2000)
    def of_cell(self, text: exp.Expr, data_type: DataType) -> exp.Expr:
        return template("suffix(:t, :v)", t=text, v=exp.Literal.string(self.value))

FILTER = ColumnEndsWith
'''
GATE = '''
"""Not on Fridays."""
from pravin_server.releases.gates.base import Proposal, Gate

def finds(case: Proposal) -> tuple[bool, str]:
    return False, "it is Friday"

GATE = Gate("Not on Fridays", 35, finds)
'''
SCRIPT = """
import json, sys
from pathlib import Path
place = Path(sys.argv[1])
import types
import pravin_core.records
filters = types.ModuleType("pravin_core.records.filters.column")  # before its package looks for what is in it
filters.__path__ = [str(Path(pravin_core.records.__path__[0]) / "filters/column"), str(place / "filters")]
sys.modules[filters.__name__] = filters
import pravin_core.rules.corrections.text as kinds
import pravin_core.profiling.findings.columns as findings
import pravin_core.intake.formats as readers
import pravin_server.releases.gates as gates
packages = {"kinds": kinds, "findings": findings, "gates": gates, "readers": readers}
for name, package in packages.items():
    package.__path__.append(str(place / name))
import django
django.setup()
from datetime import datetime
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import SourceFile, make_snapshot, settle
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.releases import writers
from pravin_core.rules.registry import describe
from pravin_core.rules.rulebook import as_rulebook
from pravin_core.runs.runner import run_rulebook
from pravin_server.config.api import api
from pravin_server.findings.api import router as _
from pravin_core.profiling.findings.registry import kinds as finding_kinds
from pravin_server.releases.gates.registry import GATES
from pravin_server.workspace.management.commands.rules_page import page
file = place / "a.txt"
file.write_text("id,a\\n" + "".join(f"{n},{'zebra' if n % 4 == 0 else 'horse ' + str(n)}\\n" for n in range(40)))
snapshot = make_snapshot([SourceFile("a.txt", file, settle(file, "a.txt", SettingsRequest()).settings)], place / "snapshot")
profile = profile_snapshot(snapshot, place / "scratch", datetime(2026, 1, 1))
rules = as_rulebook({"rules": [{"kind": "backwards", "id": "b", "columns": ["a"]}]})
outcome = run_rulebook(snapshot, rules, place / "out")
triplets = place / "b.txt"
triplets.write_text("3L\\nabc\\nxyz\\n")
settled = settle(triplets, "b.txt", SettingsRequest())
read = make_snapshot([SourceFile("b.txt", triplets, settled.settings)], place / "triplets")
from pravin_core.records.filters import make_filter, offered
from pravin_core.records.pages import Stage, find_records
from pravin_server.deliveries.api import formats
found = find_records(Stage(read), [make_filter("column", name="c", test="ends with", value="z")], None, False, place / "s")
schema = json.dumps(api.get_openapi_schema())
print(json.dumps({
    "form": [one for one in describe() if one["kind"] == "backwards"],
    "api": "Backwards" in schema,
    "docs": "Write backwards" in page(),
    "changed": outcome.effects[0].cells,
    "kind": "zebra" in [one.name for one in finding_kinds()],
    "findings": [[one.kind, one.count, list(one.columns)] for one in profile.findings if one.kind == "zebra"],
    "gates": [gate.name for gate in GATES],
    "format": settled.settings.format, "records": read.records, "columns": read.columns,
    "formats": [one for one in formats(None) if one["format"] == "triplets"],
    "reader in docs": "triplets of letters" in page(),
    "found": found.tolist(),
    "offered": [one for one in offered() if one["test"] == "ends with"],
    "filter in api": "ColumnEndsWith" in schema, "filter in docs": "ends with a text" in page(),
}))
"""


@pytest.fixture(scope="module")
def told(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    """What a process says that finds the three modules beside those that there are."""
    place = tmp_path_factory.mktemp("modules")
    for name, module, text in (
        ("kinds", "backwards", KIND),
        ("findings", "zebra", FINDING),
        ("gates", "fridays", GATE),
        ("readers", "triplets", READER),
        ("filters", "ends_with", FILTER),
    ):
        (place / name).mkdir()
        (place / name / f"{module}.py").write_text(text.lstrip())
    path = os.pathsep.join(sys.path)
    done = subprocess.run(
        [sys.executable, "-c", SCRIPT, str(place)], env={**os.environ, "PYTHONPATH": path}, text=True, capture_output=True,
        cwd=Path(__file__).parent,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-3000:]
    content: dict[str, Any] = json.loads(done.stdout.splitlines()[-1])
    return content


def test_a_kind_of_rule_is_found_in_forms_api_docs_and_runs(told: dict[str, Any]) -> None:
    (form,) = told["form"]
    assert (form["title"], form["synonyms"], form["repairs_text"]) == ("Write backwards", ["reverse", "mirror"], True)
    assert form["fields"]["how"]["enum"] == ["letters", "words"]
    assert form["fields"]["how"]["labels"] == {"letters": "letter by letter"}
    assert told["api"]
    assert told["docs"]
    assert told["changed"] == 40


def test_a_kind_of_finding_is_found_in_profiles_and_proposes_its_rule(told: dict[str, Any]) -> None:
    assert told["kind"]
    assert told["findings"] == [["zebra", 10, ["a"]]]


def test_a_gate_is_judged_in_its_place(told: dict[str, Any]) -> None:
    assert told["gates"] == [
        "The reconciliation balances", "Control totals agree", "The run is up to date", "Not on Fridays",
        "No stopping check is broken", "Every rule can be used", "The key tells records apart",
        "The contract is kept", "There are ready records", "The table fits the database",
    ]  # fmt: skip


def test_a_reader_is_found_by_files_forms_and_docs(told: dict[str, Any]) -> None:
    assert (told["format"], told["records"], told["columns"]) == ("triplets", 2, ["a", "b", "c"])
    (form,) = told["formats"]
    assert (form["label"], list(form["first"])) == ("triplets of letters", ["names"])
    assert told["reader in docs"]


def test_a_filter_is_found_by_records_forms_api_and_docs(told: dict[str, Any]) -> None:
    assert told["found"] == [2]
    assert [item["takes"] for item in told["offered"]] == ["text"]
    assert told["filter in api"]
    assert told["filter in docs"]
