"""The effect of one rule, at once and exact: only what it needs of the rules above is computed, over all records."""

from __future__ import annotations

import json
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import nullcontext
from dataclasses import dataclass, replace
from functools import reduce
from pathlib import Path
from typing import Any

from pydantic import BaseModel, ConfigDict
from sqlglot import exp

from pravin_core.compiler.chain import Chain
from pravin_core.compiler.judging import check, decide, judged
from pravin_core.compiler.plan import Surroundings, compile_corrections, must_fit, on_day
from pravin_core.compiler.treating import same_record
from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import beside, connect, know_operations
from pravin_core.errors import RulebookError
from pravin_core.formulas.language import condition
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import (
    AcrossCheck,
    Check,
    ColumnCorrection,
    Derivation,
    RecordCorrection,
    RecordsCheck,
    Rule,
    TableCheck,
    TableCorrection,
    never_null,
)
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.changes import MOST_PAIRS, ValueChange, by_frequency, frequent, most_frequent, short, written_as
from pravin_core.runs.needed import delivered_columns, needed_by, of_all
from pravin_core.runs.repeating import SAMPLE, VALUE, counted_different, values_of
from pravin_core.runs.runner import DELIVERED, counted, folders, records_of
from pravin_core.sql.statements import read_parquet, temporary_table, temporary_view
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD
from pravin_core.tables.types import DataType

MOST_ROWS, MOST_COLUMNS = 20, 12


class SampleRow(BaseModel):
    """A record that a correction of records or of the table touches."""

    model_config = ConfigDict(frozen=True)

    record: int
    cells: tuple[str | None, ...]


class RuleEffect(BaseModel):
    """What one rule does to the records as the rules above leave them. `pairs` are the most frequent of all
    `different` ones; `lost` are values it could not treat; `rows` shows records of a correction of records or the table.
    """

    model_config = ConfigDict(frozen=True)

    cells: int = 0
    unconverted: int = 0
    records: int | None = 0  # None where a rule treats several columns and its records were not counted
    removed: int = 0
    added: int = 0
    broken: int = 0
    columns: int = 0
    seen: str = ""
    undone: int = 0  # cells that get back what they held before an earlier rule
    undoes: str = ""  # that rule
    different: int = 0
    pairs: tuple[ValueChange, ...] = ()
    lost: tuple[ValueChange, ...] = ()
    heads: tuple[str, ...] = ()
    rows: tuple[SampleRow, ...] = ()


def effect_of(
    snapshot: Snapshot,
    rulebook: Rulebook,
    rule_id: str,
    scratch: Path,
    limits: Limits = Limits(),
    surroundings: Surroundings = Surroundings(),
) -> RuleEffect:
    """Compute the effect of a rule as if it were switched on. Raises RulebookError when it does not fit, or is not there."""
    numbered = list(enumerate(rulebook.rules, start=1))
    at = next((place for place, (_, rule) in enumerate(numbered) if rule.id == rule_id), None)
    if at is None:
        raise RulebookError("The rule is not in the rulebook.", rule=rule_id)
    number, rule = numbered[at]
    above = [(n, one) for n, one in numbered[:at] if one.enabled and not one.is_check]
    active = [*needed_by(rule, above), (number, rule.model_copy(update={"enabled": True}))]
    with connect([snapshot.folder, *folders(surroundings)], scratch, limits) as con:
        know_operations(con)
        con.execute(sql(_delivered(snapshot)))
        return _placed(con, _effect(con, snapshot, active, surroundings))


