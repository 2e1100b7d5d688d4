"""Compile a rulebook over a table of text columns into one query.

The query gives for every record its state, reasons, current values, and small columns that say what each rule did
(see names.py). Removed records are marked and kept, so that everything can be counted.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from sqlglot import exp

from pravin_core.compiler import names
from pravin_core.engines.duckdb import column as col
from pravin_core.engines.duckdb import template
from pravin_core.engines.written import written
from pravin_core.errors import RulebookError
from pravin_core.formulas.language import condition, placed
from pravin_core.formulas.reading import reads
from pravin_core.rules.base import (
    AcrossCheck,
    Check,
    ColumnCorrection,
    Corrected,
    RecordCorrection,
    Rule,
    TableCorrection,
    as_text,
    never_null,
)
from pravin_core.rules.rulebook import Rulebook
from pravin_core.tables.columns import ORIGIN, RECORD, Column
from pravin_core.tables.types import SQL_TYPES, DataType

DECISIONS, AMENDMENTS = "decisions", "amendments"


@dataclass(frozen=True)
class Plan:
    """A compiled rulebook. `columns` are those of the result; `rules` pairs each rule's number with it."""

    query: exp.Select
    columns: tuple[Column, ...]
    rules: tuple[tuple[int, Rule], ...]
    reading: frozenset[int]


@dataclass
class _Chain:
    """The state of compilation: the last step, the columns after it, and the small columns carried along."""

    steps: list[tuple[str, exp.Select]] = field(default_factory=list)
    columns: list[Column] = field(default_factory=list)
    carried: list[str] = field(default_factory=list)
    lost: list[tuple[int, str, str]] = field(default_factory=list)  # rule, column, carried text
    reading: set[int] = field(default_factory=set)
    added: set[str] = field(default_factory=set)  # by the rule at hand
    dropped: set[str] = field(default_factory=set)  # still there for the checks above the rule that drops them

    @property
    def kept(self) -> list[Column]:
        """The columns that have not fallen out."""
        return [column for column in self.columns if column.name not in self.dropped]

    @property
    def last(self) -> str:
        return self.steps[-1][0]

    def add(self, query: exp.Select) -> None:
        self.steps.append((f"step_{len(self.steps)}", query))

    def everything(self, table: str | None = None) -> list[exp.Expr]:
        """All that every step passes on, spelled out."""
        known = [*ORIGIN, *(column.name for column in self.columns), *self.carried]
        return [col(name, table) for name in known]

    def live(self) -> exp.Select:
        """The records not removed so far."""
        return exp.select(exp.Star()).from_(self.last).where(template(":g IS NULL", g=col(names.GONE)))


def compile_rulebook(
    rulebook: Rulebook,
    source: exp.Expr,
    delivered: Sequence[str],
    decided: bool = False,
    amended: Sequence[str] = (),
) -> Plan:
    """Compile a rulebook for a table with the `delivered` text columns, read from `source`.

    With `decided` the table `decisions(record, kind)` is met; `amended` names the columns for which the table
    `amendments(record, name, value)` holds values. Records come in order of record number. Raises RulebookError when a rule does not fit the columns.
    """
    chain = _start(source, delivered)
    rules = tuple((number, rule) for number, rule in enumerate(rulebook.rules, start=1))
    active = [(number, rule) for number, rule in rules if rule.enabled]
    for number, rule in active:
        _fits(rule, number, chain)
        if isinstance(rule, ColumnCorrection):
            _correct(chain, number, rule)
        elif isinstance(rule, RecordCorrection):
            _remove(chain, number, rule)
        elif isinstance(rule, TableCorrection):
            chain.dropped.update(rule.dropped())
    _decide(chain, decided, amended)
    checks = [(number, rule) for number, rule in active if isinstance(rule, Check)]
    reasons = _check(chain, checks)
    _settle(chain, dict(active), reasons)
    shown = [one for one in chain.everything() if one.name not in chain.dropped]
    query = exp.select(*shown).from_(chain.last)
    if any(step.args.get("joins") for _, step in chain.steps):  # joins may lose the order, single passes keep it
        query = query.order_by(col(RECORD), copy=False)
    for name, step in chain.steps:
        query.with_(name, as_=step, copy=False)
    return Plan(query, tuple(chain.kept), rules, frozenset(chain.reading))


