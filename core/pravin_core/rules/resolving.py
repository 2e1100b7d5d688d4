"""A rulebook as it runs: shared rules put in, parameters and code lists of the library filled in."""

from __future__ import annotations

import fnmatch
import hashlib
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Rule
from pravin_core.rules.rulebook import Rulebook, as_rulebook, opened

# in a formula: texts and quoted names are passed over, `:name` is a parameter; `::` writes a type
_IN_FORMULA = re.compile(r"""'(?:[^']|'')*'?|"(?:[^"]|"")*"?|(?<![\w:]):(?P<name>[a-z][a-z0-9_]*)\b""")
_WHOLE = re.compile(r"(?P<literal>:?):(?P<name>[a-z][a-z0-9_]*)")  # a field; `::name` is the text `:name` itself
_FORMULAS = ("formula", "when")
_OF_NAMES = (
    "id",
    "note",
    "kind",
    "columns",
    "column",
    "theirs",
    "into",
    "reference",
    "code_list",
    "problem",
    "stored",
)  # never parameters


@dataclass(frozen=True)
class SharedRules:
    """A named group of rules for all feeds whose name fits a pattern (* for any characters). In the fields `column` and
    `columns` of its rules a name with * stands for all columns that fit it.
    """

    name: str
    feeds: str
    rules: tuple[dict[str, Any], ...]
    place: str = "first"  # before the feed's own corrections, or "last", behind them

    def meant_for(self, feed: str) -> bool:
        """Whether it applies to a feed."""
        return any(
            fnmatch.fnmatchcase(feed.lower(), part.strip().lower()) for part in self.feeds.split(",") if part.strip()
        )


@dataclass(frozen=True)
class Parameter:
    """The value of a parameter, and what it is: in formulas a text stands in quotes, however it looks."""

    value: str
    type: Literal["text", "number", "date"] = "text"

    @property
    def in_formula(self) -> str:
        """The value as it is written in a formula."""
        if self.type == "number":
            return f"({self.value})" if self.value.startswith("-") else self.value
        quoted = "'" + self.value.replace("'", "''") + "'"
        return f"date {quoted}" if self.type == "date" else quoted


@dataclass(frozen=True)
class LibrarySnapshot:
    """What rules may refer to: code lists (code and meaning), and parameters by name."""

    code_lists: Mapping[str, Sequence[tuple[str, str]]] = field(default_factory=dict)
    parameters: Mapping[str, Parameter] = field(default_factory=dict)

    def parameter(self, name: str, rule: str | None = None) -> Parameter:
        """A parameter. Raises RulebookError when there is none of that name."""
        if name in self.parameters:
            return self.parameters[name]
        known = ", ".join(f":{parameter}" for parameter in sorted(self.parameters)) or "none yet"
        raise RulebookError(
            f"There is no parameter “:{name}”.", rule=rule,
            advice=f"The library has: {known}. Where the text itself is meant, write “::{name}”.",
        )  # fmt: skip


def resolved(
    rulebook: Rulebook, library: LibrarySnapshot, shared: Sequence[SharedRules] = (), columns: Sequence[str] = ()
) -> Rulebook:
    """The rulebook that runs. Raises RulebookError when a code list or parameter is not there.

    Shared rules have ids that begin with the name of their group; those that fit no column of the table are left out.
    """
    own = [rule.model_dump(mode="json") for rule in rulebook.rules]
    before, behind = (
        [item for group in shared if group.place == place for item in _put(group, columns)]
        for place in ("first", "last")
    )
    corrections = [rule for rule, kind in zip(own, rulebook.rules, strict=True) if not kind.is_check]
    checks = [rule for rule, kind in zip(own, rulebook.rules, strict=True) if kind.is_check]
    results = [_filled(rule, library) for rule in (*before, *corrections, *behind, *checks)]
    return as_rulebook({"rules": results}) if results != own else rulebook


