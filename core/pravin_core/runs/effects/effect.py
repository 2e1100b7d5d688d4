"""The effect of one rule, at once and exact: only what it needs of the rules above is computed, over all records."""

from __future__ import annotations

from pathlib import Path

from sqlglot import exp

from pravin_core.compiler.plan import RunContext
from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.errors import RulebookError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.dependencies import needed_by
from pravin_core.runs.effects.cells import Cells
from pravin_core.runs.effects.cells_alone import CellsAlone
from pravin_core.runs.effects.checks import Checks, ChecksAlone, TableChecks
from pravin_core.runs.effects.model import RuleEffect
from pravin_core.runs.effects.question import Question, Strategy
from pravin_core.runs.effects.records import Records
from pravin_core.runs.runner import DELIVERED, folders, records_of
from pravin_core.sql.trees import column, sql
from pravin_core.tables.columns import FILE, LINE, RECORD

# from the cheapest to what always applies
STRATEGIES: tuple[Strategy, ...] = (CellsAlone(), Cells(), TableChecks(), ChecksAlone(), Checks(), Records())


def effect_of(
    snapshot: Snapshot,
    rulebook: Rulebook,
    rule_id: str,
    scratch: Path,
    limits: Limits = Limits(),
    context: RunContext = RunContext(),
) -> RuleEffect:
    """Compute the effect of a rule as if it were switched on. Raises RulebookError when it does not fit, or is not there."""
    numbered = list(enumerate(rulebook.rules, start=1))
    at = next((place for place, (_, rule) in enumerate(numbered) if rule.id == rule_id), None)
    if at is None:
        raise RulebookError("The rule is not in the rulebook.", rule=rule_id)
    number, rule = numbered[at]
    above = [(n, each_rule) for n, each_rule in numbered[:at] if each_rule.enabled and not each_rule.is_check]
    active = [*needed_by(rule, above), (number, rule.model_copy(update={"enabled": True}))]
    with connect([snapshot.folder, *folders(context)], scratch, limits) as con:
        know_operations(con)
        con.execute(sql(_delivered(snapshot)))
        question = Question(con, snapshot, tuple(active), context)
        strategy = next(strategy for strategy in STRATEGIES if strategy.applies(question))
        return _placed(con, strategy.compute(question))


def _placed(con: Connection, effect: RuleEffect) -> RuleEffect:
    """The effect with the file and line of each record shown, where they were left out on the way."""
    open_ = [pair.record for pair in (*effect.pairs, *effect.lost) if pair.line is None]
    if not open_:
        return effect
    expression = exp.In(this=column(RECORD), expressions=[exp.Literal.number(number) for number in sorted(set(open_))])
    rows = con.execute(
        sql(exp.select(column(RECORD), column(FILE), column(LINE)).from_(DELIVERED).where(expression))
    ).fetchall()
    places = {record: {"file": file, "line": line} for record, file, line in rows}
    pairs, lost = (
        tuple(pair if pair.line is not None else pair.model_copy(update=places.get(pair.record, {})) for pair in some)
        for some in (effect.pairs, effect.lost)
    )
    return effect.model_copy(update={"pairs": pairs, "lost": lost})


def _delivered(snapshot: Snapshot) -> exp.Expr:
    # not a temporary one: columns are treated side by side on connections of their own
    return exp.Create(this=exp.to_table(DELIVERED), kind="VIEW", expression=records_of(snapshot), replace=True)
