"""A rulebook from the text that people keep it in: JSON or YAML, as it is downloaded."""

from __future__ import annotations

import json
from typing import Any

import yaml

from pravin_core.errors import RulebookError
from pravin_core.rules.rulebook import Rulebook, parse_rulebook

LONGEST = 5_000_000  # characters


class _Plain(yaml.SafeLoader):
    """YAML of plain data: without aliases, with which a short text can stand for any amount of data."""

    def compose_node(self, parent: Any, index: Any) -> Any:
        if self.check_event(yaml.events.AliasEvent):
            event = self.peek_event()
            raise RulebookError(
                f"The text refers to another part of itself (*{event.anchor}), which a rulebook cannot.",
                line=event.start_mark.line + 1,
                advice="Write the part out.",
            )
        return super().compose_node(parent, index)


def _data(text: str) -> Any:
    if text.lstrip()[:1] in ("{", "["):
        try:
            return json.loads(text)
        except json.JSONDecodeError:
            pass  # YAML may begin so too
    return yaml.load(text, Loader=_Plain)


def rulebook_from_text(text: str) -> Rulebook:
    """Read a rulebook from JSON or YAML; rules without an id get one. Raises RulebookError that says what is wrong."""
    if len(text) > LONGEST:
        raise RulebookError(f"The text is longer than {LONGEST:,} characters; no rulebook is.")
    try:
        data = _data(text)
    except yaml.YAMLError as error:
        place = getattr(error, "problem_mark", None)
        raise RulebookError(
            "The text is neither JSON nor YAML.",
            line=place.line + 1 if place else None,
            column=place.column + 1 if place else None,
            advice="See that brackets and quotation marks are closed and that lists are indented alike.",
        ) from error
    except (RecursionError, ValueError, OverflowError) as error:
        raise RulebookError(
            "The text cannot be read as a rulebook: it is nested too deeply, or a value is not one of a rulebook."
        ) from error
    rules = data.get("rules") if isinstance(data, dict) else data
    if not isinstance(rules, list):
        raise RulebookError("The text holds no rules.", advice="It needs a list under “rules”.")
    named = [{"id": f"rule-{at}", **rule} if isinstance(rule, dict) else rule for at, rule in enumerate(rules, start=1)]
    try:
        return parse_rulebook(json.dumps({"rules": named}, default=str))
    except (TypeError, ValueError, RecursionError) as error:
        raise RulebookError(
            "A rule has a name or value that JSON cannot hold.", advice="Names of fields are texts."
        ) from error
