"""What is wrong with a rule, as a sentence with the labels of its form: inner names of fields never reach a person."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from pravin_core.refusals import OWN, in_words
from pravin_core.rules.registry import KINDS


def refused(error: Mapping[str, Any]) -> str:
    """One error of pydantic about a rule (`loc` with the kind of the rule, `type`, `msg`, `ctx`) as a sentence.

    A message of our own stands alone, behind the title of the rule: "Range: give a lower or an upper limit."
    """
    words, place = in_words(error), [str(part) for part in error["loc"]]
    if error["type"] == "union_tag_invalid":
        return f"There is no kind of rule “{str(error['ctx'].get('tag', ''))[:60]}”."
    if error["type"] == "union_tag_not_found":
        number = next((f" {int(part) + 1:,}" for part in reversed(place) if part.isdigit()), "")
        return f"Rule{number} {words}."
    at = next((position for position, part in enumerate(place) if part in KINDS), None)
    title = "" if at is None else f"{KINDS[place[at]].title}: "
    if str(error["msg"]).startswith(OWN):
        return f"{title}{words}." if title else f"{words[:1].upper()}{words[1:]}."
    label = _label(place[at], place[at + 1 :]) if at is not None else _spelled(place[-1]) if place else "A rule"
    return f"{title}“{label}” {words}."


def _label(kind: str, path: Sequence[str]) -> str:
    """What the form calls a field of a kind; behind it the row and the part of it, where a field holds rows."""
    if not path:
        return "the rule"
    field = KINDS[kind].model_fields.get(path[0])
    label = (field.title if field else None) or _spelled(path[0])
    rows = [f"row {int(part) + 1:,}" if part.isdigit() else _spelled(part).lower() for part in path[1:]]
    return ", ".join([label, *rows])


def _spelled(name: str) -> str:
    return name.replace("_", " ").capitalize()
