"""A formula, or wanted results, tried on the records as the rules above a place in the rulebook leave them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from sqlglot import exp

from pravin_core.compiler.corrections import in_order
from pravin_core.compiler.plan import RunContext, compile_corrections
from pravin_core.compiler.plan_builder import PlanBuilder
from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.errors import FormulaError, RunError
from pravin_core.formulas.by_example.learning import Learned, Wanted, learn
from pravin_core.formulas.by_example.lookups import CodeLists, OtherTable
from pravin_core.formulas.language import condition, parse
from pravin_core.formulas.reading import sees_others
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import Rule
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.runner import folders
from pravin_core.sql.statements import read_parquet, temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD, Column

FIRST = 500  # records on which a formula is shown while it is typed
SHOWN = 12
MOST_DIGITS = 15  # of a record's number
MOST_LEARNED = 60  # columns that wanted results are looked for in


@dataclass(frozen=True)
class Tried:
    """A formula on the first records: its error and place, or its type and results. `rows` hold the record number, the
    texts of the columns it reads, and its result.
    """

    columns: tuple[tuple[str, str], ...]
    message: str = ""
    advice: str = ""
    start: int = 0
    end: int = 0
    type: str = ""
    reads: tuple[str, ...] = ()
    rows: tuple[tuple[int, tuple[str | None, ...], str | None], ...] = field(default=())
    readings: tuple[str, ...] = ()  # where and and or stand beside each other: what is read, and what may be meant


@contextmanager
def _above(
    snapshot: Snapshot,
    rulebook: Rulebook,
    below: str,
    scratch: Path,
    limits: Limits,
    context: RunContext,
    first: int | None,
) -> Iterator[tuple[Connection, PlanBuilder]]:
    """A connection and the chain of the corrections above a rule (of all, when it names none)."""
    active: list[tuple[int, Rule]] = []
    for number, rule in enumerate(rulebook.rules, start=1):
        if rule.id == below:
            break
        if rule.enabled and not rule.is_check:
            active.append((number, rule))
    with connect([snapshot.folder, *folders(context)], scratch, limits) as con:
        know_operations(con)
        source: exp.Expr = read_parquet(snapshot.parts)
        if first is not None:
            few = (
                exp.select(exp.Star())
                .from_(source)
                .where(template(":r <= :n", r=column(RECORD), n=exp.Literal.number(first)))
            )
            con.execute(sql(temporary_table("few", few)))
            source = exp.to_table("few")
        yield con, compile_corrections(active, source, snapshot.columns, context)


def columns_above(
    snapshot: Snapshot,
    rulebook: Rulebook,
    below: str,
    scratch: Path,
    limits: Limits = Limits(),
    context: RunContext = RunContext(),
) -> tuple[Column, ...]:
    """The columns that a rule finds, as those above leave them."""
    with _above(snapshot, rulebook, below, scratch, limits, context, 1) as (_, builder):
        return tuple(builder.columns)


def values_above(
    snapshot: Snapshot, rulebook: Rulebook, below: str, name: str, most: int, scratch: Path,
    limits: Limits = Limits(), context: RunContext = RunContext(),
) -> tuple[str, ...]:  # fmt: skip
    """The different values of a column as the rules above a place leave them, as text, in the order in which they first occur;
    the first `most` of them. Raises RunError when there is no such column.
    """
    with _above(snapshot, rulebook, below, scratch, limits, context, None) as (con, builder):
        meant = next((column for column in builder.columns if column.name == name), None)
        if meant is None:
            raise RunError(f"There is no column {name!r} at this place of the rulebook.", column=name)
        cell = written(column(name), meant.type)
        cells = builder.query([column(RECORD), exp.alias_(cell, "value")]).where(
            template(":g IS NULL", g=column(names.GONE))
        )
        first = exp.select("value", template("min(:r) AS first", r=column(RECORD))).from_(cells.subquery("cells"))
        each = first.where("value IS NOT NULL").group_by("value").order_by("first").limit(most)
        return tuple(row[0] for row in con.execute(sql(each)).fetchall())


def try_formula(
    snapshot: Snapshot, rulebook: Rulebook, below: str, text: str, is_condition: bool, scratch: Path,
    limits: Limits = Limits(), context: RunContext = RunContext(),
) -> Tried:  # fmt: skip
    """Check a formula at a place of the rulebook and compute it on the first records; different inputs once each. One that
    looks at other records looks at all of them.
    """
    first = None if sees_others(text) and not is_condition else FIRST
    with _above(snapshot, rulebook, below, scratch, limits, context, first) as (con, builder):
        columns = tuple((column.name, column.type.value) for column in builder.columns)
        try:
            formula = (
                condition(text, builder.columns) if is_condition else parse(text, builder.columns, sees_others=True)
            )
        except FormulaError as error:
            return Tried(columns, error.message, error.advice, error.start, error.end)
        types = {column.name: column.type for column in builder.columns}
        cells = exp.Array(expressions=[written(column(name), types[name]) for name in formula.reads] or [exp.null()])
        shown = [
            column(RECORD).as_("record"),
            cells.as_("cells"),
            written(exp.paren(in_order(formula.expression, builder.order)), formula.type).as_("result"),
        ]
        query = builder.query(shown).where(template(":g IS NULL", g=column(names.GONE)))
        con.execute(sql(temporary_table("tried", query)))
        tried = exp.select("*").from_("tried").where(template("record <= :n", n=exp.Literal.number(FIRST)))
        once = (
            exp.select(template("min(record) AS record"), "cells", "result")
            .from_(tried.subquery("tried"))
            .group_by("cells", "result")
        )
        rows = con.execute(sql(exp.select("*").from_(once.subquery("once")).order_by("record").limit(SHOWN))).fetchall()
    shown_rows = tuple((record, tuple(cells[: len(formula.reads)]), result) for record, cells, result in rows)
    return Tried(columns, type=formula.type.value, reads=formula.reads, rows=shown_rows)


@dataclass(frozen=True)
class Request:
    """What is asked by example: the columns to look at (all when none is named), the wanted results, further records to
    show by their numbers, and a text that records to show hold in those columns.
    """

    columns: Sequence[str] = ()
    examples: Sequence[Wanted] = ()
    records: Sequence[int] = ()
    search: str = ""


def learn_above(
    snapshot: Snapshot, rulebook: Rulebook, below: str, request: Request, scratch: Path,
    limits: Limits = Limits(), context: RunContext = RunContext(), lists: CodeLists | None = None,
) -> tuple[Learned, list[tuple[int, tuple[str | None, ...]]]]:  # fmt: skip
    """Formulas from wanted results, and records to give examples for: those asked for, or some that differ.

    Results are also looked for in code `lists` and in the tables of the context.
    """
    looked_at = request.columns
    with _above(snapshot, rulebook, below, scratch, limits, context, None) as (con, builder):
        known = {column.name: column for column in builder.columns}
        if unknown := next((name for name in looked_at if name not in known), None):
            raise RunError(f"There is no column {unknown!r} at this place of the rulebook.", column=unknown)
        columns = [known[name] for name in looked_at] or builder.columns[:MOST_LEARNED]
        cells: list[exp.Expr] = [column(RECORD), *(column(each_column.name) for each_column in columns)]
        con.execute(
            sql(temporary_table("given", builder.query(cells).where(template(":g IS NULL", g=column(names.GONE)))))
        )
        tables = {name: OtherTable(each.source, each.columns) for name, each in context.references.items()}
        learned = learn(con, "given", columns, request.examples, lists=lists, tables=tables)
        shown = _met(con, columns, request.search) if request.search else _examples(con, columns)
        kept = _cells(con, columns, exp.In(this=column(RECORD), expressions=_numbers(request)))
        return learned, kept + [row for row in shown if row not in kept]


def _numbers(request: Request) -> list[exp.Expr]:
    """The records to show in any case: those asked for, and those of the examples."""
    numbers = {*request.records, *(example.record for example in request.examples)}
    return [exp.Literal.number(number) for number in sorted(numbers)] or [exp.null()]


def _met(con: Connection, columns: Sequence[Column], search: str) -> list[tuple[int, tuple[str | None, ...]]]:
    """The first records that hold a text in one of the columns, different values once each, or have its number."""
    text = exp.Literal.string(search.lower())
    texts = [written(column(each_column.name), each_column.type) for each_column in columns]
    holds = exp.or_(*(template("contains(lower(:c), :t)", c=each_text, t=text) for each_text in texts))
    if search.isdecimal() and len(search) <= MOST_DIGITS:
        holds = exp.or_(holds, template(":r = :n", r=column(RECORD), n=exp.Literal.number(int(search))))
    cells = [column(each_column.name) for each_column in columns]
    first = exp.select(template("min(:r)", r=column(RECORD)).as_("record")).from_("given").where(holds).group_by(*cells)
    few = exp.select("record").from_(first.subquery("f")).order_by("record").limit(SHOWN)
    return _cells(con, columns, exp.In(this=column(RECORD), query=few.subquery()))


def _cells(con: Connection, columns: Sequence[Column], where: exp.Expr) -> list[tuple[int, tuple[str | None, ...]]]:
    """The cells of the records that a condition keeps, in their order."""
    cells = exp.Array(expressions=[written(column(each_column.name), each_column.type) for each_column in columns])
    query = exp.select(column(RECORD), cells.as_("cells")).from_("given").where(where).order_by(column(RECORD))
    rows: list[tuple[int, list[Any]]] = con.execute(sql(query)).fetchall()
    return [(record, tuple(cells)) for record, cells in rows]


def _examples(con: Connection, columns: Sequence[Column]) -> list[tuple[int, tuple[str | None, ...]]]:
    """Records that differ in what stands in the first columns: one of each shape first, then more of the frequent ones."""
    few = columns[:3]
    shapes = [
        template(
            "regexp_replace(regexp_replace(regexp_replace(letter_shape(left(coalesce(:c, '-'), 60)), '9+', '9', 'g'), 'a+', 'a', 'g'), 'A+', 'A', 'g')",
            c=written(column(each_column.name), each_column.type),
        )
        for each_column in few
    ]
    shape = exp.Anonymous(this="concat_ws", expressions=[exp.Literal.string("|"), *shapes])
    some = exp.select("*").from_("given").limit(50_000).subquery("g")
    values = [column(each_column.name) for each_column in few]
    once = exp.select(shape.as_("shape"), template(f"min({RECORD}) AS record"), template("count(*) AS times")).from_(
        some
    )
    once = once.group_by("shape", *values)
    nth = template("row_number() OVER (PARTITION BY shape ORDER BY times DESC, record) AS nth")
    ranked = exp.select("record", "times", nth).from_(once.subquery("o"))
    chosen = exp.select("record").from_(ranked.subquery("r")).order_by("nth", "times DESC", "record").limit(SHOWN)
    return _cells(con, columns, exp.In(this=column(RECORD), query=chosen.subquery()))
