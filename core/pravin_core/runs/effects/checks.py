"""What breaks a check of records: the values, with how often they do."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.compiler.checks import apply_decisions, check, judged
from pravin_core.compiler.plan import must_fit, on_day
from pravin_core.compiler.plan_builder import PlanBuilder
from pravin_core.formulas.language import condition
from pravin_core.rules.base import (
    AcrossCheck,
    Check,
    RecordsCheck,
    TableCheck,
    never_null,
)
from pravin_core.runs.change_samples import frequent, most_frequent, short
from pravin_core.runs.dependencies import delivered_columns, needed_by, of_all
from pravin_core.runs.effects.cells import kept
from pravin_core.runs.effects.grouping import group, remaining, repeating
from pravin_core.runs.effects.model import MOST_COLUMNS, RuleEffect
from pravin_core.runs.effects.question import MOST_GROUPED, Question, one_row
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD


class ChecksAlone:
    """Where a check looks at a few columns of a record only: over each combination of their values."""

    def applies(self, question: Question) -> bool:
        rule = question.rule
        if not isinstance(rule, Check) or isinstance(rule, AcrossCheck | RecordsCheck) or of_all(rule):
            return False
        return question.is_local and 0 < len(_wanted(question)) <= MOST_GROUPED

    def compute(self, question: Question) -> RuleEffect:
        must_fit(question.rule, question.number, question.builder())
        requested, source = _wanted(question), remaining(question)
        worth_it = repeating(question.con, source, [requested])[0]
        table = group(question.con, question.snapshot, source, requested, worth_it)
        needed = needed_by(question.rule, question.local)
        return _of_check(question, question.compiled(needed, table, requested, ("__times",)))


def _wanted(question: Question) -> list[str]:
    """The delivered columns that the check reads; nothing when that cannot be told."""
    needed = needed_by(question.rule, question.local)
    return delivered_columns([*needed, (question.number, question.rule)], question.snapshot.columns) or []


class Checks:
    """Over all records."""

    def applies(self, question: Question) -> bool:
        return isinstance(question.rule, Check)

    def compute(self, question: Question) -> RuleEffect:
        builder = question.builder()
        must_fit(question.rule, question.number, builder)
        return _of_check(question, builder)


class TableChecks:
    """Checks of the table as a whole: what is seen, and whether it is broken."""

    def applies(self, question: Question) -> bool:
        return isinstance(question.rule, TableCheck)

    def compute(self, question: Question) -> RuleEffect:
        rule, builder = question.rule, question.builder()
        assert isinstance(rule, TableCheck)
        must_fit(rule, question.number, builder)
        apply_decisions(builder, False, ())
        live = builder.query([exp.Star()]).where(judged())
        if rule.condition():
            live = live.where(never_null(condition(rule.condition(), builder.columns).expression))
        row = question.con.execute(
            sql(on_day(rule.verdict(live, builder.columns), question.context.delivered_on))
        ).fetchall()[0]
        return RuleEffect(seen=str(row[0]), broken=int(bool(row[1])))


def _of_check(question: Question, builder: PlanBuilder) -> RuleEffect:
    con, number, rule = question.con, question.number, question.rule
    assert isinstance(rule, Check)
    builder.conversion_failures = []  # the reasons of other rules are not asked for
    apply_decisions(builder, False, ())
    check(builder, [(number, rule)])
    types = {column.name: column.type for column in builder.columns}
    chosen = [each_column.name for each_column in rule.chosen(builder.columns)][:MOST_COLUMNS]
    cells = [column(name).as_(f"__now{at}") for at, name in enumerate(chosen)]
    times: exp.Expr = exp.column("__times") if "__times" in builder.system_columns else exp.Literal.number(1)
    flag = column(names.broken(number))
    shown = [column(RECORD), column(FILE), column(LINE), exp.alias_(times, "__n"), flag, *cells]
    con.execute(sql(kept(builder.query(shown), flag)))
    count = one_row(con, template("SELECT CAST(coalesce(sum(__n), 0) AS BIGINT) AS n FROM touched"))["n"]
    raw = [exp.column(f"__now{at}") for at in range(len(chosen))]
    seen = [short(written(cell, types[name])) for cell, name in zip(raw, chosen, strict=True)]
    value: exp.Expr = seen[0] if seen else exp.cast(exp.null(), "VARCHAR")
    if len(seen) > 1:
        parts = [template("coalesce(:c, 'missing')", c=cell) for cell in seen]
        value = exp.Anonymous(this="concat_ws", expressions=[exp.Literal.string(", "), *parts])
    grouped = exp.select(*raw, template("CAST(sum(__n) AS BIGINT) AS times"), template(f"min({RECORD}) AS first"))
    grouped = grouped.from_("touched").group_by(*raw)
    shown = [
        exp.Literal.string(", ".join(chosen)).as_("name"), value.as_("before"), exp.cast(exp.null(), "VARCHAR").as_("after"),
    ]  # fmt: skip
    different, pairs = most_frequent(con, frequent(grouped, shown))
    return RuleEffect(broken=count, different=different, pairs=tuple(pairs))
