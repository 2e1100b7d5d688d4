"""What people read on screen, in documents and in the server's answers is in the words of today."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import pytest

from testing.words import OLD_WORDS, faults, old_words

ROOT = Path(__file__).resolve().parents[2]
SERVER = ROOT / "server/pravin_server"
WEB = ROOT / "web/src"
ERRORS = ("Error", "Invalid", "Conflict", "NotFound", "Forbidden", "Busy", "problem")
SHOWN = ("placeholder", "aria-label", "title", "label", "empty", "wait", "hint", "alt")


def messages() -> Iterator[tuple[str, str]]:
    """The texts of the server's errors and advice; what is put in stands as X."""
    for path in sorted(SERVER.rglob("*.py")):
        if "migrations" in path.parts or "commands" in path.parts:
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.Call) or not ast.unparse(node.func).endswith(ERRORS):
                continue
            known = [*node.args, *(keyword.value for keyword in node.keywords if keyword.arg in ("advice", "says"))]
            for text in known:
                if isinstance(text, ast.Constant) and isinstance(text.value, str) and " " in text.value:
                    yield f"{path.relative_to(ROOT)}:{node.lineno}", text.value
                elif isinstance(text, ast.JoinedStr):
                    parts = (part.value if isinstance(part, ast.Constant) else "X" for part in text.values)
                    yield f"{path.relative_to(ROOT)}:{node.lineno}", "".join(parts)


def on_screen() -> Iterator[tuple[str, str]]:
    """The texts of the web's templates: what stands between tags, and in attributes that are shown or read aloud."""
    for path in sorted(WEB.rglob("*.vue")):
        template = re.search(r"<template>(.*)</template>", path.read_text(), re.DOTALL)
        if template is None:
            continue
        body = re.sub(r"\{\{.*?\}\}", "X", template.group(1), flags=re.DOTALL)
        texts = re.findall(r">([^<>]+)<", body.replace("=>", "="))
        for name in SHOWN:
            texts += re.findall(rf'(?<![\w:-]){name}="([^"]*)"', body)
        texts += re.findall(r"'([A-Za-z][^'\n]* [^'\n]*)'", body)
        for text in texts:
            if re.search("[A-Za-z]{2}", text):
                yield str(path.relative_to(ROOT)), " ".join(text.split())


def in_scripts() -> Iterator[tuple[str, str]]:
    """Texts of several words in the web's scripts: labels, questions, notes."""
    for path in sorted([*WEB.rglob("*.ts"), *WEB.rglob("*.vue")]):
        if "api/schema" in str(path) or ".test." in path.name or path.name == "goals.ts":
            continue  # the box that goes anywhere finds by old words too
        script = re.sub(r"/\*.*?\*/|//[^\n]*", "", path.read_text().split("<template>")[0], flags=re.DOTALL)
        for text in re.findall(r"['`]([^'`\n]*[A-Za-z]+ [A-Za-z]+[^'`\n]*)['`]", script):
            yield str(path.relative_to(ROOT)), re.sub(r"\$\{[^}]*\}", "X", text)


def documents() -> Iterator[tuple[str, str]]:
    for path in sorted([ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")]):
        prose = re.sub(r"```.*?```|`[^`]*`", "`x`", path.read_text(), flags=re.DOTALL)
        yield from ((f"{path.relative_to(ROOT)}:{at}", line) for at, line in enumerate(prose.splitlines(), start=1))


def test_the_servers_messages() -> None:
    texts = list(messages())
    assert len(texts) > 100
    assert {place: result for place, text in texts if (result := faults(text))} == {}


def test_the_templates_of_the_web() -> None:
    texts = list(on_screen())
    assert len(texts) > 500
    assert {(place, text): words for place, text in texts if (words := old_words(text))} == {}


def test_the_scripts_of_the_web() -> None:
    texts = list(in_scripts())
    assert len(texts) > 100
    assert {(place, text): words for place, text in texts if (words := old_words(text))} == {}


def test_the_documents() -> None:
    lines = list(documents())
    assert len(lines) > 500
    assert {place: words for place, text in lines if (words := old_words(text))} == {}


@pytest.mark.parametrize("page", sorted(SERVER.rglob("templates/**/*.html")), ids=lambda page: page.name)
def test_the_pages_that_leave_the_house(page: Path) -> None:
    text = re.sub(r"<style>.*?</style>|\{[%{#].*?[%}#]\}|<[^>]*>", " ", page.read_text(), flags=re.DOTALL)
    assert old_words(text) == []


@pytest.mark.parametrize(
    "text", ["Take it back", "the worklist", "8 different values", "small letters", "Mend the line"]
)
def test_an_old_word_is_seen(text: str) -> None:
    assert old_words(text)


@pytest.mark.parametrize(
    "text",
    ["1 records", "2 record", "two  spaces", "stops .", "it is None", "the field not_null", "Input should be", "{x}"],
)
def test_what_is_not_well_formed_is_seen(text: str) -> None:
    assert faults(text)


@pytest.mark.parametrize(
    "text", ["1 record", "1,201 records", "0.1 records", "amended by hand", "2 records with “not_null”"]
)
def test_what_is_well_formed_is_let_through(text: str) -> None:
    assert faults(text) == []


def test_each_old_word_has_a_better_one() -> None:
    assert all(better.strip() for better in OLD_WORDS.values())


# Names that said less than what stands there now, by the part of the code in which they meant it.
FORMER_NAMES = {
    "core/pravin_core": (
        "_treat _Treated settle decide computed_once Repeating different_values layered Chain looks_around looked Surroundings "
        "surroundings Shelf shelf Reshaped Look Study study fate mended Mend _mended lost_text"
    ),
    "server/pravin_server": "Surroundings surroundings around as_core completed Shelf shelf_for speaking_run counting_run set_apart_ fate",
    "web/src": "doorTo useTold FATES NarrowingView BoundsView SideBySideView WorkList MendLine",
}  # fmt: skip


def named(path: Path) -> set[str]:
    """The names in a module of Python; in one of the web all its words."""
    if path.suffix != ".py":
        return set(re.findall(r"\w+", path.read_text()))
    names = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Name):
            names.add(node.id)
        elif isinstance(node, ast.Attribute):
            names.add(node.attr)
        elif isinstance(node, ast.arg):
            names.add(node.arg)
        elif isinstance(node, ast.FunctionDef | ast.ClassDef):
            names.add(node.name)
    return names


@pytest.mark.parametrize("part", sorted(FORMER_NAMES))
def test_former_names_do_not_come_back(part: str) -> None:
    former = set(FORMER_NAMES[part].split())
    files = [
        path
        for path in (ROOT / part).rglob("*")
        if path.suffix in (".py", ".ts", ".vue") and "migrations" not in path.parts
    ]
    assert len(files) > 50
    readers = {"settle"}  # what a reader does with settings has this name on purpose
    results = {str(file.relative_to(ROOT)): names for file in files if (names := named(file) & former - readers)}
    assert results == {}
