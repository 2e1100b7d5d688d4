"""Which records go or come."""

from __future__ import annotations

from sqlglot import exp

from pravin_core.compiler.plan_builder import PlanBuilder
from pravin_core.engines.base import Connection
from pravin_core.rules.base import (
    RecordCorrection,
    Rule,
    TableCorrection,
)
from pravin_core.runs.change_samples import short
from pravin_core.runs.effects.model import MOST_COLUMNS, RuleEffect, SampleRow
from pravin_core.runs.effects.question import Question, one_row
from pravin_core.runs.runner import counted
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD

MOST_ROWS = 20


class Records:
    """How many records go or come, and the first of them."""

    def applies(self, question: Question) -> bool:
        return not question.rule.is_check

    def compute(self, question: Question) -> RuleEffect:
        return _of_records(question.con, question.builder(), question.number, question.rule)


def _of_records(con: Connection, builder: PlanBuilder, number: int, rule: Rule) -> RuleEffect:
    """How many records go or come, and the first of them."""
    requested = counted(number, rule, builder.system_columns)
    shown = builder.columns[:MOST_COLUMNS]
    if isinstance(rule, TableCorrection) and builder.changed_columns.get(number):
        shown = sorted(builder.columns, key=lambda each_column: bool(each_column.delivered))[:MOST_COLUMNS]
    if isinstance(rule, RecordCorrection):
        gone = template(":g = :n", g=column(names.GONE), n=exp.Literal.number(number))
        con.execute(sql(temporary_table("gone", builder.query([column(RECORD)]).where(gone))))
        results = {"removed": one_row(con, template("SELECT count(*) AS n FROM gone"))["n"]}
        first = exp.select(column(RECORD)).from_("gone").order_by(column(RECORD)).limit(MOST_ROWS)
        fits: exp.Expr = exp.In(this=column(RECORD), query=first.subquery())
        some = results["removed"] > 0
    else:
        counts = (
            one_row(
                con, builder.query([exp.alias_(expression, name.split()[0]) for name, expression in requested.items()])
            )
            if requested
            else {}
        )
        results = {name: int(value or 0) for name, value in counts.items()}
        fits, some = template(":g IS NULL", g=column(names.GONE)), True
    cells = exp.Array(expressions=[short(written(column(each_column.name), each_column.type)) for each_column in shown])
    rows = []
    if some and shown:
        sample = builder.query([column(RECORD).as_("record"), cells.as_("cells")]).where(fits)
        rows = con.execute(sql(sample.order_by(column(builder.order)).limit(MOST_ROWS))).fetchall()
    return RuleEffect(
        **results, columns=builder.changed_columns.get(number, 0), heads=tuple(each_column.name for each_column in shown),
        rows=tuple(SampleRow(record=record, cells=tuple(cells)) for record, cells in rows),
    )  # fmt: skip
