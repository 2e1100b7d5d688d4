"""The rulebook: corrections, then checks, each in the order they run."""

from __future__ import annotations

import json
import re
from collections.abc import Collection, Sequence
from typing import Any, Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from pravin_core.errors import RulebookError
from pravin_core.refusals import of_json
from pravin_core.rules.base import Rule
from pravin_core.rules.refused import refused
from pravin_core.rules.registry import AnyRule
from pravin_core.rules.unusable import UnusableRule


class Rulebook(BaseModel):
    """The ordered rules of a feed. Checks judge what all corrections have made, so they come last."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    rules: tuple[AnyRule, ...] = Field(default=(), max_length=2000)

    @model_validator(mode="after")
    def _numbered_once(self) -> Self:
        ids = [rule.id for rule in self.rules]
        if repeated := sorted({i for i in ids if ids.count(i) > 1}):
            raise ValueError(f"the rule id {repeated[0]!r} is used twice")
        ordered = tuple(sorted(self.rules, key=lambda rule: rule.is_check))
        object.__setattr__(self, "rules", ordered)
        return self

    @model_validator(mode="after")
    def _can_be_said(self) -> Self:
        for number, rule in enumerate(self.rules, start=1):
            try:
                rule.describe(), rule.needs()
            except Exception as error:  # whatever a kind did not think of: such a rule could not be shown any more
                raise ValueError(
                    f"rule {number} ({rule.title}) is unfinished and cannot be written as a sentence"
                ) from error
        return self


def parse_rulebook(said: str) -> Rulebook:
    """Read a rulebook from JSON text. Raises RulebookError that says which rule and field is wrong."""
    try:
        return as_rulebook(json.loads(said))
    except json.JSONDecodeError as error:
        raise RulebookError(
            f"The rulebook is not JSON: {of_json(error)}.", line=error.lineno, column=error.colno
        ) from error


def as_rulebook(said: Any) -> Rulebook:
    """A rulebook from its data. Raises RulebookError that says which rule and field is wrong."""
    try:
        return Rulebook.model_validate(said)
    except ValidationError as error:
        first = error.errors()[0]
        place = [str(part) for part in first["loc"]]
        rule = int(place[1]) + 1 if len(place) > 1 and place[1].isdigit() else None
        field = ".".join(place[2:]) or ".".join(place)
        raise RulebookError(refused(first), rule=rule, field=field) from error


def opened(stored: Sequence[Any]) -> Rulebook:
    """The rulebook of stored rules: those that cannot be read are off and say why (UnusableRule), all others are as they
    were. Never fails, whatever is stored.
    """
    in_use: set[str] = set()
    rules: list[Rule] = []
    for number, item in enumerate(stored, start=1):
        rule = _opened(item, number)
        if rule.id in in_use:
            rule = _unusable(item, _free_id(rule.id, in_use), f"Another rule has the same id “{rule.id}”.")
        in_use.add(rule.id)
        rules.append(rule)
    return Rulebook(rules=tuple(rules))


def _opened(stored: Any, number: int) -> Rule:
    if isinstance(stored, dict) and stored.get("kind") == "unusable" and isinstance(stored.get("stored"), dict):
        stored = stored["stored"]
    own = stored.get("id") if isinstance(stored, dict) else None
    id_ = own if isinstance(own, str) and re.fullmatch(r"[A-Za-z0-9_-]{1,40}", own) else f"unusable-{number}"
    try:
        return as_rulebook({"rules": [stored]}).rules[0]
    except RulebookError as error:
        return _unusable(stored, id_, error.message)


def _unusable(stored: Any, id_: str, problem: str) -> UnusableRule:
    kept = stored if isinstance(stored, dict) else {"value": stored}
    return UnusableRule(id=id_, problem=problem[:2000], stored=kept)


def _free_id(id_: str, taken: Collection[str]) -> str:
    return next(name for number in range(2, len(taken) + 3) if (name := f"{id_[:34]}-{number}") not in taken)