def _effect(
    con: Connection, snapshot: Snapshot, active: Sequence[tuple[int, Rule]], surroundings: Surroundings
) -> RuleEffect:
    number, rule = active[-1]
    if isinstance(rule, ColumnCorrection | Derivation):
        return _of_cells_alone(con, snapshot, active, surroundings) or _of_cells(
            con,
            compile_corrections(active, exp.to_table(DELIVERED), snapshot.columns, surroundings),
            number,
            active[:-1],
        )
    chain = compile_corrections(active, exp.to_table(DELIVERED), snapshot.columns, surroundings)
    if rule.is_check:
        must_fit(rule, number, chain)
    if isinstance(rule, TableCheck):
        return _of_table_check(con, chain, rule, surroundings)
    if isinstance(rule, Check):
        grouped = _grouped_for_check(con, snapshot, active, surroundings)
        return _of_check(con, grouped or chain, number, rule, surroundings)
    return _of_records(con, chain, number, rule)


def _placed(con: Connection, effect: RuleEffect) -> RuleEffect:
    """The effect with the file and line of each record shown, where they were left out on the way."""
    open_ = [pair.record for pair in (*effect.pairs, *effect.lost) if pair.line is None]
    if not open_:
        return effect
    wanted = exp.In(this=column(RECORD), expressions=[exp.Literal.number(one) for one in sorted(set(open_))])
    rows = con.execute(
        sql(exp.select(column(RECORD), column(FILE), column(LINE)).from_(DELIVERED).where(wanted))
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


def _of_cells_alone(
    con: Connection, snapshot: Snapshot, active: Sequence[tuple[int, Rule]], surroundings: Surroundings
) -> RuleEffect | None:
    """The effect where each cell depends on a few columns of its own record only: computed once for each combination of
    values with how often it occurs, column by column. None when other records matter.
    """
    number, rule = active[-1]
    local = [(n, one) for n, one in active[:-1] if not isinstance(one, RecordCorrection)]
    if any(isinstance(one, TableCorrection) or one.looks_around for _, one in active):
        return None
    source = _remaining(con, snapshot, active[:-1], surroundings)
    columns = compile_corrections(local, exp.to_table(DELIVERED), snapshot.columns, surroundings).columns
    targets = [one.name for one in rule.chosen(columns)] if isinstance(rule, ColumnCorrection) else [""]
    parts: list[tuple[Rule, list[tuple[int, Rule]], list[str]]] = []
    for target in targets:
        only = rule.model_copy(update={"columns": (target,), "by": None}) if target else rule
        needed = needed_by(only, local)
        wanted = delivered_columns([*needed, (number, only)], snapshot.columns)
        if wanted is None or len(wanted) > MOST_GROUPED:
            return None
        parts.append((only, needed, wanted))
    repeating = _repeating(con, source, [wanted for _, _, wanted in parts])
    side_by_side = len(parts) > 1 and source == DELIVERED  # the tables of a connection are its own
    known: dict[str, _Asked] = {}  # most columns are asked the same

    def one(at: int) -> RuleEffect:
        only, needed, wanted = parts[at]
        with beside(con) if side_by_side else nullcontext(con) as mine:
            rules = [*needed, (number, only)]
            alike = _for_any_column(rules, wanted)
            table = _group(mine, snapshot, source, wanted, repeating[at], [ANY] if alike else wanted)
            if alike:
                return _of_any_column(mine, table, alike, wanted[0], surroundings, known)
            chain = compile_corrections(rules, exp.to_table(table), wanted, surroundings, ("__times",))
            return _of_cells(mine, chain, number, needed)

    with ThreadPoolExecutor(2 if side_by_side else 1) as threads:
        return reduce(_together, threads.map(one, range(len(parts)))) if parts else None


ANY = "__any"


def _of_any_column(
    con: Connection,
    table: str,
    rules: Sequence[tuple[int, Rule]],
    name: str,
    surroundings: Surroundings,
    known: dict[str, _Asked],
) -> RuleEffect:
    """The effect of the last of some rules on the column `name`; `known` are the statements of columns asked before."""
    role = surroundings.roles.get(name, "")
    key = json.dumps([table, role, *((n, rule.model_dump(mode="json")) for n, rule in rules)])
    if key not in known:
        near = replace(surroundings, roles={ANY: role})
        chain = compile_corrections(rules, exp.to_table(table), [ANY], near, ("__times",))
        known[key] = _asked(chain, rules[-1][0], rules[:-1])
    found = _answered(con, known[key])
    pairs, lost = (
        tuple(pair.model_copy(update={"column": pair.column.replace(ANY, name, 1)}) for pair in some)
        for some in (found.pairs, found.lost)
    )
    return found.model_copy(update={"pairs": pairs, "lost": lost})


def _for_any_column(rules: Sequence[tuple[int, Rule]], wanted: Sequence[str]) -> list[tuple[int, Rule]]:
    """Rules on one delivered column as rules on a column that could be any; none where one says more of the column."""
    made: list[tuple[int, Rule]] = []
    for number, rule in rules:
        if len(wanted) != 1 or not isinstance(rule, ColumnCorrection) or rule.limit() or rule.by is not None:
            return []
        if rule.columns not in ((), (wanted[0],)) or set(rule.needs()) - {wanted[0]}:
            return []
        if wanted[0] in _said(rule.model_dump(exclude={"columns", "id", "kind", "note"})):
            return []
        made.append((number, rule.model_copy(update={"columns": (ANY,)}) if rule.columns else rule))
    return made


def _said(value: Any) -> list[str]:
    """All texts in the fields of a rule."""
    parts = value.values() if isinstance(value, dict) else value if isinstance(value, list | tuple | set) else ()
    return [value] if isinstance(value, str) else [text for part in parts for text in _said(part)]


def _grouped_for_check(
    con: Connection, snapshot: Snapshot, active: Sequence[tuple[int, Rule]], surroundings: Surroundings
) -> Chain | None:
    """The chain over each combination of values, where a check looks at a few columns of a record only."""
    number, rule = active[-1]
    local = [(n, one) for n, one in active[:-1] if not isinstance(one, RecordCorrection)]
    if isinstance(rule, AcrossCheck | RecordsCheck) or of_all(rule):
        return None
    if any(isinstance(one, TableCorrection) or one.looks_around for _, one in active):
        return None
    needed = needed_by(rule, local)
    wanted = delivered_columns([*needed, (number, rule)], snapshot.columns)
    if wanted is None or not 0 < len(wanted) <= MOST_GROUPED:
        return None
    source = _remaining(con, snapshot, active[:-1], surroundings)
    table = _group(con, snapshot, source, wanted, _repeating(con, source, [wanted])[0])
    return compile_corrections(needed, exp.to_table(table), wanted, surroundings, ("__times",))


def _repeating(con: Connection, source: str, sets: Sequence[Sequence[str]]) -> list[bool]:
    """For each set of columns, whether their values repeat so much that to group them is worth it."""
    named = list(dict.fromkeys(name for some in sets for name in some))
    counts, _ = counted_different(con, exp.select(*map(column, named)).from_(source).limit(SAMPLE), sets)
    return [count < SAMPLE / 2 for count in counts]


def _group(
    con: Connection,
    snapshot: Snapshot,
    source: str,
    wanted: Sequence[str],
    repeating: bool,
    called: Sequence[str] = (),
) -> str:
    """A table of each combination of values once: the first record with it, and how many have it. Where most are different, to
    look for those alike would cost more than it saves. Where the records came from is asked for those that are shown.
    """
    cells = [column(name) for name in wanted]
    shown = [exp.alias_(column(name), said, quoted=True) for name, said in zip(wanted, called or wanted, strict=True)]
    nowhere = [exp.alias_(exp.cast(exp.null(), kind), name) for name, kind in ((FILE, "SMALLINT"), (LINE, "BIGINT"))]
    if repeating and source == DELIVERED and len(wanted) == 1:
        kept = read_parquet([values_of(snapshot, wanted[0], DELIVERED, lambda statement: con.execute(sql(statement)))])
        value = exp.alias_(column(VALUE), shown[0].alias, quoted=True)
        alike = exp.select(column(RECORD), *nowhere, "__times", value)
        con.execute(sql(temporary_view("grouped", alike.from_(kept))))
        return "grouped"
    if repeating:
        alike = exp.select(template(f"min({RECORD}) AS {RECORD}"), *nowhere, template("count(*) AS __times"), *shown)
        con.execute(sql(temporary_table("grouped", alike.from_(source).group_by(*cells))))
        return "grouped"
    each = exp.select(column(RECORD), *nowhere, exp.alias_(exp.Literal.number(1), "__times"), *shown).from_(source)
    con.execute(sql(temporary_view("ungrouped", each)))
    return "ungrouped"


MOST_GROUPED = 3


def _remaining(
    con: Connection, snapshot: Snapshot, above: Sequence[tuple[int, Rule]], surroundings: Surroundings
) -> str:
    """The table of the delivered records that no rule above removed."""
    last = max((at for at, (_, one) in enumerate(above) if isinstance(one, RecordCorrection)), default=None)
    if last is None:
        return DELIVERED
    needed = [*needed_by(above[last][1], above[:last]), above[last]]
    chain = compile_corrections(needed, exp.to_table(DELIVERED), snapshot.columns, surroundings)
    gone = chain.query([column(RECORD)]).where(template(":g IS NOT NULL", g=column(names.GONE)))
    con.execute(sql(temporary_table("gone", gone)))
    remaining = exp.select(exp.Star()).from_(exp.to_table(DELIVERED).as_("t"))
    remaining = remaining.join(exp.to_table("gone").as_("g"), on=same_record("t", "g"), join_type="anti")
    con.execute(sql(exp.Create(this=exp.to_table("remaining"), kind="VIEW", expression=remaining, replace=True)))
    return "remaining"


def _together(one: RuleEffect, other: RuleEffect) -> RuleEffect:
    """The effects of a rule on two columns as one; the records that both touch are not told apart."""
    pairs, lost = (
        sorted((*one.pairs, *other.pairs), key=by_frequency),
        sorted((*one.lost, *other.lost), key=by_frequency),
    )
    return RuleEffect(
        records=None,
        cells=one.cells + other.cells, unconverted=one.unconverted + other.unconverted, different=one.different + other.different,
        pairs=tuple(pairs[:MOST_PAIRS]), lost=tuple(lost[:MOST_PAIRS]), undone=one.undone + other.undone, undoes=one.undoes or other.undoes,
    )  # fmt: skip


def _one(con: Connection, query: exp.Expr | str) -> dict[str, Any]:
    cursor = con.execute(query if isinstance(query, str) else sql(query))
    heads = [d[0] for d in cursor.description or []]
    return dict(zip(heads, cursor.fetchone() or (), strict=True))


@dataclass(frozen=True)
class _Asked:
    """The statements that find the effect of a rule on cells: which records it touches, what of them is counted, and for
    each treated column its different changes and the most frequent ones.
    """

    keep: str
    counts: str
    changes: tuple[tuple[str, str], ...]
    back: str = ""  # how many cells get back what they held
    earlier: str = ""


def _of_cells(con: Connection, chain: Chain, number: int, above: Sequence[tuple[int, Rule]]) -> RuleEffect:
    return _answered(con, _asked(chain, number, above))


def _asked(chain: Chain, number: int, above: Sequence[tuple[int, Rule]]) -> _Asked:
    """Changed cells are kept beside their former value in one pass; everything else is asked of them."""
    treated = chain.treated[number]
    step = next(one for one in reversed(chain.steps) if one.rule == number)
    types = {one.name: one.type for one in chain.columns}
    was = [
        exp.alias_(exp.null() if before is None else column(before.name), f"__was{at}")
        for at, (_, before) in enumerate(treated)
    ]
    undone, earlier = _before_earlier(chain, number, above, treated)
    step.query.select(*was, *undone, copy=False)
    changed, lost = column(names.cells_changed(number)), column(names.cells_unconverted(number))
    times: exp.Expr = exp.column("__times") if "__times" in chain.carried else exp.Literal.number(1)
    shown = [
        column(RECORD), column(FILE), column(LINE), changed.as_("__e"), lost.as_("__u"), exp.alias_(times, "__n"),
        *(column(name).as_(f"__now{at}") for at, (name, _) in enumerate(treated)),
        *(exp.column(f"__was{at}") for at in range(len(treated))), *(exp.column(one.alias) for one in undone),
    ]  # fmt: skip
    touched = template("(__e > 0 OR __u > 0) AND :g IS NULL", g=column(names.GONE))
    keep = _kept(chain.query([*shown, column(names.GONE)]), touched, len(chain.steps) <= FEW_STEPS)
    counts = exp.select(*(
        exp.alias_(template("CAST(coalesce(sum(:w), 0) AS BIGINT)", w=template(what)), name)
        for name, what in (("cells", "__e * __n"), ("unconverted", "__u * __n"), ("records", "__n"))
    )).from_("touched")  # fmt: skip
    changes = tuple(
        _changes(at, name, None if before is None else before.type, types[name])
        for at, (name, before) in enumerate(treated)
    )
    back = ""
    if undone:
        held = "__back IS NOT DISTINCT FROM __now0 AND __was0 IS DISTINCT FROM __now0"
        back = sql(exp.select(template("CAST(coalesce(sum(__n), 0) AS BIGINT) AS undone")).from_("touched").where(held))
    return _Asked(sql(keep), sql(counts), changes, back, earlier)


def _answered(con: Connection, asked: _Asked) -> RuleEffect:
    con.execute(asked.keep)
    found = _one(con, asked.counts)
    different = 0
    pairs: list[ValueChange] = []
    for statements in asked.changes if found["records"] else ():
        many, some = most_frequent(con, statements)
        different, pairs = different + many, [*pairs, *some]
    pairs = sorted(pairs, key=by_frequency)[:MOST_PAIRS]
    more: dict[str, Any] = {}
    if asked.back and found["cells"]:
        more = {**_one(con, asked.back), "undoes": asked.earlier}
    untreated = [pair for pair in pairs if pair.after is None] if found["unconverted"] else []
    return RuleEffect(**found, **more, different=different, pairs=tuple(pairs), lost=tuple(untreated))


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


FEW_STEPS = 3


def _kept(query: exp.Select, fits: exp.Expr, is_short: bool = False) -> exp.Expr:
    """The statement that keeps the rows of a chain that fit a condition as the table `touched`.

    The engine pushes a condition down the chain and computes its cells once more at every step, so that all rows are kept first
    where the chain is long.
    """
    kept = exp.select(exp.Star()).from_("treated").where(fits)
    return temporary_table("touched", kept.with_("treated", as_=query, materialized=not is_short))


def _before_earlier(
    chain: Chain, number: int, above: Sequence[tuple[int, Rule]], treated: Sequence[tuple[str, Any]]
) -> tuple[list[exp.Expr], str]:
    """What the first treated column held before the nearest earlier rule that treated it too."""
    name = treated[0][0] if treated else ""
    for earlier, rule in reversed(above):
        if isinstance(rule, ColumnCorrection) and any(
            each == name and before is not None and before.name == name
            for each, before in chain.treated.get(earlier, ())
        ):
            at = next(at for at, one in enumerate(chain.steps) if one.rule == earlier)
            held = dict(chain.treated[earlier])[name]
            now = next(one.type for one in chain.columns if one.name == name)
            if held is None or held.type is not now:
                return [], ""
            chain.steps[at].query.select(exp.alias_(column(name), "__back"), copy=False)
            for step in chain.steps[at + 1 :]:
                source = step.query.args.get("from_") or step.query.args.get("from")
                if source is None or not isinstance(source.this, exp.Table):
                    chain.steps[at].query.set("expressions", chain.steps[at].query.expressions[:-1])
                    return [], ""
            for step in chain.steps[at + 1 :]:
                if step.rule != number or step is not chain.steps[-1]:
                    step.query.select(exp.column("__back"), copy=False)
            return [exp.alias_(exp.column("__back"), "__back")], rule.id
    return [], ""


def _of_check(con: Connection, chain: Chain, number: int, rule: Check, surroundings: Surroundings) -> RuleEffect:
    """The values that break the check, with how often they do."""
    chain.lost = []  # the reasons of other rules are not asked for
    decide(chain, False, ())
    check(chain, [(number, rule)])
    for step in chain.steps:
        on_day(step.query, surroundings.delivered_on)
    types = {one.name: one.type for one in chain.columns}
    chosen = [one.name for one in rule.chosen(chain.columns)][:MOST_COLUMNS]
    cells = [column(name).as_(f"__now{at}") for at, name in enumerate(chosen)]
    times: exp.Expr = exp.column("__times") if "__times" in chain.carried else exp.Literal.number(1)
    flag = column(names.breaks(number))
    shown = [column(RECORD), column(FILE), column(LINE), exp.alias_(times, "__n"), flag, *cells]
    con.execute(sql(_kept(chain.query(shown), flag)))
    count = _one(con, template("SELECT CAST(coalesce(sum(__n), 0) AS BIGINT) AS n FROM touched"))["n"]
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


def _of_table_check(con: Connection, chain: Chain, rule: TableCheck, surroundings: Surroundings) -> RuleEffect:
    decide(chain, False, ())
    live = chain.query([exp.Star()]).where(judged())
    if rule.limit():
        live = live.where(never_null(condition(rule.limit(), chain.columns).expression))
    row = con.execute(sql(on_day(rule.verdict(live, chain.columns), surroundings.delivered_on))).fetchall()[0]
    return RuleEffect(seen=str(row[0]), broken=int(bool(row[1])))


def _of_records(con: Connection, chain: Chain, number: int, rule: Rule) -> RuleEffect:
    """How many records go or come, and the first of them."""
    wanted = counted(number, rule, chain.carried)
    shown = chain.columns[:MOST_COLUMNS]
    if isinstance(rule, TableCorrection) and chain.touched.get(number):
        shown = sorted(chain.columns, key=lambda one: bool(one.delivered))[:MOST_COLUMNS]
    if isinstance(rule, RecordCorrection):
        gone = template(":g = :n", g=column(names.GONE), n=exp.Literal.number(number))
        con.execute(sql(temporary_table("gone", chain.query([column(RECORD)]).where(gone))))
        found = {"removed": _one(con, template("SELECT count(*) AS n FROM gone"))["n"]}
        first = exp.select(column(RECORD)).from_("gone").order_by(column(RECORD)).limit(MOST_ROWS)
        fits: exp.Expr = exp.In(this=column(RECORD), query=first.subquery())
        some = found["removed"] > 0
    else:
        counts = (
            _one(con, chain.query([exp.alias_(one, name.split()[0]) for name, one in wanted.items()])) if wanted else {}
        )
        found = {name: int(value or 0) for name, value in counts.items()}
        fits, some = template(":g IS NULL", g=column(names.GONE)), True
    cells = exp.Array(expressions=[short(written(column(one.name), one.type)) for one in shown])
    rows = []
    if some and shown:
        sample = chain.query([column(RECORD).as_("record"), cells.as_("cells")]).where(fits)
        rows = con.execute(sql(sample.order_by(column(chain.order)).limit(MOST_ROWS))).fetchall()
    return RuleEffect(
        **found, columns=chain.touched.get(number, 0), heads=tuple(one.name for one in shown),
        rows=tuple(SampleRow(record=record, cells=tuple(cells)) for record, cells in rows),
    )  # fmt: skip