def _start(source: exp.Expr, delivered: Sequence[str]) -> _Chain:
    """The delivered text; an empty text is a missing value."""
    cells = [exp.alias_(template("nullif(:c, '')", c=col(name)), name, quoted=True) for name in delivered]
    origin = [col(name) for name in ORIGIN]
    gone = exp.alias_(exp.cast(exp.null(), "INTEGER"), names.GONE, quoted=True)
    chain = _Chain(columns=[Column(name) for name in delivered], carried=[names.GONE])
    chain.add(exp.select(*origin, *cells, gone).from_(source))
    return chain


def _fits(rule: Rule, number: int, chain: _Chain) -> None:
    known = {column.name for column in chain.columns}
    for name in (*rule.needs(), *reads(rule.limit())):
        if name in chain.dropped:
            raise RulebookError(
                f"Rule {number} needs the column {name!r}, which a rule above it drops.",
                rule=rule.id, column=name, advice="Move the rule above the one that drops the column.",
            )  # fmt: skip
        if name not in known:
            raise RulebookError(
                f"Rule {number} needs the column {name!r}, which the table does not have.",
                rule=rule.id, column=name, advice="Change the rule or switch it off.",
            )  # fmt: skip


def _add(chain: _Chain, number: int, names_: Sequence[str]) -> None:
    """New columns without values; to fill them is not to correct a record."""
    chain.added = set()
    added = [Column(name) for name in names_ if name not in {column.name for column in chain.columns}]
    if not added:
        return
    origin, carried = [col(name) for name in ORIGIN], [col(name) for name in chain.carried]
    shown = [col(column.name) for column in chain.columns]
    empty = [exp.alias_(exp.cast(exp.null(), "VARCHAR"), column.name, quoted=True) for column in added]
    chain.add(exp.select(*origin, *shown, *empty, *carried).from_(chain.last))
    chain.columns = [*chain.columns, *added]
    chain.added = {column.name for column in added}
    chain.reading.add(number)


def _correct(chain: _Chain, number: int, rule: ColumnCorrection) -> None:
    _add(chain, number, rule.adds())
    treated: dict[str, Corrected] = {}
    for column in chain.kept:
        if column.name in rule.columns or (not rule.columns and rule.takes(column)):
            treated[column.name] = rule.correct_among(col(column.name), column, chain.kept)
    if rule.limit():
        treated = _limited(rule, number, treated, chain)
    effects, texts = _effects(number, treated)
    shown = [
        exp.alias_(treated[c.name].value, c.name, quoted=True) if c.name in treated else col(c.name)
        for c in chain.columns
    ]
    origin, carried = [col(name) for name in ORIGIN], [col(name) for name in chain.carried]
    step = exp.select(*origin, *shown, *carried, *effects, *(alias for _, alias in texts)).from_(chain.last)
    quarantining = getattr(rule, "unconverted", "missing") == "quarantine"
    chain.add(step)
    chain.columns = [Column(c.name, treated[c.name].type) if c.name in treated else c for c in chain.columns]
    chain.carried += [names.cells_changed(number), names.cells_unconverted(number)]
    chain.carried += [alias.alias for _, alias in texts] if quarantining else []
    chain.lost += [(number, name, alias.alias) for name, alias in texts] if quarantining else []
    if not quarantining:
        step.set("expressions", [e for e in step.expressions if e not in [alias for _, alias in texts]])
    if any(one.reading for one in treated.values()):
        chain.reading.add(number)


_WHERE_IT_FITS = "CASE WHEN :f THEN :new ELSE :old END"


def _limited(rule: Rule, number: int, treated: dict[str, Corrected], chain: _Chain) -> dict[str, Corrected]:
    """Corrections of the records only that fit the condition of their rule; others keep what they have."""
    fits = never_null(condition(rule.limit(), chain.kept).expression)
    types = {column.name: column.type for column in chain.columns}
    limited = {}
    for name, one in treated.items():
        if one.type is not types[name] and name not in _new(rule, chain):
            raise RulebookError(
                f"Rule {number} gives {name!r} another type, so it must look at all records.", rule=rule.id, column=name,
                advice="Take its condition away, or write the result into a new column.",
            )  # fmt: skip
        cell, text = _typed(col(name), one, types[name]), as_text(col(name))
        limited[name] = replace(
            one,
            value=template(_WHERE_IT_FITS, f=fits, new=one.value, old=cell),
            written=None if one.written is None else template(_WHERE_IT_FITS, f=fits, new=one.written, old=text),
            unconverted=None
            if one.unconverted is None
            else template(":f AND :u", f=fits, u=exp.paren(one.unconverted)),
        )
    return limited


