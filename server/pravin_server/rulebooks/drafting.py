"""What a draft of the rulebook would do to a delivery, before it is kept: effects, remarks, formulas, examples."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any, TypeVar

from sqlglot import exp

from pravin_core.compiler.plan import RunContext
from pravin_core.engines.kept import kept_engine
from pravin_core.errors import RulebookError
from pravin_core.formulas.brackets import readings
from pravin_core.formulas.by_example.learning import Learned
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.resolving import in_formula
from pravin_core.rules.review import Advice, review
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.effects.effect import effect_of
from pravin_core.runs.effects.model import RuleEffect
from pravin_core.runs.preview import Request, Tried, columns_above, learn_above, try_formula, values_above
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_server.common import cache
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import snapshot_of
from pravin_server.library.services import snapshot_of_library
from pravin_server.rulebooks import ports
from pravin_server.rulebooks.run_context import build_context, resolve_rulebook, tables_at_hand, to_core

T = TypeVar("T")
MOST_TABLES = 8  # of the library in which results of examples are looked for


def _on(delivery: Delivery, rules: Rulebook, ask: Callable[[Snapshot, Rulebook, Path, RunContext], T]) -> T:
    """Ask something of a draft on a delivery; once more when the cache was deleted in the middle."""
    whole = resolve_rulebook(delivery, rules)
    context = to_core(build_context(delivery, whole))

    def again() -> T:
        with cache.scratch() as scratch:
            return ask(snapshot_of(delivery), whole, scratch, context)

    return cache.even_if_deleted(again)


def effect_on(delivery: Delivery, rules: Rulebook, rule: str) -> RuleEffect:
    """The exact effect of one rule of a draft on all records. Raises RulebookError when it does not fit."""
    return _on(
        delivery,
        rules,
        lambda snapshot, whole, scratch, near: effect_of(snapshot, whole, rule, scratch, cache.limits(), near),
    )


def remarks_on(delivery: Delivery, rules: Rulebook) -> list[Advice]:
    """What a colleague would say of a draft; what rules did is taken from the newest trial or run of just these rules."""
    stored = rules.model_dump(mode="json")["rules"]
    run = ports.newest_run_of_rules(delivery, stored)
    touched = {effect["rule"]: _did(effect) for effect in run.effects} if run else None
    try:
        whole = resolve_rulebook(delivery, rules)  # numbered as they run, shared rules among them
    except RulebookError:
        whole = rules
    own = {rule.id for rule in rules.rules}
    return [advice for advice in review(whole, touched) if advice.rule in own]


def _did(effect: dict[str, Any]) -> int:
    return sum(int(effect.get(name) or 0) for name in ("cells", "unconverted", "removed", "added", "columns", "broken"))


def formula_on(delivery: Delivery, rules: Rulebook, below: str, text: str, is_condition: bool) -> Tried:
    """A formula tried on the first records, at the place of a rule; places of mistakes are those of the typed text."""
    try:
        filled = in_formula(text, snapshot_of_library(delivery.feed))
    except RulebookError as error:
        return Tried((), error.message, error.advice, 0, len(text))
    result = _on(
        delivery, rules,
        lambda snapshot, whole, scratch, near: try_formula(
            snapshot, whole, below, filled.text, is_condition, scratch, cache.limits(), near
        ),
    )  # fmt: skip
    start, end = filled.place(result.start, result.end)
    # what may be meant is written as it was typed, with its parameters
    return replace(result, start=start, end=end, readings=() if result.message else readings(text))


def columns_on(delivery: Delivery, rules: Rulebook, below: str) -> list[tuple[str, str]]:
    """The columns that a rule finds: names and types. As delivered where a rule above does not fit."""
    try:
        columns = _on(
            delivery,
            rules,
            lambda snapshot, whole, scratch, near: columns_above(snapshot, whole, below, scratch, cache.limits(), near),
        )
    except RulebookError:
        return [(name, "text") for name in delivery.columns]
    return [(each_column.name, each_column.type.value) for each_column in columns]


def learned_on(
    delivery: Delivery, rules: Rulebook, below: str, request: Request
) -> tuple[Learned, list[tuple[int, tuple[str | None, ...]]]]:
    """Formulas that give wanted results; they are looked for in the library's code lists and tables, too."""
    lists = snapshot_of_library(delivery.feed).code_lists

    def ask(snapshot: Snapshot, whole: Rulebook, scratch: Path, near: RunContext) -> Any:
        tables = tables_at_hand(MOST_TABLES) if request.examples else {}
        context = replace(near, references={**tables, **near.references})
        return learn_above(snapshot, whole, below, request, scratch, cache.limits(), context, lists)

    result: tuple[Learned, list[tuple[int, tuple[str | None, ...]]]] = _on(delivery, rules, ask)
    return result


def values_on(delivery: Delivery, rules: Rulebook, below: str, name: str, most: int) -> tuple[str, ...]:
    """The different values of a column at a place of the rules, in the order in which they first occur."""

    def ask(snapshot: Snapshot, whole: Rulebook, scratch: Path, near: RunContext) -> Any:
        return values_above(snapshot, whole, below, name, most, scratch, cache.limits(), near)

    values: tuple[str, ...] = _on(delivery, rules, ask)
    return values


def values_of(delivery: Delivery, name: str, part: str, most: int) -> list[str]:
    """Values of a delivered column that hold a text, the most frequent first."""
    snapshot = snapshot_of(delivery)
    met = template("contains(lower(:c), lower(:p))", c=column(name), p=exp.Literal.string(part))
    query = (
        exp.select(column(name)).from_(read_parquet(snapshot.parts)).where(met, template(":c <> ''", c=column(name)))
    )
    query = query.group_by(column(name)).order_by("count(*) DESC", column(name)).limit(most)
    with kept_engine([snapshot.folder], cache.spills(), cache.limits()) as con:
        return [row[0] for row in con.execute(sql(query)).fetchall()]
