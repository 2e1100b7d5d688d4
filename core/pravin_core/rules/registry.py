"""Finds the rule kinds: every module below corrections/ and checks/ that defines KIND."""

from __future__ import annotations

import importlib
import pkgutil
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Field

from pravin_core.rules import checks, corrections
from pravin_core.rules.base import Rule
from pravin_core.rules.unusable import UnusableRule


def _find() -> dict[str, type[Rule]]:
    found: dict[str, type[Rule]] = {}
    for package in (corrections, checks):
        for module in sorted(pkgutil.walk_packages(package.__path__, f"{package.__name__}."), key=lambda m: m.name):
            if module.ispkg:
                continue
            kind: type[Rule] = importlib.import_module(module.name).KIND
            found[kind.model_fields["kind"].default] = kind
    return found


KINDS = _find()

if TYPE_CHECKING:
    AnyRule = Rule
else:
    AnyRule = Annotated[reduce(or_, [*KINDS.values(), UnusableRule]), Field(discriminator="kind")]


def describe() -> list[dict[str, Any]]:
    """All kinds for forms and help: kind, title, group, what it does, what else it is called, and its fields as JSON Schema."""
    return [
        {
            "kind": name,
            "title": kind.title,
            "group": kind.group,
            "about": kind.about,
            "synonyms": list(kind.synonyms),
            "is_check": kind.is_check,
            "reads_types": kind.reads_types,
            "repairs_text": kind.repairs_text,
            "fields": _fields(kind.model_json_schema()),
        }
        for name, kind in KINDS.items()
    ]


def _fields(schema: dict[str, Any]) -> dict[str, Any]:
    """The fields of a kind, with the choices of an enumeration that stands elsewhere in the schema put in."""
    known = schema.get("$defs", {})
    fields = {}
    for name, field in schema["properties"].items():
        of = known.get(str(field.get("$ref", "")).rpartition("/")[2], {})
        items = field.get("items", {})
        more = {"enum": of["enum"]} if "enum" in of else {"enum": items["enum"]} if "enum" in items else {}
        fields[name] = {**field, **more}
    return fields