def _new(rule: Rule, chain: _Chain) -> set[str]:
    """The columns that a rule has just added."""
    return set(rule.adds()) & chain.added if isinstance(rule, ColumnCorrection) else set()


def _typed(cell: exp.Expr, one: Corrected, now: DataType) -> exp.Expr:
    """A cell in the type that its column is given."""
    return cell if one.type is now else exp.cast(cell, SQL_TYPES[one.type])


def _effects(number: int, treated: dict[str, Corrected]) -> tuple[list[exp.Expr], list[tuple[str, exp.Alias]]]:
    """The two counts of a step, and for each column the text it could not treat."""
    changed: list[exp.Expr] = []
    unconverted: list[exp.Expr] = []
    texts: list[tuple[str, exp.Alias]] = []
    for position, (name, one) in enumerate(treated.items()):
        before = as_text(col(name))
        differs = template(":new IS DISTINCT FROM :old", new=one.written or as_text(one.value), old=before)
        changed.append(template("CASE WHEN :d THEN 1 ELSE 0 END", d=differs))
        if one.unconverted is not None:
            unconverted.append(template("CASE WHEN :u THEN 1 ELSE 0 END", u=one.unconverted))
            kept = template("CASE WHEN :u AND :g IS NULL THEN :t END", u=one.unconverted, g=col(names.GONE), t=before)
            texts.append((name, exp.alias_(kept, names.lost_text(number, position), quoted=True)))  # type: ignore[arg-type]
    counts = [
        exp.alias_(_if_live(_sum(parts)), name, quoted=True)
        for parts, name in ((changed, names.cells_changed(number)), (unconverted, names.cells_unconverted(number)))
    ]
    return list(counts), texts


def _if_live(count: exp.Expr) -> exp.Expr:
    return exp.cast(template("CASE WHEN :g IS NULL THEN :n ELSE 0 END", g=col(names.GONE), n=count), "INTEGER")


def _sum(parts: Sequence[exp.Expr]) -> exp.Expr:
    """The sum of many small expressions, without nesting."""
    if not parts:
        return exp.Literal.number(0)
    return template("list_sum(:parts)", parts=exp.Array(expressions=list(parts))) if len(parts) > 1 else parts[0]


def _remove(chain: _Chain, number: int, rule: RecordCorrection) -> None:
    removed = rule.removed(chain.live(), chain.kept)
    rest = [e for e in chain.everything("before") if e.name != names.GONE]
    gone = template("CASE WHEN :r IS NOT NULL THEN :n ELSE :g END", r=col(RECORD, "removed"),
                    n=exp.Literal.number(number), g=col(names.GONE, "before"))  # fmt: skip
    chain.add(
        exp.select(*rest, exp.alias_(gone, names.GONE, quoted=True))
        .from_(exp.to_table(chain.last).as_("before"))
        .join(removed.subquery("removed"), on=_same_record("before", "removed"), join_type="left")
    )


def _same_record(left: str, right: str) -> exp.Expr:
    return exp.EQ(this=col(RECORD, left), expression=col(RECORD, right))


def _decide(chain: _Chain, decided: bool, amended: Sequence[str]) -> None:
    """Put in the values amended by hand and the decision on each record."""
    known = {column.name: column for column in chain.columns}
    step = exp.select().from_(exp.to_table(chain.last).as_("t"))
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
        step = step.select(exp.alias_(failed, names.lost_text(0, position), quoted=True))
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
        exp.alias_(exp.cast(_sum(was_amended), "INTEGER"), names.AMENDED, quoted=True),
    )
    chain.carried += [names.DECISION, names.AMENDED, *(text for n, _, text in chain.lost if n == 0)]
    chain.add(step)


def _judged() -> exp.Expr:
    """Records that checks judge: not removed by a rule, not discarded by a decision."""
    return template(":g IS NULL AND :d IS DISTINCT FROM 'discard'", g=col(names.GONE, "t"), d=col(names.DECISION, "t"))


