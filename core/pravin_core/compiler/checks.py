"""Decisions and checks as the last steps of the chain: amended values, flags, reasons, the state of each record."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlglot import exp

from pravin_core.compiler.corrections import total
from pravin_core.compiler.plan_builder import Join, PlanBuilder, on_day
from pravin_core.formulas.language import condition, placed
from pravin_core.rules.base import (
    AcrossCheck,
    Check,
    ColumnCorrection,
    Derivation,
    RecordsCheck,
    Rule,
    TableCorrection,
    never_null,
)
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import joined, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.types import SQL_TYPES

DECISIONS, AMENDMENTS = "decisions", "amendments"
KINDS_THAT_STAND = ("amend", "accept", "discard")
REASONS_AT_ONCE = 8  # that are looked for together


@dataclass(frozen=True)
class Reason:
    """A reason that a record may have: a cheap sign of it, the item of the list, and whether it quarantines the record."""

    flag: exp.Expr
    item: exp.Expr
    holds: bool = True


def apply_decisions(builder: PlanBuilder, decided: bool, amended: Sequence[str]) -> None:
    """Put in the values amended by hand and the decision on each record."""
    known = {column.name: column for column in builder.columns}
    joins: list[Join] = []
    cells: dict[str, exp.Expr] = {}
    was_amended: list[exp.Expr] = []
    for position, name in enumerate(n for n in amended if n in known):
        alias = f"a{position}"
        value = exp.column("value", table=alias)
        hit = template(":r IS NOT NULL", r=exp.column("record", table=alias))
        read = exp.TryCast(this=value, to=exp.DataType.build(SQL_TYPES[known[name].type], dialect="duckdb"))
        cells[name] = template("CASE WHEN :hit THEN :read ELSE :c END", hit=hit, read=read, c=col(name, "t"))
        requested = (
            exp.select("record", "value").from_(AMENDMENTS).where(template("name = :n", n=exp.Literal.string(name)))
        )
        on = exp.EQ(this=exp.column("record", table=alias), expression=col(RECORD, "t"))
        joins.append((requested.subquery(alias), on))
        was_amended.append(template("CASE WHEN :hit THEN 1 ELSE 0 END", hit=hit))
        failed = names.failed_text(0, position)
        cells[failed] = template("CASE WHEN :hit AND :read IS NULL THEN :v END", hit=hit, read=read, v=value)
        for _, column, text in builder.conversion_failures:
            if column == name:
                cells[text] = template("CASE WHEN :hit THEN NULL ELSE :t END", hit=hit, t=col(text, "t"))
        builder.conversion_failures.append((0, name, failed))
    kind: exp.Expr = exp.cast(exp.null(), "VARCHAR")
    if decided and (looked_up := _looked_up(builder)):
        kind = looked_up
    elif decided:
        kind = exp.column("kind", table="d")
        on = exp.EQ(this=exp.column("record", table="d"), expression=col(RECORD, "t"))
        joins.append((exp.to_table(DECISIONS).as_("d"), on))
    cells[names.DECISION] = kind
    cells[names.AMENDED] = exp.cast(total(was_amended), "INTEGER")
    builder.project(cells, alias="t", joins=joins)
    builder.system_columns += [
        names.DECISION,
        names.AMENDED,
        *(text for n, _, text in builder.conversion_failures if n == 0),
    ]


def _looked_up(builder: PlanBuilder) -> exp.Expr | None:
    """The decision on each record by bits, so that the chain stays a single pass; None where it is to be joined."""
    if builder.max_record_id is None:
        return None
    kind = exp.Case()
    for name in KINDS_THAT_STAND:
        those = exp.select(exp.column("record").as_(RECORD, quoted=True)).from_(DECISIONS)
        # a decision on a record that is no longer there says nothing
        known = template("kind = :k AND record <= :n", k=exp.Literal.string(name), n=builder.max_record_id)
        hit = builder.membership(0, those.where(known))
        assert hit is not None
        kind = kind.when(hit, exp.Literal.string(name), copy=False)
    return kind


def judged() -> exp.Expr:
    """Records that checks judge: not removed by a rule, not discarded by a decision."""
    gone, decision = col(names.GONE), col(names.DECISION)
    return template(":g IS NULL AND :d IS DISTINCT FROM 'discard'", g=gone, d=decision)


def check(builder: PlanBuilder, checks: Sequence[tuple[int, Rule]]) -> list[Reason]:
    """One step that judges all checks of records; returns the reasons there may be, in order."""
    types = {column.name: column for column in builder.columns}
    builder.project({names.LIVE: judged()})
    builder.system_columns.append(names.LIVE)
    live = col(names.LIVE, "t")
    reasons = [
        Reason(_there(col(t)), _reason(n, name, col(t), _lost_phrase(n))) for n, name, t in builder.conversion_failures
    ]
    flags: dict[str, exp.Expr] = {}
    joins: list[Join] = []
    for number, rule in checks:
        assert isinstance(rule, Check)
        chosen = [each_column.name for each_column in rule.chosen(builder.columns)]
        flag, holds = col(names.broken(number)), rule.consequence == "quarantine"
        if isinstance(rule, AcrossCheck | RecordsCheck):
            broken, met = _across(builder, number, rule)
            joins += met
            expression = template(":b AND :j", b=broken, j=live)
            item = _reason(number, ", ".join(chosen), _together(chosen, types), rule.reason(), flag)
            reasons.append(Reason(flag, item, holds))
        else:
            parts = []
            for name in chosen:
                parts.append(_breaks(rule, types[name], [(c, col(c.name, "t")) for c in builder.columns]))
                when: exp.Expr = flag
                if len(chosen) > 1:  # the flag is of all of them together
                    again = _breaks(rule, types[name], [(c, col(c.name)) for c in builder.columns])
                    when = template(":f AND :b", f=flag, b=exp.paren(again))
                item = _reason(number, name, _shown(name, types), rule.reason(), when)
                reasons.append(Reason(flag, item, holds))
            expression = template(":b AND :j", b=exp.paren(exp.or_(*parts)) if parts else exp.false(), j=live)
        flags[names.broken(number)] = on_day(expression, builder.delivered_on)
    builder.project(flags, alias="t", joins=joins)
    builder.system_columns += flags
    return reasons


def _breaks(rule: Check, column: Column, table: Sequence[tuple[Column, exp.Expr]]) -> exp.Expr:
    """Whether a cell breaks a check and its record fits the condition of the check."""
    cells = {each_column.name: cell for each_column, cell in table}
    broken = rule.breaks_among(cells[column.name], column, table)
    if not rule.condition():
        return broken
    fits = placed(condition(rule.condition(), [each_column for each_column, _ in table]).expression, cells)
    return template(":f AND :b", f=never_null(fits), b=exp.paren(broken))


def _across(builder: PlanBuilder, number: int, rule: Check) -> tuple[exp.Expr, list[Join]]:
    """Whether a record breaks a check that looks at others, and what is to be met for that: table and condition."""
    live = exp.select(exp.Star()).from_(exp.to_table(builder.last).as_("t"), copy=False).where(col(names.LIVE, "t"))
    fits: exp.Expr = exp.true()
    if rule.condition():
        expression = condition(rule.condition(), builder.columns).expression
        fits = never_null(placed(expression, {column.name: col(column.name, "t") for column in builder.columns}))
        live = live.where(fits)
    alias = f"b{number}"
    if isinstance(rule, RecordsCheck):
        broken = on_day(rule.broken_records(live, builder.columns), builder.delivered_on)
        if expression := builder.membership(number, broken):
            return expression, []
        on: exp.Expr = exp.EQ(this=col(RECORD, alias), expression=col(RECORD, "t"))
        return template(":k IS NOT NULL", k=col(RECORD, alias)), [(broken.subquery(alias), on)]
    assert isinstance(rule, AcrossCheck)
    keys = on_day(rule.broken_keys(live), builder.delivered_on)
    alike = exp.and_(*(exp.EQ(this=col(n, alias), expression=col(n, "t")) for n in rule.columns))
    numbers = live.select(col(RECORD, "t"), append=False).join(keys.subquery(alias), on=alike)
    if expression := builder.membership(number, numbers):
        return expression, []
    return template(":k IS NOT NULL AND :f", k=col(rule.columns[0], alias), f=fits), [(keys.subquery(alias), alike)]


def _shown(name: str, types: dict[str, Column]) -> exp.Expr:
    return written(col(name), types[name].type)


def _together(columns: Sequence[str], types: dict[str, Column]) -> exp.Expr:
    separator = exp.Literal.string(", ")
    return exp.Anonymous(this="concat_ws", expressions=[separator, *(_shown(name, types) for name in columns)])


def _lost_phrase(number: int) -> str:
    return "was typed by hand and does not fit the type of the column" if number == 0 else "could not be read"


def _there(cell: exp.Expr) -> exp.Expr:
    """Whether a cell holds something."""
    return template(":c IS NOT NULL", c=cell)


def _reason(number: int, name: str, value: exp.Expr, phrase: str, when: exp.Expr | None = None) -> exp.Expr:
    """One item for the list of reasons, in a list of its own (missing where it does not hold): the rule's number, the column, the
    value seen, and the words.
    """
    condition = when if when is not None else _there(value)
    return template(
        "CASE WHEN :condition THEN [struct_pack(rule := :n, name := :name, value := :v, phrase := :phrase)] END",
        condition=condition,
        n=exp.Literal.number(number),
        name=exp.Literal.string(name),
        v=value,
        phrase=exp.Literal.string(phrase),
    )


def _any_of(reasons: Sequence[Reason]) -> exp.Expr:
    flags = {reason.flag.sql(dialect="duckdb"): reason.flag for reason in reasons}
    return joined(exp.Or, [exp.false(), *flags.values()])


def _listed(reasons: Sequence[Reason], never: exp.Expr) -> exp.Expr:
    """The list of those of some reasons that a record has; missing where it has none."""
    items = exp.Array(expressions=[*(reason.item for reason in reasons), never])
    return template("CASE WHEN :any THEN flatten(:items) END", any=exp.paren(_any_of(reasons)), items=items)


def finalize_state(builder: PlanBuilder, active: dict[int, Rule], reasons: Sequence[Reason]) -> None:
    """The last step: reasons of each record and its state."""
    drop = {names.LIVE, *(text for _, _, text in builder.conversion_failures)}
    never = _reason(0, "", exp.Literal.string(""), "", exp.false())  # gives an empty list its type
    # most records have none of most reasons, and a list of all that might be is dear
    parts = [_listed(reasons[at : at + REASONS_AT_ONCE], never) for at in range(0, len(reasons), REASONS_AT_ONCE)]
    none = template("flatten([:n])", n=never)
    some = template(
        "CASE WHEN :any AND :live THEN :listed ELSE :none END", any=exp.paren(_any_of(reasons)), live=col(names.LIVE),
        listed=exp.Anonymous(this="list_concat", expressions=[none, *parts]), none=none,
    )  # fmt: skip
    changed = [col(names.AMENDED)]
    for number, rule in active.items():
        if isinstance(rule, ColumnCorrection | Derivation):
            if number in builder.adding:
                continue
            own = names.cells_corrected(number)
            counted = own if own in builder.system_columns else names.cells_changed(number)
            changed.append(col(names.cells_failed(number) if number in builder.reading else counted))
        elif isinstance(rule, TableCorrection) and rule.corrects:
            changed.append(col(names.cells_changed(number)))
    state = template(
        "CASE WHEN NOT :live THEN 'removed' "
        "WHEN :held AND :d IS DISTINCT FROM 'accept' THEN 'quarantined' "
        "WHEN :changed > 0 THEN 'corrected' ELSE 'ready' END",
        live=col(names.LIVE), d=col(names.DECISION), changed=total(changed),
        held=exp.paren(_any_of([reason for reason in reasons if reason.holds])),
    )  # fmt: skip
    builder.system_columns = [name for name in builder.system_columns if name not in drop]
    builder.project({names.REASONS: some, names.STATE: state})
    builder.system_columns += [names.REASONS, names.STATE]
