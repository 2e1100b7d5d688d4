"""Compile a rulebook over a table of text columns into one query.

The query gives for every record its state, reasons, current values, and small columns that say what each rule did
(see names.py). Removed records are marked and kept, so that everything can be counted.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from sqlglot import exp

from pravin_core.compiler.checks import AMENDMENTS, DECISIONS, apply_decisions, check, finalize_state
from pravin_core.compiler.corrections import correct, derive, remove, reshape
from pravin_core.compiler.distinct_pushdown import RepeatingColumns
from pravin_core.compiler.plan_builder import BitmapLookup, PlanBuilder, Step, must_fit, on_day, refer, start
from pravin_core.errors import FormulaError, RulebookError
from pravin_core.rules.base import Check, ColumnCorrection, Derivation, RecordCorrection, Rule, TableCorrection
from pravin_core.rules.reshaping import Reference
from pravin_core.rules.rulebook import Rulebook
from pravin_core.sql.trees import column as col
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.types import DataType

__all__ = [
    "AMENDMENTS",
    "DECISIONS",
    "Plan",
    "RunContext",
    "compile_corrections",
    "compile_rulebook",
    "must_fit",
    "on_day",
]


@dataclass(frozen=True)
class RunContext:
    """What a run is given beside records and rules: the role of each column, the tables that rules look into, and the
    day on which the delivery arrived. `types`: of columns whose texts are all written forms of a type, as those of released
    tables are; rules find them as values. Others are text.
    """

    roles: Mapping[str, str] = field(default_factory=dict)
    delivered_on: dt.date | None = None
    references: Mapping[str, Reference] = field(default_factory=dict)
    types: Mapping[str, DataType] = field(default_factory=dict)

    def key(self) -> list[object]:
        """What tells this apart from other contexts, for the name of a result."""
        tables = {
            name: [reference.version, [[c.name, c.type.value] for c in reference.columns]]
            for name, reference in self.references.items()
        }
        known = [dict(self.roles), tables, self.delivered_on.isoformat() if self.delivered_on else None]
        return [*known, {name: kind.value for name, kind in self.types.items()}] if self.types else known


@dataclass(frozen=True)
class Plan:
    """A compiled rulebook. `columns` are those of the result; `rules` pairs each rule's number with it.

    `steps` are the query's parts in order, `touched` the columns that table corrections touched, by rule number; `lookups`
    are to be made known to the engine, in order, before the query is asked, and before them the tables of the `different`
    values of columns, by column. With `is_one_pass` each record goes its way alone. `lost` names the columns in which a cell
    may not have been read, so that its value stands in a reason only.
    """

    query: exp.Select
    columns: tuple[Column, ...]
    rules: tuple[tuple[int, Rule], ...]
    reading: frozenset[int]
    steps: tuple[Step, ...] = ()
    system_columns: tuple[str, ...] = ()
    changed_columns: Mapping[int, int] = field(default_factory=dict)
    lookups: tuple[BitmapLookup, ...] = ()
    is_one_pass: bool = False
    different: Mapping[str, str] = field(default_factory=dict)
    conversion_failures: frozenset[str] = frozenset()


def compile_rulebook(
    rulebook: Rulebook,
    source: exp.Expr,
    delivered: Sequence[str],
    decided: bool = False,
    amended: Sequence[str] = (),
    context: RunContext = RunContext(),
    max_record_id: int | None = None,
    repeating: RepeatingColumns | None = None,
) -> Plan:
    """Compile a rulebook for a table with the `delivered` text columns, read from `source`.

    With `decided` the table `decisions(record, kind)` is met; `amended` names the columns for which the table
    `amendments(record, name, value)` holds values. Records come in order of record number, or in the order that rules
    gave them. With `most`, the highest number of a record, the query needs the plan's lookups. What follows from one of `repeating` values is
    computed once for each. Raises RulebookError when a rule does not fit the columns.
    """
    rules = tuple((number, rule) for number, rule in enumerate(rulebook.rules, start=1))
    active = [(number, rule) for number, rule in rules if rule.enabled]
    builder = compile_corrections(active, source, delivered, context, max_record_id=max_record_id, repeating=repeating)
    for number, rule in active:
        if rule.is_check:
            must_fit(rule, number, builder)
    apply_decisions(builder, decided, amended)
    reasons = check(builder, [(n, r) for n, r in active if isinstance(r, Check)])
    finalize_state(builder, dict(active), reasons)
    query = builder.query(builder.everything(), stepwise=max_record_id is None)
    joins = any(step.looks_further for step in builder.steps)
    is_one_pass = not joins and builder.order == RECORD
    if not is_one_pass:  # joins and windows may lose the order
        query = query.order_by(col(builder.order), copy=False)
    return Plan(
        query, tuple(builder.columns), rules, frozenset(builder.reading), tuple(builder.steps), tuple(builder.system_columns),
        builder.changed_columns, tuple(builder.lookups), is_one_pass, _different(repeating, [query, *(lookup.query for lookup in builder.lookups)]),
        frozenset(name for _, name, _ in builder.conversion_failures),
    )  # fmt: skip


def _different(repeating: RepeatingColumns | None, queries: Sequence[exp.Select]) -> dict[str, str]:
    """The tables of different values that queries ask, by column."""
    if repeating is None:
        return {}
    asked = {table.name for query in queries for table in query.find_all(exp.Table)}
    return {name: table for name, table in repeating.tables.items() if table in asked}


def compile_corrections(
    active: Sequence[tuple[int, Rule]],
    source: exp.Expr,
    delivered: Sequence[str],
    context: RunContext,
    passing: Sequence[str] = (),
    max_record_id: int | None = None,
    repeating: RepeatingColumns | None = None,
) -> PlanBuilder:
    """The chain of the corrections among numbered rules; `passing` names small columns of the source to carry along.

    With `most`, the highest number of a record, rules look records up in bits; not so when rules add records.
    """
    traced = any(isinstance(rule, TableCorrection) and rule.adds_records for _, rule in active)
    columns = [
        Column(name, context.types.get(name, DataType.TEXT), context.roles.get(name, ""), name) for name in delivered
    ]
    builder = PlanBuilder(
        references=context.references, max_record_id=None if traced else max_record_id, repeating=repeating,
        delivered_on=context.delivered_on,
    )  # fmt: skip
    for number, rule in active:
        refer(builder, number, rule, context.references)
    start(builder, source, columns, traced, passing)
    for number, rule in active:
        if rule.is_check:
            continue
        must_fit(rule, number, builder)
        try:
            if isinstance(rule, ColumnCorrection):
                correct(builder, number, rule)
            elif isinstance(rule, Derivation):
                derive(builder, number, rule)
            elif isinstance(rule, RecordCorrection):
                remove(builder, number, rule)
            elif isinstance(rule, TableCorrection):
                reshape(builder, number, rule)
        except FormulaError as error:
            raise _of_rule(error, number, rule) from error
        except RulebookError as error:
            error.where.setdefault("rule", rule.id)
            raise
    return builder


def _of_rule(error: FormulaError, number: int, rule: Rule) -> FormulaError:
    """The error of a formula with the rule that it stands in."""
    formula_error = FormulaError(
        f"Rule {number}: {error.message}", start=error.start, end=error.end, advice=error.advice
    )
    formula_error.where["rule"] = rule.id
    return formula_error
