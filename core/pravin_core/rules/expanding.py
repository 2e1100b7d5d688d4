"""One record into several: the first keeps the number of its record, the others are added and know their origin."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlglot import exp

from pravin_core.rules.base import as_text, text_of
from pravin_core.rules.reshaping import Cell, Table, TableTransform, row_number
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import ADDED, MADE_FROM, PLACE, RECORD, Column
from pravin_core.tables.names import cells_changed, cells_failed, failed_text, is_count


@dataclass(frozen=True)
class Unspread:
    """Records that could not be taken apart: where `met`, with the columns that are named as the reason and their `text`; they
    are quarantined or only counted.
    """

    met: exp.Expr
    columns: str
    text: exp.Expr
    quarantined: bool


def expanded(
    table: Table,
    items: exp.Expr,
    columns: tuple[Column, ...],
    cells: Sequence[Cell],
    changed: Sequence[str] = (),
    unspread: Unspread | None = None,
) -> TableTransform:
    """A record for each of its `items` (a list; none counts as one missing item).

    `cells` are over the table's columns, `__item` (the item) and `__at` (its place, from 1). Added records have the
    numbers after the last one, in order. `changed` names columns whose cells count where they differ.
    """
    listed = template(
        "CASE WHEN :live AND len(:l) > 0 THEN :l ELSE [list_extract(:l, 1)] END", live=table.live, l=items
    )
    known = [
        col(RECORD),
        col("__file"),
        col("__line"),
        *(col(column.name) for column in table.columns),
        *(col(n) for n in table.system_columns),
    ]
    broken = exp.select(
        *known, template("unnest(:l) AS __item", l=listed), template("generate_subscripts(:l, 1) AS __at", l=listed)
    ).from_(table.name)
    first, second = table.step(1), table.step(2)
    extra = template("__at > 1")
    last = template("max(:r) OVER ()", r=col(RECORD))
    number = exp.Window(
        this=template("sum(CASE WHEN __at > 1 THEN 1 ELSE 0 END)"),
        order=exp.Order(expressions=[exp.Ordered(this=col(table.order)), exp.Ordered(this=col("__at"))]),
        spec=exp.WindowSpec(kind="ROWS", start="UNBOUNDED", start_side="PRECEDING", end="CURRENT ROW"),
    )
    place = row_number([col(table.order), col("__at")])
    numbered = exp.select(
        *known, col("__item"), col("__at"), exp.alias_(last, "__last"), exp.alias_(number, "__more"), exp.alias_(place, "__order")
    ).from_(first)  # fmt: skip
    carried: dict[str, exp.Expr] = {
        RECORD: template("CASE WHEN :x THEN CAST(__last + __more AS BIGINT) ELSE :r END", x=extra, r=col(RECORD)),
        ADDED: template("CASE WHEN :x THEN :n ELSE :a END", x=extra, n=exp.Literal.number(table.number), a=col(ADDED)),
        MADE_FROM: template("CASE WHEN :x THEN coalesce(:m, :r) ELSE :m END", x=extra, m=col(MADE_FROM), r=col(RECORD)),
        PLACE: col("__order"),
    }
    for name in table.system_columns:  # what was counted for the record is not counted again for its copies
        if is_count(name):
            carried[name] = template("CASE WHEN :x THEN 0 ELSE :c END", x=extra, c=col(name))
    by_name = {each_column.name: as_text(cell, each_column.type) for each_column, cell in cells}
    differs = [
        template("CASE WHEN NOT :x AND :live AND :new IS DISTINCT FROM :old THEN 1 ELSE 0 END",
                 x=extra, live=table.live, new=by_name[name], old=text_of(name, table.columns))
        for name in changed
    ]  # fmt: skip
    count: exp.Expr = (
        differs[0]
        if len(differs) == 1
        else template("list_sum(:l)", l=exp.Array(expressions=differs))
        if differs
        else exp.Literal.number(0)
    )
    more: tuple[str, ...] = ()
    if cells_changed(table.number) not in table.system_columns:  # else the rule has counted already, for each record
        more = (cells_changed(table.number), cells_failed(table.number))
        carried |= dict(zip(more, (exp.cast(part, "INTEGER") for part in (count, exp.Literal.number(0))), strict=True))
    lost: tuple[tuple[str, str], ...] = ()
    if unspread is not None:
        met = template("NOT :x AND :live AND :m", x=extra, live=table.live, m=exp.paren(unspread.met))
        carried[cells_failed(table.number)] = template("CAST(CASE WHEN :m THEN 1 ELSE 0 END AS INTEGER)", m=met)
        if unspread.quarantined:
            kept = failed_text(table.number, 0)
            carried[kept] = template("CASE WHEN :m THEN :t END", m=met, t=unspread.text)
            more, lost = (*more, kept), ((unspread.columns, kept),)
    result = table.select(cells, carried, exp.to_table(second))
    steps = ((first, broken), (second, numbered), (table.step(3), result))
    return TableTransform(steps, columns, len(columns) - len(table.columns), more, lost)
