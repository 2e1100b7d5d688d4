"""Finds the rule kinds: every module below corrections/ and checks/ that defines KIND."""

from __future__ import annotations

import importlib
import pkgutil
from functools import reduce
from operator import or_
from typing import TYPE_CHECKING, Annotated, Any

from pydantic import Field

from pravin_core.rules import checks, corrections
from pravin_core.rules.base import OfColumns, Rule
from pravin_core.rules.unusable import UnusableRule


def _find() -> dict[str, type[Rule]]:
    rules: dict[str, type[Rule]] = {}
    for package in (corrections, checks):
        for module in sorted(pkgutil.walk_packages(package.__path__, f"{package.__name__}."), key=lambda m: m.name):
            if module.ispkg:
                continue
            kind: type[Rule] = importlib.import_module(module.name).KIND
            rules[kind.model_fields["kind"].default] = kind
    return rules


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
            "fields": _fields(kind),
        }
        for name, kind in KINDS.items()
    ]


def _fields(kind: type[Rule]) -> dict[str, Any]:
    """The fields of a kind: choices of an enumeration put in, and what it means to name no column."""
    schema = kind.model_json_schema()
    known = schema.get("$defs", {})
    fields = {}
    for name, field in schema["properties"].items():
        of = known.get(str(field.get("$ref", "")).rpartition("/")[2], {})
        items = field.get("items", {})
        more = {"enum": of["enum"]} if "enum" in of else {"enum": items["enum"]} if "enum" in items else {}
        fields[name] = {**field, **more}
    if issubclass(kind, OfColumns):
        fields["columns"]["empty"] = "choose columns" if kind.names_columns else kind.all_columns
    return fields
