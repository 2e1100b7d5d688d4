"""Corrections as steps of the chain: cells treated, columns made, records removed, tables reshaped."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TypeVar

from sqlglot import exp

from pravin_core.compiler.plan_builder import PlanBuilder
from pravin_core.errors import RulebookError
from pravin_core.formulas.language import condition
from pravin_core.rules.base import (
    ColumnCorrection,
    Corrected,
    Derivation,
    RecordCorrection,
    Rule,
    TableCorrection,
    as_text,
    never_null,
)
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import copied, joined, template
from pravin_core.tables import names
from pravin_core.tables.columns import ORIGIN, RECORD, Column
from pravin_core.tables.types import SQL_TYPES

Tree = TypeVar("Tree", bound=exp.Expr)


@dataclass(frozen=True)
class _CellChange:
    """A cell to be: its column, what stood there or beside it before (None: nothing), and the corrected cell."""

    column: Column
    before: Column | None
    cell: Corrected
    is_new: bool = False
    after: str = ""


def correct(builder: PlanBuilder, number: int, rule: ColumnCorrection) -> None:
    """Treat cells of columns, in place or in new columns beside them."""
    cell_changes = []
    for column in rule.chosen(builder.columns):
        corrected = _settled(rule.correct_among(col(column.name), column, builder.columns), rule)
        if rule.result == "beside":
            name = column.name + rule.ending
            _must_be_new(builder, rule, number, name)
            cell_changes.append(_CellChange(Column(name), column, corrected, True, column.name))
        else:
            cell_changes.append(_CellChange(column, column, corrected))
    _apply_correction(builder, number, rule, cell_changes)


def derive(builder: PlanBuilder, number: int, rule: Derivation) -> None:
    """Make columns from others; to fill new ones is not to correct a record."""
    known = {column.name: column for column in builder.columns}
    place = rule.after() if rule.after() in known else ""
    cell_changes = []
    for name, corrected in zip(rule.makes(), rule.derive(builder.columns), strict=True):
        column = known.get(name)
        cell_changes.append(
            _CellChange(column or Column(name), column, _settled(corrected, rule), column is None, place)
        )
        place = name if column is None and place else place
    _apply_correction(builder, number, rule, cell_changes)
    drop_columns(builder, number, [name for name in rule.drops() if name not in rule.makes()])


def drop_columns(builder: PlanBuilder, number: int, dropped: Sequence[str]) -> None:
    """Columns that fall out here: steps below do not pass them on."""
    builder.columns = [column for column in builder.columns if column.name not in dropped]
    builder.dropped.update(dict.fromkeys(dropped, (number, "drops")))


def _must_be_new(builder: PlanBuilder, rule: Rule, number: int, name: str) -> None:
    if name.lower() in {column.name.lower() for column in builder.columns}:
        raise RulebookError(
            f"Rule {number} would make the column {name!r}, which is there already.",
            rule=rule.id, column=name, advice="Choose another ending.",
        )  # fmt: skip


def _settled(corrected: Corrected, rule: Rule) -> Corrected:
    """With the value that the rule puts in place of what it cannot treat."""
    if corrected.unconverted is None or getattr(rule, "unconverted", "") != "value":
        return corrected
    instead = exp.Literal.string(getattr(rule, "instead", ""))
    value: exp.Expr = exp.TryCast(this=instead, to=exp.DataType.build(SQL_TYPES[corrected.type], dialect="duckdb"))
    put = "CASE WHEN :u THEN :i ELSE :v END"
    return replace(
        corrected,
        value=template(put, u=corrected.unconverted, i=value, v=corrected.value),
        written=None
        if corrected.written is None
        else template(put, u=corrected.unconverted, i=instead, v=corrected.written),
    )


def _apply_correction(
    builder: PlanBuilder, number: int, rule: ColumnCorrection | Derivation, cell_changes: list[_CellChange]
) -> None:
    """One step that writes the treated cells, counts what it changed, and keeps the texts that it could not treat."""
    if rule.condition():
        cell_changes = _limited(rule, cell_changes, builder)
    cell_changes = _computed_distinct(builder, number, _windows_apart(builder, number, cell_changes))
    by_name = {change.column.name: change for change in cell_changes}
    columns: list[Column] = []
    for column in builder.columns:
        each_change = by_name.get(column.name)
        columns.append(replace(column, type=each_change.cell.type) if each_change else column)
    for each_change in cell_changes:
        if each_change.is_new:
            new_column = Column(each_change.column.name, each_change.cell.type)
            at = next((at + 1 for at, each in enumerate(columns) if each.name == each_change.after), len(columns))
            columns.insert(at, new_column)
    changed, texts = _effects(number, cell_changes)
    computed = {name: change.cell.value for name, change in by_name.items()} | changed
    if rule.keeps_lost:
        computed |= {text: kept for text, (_, kept) in texts.items()}
    shown = [*ORIGIN, *(column.name for column in columns), *builder.system_columns]
    builder.project(computed, number, shown)
    builder.columns = columns
    builder.treated[number] = [(change.column.name, change.before) for change in cell_changes]
    builder.system_columns += changed
    if all(change.is_new for change in cell_changes):
        builder.adding.add(number)
    if rule.keeps_lost:
        builder.system_columns += texts
        builder.conversion_failures += [(number, name, text) for text, (name, _) in texts.items()]
    if any(change.cell.reading for change in cell_changes):
        builder.reading.add(number)


_WHERE_IT_FITS = "CASE WHEN :f THEN :new ELSE :old END"


def _limited(rule: Rule, cell_changes: list[_CellChange], builder: PlanBuilder) -> list[_CellChange]:
    """Corrections of the records only that fit the condition of their rule; others keep what they have."""
    fits = never_null(condition(rule.condition(), builder.columns).expression)
    return [replace(change, cell=_limited_cell(rule, change, fits)) for change in cell_changes]


def _limited_cell(rule: Rule, one: _CellChange, fits: exp.Expr) -> Corrected:
    corrected, before = one.cell, one.before
    kept: exp.Expr = exp.cast(exp.null(), SQL_TYPES[corrected.type])
    text: exp.Expr = exp.cast(exp.null(), "VARCHAR")
    if before is not None and (before.type is corrected.type or not one.is_new):
        if before.type is not corrected.type:
            raise RulebookError(
                f"The rule gives {before.name!r} another type, so it must look at all records.",
                rule=rule.id, column=before.name,
                advice="Remove its condition, or write the result into a new column.",
            )  # fmt: skip
        kept, text = col(before.name), as_text(col(before.name), before.type)
    return replace(
        corrected,
        value=template(_WHERE_IT_FITS, f=fits, new=corrected.value, old=kept),
        written=None
        if corrected.written is None
        else template(_WHERE_IT_FITS, f=fits, new=corrected.written, old=text),
        unconverted=None
        if corrected.unconverted is None
        else template(":f AND :u", f=fits, u=exp.paren(corrected.unconverted)),
    )


def _windows_apart(builder: PlanBuilder, number: int, cell_changes: list[_CellChange]) -> list[_CellChange]:
    """Cells that look at other records are computed in steps of their own, once; windows within windows first."""
    around = {
        change.column.name: in_order(change.cell.value, builder.order)
        for change in cell_changes
        if change.cell.value.find(exp.Window)
    }
    count = 0
    system_columns = builder.system_columns
    while around:
        expressions: dict[str, exp.Expr] = {}
        for name, value in around.items():
            inner = [w for w in value.find_all(exp.Window) if w.find_ancestor(exp.Window) and not _has_window(w)]
            for window in inner or [value]:
                text = window.sql(dialect="duckdb")
                known = next((n for n, w in expressions.items() if w.sql(dialect="duckdb") == text), "")
                if not known:
                    known, count = names.window_column(number, count), count + 1
                    expressions[known] = window.copy()
                if inner:
                    window.replace(col(known))
                else:
                    around[name] = col(known)
        builder.project(expressions, number)
        builder.system_columns = [*builder.system_columns, *expressions]
        if all(isinstance(value, exp.Column) for value in around.values()):
            break
    builder.system_columns = system_columns
    return [
        replace(change, cell=replace(change.cell, value=around[change.column.name]))
        if change.column.name in around
        else change
        for change in cell_changes
    ]


def _computed_distinct(builder: PlanBuilder, number: int, cell_changes: list[_CellChange]) -> list[_CellChange]:
    """The new cells in a step of their own: they are compared, counted and passed on without being computed again."""
    dear = [
        change
        for change in cell_changes
        if change.cell.value.find(exp.Func) and not isinstance(change.cell.value, exp.Column)
    ]
    if not dear:
        return cell_changes
    computed: dict[str, exp.Expr] = {}
    results = {}
    for at, item in enumerate(dear):
        name = names.computed(number, at)
        computed[name] = item.cell.value
        results[item.column.name] = replace(
            item,
            cell=replace(
                item.cell,
                value=col(name),
                written=_instead(item.cell.written, item.cell.value, col(name)),
                unconverted=_instead(item.cell.unconverted, item.cell.value, col(name)),
            ),
        )
    builder.project(computed, number, [*builder.known(), *_windows(builder, cell_changes)])
    return [results.get(change.column.name, change) for change in cell_changes]


def _windows(builder: PlanBuilder, cell_changes: Sequence[_CellChange]) -> list[str]:
    """What was found by looking at other records, still to be passed on."""
    known = set(builder.known())
    values = (change.cell.value for change in cell_changes)
    return list(
        dict.fromkeys(value.name for value in values if isinstance(value, exp.Column) and value.name not in known)
    )


def _instead(tree: exp.Expr | None, part: exp.Expr, by: exp.Expr) -> exp.Expr | None:
    """A tree in which a part, wherever it stands, is another one."""
    if tree is None:
        return None
    in_brackets = exp.paren(part)
    return copied(tree, lambda node: copied(by) if node in (part, in_brackets) else None)


def _has_window(window: exp.Window) -> bool:
    return any(part is not window for part in window.find_all(exp.Window))


def in_order(value: Tree, order: str) -> Tree:
    """Windows in the order that the records stand in now."""
    value = value.copy()
    for window in value.find_all(exp.Window):
        ordered = window.args.get("order")
        for column in list(ordered.find_all(exp.Column)) if ordered else []:
            if column.name == RECORD and order != RECORD:
                column.replace(col(order))
    return value


def _effects(
    number: int, cell_changes: Sequence[_CellChange]
) -> tuple[dict[str, exp.Expr], dict[str, tuple[str, exp.Expr]]]:
    """The counts of a step (a third one where it fills new columns and changes others), and the texts it could not treat, each with
    its column.
    """
    changed: list[exp.Expr] = []
    corrected: list[exp.Expr] = []
    unconverted: list[exp.Expr] = []
    texts: dict[str, tuple[str, exp.Expr]] = {}
    for position, change in enumerate(cell_changes):
        before = (
            exp.cast(exp.null(), "VARCHAR")
            if change.before is None
            else as_text(col(change.before.name), change.before.type)
        )
        written, was = change.cell.written or as_text(change.cell.value, change.cell.type), before
        if change.before is not None and change.cell.written is None and change.before.type is change.cell.type:
            written, was = change.cell.value, col(change.before.name)  # values of one type differ when their texts do
        changed.append(template("CAST(:new IS DISTINCT FROM :old AS INTEGER)", new=written, old=was))
        corrected += [] if change.is_new else changed[-1:]
        if change.cell.unconverted is not None:
            unconverted.append(template("CASE WHEN :u THEN 1 ELSE 0 END", u=change.cell.unconverted))
            kept = template(
                "CASE WHEN :u AND :g IS NULL THEN :t END",
                u=exp.paren(change.cell.unconverted),
                g=col(names.GONE),
                t=before if change.cell.source is None else change.cell.source,
            )
            texts[names.failed_text(number, position)] = (change.column.name, kept)
    named = [(changed, names.cells_changed(number)), (unconverted, names.cells_failed(number))]
    if 0 < len(corrected) < len(changed):
        named.append((corrected, names.cells_corrected(number)))
    return {name: _if_live(total(parts)) for parts, name in named}, texts


def _if_live(count: exp.Expr) -> exp.Expr:
    return template("CAST(CASE WHEN :g IS NULL THEN :n ELSE 0 END AS INTEGER)", g=col(names.GONE), n=count)


def total(parts: Sequence[exp.Expr]) -> exp.Expr:
    """The sum of many small expressions, without nesting."""
    if not parts:
        return exp.Literal.number(0)
    return joined(exp.Add, parts)


def remove(builder: PlanBuilder, number: int, rule: RecordCorrection) -> None:
    """Mark the records that a rule removes; they stay in the chain, so that everything can be counted."""
    removed = in_order(rule.removed(builder.fitting(rule, builder.live()), builder.columns), builder.order)
    if result := builder.membership(number, removed):
        went = template("CASE WHEN :f THEN :n ELSE :g END", f=result, n=exp.Literal.number(number), g=col(names.GONE))
        builder.project({names.GONE: went}, number)
        return
    gone = template("CASE WHEN :r IS NOT NULL THEN :n ELSE :g END", r=col(RECORD, "removed"),
                    n=exp.Literal.number(number), g=col(names.GONE, "before"))  # fmt: skip
    joins = [(removed.subquery("removed"), same_record("before", "removed"))]
    builder.project({names.GONE: gone}, number, alias="before", joins=joins)


def same_record(left: str, right: str) -> exp.Expr:
    """Whether two tables speak of the same record."""
    return exp.EQ(this=col(RECORD, left), expression=col(RECORD, right))


def reshape(builder: PlanBuilder, number: int, rule: TableCorrection) -> None:
    """Give the table another shape."""
    shaped = rule.reshape(builder.table(number))
    for name, query in shaped.steps:
        builder.add(query, number, name)
    after = {column.name for column in shaped.columns}
    renamed = {column.delivered: column.name for column in shaped.columns if column.delivered}
    for column in builder.columns:
        if column.name not in after:
            other = renamed.get(column.delivered, "") if column.delivered else ""
            builder.dropped[column.name] = (number, f"renames to {other!r}" if other else "drops")
            if other:  # what could not be read before is told under the name that the column has now
                builder.conversion_failures = [
                    (n, other if name == column.name else name, text) for n, name, text in builder.conversion_failures
                ]
    builder.columns = list(shaped.columns)
    builder.system_columns += [name for name in shaped.system_columns if name not in builder.system_columns]
    builder.conversion_failures += [(number, name, text) for name, text in shaped.conversion_failures]
    builder.changed_columns[number] = shaped.changed_columns
