"""The effect on cells: which change, which cannot be treated, and the most frequent changes."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlglot import exp

from pravin_core.compiler.plan_builder import PlanBuilder
from pravin_core.engines.base import Connection
from pravin_core.rules.base import (
    ColumnCorrection,
    Derivation,
    Rule,
)
from pravin_core.runs.change_samples import (
    MOST_PAIRS,
    ValueChange,
    by_frequency,
    frequent,
    most_frequent,
    short,
    written_as,
)
from pravin_core.runs.effects.model import RuleEffect
from pravin_core.runs.effects.question import Question, one_row
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD
from pravin_core.tables.types import DataType

FEW_STEPS = 3
BACK = "__back"  # what a treated column held before an earlier rule


class Cells:
    """Over all records, whatever the rule looks at."""

    def applies(self, question: Question) -> bool:
        return isinstance(question.rule, ColumnCorrection | Derivation)

    def compute(self, question: Question) -> RuleEffect:
        return of_cells(question.con, question.builder(), question.number, question.above)


@dataclass(frozen=True)
class Asked:
    """The statements that find the effect of a rule on cells: which records it touches, what of them is counted, and for
    each treated column its different changes and the most frequent ones.
    """

    keep: str
    counts: str
    changes: tuple[tuple[str, str], ...]
    back: str = ""  # how many cells get back what they held
    earlier: str = ""
    fills: bool = False


def of_cells(con: Connection, builder: PlanBuilder, number: int, above: Sequence[tuple[int, Rule]]) -> RuleEffect:
    """The effect of a rule of a chain on the cells that it treats."""
    return answered(con, asked(builder, number, above))


def asked(builder: PlanBuilder, number: int, above: Sequence[tuple[int, Rule]]) -> Asked:
    """Changed cells are kept beside their former value in one pass; everything else is asked of them."""
    treated = builder.treated[number]
    types = {column.name: column.type for column in builder.columns}
    was: dict[str, exp.Expr] = {
        f"__was{at}": exp.null() if before is None else column(before.name) for at, (_, before) in enumerate(treated)
    }
    earlier = _before_earlier(builder, above, treated)
    at = max(at for at, step in enumerate(builder.steps) if step.rule == number)
    builder.steps[at] = builder.steps[at].showing(was)
    changed, lost = column(names.cells_changed(number)), column(names.cells_failed(number))
    times: exp.Expr = exp.column("__times") if "__times" in builder.system_columns else exp.Literal.number(1)
    shown = [
        column(RECORD), column(FILE), column(LINE), changed.as_("__e"), lost.as_("__u"), exp.alias_(times, "__n"),
        *(column(name).as_(f"__now{at}") for at, (name, _) in enumerate(treated)),
        *(exp.column(f"__was{at}") for at in range(len(treated))), *([exp.column(BACK)] if earlier else []),
    ]  # fmt: skip
    touched = template("(__e > 0 OR __u > 0) AND :g IS NULL", g=column(names.GONE))
    keep = kept(builder.query([*shown, column(names.GONE)]), touched, len(builder.steps) <= FEW_STEPS)
    counts = exp.select(*(
        exp.alias_(template("CAST(coalesce(sum(:w), 0) AS BIGINT)", w=template(what)), name)
        for name, what in (("cells", "__e * __n"), ("unconverted", "__u * __n"), ("records", "__n"))
    )).from_("touched")  # fmt: skip
    changes = tuple(
        _changes(at, name, None if before is None else before.type, types[name])
        for at, (name, before) in enumerate(treated)
    )
    back = ""
    if earlier:
        undone_cells = f"{BACK} IS NOT DISTINCT FROM __now0 AND __was0 IS DISTINCT FROM __now0"
        back = sql(
            exp.select(template("CAST(coalesce(sum(__n), 0) AS BIGINT) AS undone")).from_("touched").where(undone_cells)
        )
    return Asked(sql(keep), sql(counts), changes, back, earlier, number in builder.adding)


def answered(con: Connection, asked: Asked) -> RuleEffect:
    """Ask the statements, and put their answers together."""
    con.execute(asked.keep)
    results = one_row(con, asked.counts)
    different = 0
    pairs: list[ValueChange] = []
    for statements in asked.changes if results["records"] else ():
        many, some = most_frequent(con, statements)
        different, pairs = different + many, [*pairs, *some]
    pairs = sorted(pairs, key=by_frequency)[:MOST_PAIRS]
    more: dict[str, Any] = {}
    if asked.back and results["cells"]:
        more = {**one_row(con, asked.back), "undoes": asked.earlier}
    untreated = [pair for pair in pairs if pair.after is None] if results["unconverted"] else []
    return RuleEffect(
        **results, **more, fills=asked.fills, different=different, pairs=tuple(pairs), lost=tuple(untreated)
    )


def _changes(at: int, name: str, was: DataType | None, now: DataType) -> tuple[str, str]:
    """Statements for the different changes of the touched records in a column, and for the most frequent ones.

    Grouped as the values are; only those that are shown are written out.
    """
    before, after = exp.column(f"__was{at}"), exp.column(f"__now{at}")
    old, new = written_as(before, was), written_as(after, now)
    differs = (before, after) if was in (now, None) else (old, new)
    grouped = exp.select(
        before, after, template("CAST(sum(__n) AS BIGINT) AS times"), template(f"min({RECORD}) AS first"),
    ).from_("touched").where(template(":a IS DISTINCT FROM :b", a=differs[0], b=differs[1])).group_by("1", "2")  # fmt: skip
    shown = [exp.Literal.string(name).as_("name"), short(old).as_("before"), short(new).as_("after")]
    return frequent(grouped, shown)


def kept(query: exp.Select, fits: exp.Expr, is_short: bool = False) -> exp.Expr:
    """The statement that keeps the rows of a chain that fit a condition as the table `touched`.

    The engine pushes a condition down the chain and computes its cells once more at every step, so that all rows are kept first
    where the chain is long.
    """
    rows = exp.select(exp.Star()).from_("treated").where(fits)
    return temporary_table("touched", rows.with_("treated", as_=query, materialized=not is_short))


def _before_earlier(builder: PlanBuilder, above: Sequence[tuple[int, Rule]], treated: Sequence[tuple[str, Any]]) -> str:
    """The nearest earlier rule that treated the first treated column too; what the column held before it is then passed on as
    BACK. Empty where there is none, or where a step between does not pass on what it is given.
    """
    name = treated[0][0] if treated else ""
    for earlier, rule in reversed(above):
        if isinstance(rule, ColumnCorrection) and any(
            each == name and before is not None and before.name == name
            for each, before in builder.treated.get(earlier, ())
        ):
            at = next(at for at, each_step in enumerate(builder.steps) if each_step.rule == earlier)
            before = dict(builder.treated[earlier])[name]
            now = next(column.type for column in builder.columns if column.name == name)
            after = builder.steps[at + 1 :]
            if before is None or before.type is not now or not all(step.reads_one_table for step in after):
                return ""
            passed = [step.showing({BACK: exp.column(BACK)}) for step in after]
            builder.steps[at:] = [builder.steps[at].showing({BACK: column(name)}), *passed]
            return rule.id
    return ""