def _check(chain: _Chain, checks: Sequence[tuple[int, Rule]]) -> list[exp.Expr]:
    """One step that judges all checks; returns the reasons as list items."""
    types = {column.name: column for column in chain.columns}
    step = exp.select(*chain.everything("t")).from_(exp.to_table(chain.last).as_("t"))
    reasons: list[exp.Expr] = [_reason(n, name, col(t), _lost_phrase(n)) for n, name, t in chain.lost]
    flags: list[str] = []
    for number, rule in checks:
        assert isinstance(rule, Check)
        if isinstance(rule, AcrossCheck):
            step, broken = _across(chain, step, number, rule)
            condition = template(":b AND :j", b=broken, j=_judged())
            reasons.append(_reason_when(number, rule, ", ".join(rule.columns), _together(rule.columns, types)))
        else:
            parts = []
            for name in rule.columns:
                parts.append(_breaks(rule, types[name], [(c, col(c.name, "t")) for c in chain.columns]))
                again = _breaks(rule, types[name], [(c, col(c.name)) for c in chain.columns])
                when = template(":f AND :b", f=col(names.breaks(number)), b=again)
                reasons.append(_reason(number, name, _shown(name, types), rule.phrase(), when))
            condition = template(":b AND :j", b=exp.paren(exp.or_(*parts)), j=_judged())
        step = step.select(exp.alias_(condition, names.breaks(number), quoted=True))
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


def _across(chain: _Chain, step: exp.Select, number: int, rule: AcrossCheck) -> tuple[exp.Select, exp.Expr]:
    live = exp.select(exp.Star()).from_(exp.to_table(chain.last).as_("t")).where(_judged())
    fits: exp.Expr = exp.true()
    if rule.limit():
        found = condition(rule.limit(), chain.columns).expression
        fits = never_null(placed(found, {one.name: col(one.name, "t") for one in chain.columns}))
        live = live.where(fits)
    alias = f"b{number}"
    keys = rule.broken_keys(live)
    on = exp.and_(*(exp.EQ(this=col(n, alias), expression=col(n, "t")) for n in rule.columns))
    step = step.join(keys.subquery(alias), on=on, join_type="left")
    return step, template(":k IS NOT NULL AND :f", k=col(rule.columns[0], alias), f=fits)


def _shown(name: str, types: dict[str, Column]) -> exp.Expr:
    return written(col(name), types[name].type)


def _together(columns: Sequence[str], types: dict[str, Column]) -> exp.Expr:
    separator = exp.Literal.string(", ")
    return exp.Anonymous(this="concat_ws", expressions=[separator, *(_shown(name, types) for name in columns)])


def _reason_when(number: int, rule: Check, name: str, value: exp.Expr) -> exp.Expr:
    return _reason(number, name, value, rule.phrase(), col(names.breaks(number)))


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


def _settle(chain: _Chain, active: dict[int, Rule], reasons: Sequence[exp.Expr]) -> None:
    """The last steps: reasons of each record, then its state."""
    drop = {text for _, _, text in chain.lost}
    live = template(":g IS NULL AND :d IS DISTINCT FROM 'discard'", g=col(names.GONE), d=col(names.DECISION))
    never = _reason(0, "", exp.Literal.string(""), "", exp.false())  # gives an empty list its type
    some = template(
        "list_filter(:items, lambda __item: __item IS NOT NULL AND :live)",
        items=exp.Array(expressions=[*reasons, never]), live=exp.paren(live),
    )  # fmt: skip
    rest = [e for e in chain.everything() if e.name not in drop]
    chain.add(exp.select(*rest, exp.alias_(some, names.REASONS, quoted=True)).from_(chain.last))
    chain.carried = [name for name in chain.carried if name not in drop] + [names.REASONS]
    quarantining = [
        number for number, rule in active.items()
        if (isinstance(rule, Check) and rule.consequence == "quarantine") or not isinstance(rule, Check)
    ]  # fmt: skip
    held = template(
        "len(list_filter(:r, lambda __item: list_contains(:numbers, __item.rule))) > 0",
        r=col(names.REASONS), numbers=exp.Array(expressions=[exp.Literal.number(n) for n in (0, *quarantining)]),
    )  # fmt: skip
    changed = [col(names.AMENDED)]
    for number, rule in active.items():
        if isinstance(rule, ColumnCorrection):
            reading = number in chain.reading
            changed.append(col(names.cells_unconverted(number) if reading else names.cells_changed(number)))
    state = template(
        "CASE WHEN :g IS NOT NULL OR :d = 'discard' THEN 'removed' "
        "WHEN :held AND :d IS DISTINCT FROM 'accept' THEN 'quarantined' "
        "WHEN :changed > 0 THEN 'corrected' ELSE 'ready' END",
        g=col(names.GONE), d=col(names.DECISION), held=exp.paren(held), changed=_sum(changed),
    )  # fmt: skip
    chain.add(exp.select(*chain.everything(), exp.alias_(state, names.STATE, quoted=True)).from_(chain.last))
    chain.carried.append(names.STATE)
