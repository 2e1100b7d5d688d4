"""The command line: files out, run.json, exit codes."""

from __future__ import annotations

import csv
import json
from pathlib import Path
from typing import Any

import pyarrow.parquet as pq
import pytest
import yaml

from pravin_core.cli import main
from pravin_core.errors import RulebookError
from pravin_core.rules.from_text import rulebook_from_text

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
    result = json.loads((out / "run.json").read_text())["reconciliation"]
    assert result == {
        "delivered": 6, "added": 0, "ready": 1, "corrected": 1, "quarantined": 2, "removed": 1, "rejected": 1,
        "balances": True,
    }  # fmt: skip
    assert rows(out / "ready.csv") == [["id", "ph"], ["1", "7.4"], ["3", ""]]
    quarantined = rows(out / "quarantined.csv")
    assert quarantined[0][-1] == "reasons"
    assert [row[-1] for row in quarantined[1:]] == ["ph 74 is outside 0 to 14", "ph =x is outside 0 to 14"]
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
        result = pq.read_table(path).to_pylist()
    elif form == "jsonl":
        result = [json.loads(line) for line in path.read_text().splitlines()]
    else:
        result = [dict(zip(["id", "ph"], line.split("\t"), strict=True)) for line in path.read_text().splitlines()[1:]]
    assert [row["id"] for row in result] == ["1", "3"]
    assert result[0]["ph"] == "7.4"


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
    result = json.loads(capsys.readouterr().out)[0]
    assert (result["file"], result["settings"]["delimiter"], result["settings"]["names"]) == (
        "d.txt",
        "|",
        ["id", "ph"],
    )
    assert main(["profile", str(data), "--json", "-"]) == 0
    profile = json.loads(capsys.readouterr().out)
    assert (profile["records"], profile["rejected"], [c["name"] for c in profile["columns"]]) == (5, 1, ["id", "ph"])


LIBRARY_RULES = """
version: 1
feed: samples
revision: 7
rules:
- {kind: translate, id: names, columns: [id], code_list: sites}
- {kind: in-reference, id: known, columns: [id], reference: register, theirs: [site]}
- {kind: in-range, id: range, columns: [ph], high: ":top"}
- {kind: holds, id: note, columns: [ph], formula: "ph <> :word and ph <> ':top'"}
"""


@pytest.mark.parametrize("form", ["yaml", "json", "json with tabs"])
def test_a_rulebook_as_it_is_downloaded_runs_with_the_library_from_files(tmp_path: Path, form: str) -> None:
    data = yaml.safe_load(LIBRARY_RULES)
    text = LIBRARY_RULES if form == "yaml" else json.dumps(data, indent="\t" if "tabs" in form else 2)
    (tmp_path / "rules.txt").write_text(text)
    (tmp_path / "d.csv").write_text("id;ph\nA;7\nB;20\nC;8\n")
    (tmp_path / "codes.csv").write_text("code;meaning\nA;Alder\nB;Birch\n")
    (tmp_path / "register.csv").write_text("site,river\nAlder,Merrow\nBirch,Merrow\n")
    out = tmp_path / "out"
    asked = [
        "run", str(tmp_path / "rules.txt"), str(tmp_path / "d.csv"), "--out", str(out), "--code-list", f"sites={tmp_path / 'codes.csv'}",
        "--reference", f"register={tmp_path / 'register.csv'}", "--parameter", "top=14", "--parameter", "word=text:8",
    ]  # fmt: skip
    assert main(asked) == 0
    assert rows(out / "ready.csv") == [["id", "ph"], ["Alder", "7"]]
    assert [row[3] for row in rows(out / "quarantined.csv")[1:]] == ["Birch", "C"]


@pytest.mark.parametrize(
    ("more", "said"),
    [
        ([], "no code list 'sites'"), (["--code-list", "sites"], "NAME=VALUE"), (["--parameter", "Top=1"], "not a name for a parameter"),
        (["--code-list", "sites={folder}/codes.csv"], "no parameter “:top”"), (["--code-list", "sites={folder}/nowhere.csv"], "nowhere.csv"),
        (["--code-list", "sites={folder}/codes.csv", "--parameter", "top=1", "--parameter", "word=x"], "'register'"),
    ],
)  # fmt: skip
def test_what_the_library_lacks_is_said_in_words(
    tmp_path: Path, capsys: pytest.CaptureFixture[str], more: list[str], said: str
) -> None:
    (tmp_path / "rules.yaml").write_text(LIBRARY_RULES)
    (tmp_path / "d.csv").write_text("id;ph\nA;7\nB;20\n")
    (tmp_path / "codes.csv").write_text("A;Alder\n")
    asked = ["run", str(tmp_path / "rules.yaml"), str(tmp_path / "d.csv"), "--out", str(tmp_path / "out")]
    assert main([*asked, *(item.format(folder=tmp_path) for item in more)]) == 2
    assert said in capsys.readouterr().err


BOMB = "a: &a [x, x, x, x, x, x, x, x, x]\n" + "".join(
    f"{chr(98 + n)}: &{chr(98 + n)} [{', '.join([f'*{chr(97 + n)}'] * 9)}]\n" for n in range(8)
)
UNREADABLE = [
    (BOMB, "another part of itself"), ("rules: [", "neither JSON nor YAML"), ("{", "neither JSON nor YAML"), ("hello", "holds no rules"), ("", "holds no rules"),
    ("rules: 7", "holds no rules"), ("[" * 5000 + "]" * 5000, "nested too deeply"), ("rules: [{kind: 1}]", "Rule"), ("rules: [7]", "Rule"),
    ("rules: [{? [a] : b}]", ""), ("rules: [{kind: required, columns: [x], id: 2024-13-45}]", ""), ("!!python/object:os.system x", "neither"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "said"), UNREADABLE)
def test_texts_that_are_no_rulebook_are_refused_in_our_words(text: str, said: str) -> None:
    with pytest.raises(RulebookError) as caught:
        rulebook_from_text(text)
    assert said.lower() in str(caught.value).lower() or "rule" in str(caught.value)
    for word in ("pydantic", "yaml.", "Traceback", "input_value", "mapping values", "<class"):
        assert word not in str(caught.value)
