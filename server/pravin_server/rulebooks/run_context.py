"""What a run is given beside records and rules, kept with the run so that its result can be made again."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from pravin_core.compiler.plan import RunContext
from pravin_core.rules.base import Rule
from pravin_core.rules.reshaping import Reference
from pravin_core.rules.resolving import resolved
from pravin_core.rules.rulebook import Rulebook
from pravin_server.common.errors import Invalid
from pravin_server.deliveries.models import Delivery
from pravin_server.library.models import ReferenceTable
from pravin_server.library.services import shared_for, snapshot_of_library
from pravin_server.library.tables import reference_of, state_of


def resolve_rulebook(delivery: Delivery, rulebook: Rulebook) -> Rulebook:
    """The rulebook with shared rules, parameters and code lists put in, as it would run on a delivery now."""
    feed = delivery.feed
    return resolved(rulebook, snapshot_of_library(feed), shared_for(feed), delivery.columns)


def resolve_rule(delivery: Delivery, rule: Rule) -> Rulebook:
    """One rule alone, with parameters and code lists put in."""
    return resolved(Rulebook(rules=(rule,)), snapshot_of_library(delivery.feed), (), delivery.columns)


def build_context(delivery: Delivery, rulebook: Rulebook) -> dict[str, Any]:
    """What a run of a resolved rulebook is given on a delivery now, as JSON."""
    names = {name for rule in rulebook.rules if rule.enabled and (name := getattr(rule, "reference", ""))}
    references: dict[str, Any] = {}
    for table in ReferenceTable.objects.select_related("feed").filter(name__in=names):
        state = state_of(table)
        if state is None:
            raise Invalid(f"The reference table “{table.name}” holds nothing yet. Release its feed, or upload a file.")
        references[table.name] = state
    profiled = getattr(delivery, "profile", None)
    roles = {column["name"]: column["role"] for column in profiled.content["columns"]} if profiled else {}
    design: Sequence[dict[str, Any]] = delivery.feed.design
    roles |= {entry["name"]: entry["role"] for entry in design if entry.get("role")}
    return {"references": references, "roles": roles, "delivered_on": delivery.received.date().isoformat()}


def tables_at_hand(most: int) -> dict[str, Reference]:
    """The first reference tables of the library that hold something."""
    states = ((table.name, state_of(table)) for table in ReferenceTable.objects.select_related("feed").order_by("name"))
    held = [(name, state) for name, state in states if state is not None]
    return {name: reference_of(state) for name, state in held[:most]}


def to_core(said: dict[str, Any]) -> RunContext:
    """A kept context as the core takes them; the tables are made again if the cache does not hold them."""
    return RunContext(
        roles=said.get("roles", {}),
        references={name: reference_of(state) for name, state in said.get("references", {}).items()},
        delivered_on=date.fromisoformat(said["delivered_on"]) if said.get("delivered_on") else None,
    )
