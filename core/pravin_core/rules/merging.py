"""Merging: of the records of a group the first one stays and takes what was computed of all; the others are removed into it."""

from __future__ import annotations

from collections.abc import Sequence

from sqlglot import exp

from pravin_core.rules.reshaping import Cell, Table
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import template
from pravin_core.tables.columns import GONE, MADE_FROM, MERGED_INTO, RECORD


def is_first() -> exp.Expr:
    """Whether a record `t` is the first of its group: the one that stays."""
    return template(":r = s.__first", r=col(RECORD, "t"))


def of_group(at: int) -> exp.Expr:
    """What was computed of the group of a record `t`, by its place."""
    return exp.column(f"__m{at}", table="s")


def merge(
    table: Table,
    groups: Sequence[str],
    computed: Sequence[exp.Expr],
    cells: Sequence[Cell],
    more: dict[str, exp.Expr] | None = None,
) -> exp.Select:
    """The step that merges the records alike in some columns; without columns, those that a rule made of one record.

    `computed` are aggregates over the records of a group, read by `of_group` in `cells` and in the carried columns `more`, which
    name the columns of a record with the alias `t`. A record with an empty key is alike to the others with an empty one.
    """
    summed = exp.select(*(exp.alias_(key, f"__key{at}") for at, key in enumerate(_keys(groups))))
    summed = summed.select(template("arg_min(:r, :o) AS __first", r=col(RECORD), o=col(table.order)))
    summed = summed.select(*(exp.alias_(value, f"__m{at}") for at, value in enumerate(computed)))
    summed = summed.from_(table.name).where(table.live).group_by(*_keys(groups))
    alike = [
        template(":c IS NOT DISTINCT FROM :k", c=key, k=exp.column(f"__key{at}", table="s"))
        for at, key in enumerate(_keys(groups, "t"))
    ]
    gone = col(GONE, "t")
    merged = template(":g IS NULL AND s.__first IS NOT NULL AND NOT :own", g=gone, own=exp.paren(is_first()))
    carried = {
        GONE: template("CASE WHEN :m THEN :n ELSE :g END", m=merged, n=exp.Literal.number(table.number), g=gone),
        MERGED_INTO: template("CASE WHEN :m THEN s.__first ELSE :i END", m=merged, i=col(MERGED_INTO, "t")),
    }
    result = table.select(cells, carried | (more or {}), exp.to_table(table.name).as_("t"), "t")
    return result.join(summed.subquery("s"), on=exp.and_(template(":g IS NULL", g=gone), *alike), join_type="left")


def _keys(groups: Sequence[str], alias: str | None = None) -> list[exp.Expr]:
    origin = template("coalesce(:m, :r)", m=col(MADE_FROM, alias), r=col(RECORD, alias))
    return [col(name, alias) for name in groups] or [origin]
