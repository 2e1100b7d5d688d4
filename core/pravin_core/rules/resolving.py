"""A rulebook as it runs: shared rules put in, parameters and code lists of the library filled in."""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from pravin_core.errors import RulebookError
from pravin_core.rules.base import Rule
from pravin_core.rules.rulebook import Rulebook

_PARAMETER = re.compile(r"(?<![\w:'\"]):([a-z][a-z0-9_]*)\b")


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
            fnmatch.fnmatchcase(feed.lower(), one.strip().lower()) for one in self.feeds.split(",") if one.strip()
        )


@dataclass(frozen=True)
class Shelf:
    """What rules may refer to: code lists (code and meaning), and the values of parameters."""

    code_lists: Mapping[str, Sequence[tuple[str, str]]] = field(default_factory=dict)
    parameters: Mapping[str, str] = field(default_factory=dict)


def resolved(
    rulebook: Rulebook, shelf: Shelf, shared: Sequence[SharedRules] = (), columns: Sequence[str] = ()
) -> Rulebook:
    """The rulebook that runs. Raises RulebookError when a code list or parameter is not there.

    Shared rules have ids that begin with the name of their group; those that fit no column of the table are left out.
    """
    own = [rule.model_dump(mode="json") for rule in rulebook.rules]
    before, behind = (
        [made for group in shared if group.place == place for made in _put(group, columns)]
        for place in ("first", "last")
    )
    corrections = [rule for rule, kind in zip(own, rulebook.rules, strict=True) if not kind.is_check]
    checks = [rule for rule, kind in zip(own, rulebook.rules, strict=True) if kind.is_check]
    said = [_filled(rule, shelf) for rule in (*before, *corrections, *behind, *checks)]
    return Rulebook.model_validate({"rules": said}) if said != own else rulebook


def _put(group: SharedRules, columns: Sequence[str]) -> list[dict[str, Any]]:
    """The rules of a group for the columns of a table."""
    slug = re.sub(r"[^A-Za-z0-9]+", "-", group.name)[:20]
    made: list[dict[str, Any]] = []
    for at, rule in enumerate(group.rules, start=1):
        said = {**rule, "id": f"{slug}-{at}"}
        if patterns := [name for name in said.get("columns", ()) if "*" in name]:
            fitting = [
                name for name in columns if any(fnmatch.fnmatchcase(name.lower(), one.lower()) for one in patterns)
            ]
            said["columns"] = [*(name for name in said["columns"] if name not in patterns), *fitting]
            if not said["columns"]:
                continue
        made.append(said)
    return made


def parameters_of(rule: Rule) -> set[str]:
    """The parameters that a rule refers to."""
    return set(_names(rule.model_dump(mode="json", exclude={"id", "note"})))


def _names(value: Any) -> list[str]:
    if isinstance(value, str):
        return [found[1] for found in _PARAMETER.finditer(value)]
    if isinstance(value, dict):
        return [name for one in value.values() for name in _names(one)]
    return [name for one in value for name in _names(one)] if isinstance(value, list | tuple) else []


_FORMULAS = ("formula", "when")


def _filled(rule: dict[str, Any], shelf: Shelf) -> dict[str, Any]:
    """A rule with parameters and code lists put in. A field that is `:name` takes the value; in a formula it stands as a
    number, or as a text in quotes.
    """
    said = {
        key: _value(key, value, shelf, rule) if key not in ("id", "note", "kind") else value
        for key, value in rule.items()
    }
    if name := said.get("code_list"):
        if name not in shelf.code_lists:
            known = ", ".join(sorted(shelf.code_lists)) or "none yet"
            raise RulebookError(
                f"There is no code list {name!r}.", rule=rule.get("id"), advice=f"The library has: {known}."
            )
        lines = shelf.code_lists[name]
        if "codes" in said:
            said["codes"] = [{"code": code, "meaning": meaning} for code, meaning in lines]
        if "values" in said:
            said["values"] = [code for code, _ in lines]
    return said


def _value(key: str, value: Any, shelf: Shelf, rule: dict[str, Any]) -> Any:
    if isinstance(value, list | tuple):
        return [_value(key, one, shelf, rule) for one in value]
    if isinstance(value, dict):
        return {name: _value(name, one, shelf, rule) for name, one in value.items()}
    if not isinstance(value, str) or ":" not in value:
        return value
    if key in _FORMULAS:
        return _PARAMETER.sub(lambda found: _quoted(_known(found[1], shelf, rule)), value)
    whole = _PARAMETER.fullmatch(value)
    return _known(whole[1], shelf, rule) if whole and whole[1] in shelf.parameters else value


def _known(name: str, shelf: Shelf, rule: dict[str, Any]) -> str:
    if name not in shelf.parameters:
        known = ", ".join(sorted(shelf.parameters)) or "none yet"
        raise RulebookError(
            f"There is no parameter {name!r}.", rule=rule.get("id"), advice=f"The library has: {known}."
        )
    return shelf.parameters[name]


def _quoted(value: str) -> str:
    return value if re.fullmatch(r"-?\d+(\.\d+)?", value) else "'" + value.replace("'", "''") + "'"
