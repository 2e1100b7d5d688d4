"""Decisions and checks as the last steps of the chain: amended values, flags, reasons, the state of each record."""

from __future__ import annotations

from collections.abc import Sequence

from sqlglot import exp

from pravin_core.compiler.chain import Chain
from pravin_core.compiler.treating import total
from pravin_core.engines.duckdb import column as col
from pravin_core.engines.duckdb import joined, template
from pravin_core.engines.written import written
from pravin_core.formulas.language import condition, placed
from pravin_core.rules.base import (
    AcrossCheck,
    Check,
    ColumnCorrection,
    Derivation,
    RecordsCheck,
    Rule,
    TableCheck,
    TableCorrection,
    never_null,
)
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.types import SQL_TYPES

DECISIONS, AMENDMENTS = "decisions", "amendments"


def decide(chain: Chain, decided: bool, amended: Sequence[str]) -> None:
    """Put in the values amended by hand and the decision on each record."""
    known = {column.name: column for column in chain.columns}
    step = exp.select().from_(exp.to_table(chain.last).as_("t"), copy=False)
    cells: dict[str, exp.Expr] = {}
    was_amended: list[exp.Expr] = []
    for position, name in enumerate(n for n in amended if n in known):
        alias = f"a{position}"
        value = exp.column("value", table=alias)
        hit = template(":r IS NOT NULL", r=exp.column("record", table=alias))
        read = exp.TryCast(this=value, to=exp.DataType.build(SQL_TYPES[known[name].type], dialect="duckdb"))
        cells[name] = template("CASE WHEN :hit THEN :read ELSE :c END", hit=hit, read=read, c=col(name, "t"))
        wanted = (
            exp.select("record", "value").from_(AMENDMENTS).where(template("name = :n", n=exp.Literal.string(name)))
        )
        on = exp.EQ(this=exp.column("record", table=alias), expression=col(RECORD, "t"))
        step = step.join(wanted.subquery(alias), on=on, join_type="left")
        was_amended.append(template("CASE WHEN :hit THEN 1 ELSE 0 END", hit=hit))
        failed = template("CASE WHEN :hit AND :read IS NULL THEN :v END", hit=hit, read=read, v=value)
        step = step.select(exp.alias_(failed, names.lost_text(0, position), quoted=True), copy=False)
        for _, column, text in chain.lost:
            if column == name:
                cells[text] = template("CASE WHEN :hit THEN NULL ELSE :t END", hit=hit, t=col(text, "t"))
        chain.lost.append((0, name, names.lost_text(0, position)))
    shown = [exp.alias_(cells[e.name], e.name, quoted=True) if e.name in cells else e for e in chain.everything("t")]
    kind: exp.Expr = exp.cast(exp.null(), "VARCHAR")
    if decided:
        kind = exp.column("kind", table="d")
        on = exp.EQ(this=exp.column("record", table="d"), expression=col(RECORD, "t"))
        step = step.join(exp.to_table(DECISIONS).as_("d"), on=on, join_type="left")
    step = step.select(
        *shown,
        exp.alias_(kind, names.DECISION, quoted=True),
        exp.alias_(exp.cast(total(was_amended), "INTEGER"), names.AMENDED, quoted=True),
    )
    chain.carried += [names.DECISION, names.AMENDED, *(text for n, _, text in chain.lost if n == 0)]
    chain.add(step)


def judged(alias: str | None = "t") -> exp.Expr:
    """Records that checks judge: not removed by a rule, not discarded by a decision."""
    gone, decision = col(names.GONE, alias), col(names.DECISION, alias)
    return template(":g IS NULL AND :d IS DISTINCT FROM 'discard'", g=gone, d=decision)


def check(chain: Chain, checks: Sequence[tuple[int, Rule]]) -> list[exp.Expr]:
    """One step that judges all checks of records; returns the reasons as list items."""
    types = {column.name: column for column in chain.columns}
    step = exp.select(*chain.everything("t")).from_(exp.to_table(chain.last).as_("t"), copy=False)
    reasons: list[exp.Expr] = [_reason(n, name, col(t), _lost_phrase(n)) for n, name, t in chain.lost]
    flags: list[str] = []
    for number, rule in checks:
        assert isinstance(rule, Check)
        chosen = [one.name for one in rule.chosen(chain.columns)]
        if isinstance(rule, AcrossCheck | RecordsCheck):
            step, broken = _across(chain, step, number, rule)
            found = template(":b AND :j", b=broken, j=judged())
            reasons.append(_reason_when(number, rule, ", ".join(chosen), _together(chosen, types)))
        else:
            parts = []
            for name in chosen:
                parts.append(_breaks(rule, types[name], [(c, col(c.name, "t")) for c in chain.columns]))
                again = _breaks(rule, types[name], [(c, col(c.name)) for c in chain.columns])
                when = template(":f AND :b", f=col(names.breaks(number)), b=exp.paren(again))
                reasons.append(_reason(number, name, _shown(name, types), rule.reason(), when))
            found = template(":b AND :j", b=exp.paren(exp.or_(*parts)) if parts else exp.false(), j=judged())
        step = step.select(exp.alias_(found, names.breaks(number), quoted=True), copy=False)
        flags.append(names.breaks(number))
    chain.add(step)
    chain.carried += flags
    return reasons


def _breaks(rule: Check, column: Column, table: Sequence[tuple[Column, exp.Expr]]) -> exp.Expr:
    """Whether a cell breaks a check and its record fits the condition of the check."""
    cells = {one.name: cell for one, cell in table}
    broken = rule.breaks_among(cells[column.name], column, table)
    if not rule.limit():
        return broken
    fits = placed(condition(rule.limit(), [one for one, _ in table]).expression, cells)
    return template(":f AND :b", f=never_null(fits), b=exp.paren(broken))


