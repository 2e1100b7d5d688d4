"""What a model refuses, in words of our own: no message of a library reaches a person."""

from __future__ import annotations

from collections.abc import Mapping
from json import JSONDecodeError
from typing import Any

from pydantic import ValidationError

OWN = "Value error, "  # how pydantic begins the messages of our own validators


def of_json(error: ValueError | RecursionError) -> str:
    """Why a text is not JSON, as a clause: where it leaves the form."""
    if isinstance(error, RecursionError):
        return "its parts lie within each other too deeply"
    if isinstance(error, JSONDecodeError):
        what = "it ends too early" if error.pos >= len(error.doc.rstrip()) else "something stands that is not expected"
        return f"{what} at line {error.lineno:,}, character {error.colno:,}"
    return "it cannot be read"


def first_in_words(error: ValueError) -> str:
    """The first thing that a model refuses, with the name of the field."""
    if not isinstance(error, ValidationError):
        return str(error).rstrip(".")
    first = error.errors(include_url=False)[0]
    place = " ".join(str(part) for part in first["loc"] if isinstance(part, str)).replace("_", " ")
    return f"{place} {in_words(first)}".strip()


def in_words(error: Mapping[str, Any]) -> str:
    """One error of pydantic (type, ctx, msg) as the end of a sentence about the field, such as "must be a number"."""
    kind, ctx = str(error.get("type", "")), error.get("ctx") or {}
    message = str(error.get("msg", ""))
    if message.startswith(OWN):
        return message.removeprefix(OWN).rstrip(".")
    if kind.startswith("string_too") or kind in ("too_long", "too_short"):
        one, several = ("character", "characters") if kind.startswith("string") else ("entry", "entries")
        if "short" in kind:
            least = ctx.get("min_length", 1)
            return "is empty" if least == 1 else f"needs at least {least:,} {several}"
        most = ctx.get("max_length", 0)
        return f"has more than {most:,} {one if most == 1 else several}"
    for sign, words in _COMPARED.items():
        if kind == sign:
            bound = next(iter(ctx.values()), "")
            return f"{words} {bound:,.12g}" if isinstance(bound, int | float) else f"{words} {bound}"
    if kind == "literal_error" or kind == "enum":
        return f"must be one of: {str(ctx.get('expected', '')).replace(' or ', ', ')}"
    if kind == "union_tag_invalid":
        return f"names a kind that there is not: {str(ctx.get('tag', ''))[:60]}"
    return next((words for start, words in _SAID.items() if kind.startswith(start)), "is not valid")


_COMPARED = {
    "greater_than_equal": "must be at least", "greater_than": "must be more than", "less_than_equal": "must be at most",
    "less_than": "must be less than", "multiple_of": "must be a multiple of",
}  # fmt: skip
_SAID = {
    "missing": "is missing", "extra_forbidden": "is not known here", "union_tag_not_found": "does not say its kind",
    "string_pattern": "is not written as it must be", "string": "must be a text", "int": "must be a whole number", "float": "must be a number",
    "finite_number": "must be a number that is not infinite", "decimal": "must be a number", "bool": "must be yes or no",
    "list": "must be a list", "tuple": "must be a list", "set": "must be a list", "dict": "must have named parts", "model": "must have named parts",
    "date": "must be a date such as 2024-03-17", "time": "must be a time", "json": "is not JSON", "none": "must be empty", "uuid": "is not an identifier",
    "url": "is not an address", "union": "is not valid", "frozen": "cannot be changed", "recursion": "refers to itself",
}  # fmt: skip