def _put(group: SharedRules, columns: Sequence[str]) -> list[dict[str, Any]]:
    """The rules of a group for the columns of a table."""
    slug = f"{re.sub(r'[^A-Za-z0-9]+', '-', group.name)[:20]}-{hashlib.sha256(group.name.encode()).hexdigest()[:8]}"
    rules: list[dict[str, Any]] = []
    for at, rule in enumerate(group.rules, start=1):
        placed_rule = {**rule, "id": f"{slug}-{at}"}
        if patterns := [name for name in placed_rule.get("columns", ()) if "*" in name]:
            fitting = [
                name
                for name in columns
                if any(fnmatch.fnmatchcase(name.lower(), pattern.lower()) for pattern in patterns)
            ]
            placed_rule["columns"] = [*(name for name in placed_rule["columns"] if name not in patterns), *fitting]
            if not placed_rule["columns"]:
                continue
        rules += [rule.model_dump(mode="json") for rule in opened([placed_rule]).rules]
    return rules


def parameters_of(rule: Rule) -> set[str]:
    """The parameters that a rule refers to."""
    results: set[str] = set()

    def look(key: str, text: str) -> str:
        if key in _FORMULAS:
            results.update(match["name"] for match in _IN_FORMULA.finditer(text) if match["name"])
        elif (whole := _WHOLE.fullmatch(text)) and not whole["literal"]:
            results.add(whole["name"])
        return text

    _each_text(rule.model_dump(mode="json"), look)
    return results


def in_formula(text: str, library: LibrarySnapshot, rule: str | None = None) -> Filled:
    """A formula with the values of parameters in place of their names; texts in it are left alone.

    Raises RulebookError when a parameter is not there.
    """
    pieces: list[tuple[int, int, str]] = []
    for match in _IN_FORMULA.finditer(text):
        if match["name"]:
            pieces.append((match.start(), match.end(), library.parameter(match["name"], rule).in_formula))
    return Filled(text, tuple(pieces))


@dataclass(frozen=True)
class Filled:
    """A formula as it was typed, and what stands in place of some of its parts (from, to, text)."""

    typed: str
    pieces: tuple[tuple[int, int, str], ...]

    @property
    def text(self) -> str:
        """The formula with everything put in."""
        parts, at = [], 0
        for start, end, value in self.pieces:
            parts += [self.typed[at:start], value]
            at = end
        return "".join([*parts, self.typed[at:]])

    def place(self, start: int, end: int) -> tuple[int, int]:
        """Where a part of the filled formula stands in the typed one; a part of a value is all of its parameter."""
        return self._back(start, 0), self._back(end, 1)

    def _back(self, at: int, side: int) -> int:
        shift = 0
        for piece in self.pieces:
            begins = piece[0] + shift
            if at <= begins:
                break
            if at < begins + len(piece[2]):
                return piece[1] if side else piece[0]
            shift += len(piece[2]) - (piece[1] - piece[0])
        return at - shift


def _filled(rule: dict[str, Any], library: LibrarySnapshot) -> dict[str, Any]:
    """A rule with parameters and code lists put in."""
    id_ = rule.get("id")

    def put(key: str, text: str) -> str:
        if key in _FORMULAS:
            return in_formula(text, library, id_).text
        if whole := _WHOLE.fullmatch(text):
            return text[1:] if whole["literal"] else library.parameter(whole["name"], id_).value
        return text

    filled: dict[str, Any] = _each_text(rule, put)
    if name := filled.get("code_list"):
        if name not in library.code_lists:
            known = ", ".join(sorted(library.code_lists)) or "none yet"
            raise RulebookError(f"There is no code list {name!r}.", rule=id_, advice=f"The library has: {known}.")
        lines = library.code_lists[name]
        if "codes" in filled:
            filled["codes"] = [{"code": code, "meaning": meaning} for code, meaning in lines]
        if "values" in filled:
            filled["values"] = [code for code, _ in lines]
    return filled


def _each_text(value: Any, put: Callable[[str, str], str], key: str = "") -> Any:
    """The same with `put(field, text)` in place of every text, but for names of columns and the like."""
    if key in _OF_NAMES:
        return value
    if isinstance(value, dict):
        return {name: _each_text(part, put, name) for name, part in value.items()}
    if isinstance(value, list | tuple):
        return [_each_text(part, put, key) for part in value]
    return put(key, value) if isinstance(value, str) and ":" in value else value
