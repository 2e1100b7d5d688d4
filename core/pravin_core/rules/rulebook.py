"""The rulebook: corrections, then checks, each in the order they run."""

from __future__ import annotations

import json
from typing import Self

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from pravin_core.errors import RulebookError
from pravin_core.rules.registry import AnyRule


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


def parse_rulebook(said: str) -> Rulebook:
    """Read a rulebook from JSON text. Raises RulebookError that says which rule and field is wrong."""
    try:
        return Rulebook.model_validate(json.loads(said))
    except json.JSONDecodeError as error:
        raise RulebookError(
            f"The rulebook is not valid JSON: {error.msg}.", line=error.lineno, column=error.colno
        ) from error
    except ValidationError as error:
        first = error.errors()[0]
        place = [str(part) for part in first["loc"]]
        rule = int(place[1]) + 1 if len(place) > 1 and place[1].isdigit() else None
        field = ".".join(place[2:]) or ".".join(place)
        raise RulebookError(_said(first["msg"], field), rule=rule, field=field) from error


def _said(message: str, field: str) -> str:
    """What pydantic says, in words for people; messages of our own stand alone."""
    own = message.removeprefix("Value error, ").rstrip(".") if message.startswith("Value error, ") else message
    if own != message:
        return f"{own[:1].upper()}{own[1:]}."
    name = field.rpartition(".")[2].replace("_", " ")
    if "at least 1 " in message or message == "Field required":
        return f"The rule is unfinished: “{name}” is not filled in."
    return f"The rule is unfinished: “{name}”: {message[:1].lower()}{message[1:]}."
