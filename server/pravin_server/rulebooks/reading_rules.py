"""Rules at the head of a rulebook that read the columns as the feed describes them."""

from __future__ import annotations

import uuid
from collections.abc import Sequence
from typing import Any

from django.db import transaction

from pravin_core.intake.design import AgreedColumn
from pravin_core.rules.rulebook import Rulebook
from pravin_core.tables.types import NUMBERS, DataType
from pravin_server.accounts.services import may_work
from pravin_server.common.errors import Invalid
from pravin_server.feeds.models import Feed
from pravin_server.rulebooks.models import Revision
from pravin_server.rulebooks.services import change_rules, newest, rules_of


@transaction.atomic
def make_reading_rules(user: Any, feed: Feed) -> Revision:
    """Put rules at the head of the rulebook that read the columns as they are described.

    Missing tokens become no value, texts become numbers and dates. Rules made so before give way.
    """
    person = may_work(user, "make rules from the columns")
    design = [AgreedColumn.model_validate(column) for column in feed.design]
    rules = [*_missing(design), *_numbers(design), *_dates(design)]
    last = newest(feed)
    others = [rule for rule in rules_of(last) if not str(rule["id"]).startswith("reading-")]
    if not rules:
        raise Invalid("No column is described with missing tokens, as a number or as a date with its format.")
    rulebook = Rulebook.model_validate({"rules": [*rules, *others]})
    return change_rules(person, feed, rulebook, last.number, f"{len(rules)} rules from the columns as described")


def _rule(kind: str, columns: Sequence[str], **fields: Any) -> dict[str, Any]:
    return {
        "kind": kind,
        "id": f"reading-{uuid.uuid4().hex[:8]}",
        "columns": list(columns),
        "note": "from Intake",
        **fields,
    }


def _grouped(columns: Sequence[AgreedColumn], *fields: str) -> dict[tuple[Any, ...], list[str]]:
    results: dict[tuple[Any, ...], list[str]] = {}
    for column in columns:
        results.setdefault(tuple(getattr(column, field) for field in fields), []).append(column.name)
    return results


def _missing(design: Sequence[AgreedColumn]) -> list[dict[str, Any]]:
    columns = [column for column in design if column.missing]
    return [_rule("missing-tokens", names, tokens=list(key[0])) for key, names in _grouped(columns, "missing").items()]


def _numbers(design: Sequence[AgreedColumn]) -> list[dict[str, Any]]:
    columns = [column for column in design if column.by_hand and column.type in NUMBERS]
    return [
        _rule(
            "to-number",
            names,
            decimal=decimal or ".",
            thousands=thousands,
            whole=kind is DataType.WHOLE,
            exact=kind is DataType.EXACT,
        )
        for (kind, decimal, thousands), names in _grouped(columns, "type", "decimal", "thousands").items()
    ]


def _dates(design: Sequence[AgreedColumn]) -> list[dict[str, Any]]:
    columns = [column for column in design if column.by_hand and column.date_format]
    return [_rule("to-date", names, formats=[key[0]]) for key, names in _grouped(columns, "date_format").items()]
