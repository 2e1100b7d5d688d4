"""The rulebook as text: a document, JSON, YAML, SQL, and scripts that stand alone."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import Any

import yaml
from django.template.loader import render_to_string

from pravin_core.compiler.plan import RunContext
from pravin_core.exports import postgres
from pravin_core.exports.script import SourceSettings, checking_script, script
from pravin_core.exports.sql import StepText, compiled, steps, whole_duckdb
from pravin_core.intake.settings import FileSettings
from pravin_core.rules.rulebook import Rulebook
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import sources_of
from pravin_server.rulebooks.models import Revision
from pravin_server.rulebooks.ports import Told
from pravin_server.rulebooks.run_context import build_context, resolve_rulebook, to_core
from pravin_server.rulebooks.services import rulebook_of, rules_of

VERSION = 1


def as_data(revision: Revision) -> dict[str, Any]:
    """A revision as the published schema says."""
    return {"version": VERSION, "feed": revision.feed.slug, "revision": revision.number, "rules": rules_of(revision)}


def as_json(revision: Revision) -> str:
    """A revision as JSON text."""
    return json.dumps(as_data(revision), indent=2, ensure_ascii=False) + "\n"


def as_yaml(revision: Revision) -> str:
    """A revision as YAML text."""
    return yaml.safe_dump(as_data(revision), sort_keys=False, allow_unicode=True, width=110)


def schema() -> dict[str, Any]:
    """The JSON Schema of exported rulebooks."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Rulebook",
        "type": "object",
        "required": ["rules"],
        "properties": {
            "version": {"const": VERSION}, "feed": {"type": "string"}, "revision": {"type": "integer"},
            **Rulebook.model_json_schema()["properties"],
        },
        "$defs": Rulebook.model_json_schema().get("$defs", {}),
    }  # fmt: skip


def document(revision: Revision, told: Told | None) -> str:
    """A page to print: the sentences with notes and, from a run of this revision, their effects."""
    effects = {effect["rule"]: effect for effect in told.effects} if told else {}
    rules = rulebook_of(revision).rules
    lines = [
        {
            "number": number,
            "rule": rule,
            "sentence": rule.describe(),
            "effect": _effect(effects.get(rule.id)),
            "check": rule.is_check,
        }
        for number, rule in enumerate(rules, start=1)
    ]
    groups = [
        {"title": title, "lines": some}
        for title, some in (
            ("Corrections", [line for line in lines if not line["check"]]),
            ("Checks", [line for line in lines if line["check"]]),
        )
        if some
    ]
    over = f"{told.purpose} over delivery {told.delivery}" if told else ""
    author = revision.author.shown if revision.author else ""
    return render_to_string(
        "rulebooks/document.html",
        {"feed": revision.feed.name, "revision": revision, "author": author, "groups": groups, "told": over},
    )


def _effect(one: dict[str, Any] | None) -> str:
    for name, words in (
        ("cells", "cells"),
        ("removed", "removed"),
        ("added", "added"),
        ("broken", "break it"),
        ("columns", "columns"),
    ):
        if one and one.get(name):
            return f"{one[name]:,} {words}"
    return ""


def _made(delivery: Delivery, rules: Rulebook) -> tuple[Rulebook, RunContext]:
    whole = resolve_rulebook(delivery, rules)
    return whole, to_core(build_context(delivery, whole))


def sql_steps(delivery: Delivery, rules: Rulebook) -> list[StepText]:
    """The SQL of each step."""
    whole, near = _made(delivery, rules)
    return steps(compiled(whole, delivery.columns, near))


def sql_of(delivery: Delivery, rules: Rulebook, dialect: str) -> str:
    """The SQL of the whole rulebook, to be executed."""
    whole, near = _made(delivery, rules)
    compiled_ = compiled(whole, delivery.columns, near)
    return postgres.whole(compiled_) if dialect == "postgres" else whole_duckdb(compiled_)


def _sources(delivery: Delivery) -> Sequence[SourceSettings]:
    return [
        SourceSettings(source.name, FileSettings(**source.settings), source.table) for source in sources_of(delivery)
    ]


def script_of(delivery: Delivery, rules: Rulebook) -> str:
    """The script that reads such files and cleans them."""
    whole, near = _made(delivery, rules)
    return script(f"{delivery.feed.name}: clean a delivery", whole, delivery.columns, _sources(delivery), near)


def checks_of(delivery: Delivery, rules: Rulebook) -> str:
    """The script that only checks a table with the columns of the result."""
    whole, near = _made(delivery, rules)
    columns = [(column.name, column.type.value) for column in compiled(whole, delivery.columns, near).plan.columns]
    # the table to check comes as Pravin writes it: comma-separated text with a header
    settings = FileSettings(names=tuple(name for name, _ in columns), columns=tuple(name for name, _ in columns))
    title = f"{delivery.feed.name}: check a table"
    return checking_script(title, whole, columns, [SourceSettings("ready.csv", settings)], near)
