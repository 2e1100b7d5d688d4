"""What is asked: a rule on records as the rules above leave them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Protocol

from sqlglot import exp

from pravin_core.compiler.plan import RunContext, compile_corrections
from pravin_core.compiler.plan_builder import PlanBuilder
from pravin_core.engines.base import Connection
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import (
    ColumnCorrection,
    RecordCorrection,
    Rule,
    TableCorrection,
)
from pravin_core.runs.dependencies import delivered_columns, needed_by
from pravin_core.runs.effects.model import RuleEffect
from pravin_core.runs.runner import DELIVERED
from pravin_core.sql.trees import sql

MOST_GROUPED = 3  # columns whose combinations of values are looked at


@dataclass(frozen=True)
class Part:
    """The rule on one of its columns: the rules above that it needs for it, and the delivered columns they read."""

    rule: Rule
    needed: list[tuple[int, Rule]]
    wanted: list[str]


@dataclass(frozen=True)
class Question:
    """The last of `active` (numbered) rules on a snapshot; the others are those above that it needs."""

    con: Connection
    snapshot: Snapshot
    active: tuple[tuple[int, Rule], ...]
    context: RunContext

    @property
    def number(self) -> int:
        return self.active[-1][0]

    @property
    def rule(self) -> Rule:
        return self.active[-1][1]

    @property
    def above(self) -> tuple[tuple[int, Rule], ...]:
        return self.active[:-1]

    @property
    def local(self) -> list[tuple[int, Rule]]:
        """The rules above but those that only remove records."""
        return [(number, rule) for number, rule in self.above if not isinstance(rule, RecordCorrection)]

    @property
    def is_local(self) -> bool:
        """Whether each record's part in it depends on that record alone."""
        return not any(isinstance(rule, TableCorrection) or rule.uses_window for _, rule in self.active)

    @cached_property
    def parts(self) -> list[Part]:
        """The rule column by column; nothing when other records or many columns matter."""
        if not self.is_local:
            return []
        rule, local = self.rule, self.local
        columns = self.compiled(local, DELIVERED, self.snapshot.columns).columns
        targets = [column.name for column in rule.chosen(columns)] if isinstance(rule, ColumnCorrection) else [""]
        parts: list[Part] = []
        for target in targets:
            only = rule.model_copy(update={"columns": (target,), "by": None}) if target else rule
            needed = needed_by(only, local)
            asked_columns = delivered_columns([*needed, (self.number, only)], self.snapshot.columns)
            if asked_columns is None or len(asked_columns) > MOST_GROUPED:
                return []
            parts.append(Part(only, needed, asked_columns))
        return parts

    def builder(self) -> PlanBuilder:
        """The rules compiled over all delivered records."""
        return self.compiled(self.active, DELIVERED, self.snapshot.columns)

    def compiled(
        self, rules: Sequence[tuple[int, Rule]], table: str, columns: Sequence[str], carried: Sequence[str] = ()
    ) -> PlanBuilder:
        """Rules compiled over a table of the connection."""
        return compile_corrections(rules, exp.to_table(table), columns, self.context, tuple(carried))


class Strategy(Protocol):
    """A way to find an effect: the first one that applies is taken."""

    def applies(self, question: Question) -> bool:
        """Whether it gives the exact effect of the rule."""

    def compute(self, question: Question) -> RuleEffect:
        """The effect. Raises RulebookError when the rule does not fit."""


def one_row(con: Connection, query: exp.Expr | str) -> dict[str, Any]:
    """The only row of a query, by column."""
    cursor = con.execute(query if isinstance(query, str) else sql(query))
    heads = [d[0] for d in cursor.description or []]
    return dict(zip(heads, cursor.fetchone() or (), strict=True))
