"""What people read: kinds, sentences, refusals and findings are well-formed English in the words of today."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator
from datetime import datetime
from itertools import product
from pathlib import Path
from typing import Any

import pytest
from test_findings import demo_files

import pravin_core
from pravin_core.errors import RulebookError
from pravin_core.formulas.functions import FUNCTIONS
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import Snapshot, SourceFile, make_snapshot, settle
from pravin_core.profiling.definitions import DEFINITIONS
from pravin_core.profiling.findings.registry import kinds as finding_kinds
from pravin_core.profiling.profiler import profile_snapshot
from pravin_core.rules.base import OfColumns, Rule, between, counted
from pravin_core.rules.registry import KINDS, describe
from pravin_core.rules.rulebook import Rulebook, as_rulebook, opened
from testing.words import faults, old_words

EXAMPLES = [(name, at) for name, kind in KINDS.items() for at in range(len(kind.examples))]
BAD = ["", None, 7, -1e9, "x" * 50_000, [], ["", 1], {"a": 1}, True, "(", [{"code": ""}], [{}], float("nan")]
LIBRARY_WORDS = ("Input should", "Field required", "validation error", "Value error", "pydantic", "Errno", "expected ")


def rule_of(name: str, at: int) -> dict[str, Any]:
    return {"kind": name, "id": "x", **KINDS[name].examples[at].rule}


def data_of(value: Any) -> Iterator[str]:
    """All texts of a rule: they are data and not our words."""
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict):
        for part in value.values():
            yield from data_of(part)
    elif isinstance(value, list | tuple):
        for part in value:
            yield from data_of(part)


def refused(rule: dict[str, Any]) -> str:
    """What is said against a rule; nothing when it is taken."""
    try:
        as_rulebook({"rules": [rule]})
    except RulebookError as error:
        return error.message
    return ""


def sentence(rule: Rule) -> str:
    return "".join(part.text for part in rule.describe())


def own_words(rule: Rule) -> str:
    """A sentence with its data blanked."""
    return "".join("X" if part.data else part.text for part in rule.describe())


@pytest.mark.parametrize("name", sorted(KINDS))
def test_what_a_kind_says_of_itself(name: str) -> None:
    kind = next(item for item in describe() if item["kind"] == name)
    assert kind["title"][0].isupper()
    assert not kind["title"].endswith(".")
    assert kind["about"].endswith(".")
    assert old_words(kind["title"]) == []
    assert faults(kind["about"], ("[0-9]{4}",)) == []
    for field in kind["fields"].values():
        shown = [field.get("title", ""), str(field.get("empty", "")), *map(str, field.get("labels", {}).values())]
        for text in shown:
            assert old_words(text) == [], (name, text)
            assert "_" not in text.replace("site_code", ""), (name, text)


@pytest.mark.parametrize("name", sorted(KINDS))
def test_every_field_of_a_form_has_a_label(name: str) -> None:
    hidden = {"kind", "id"}
    fields = next(item for item in describe() if item["kind"] == name)["fields"]
    unnamed = [
        field
        for field, schema in fields.items()
        if field not in hidden and schema.get("widget") != "none" and field not in ("enabled",)
        and KINDS[name].model_fields[field].title is None and "const" not in schema
        and len(schema.get("enum", [0, 0])) > 1
    ]  # fmt: skip
    assert unnamed == []


@pytest.mark.parametrize(("name", "at"), EXAMPLES)
def test_a_rule_is_a_sentence(name: str, at: int) -> None:
    rule = KINDS[name].model_validate(rule_of(name, at))
    words = own_words(rule)
    assert words.endswith(".")
    assert faults(words) == [], sentence(rule)
    assert words[0].isupper() or rule.describe()[0].data


@pytest.mark.parametrize("name", sorted(KINDS))
@pytest.mark.parametrize("number", [0, 1, 2, 1200])
def test_whatever_number_stands_in_a_sentence_its_noun_agrees(name: str, number: int) -> None:
    base = rule_of(name, 0)
    numbers = [field for field, info in KINDS[name].model_fields.items() if info.annotation in (int, int | None, float)]
    for field in numbers:
        try:
            rule = as_rulebook({"rules": [base | {field: number}]}).rules[0]
        except RulebookError:
            continue
        assert faults(own_words(rule)) == [], (field, sentence(rule))


@pytest.mark.parametrize("name", sorted(KINDS))
def test_what_a_rule_is_refused_for_is_said_with_the_labels_of_its_form(name: str) -> None:
    kind, refusals = KINDS[name], 0
    titles = {"Id", "Enabled", "Nonsense", *(str(info.title) for info in kind.model_fields.values())}
    for (at, _), field, bad in product(enumerate(kind.examples), [*kind.model_fields, "nonsense"], [*BAD, "left out"]):
        rule = rule_of(name, at)
        if field == "kind":
            continue
        if bad == "left out":
            rule.pop(field, None)
        else:
            rule[field] = bad
        if message := refused(rule):
            refusals += 1
            assert not any(words in message for words in LIBRARY_WORDS), message
            assert message.endswith("."), message
            if message.startswith(f"{kind.title}: “"):
                label = message.split("“")[1].split("”")[0]
                assert label in titles or any(label.startswith(f"{title}, ") for title in titles), message
    assert refusals > 10


def test_a_rule_that_cannot_be_read_any_more_says_so_in_the_same_words() -> None:
    book = opened([{"kind": "to-date", "id": "a"}, {"kind": "never-heard-of", "id": "b"}, 7])
    sentences = [sentence(rule) for rule in book.rules]
    assert sentences[0] == "This rule cannot be used and is off. Convert to date: “Formats, in order” is missing."
    assert "There is no kind of rule “never-heard-of”." in sentences[1]
    assert all(faults(text) == [] for text in sentences)


def test_no_column_named_says_what_it_stands_for() -> None:
    """The placeholder of "Columns" tells the truth: which columns are meant, or that some must be chosen."""
    for kind in describe():
        model = KINDS[kind["kind"]]
        if not issubclass(model, OfColumns) or "columns" not in kind["fields"]:
            continue
        empty = kind["fields"]["columns"]["empty"]
        accepted = not refused(rule_of(kind["kind"], 0) | {"columns": []})
        assert accepted == (empty != "choose columns"), kind["kind"]


@pytest.mark.parametrize(
    ("least", "most", "said"),
    [
        (3, None, "at least 3 records"),
        (None, 1, "at most 1 record"),
        (1, 1, "1 record"),
        (2, 4000, "2 to 4,000 records"),
    ],
)
def test_a_span_in_words(least: int | None, most: int | None, said: str) -> None:
    assert between(least, most, "record") == said


def test_a_number_keeps_all_its_digits_in_a_sentence() -> None:
    assert [counted(n, "day") for n in (0, 1, 2, 1_234_567, 0.5)] == [
        "0 days",
        "1 day",
        "2 days",
        "1,234,567 days",
        "0.5 days",
    ]


def test_functions_and_measures_are_explained_in_the_words_of_today() -> None:
    for function in FUNCTIONS.values():
        assert function.about.endswith("."), function.name
        assert faults(function.about) == [], function.name
    for measure, definition in DEFINITIONS.items():
        assert faults(f"{measure}: {definition}") == [], measure
    for kind in finding_kinds():
        assert faults(f"{kind.name}: {kind.method}") == [], kind.name


DIRTY: dict[str, list[str | None]] = {
    "code": [f"0{n}" if n % 7 else f"{n}" for n in range(400)],
    "when": ["2024-01-05" if n % 9 else "05-Oct" for n in range(400)],
    "price": [f"{n % 50}.5" if n % 40 else f"{n},5" for n in range(400)],
    "state": ["open " if n % 11 == 0 else "Open" if n % 5 == 0 else "open" for n in range(400)],
    "note": [None if n % 3 else "n/a" if n % 2 else f"text {n}" for n in range(400)],
    "single": ["x" if n == 7 else "4.2" for n in range(400)],
}


def test_one_or_many_every_finding_is_a_sentence(
    table: Callable[[dict[str, list[str | None]]], Snapshot], tmp_path: Path
) -> None:
    """On a table of its own, and on one whose faults come once: "1 cell holds", not "1 cells hold"."""
    once = {name: [values[1]] * 399 + [values[0]] for name, values in DIRTY.items()}
    seen = set()
    for number, columns in enumerate((DIRTY, once)):
        profile = profile_snapshot(table(columns), tmp_path / f"scratch-{number}", datetime(2024, 6, 1))
        for finding in profile.findings:
            seen.add(finding.kind)
            data = tuple(str(value) for values in columns.values() for value in values if value)
            says = finding.says
            assert faults(says, (*columns, *(text for text in data if len(text) > 3))) == [], (finding.kind, says)
    assert len(seen) >= 5


def test_the_findings_of_the_demo_are_sentences(tmp_path: Path) -> None:
    for number, path in enumerate(demo_files(tmp_path / "demo")):
        settings = settle(path, path.name, SettingsRequest()).settings
        snapshot = make_snapshot([SourceFile(path.name, path, settings)], tmp_path / f"s{number}")
        profile = profile_snapshot(snapshot, tmp_path / f"scratch{number}", datetime(2024, 6, 1))
        for finding in profile.findings:
            assert faults(finding.says, (*snapshot.columns,)) == [], (finding.kind, finding.says)
            if finding.rule:
                rule = Rulebook.model_validate({"rules": [{**finding.rule, "id": "x"}]}).rules[0]
                assert faults(own_words(rule)) == [], sentence(rule)


def messages(package: Path) -> Iterator[tuple[str, str]]:
    """Every text given to an error or as its advice, with its place; what is put in stands as X."""
    for path in sorted(package.rglob("*.py")):
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.Call):
                continue
            name = ast.unparse(node.func)
            texts = node.args[:1] if name.endswith("Error") else []
            texts += [keyword.value for keyword in node.keywords if keyword.arg in ("advice", "says")]
            for text in texts:
                if result := written(text):
                    yield f"{path.relative_to(package)}:{node.lineno}", result


def written(node: ast.AST) -> str:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    if isinstance(node, ast.JoinedStr):
        return "".join(part.value if isinstance(part, ast.Constant) else "X" for part in node.values)
    return ""


def test_every_message_of_the_core_is_in_the_words_of_today() -> None:
    texts = list(messages(Path(pravin_core.__path__[0])))
    assert len(texts) > 150
    assert {place: result for place, text in texts if (result := faults(text))} == {}
