"""The SQL of a rulebook: each step with the sentence of its rule, and the whole as statements that can be executed.

The statements read a table `delivered` (record number, file, line, and the delivered columns as text) and make `result`,
with the views `ready`, `quarantined` and `removed`, and one query for each check of the table.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from sqlglot import exp

from pravin_core.compiler.checks import judged
from pravin_core.compiler.plan import Plan, RunContext, compile_rulebook, on_day
from pravin_core.engines.operations import OPERATIONS, Operation
from pravin_core.formulas.language import condition
from pravin_core.rules.base import Rule, TableCheck, never_null
from pravin_core.rules.rulebook import Rulebook
from pravin_core.sql.trees import column, sql
from pravin_core.sql.written import written_or_unread
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD, Column

DELIVERED, RESULT = "delivered", "result"


@dataclass(frozen=True)
class StepText:
    """A step: the number of its rule (0: before or after the rules), what it does in words, its name and its SQL."""

    rule: int
    says: str
    name: str
    sql: str


@dataclass(frozen=True)
class TableVerdict:
    """A check of the table: its rule, the words of its reason, whether it stops, and its query over `result`."""

    rule: int
    says: str
    reason: str
    stops: bool
    query: exp.Select


@dataclass(frozen=True)
class Compiled:
    """A rulebook compiled over the table `delivered`, with the queries of its parts over the table `result`."""

    plan: Plan
    ready: exp.Select
    quarantined: exp.Select
    removed: exp.Select
    verdicts: tuple[TableVerdict, ...]


def sentence_of(rule: Rule) -> str:
    """A rule in one line of words."""
    return "".join(part.text for part in rule.describe())


# what ends a line for a database or for a reader of the text
_LINE_ENDS = re.compile("\r\n|[\n\r\x0b\x0c\x1c-\x1e\x85\u2028\u2029]")


def commented(text: str) -> str:
    """A text as a comment of SQL: every line of it, whatever ends a line, so that nothing of it becomes a statement."""
    return "\n".join(f"-- {line}".rstrip() for line in _LINE_ENDS.split(text.replace("\x00", "")))


def compiled(rulebook: Rulebook, delivered: Sequence[str], context: RunContext = RunContext()) -> Compiled:
    """Compile a rulebook for export. Raises RulebookError when a rule does not fit the columns."""
    plan = compile_rulebook(rulebook, exp.to_table(DELIVERED), delivered, context=context)
    cells = [column(each_column.name) for each_column in plan.columns]
    order = column(names.PLACE if names.PLACE in plan.system_columns else RECORD)
    state = column(names.STATE)

    def part(states: Sequence[str], *more: exp.Expr) -> exp.Select:
        origin = [column(name) for name in (RECORD, FILE, LINE)] if more else []
        shown = [_unread(column, plan) for column in plan.columns] if "quarantined" in states else cells
        fits = exp.In(this=state.copy(), expressions=[exp.Literal.string(state) for state in states])
        return exp.select(*origin, *shown, *more).from_(RESULT).where(fits).order_by(order)

    verdicts = []
    for number, rule in plan.rules:
        if isinstance(rule, TableCheck) and rule.enabled:
            live = exp.select(exp.Star()).from_(RESULT).where(judged())
            if rule.condition():
                live = live.where(never_null(condition(rule.condition(), plan.columns).expression))
            query = on_day(rule.verdict(live, plan.columns), context.delivered_on)
            verdicts.append(TableVerdict(number, sentence_of(rule), rule.reason(), rule.consequence == "stop", query))
    return Compiled(
        plan, part(("ready", "corrected")), part(("quarantined",), column(names.REASONS)), part(("removed",), column(names.GONE)),
        tuple(verdicts),
    )  # fmt: skip


def _unread(one: Column, plan: Plan) -> exp.Expr:
    """A cell of a quarantined record: as text with what could not be read, where that may be."""
    if one.name not in plan.conversion_failures:
        return column(one.name)
    return exp.alias_(
        written_or_unread(column(one.name), one.type, column(names.REASONS), one.name), one.name, quoted=True
    )


def steps(compiled_: Compiled) -> list[StepText]:
    """The steps in order, in DuckDB's dialect, laid out to be read."""
    sentences = {number: f"{number}. {sentence_of(rule)}" for number, rule in compiled_.plan.rules}
    first = "The table as it was delivered."
    last = "Checks, reasons and the state of each record."
    step_texts: list[StepText] = []
    for step in compiled_.plan.steps:
        text = step.query.sql(dialect="duckdb", pretty=True)
        if step_texts and step_texts[-1].rule == step.rule:  # a rule in several passes is one step to read
            step_text = step_texts.pop()
            step_texts.append(
                StepText(
                    step_text.rule,
                    step_text.says,
                    f"{step_text.name}, {step.name}",
                    f"{step_text.sql}\n\n{commented(step.name)}\n{text}",
                )
            )
        else:
            step_texts.append(
                StepText(
                    step.rule,
                    sentences.get(step.rule, last if step_texts else first),
                    step.name,
                    f"{commented(step.name)}\n{text}",
                )
            )
    return step_texts


def whole_duckdb(compiled_: Compiled) -> str:
    """All statements for DuckDB, with comments."""
    lines = ["-- Made by Pravin. Reads the table delivered (__record, __file, __line and the columns as text).", ""]
    lines += [f"{operation.statement};" for operation in used_operations(compiled_)]
    lines += [
        "",
        *(commented(f"{number}. {sentence_of(rule)}") for number, rule in compiled_.plan.rules if rule.enabled),
    ]
    lines += [f"CREATE OR REPLACE TABLE {RESULT} AS", compiled_.plan.query.sql(dialect="duckdb", pretty=True) + ";", ""]
    for name, query in (
        ("ready", compiled_.ready),
        ("quarantined", compiled_.quarantined),
        ("removed", compiled_.removed),
    ):
        lines.append(f"CREATE OR REPLACE VIEW {name} AS {sql(query)};")
    for verdict in compiled_.verdicts:
        lines += ["", commented(f"{verdict.rule}. {verdict.says}"), f"{sql(verdict.query)};"]
    return "\n".join(lines) + "\n"


def used_operations(compiled_: Compiled) -> list[Operation]:
    """Those of our own operations that the statements name, in the order in which they must be made known."""
    text = " ".join(
        [sql(compiled_.plan.query), sql(compiled_.quarantined), *(sql(verdict.query) for verdict in compiled_.verdicts)]
    ).lower()
    known = {operation.name: operation for operation in OPERATIONS}
    names_ = [name for name in known if f"{name}(" in text]
    for name in names_:  # which grows: operations name others, and these again others
        names_ += [other for other in known if f"{other}(" in known[name].body and other not in names_]
    return [operation for operation in OPERATIONS if operation.name in names_]