def _across(chain: Chain, step: exp.Select, number: int, rule: Check) -> tuple[exp.Select, exp.Expr]:
    live = exp.select(exp.Star()).from_(exp.to_table(chain.last).as_("t"), copy=False).where(judged())
    fits: exp.Expr = exp.true()
    if rule.limit():
        found = condition(rule.limit(), chain.columns).expression
        fits = never_null(placed(found, {one.name: col(one.name, "t") for one in chain.columns}))
        live = live.where(fits)
    alias = f"b{number}"
    if isinstance(rule, RecordsCheck):
        broken = rule.broken_records(live, chain.columns)
        if found := chain.among(number, broken):
            return step, found
        on: exp.Expr = exp.EQ(this=col(RECORD, alias), expression=col(RECORD, "t"))
        return step.join(broken.subquery(alias), on=on, join_type="left"), template(
            ":k IS NOT NULL", k=col(RECORD, alias)
        )
    assert isinstance(rule, AcrossCheck)
    keys = rule.broken_keys(live)
    alike = exp.and_(*(exp.EQ(this=col(n, alias), expression=col(n, "t")) for n in rule.columns))
    numbers = live.select(col(RECORD, "t"), append=False).join(keys.subquery(alias), on=alike)
    if found := chain.among(number, numbers):
        return step, found
    step = step.join(keys.subquery(alias), on=alike, join_type="left")
    return step, template(":k IS NOT NULL AND :f", k=col(rule.columns[0], alias), f=fits)


def _shown(name: str, types: dict[str, Column]) -> exp.Expr:
    return written(col(name), types[name].type)


def _together(columns: Sequence[str], types: dict[str, Column]) -> exp.Expr:
    separator = exp.Literal.string(", ")
    return exp.Anonymous(this="concat_ws", expressions=[separator, *(_shown(name, types) for name in columns)])


def _reason_when(number: int, rule: Check, name: str, value: exp.Expr) -> exp.Expr:
    return _reason(number, name, value, rule.reason(), col(names.breaks(number)))


def _lost_phrase(number: int) -> str:
    return "was typed by hand and does not fit the type of the column" if number == 0 else "could not be read"


def _reason(number: int, name: str, value: exp.Expr, phrase: str, when: exp.Expr | None = None) -> exp.Expr:
    """One item of the list of reasons: the rule's number, the column, the value seen, and the words."""
    condition = when if when is not None else template(":v IS NOT NULL", v=value.copy())
    return template(
        "CASE WHEN :condition THEN struct_pack(rule := :n, name := :name, value := :v, phrase := :phrase) END",
        condition=condition,
        n=exp.Literal.number(number),
        name=exp.Literal.string(name),
        v=value,
        phrase=exp.Literal.string(phrase),
    )


def settle(chain: Chain, active: dict[int, Rule], reasons: Sequence[exp.Expr]) -> None:
    """The last steps: reasons of each record, then its state."""
    drop = {text for _, _, text in chain.lost}
    live = judged(None)
    never = _reason(0, "", exp.Literal.string(""), "", exp.false())  # gives an empty list its type
    flags = [col(names.breaks(number)) for number, rule in active.items() if isinstance(rule, Check)]
    lost = [template(":t IS NOT NULL", t=col(text)) for _, _, text in chain.lost]
    # most records have none, and a list of all that might be is dear
    some = template(
        "CASE WHEN :any AND :live THEN list_filter(:items, lambda __reason: __reason IS NOT NULL) ELSE :none END",
        any=exp.paren(joined(exp.Or, [exp.false(), *flags, *lost])), live=exp.paren(live),
        items=exp.Array(expressions=[*reasons, never]), none=template("list_filter([:n], lambda __reason: false)", n=never),
    )  # fmt: skip
    rest = [e for e in chain.everything() if e.name not in drop]
    chain.add(exp.select(*rest, exp.alias_(some, names.REASONS, quoted=True)).from_(chain.last, copy=False))
    chain.carried = [name for name in chain.carried if name not in drop] + [names.REASONS]
    quarantining = [
        number for number, rule in active.items()
        if (isinstance(rule, Check) and rule.consequence == "quarantine") or not isinstance(rule, Check | TableCheck)
    ]  # fmt: skip
    held = template(
        "len(list_filter(:r, lambda __reason: list_contains(:numbers, __reason.rule))) > 0",
        r=col(names.REASONS), numbers=exp.Array(expressions=[exp.Literal.number(n) for n in (0, *quarantining)]),
    )  # fmt: skip
    changed = [col(names.AMENDED)]
    for number, rule in active.items():
        if isinstance(rule, ColumnCorrection | Derivation):
            reading = number in chain.reading
            changed.append(col(names.cells_unconverted(number) if reading else names.cells_changed(number)))
        elif isinstance(rule, TableCorrection) and rule.corrects:
            changed.append(col(names.cells_changed(number)))
    state = template(
        "CASE WHEN :g IS NOT NULL OR :d = 'discard' THEN 'removed' "
        "WHEN :held AND :d IS DISTINCT FROM 'accept' THEN 'quarantined' "
        "WHEN :changed > 0 THEN 'corrected' ELSE 'ready' END",
        g=col(names.GONE), d=col(names.DECISION), held=exp.paren(held), changed=total(changed),
    )  # fmt: skip
    chain.add(
        exp.select(*chain.everything(), exp.alias_(state, names.STATE, quoted=True)).from_(chain.last, copy=False)
    )
    chain.carried.append(names.STATE)
