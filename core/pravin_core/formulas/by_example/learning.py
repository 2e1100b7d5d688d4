"""From wanted results to formulas, checked on all records: what each gives, where they disagree, what they cannot treat."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.errors import FormulaError
from pravin_core.formulas.by_example.pieces import Piece, pieces_of
from pravin_core.formulas.by_example.search import programs
from pravin_core.formulas.by_example.writing import call, name
from pravin_core.formulas.language import parse
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import sql, template
from pravin_core.sql.written import written
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.types import DataType

MOST_CANDIDATES, MOST_SHOWN, MOST_QUESTIONS = 24, 200, 8
UNTREATED = 4.0  # what a candidate costs more that gives nothing for all other values


@dataclass(frozen=True)
class Wanted:
    """The result that is wanted for a record."""

    record: int
    result: str


@dataclass(frozen=True)
class Row:
    """One combination of values: the first record with it, how many have it, what stands in the columns, the result."""

    record: int
    times: int
    values: tuple[str | None, ...]
    result: str | None


@dataclass(frozen=True)
class Candidate:
    """A formula that gives every wanted result, and what it gives for all different values.

    `untreated` counts the different values for which it gives nothing though something is there.
    """

    formula: str
    columns: tuple[str, ...]
    different: int
    untreated: int
    rows: tuple[Row, ...]
    untreated_rows: tuple[Row, ...]


@dataclass(frozen=True)
class Question:
    """A record for which the best candidates disagree, and what each of them (by its place) gives."""

    record: int
    times: int
    values: tuple[str | None, ...]
    results: tuple[str | None, ...]


@dataclass(frozen=True)
class Learned:
    """The candidates, best first, over `columns`; `questions` are what to ask to tell them apart."""

    columns: tuple[str, ...]
    candidates: tuple[Candidate, ...]
    questions: tuple[Question, ...]


def learn(con: Connection, table: str, columns: Sequence[Column], examples: Sequence[Wanted], most: int = 5) -> Learned:
    """Find formulas over the columns of `table` (a table or view with record numbers) that give the wanted results.

    Only the `columns` given are looked at. No candidate means that none of the ways known leads to all examples.
    """
    inputs = _inputs(con, table, columns, examples)
    results = [example.result for example in examples]
    if not results or not all(results):
        return Learned((), (), ())
    pieces: list[Piece] = []
    for place, column in enumerate(columns):
        formula = name(column.name) if column.type is DataType.TEXT else call("to_text", name(column.name))
        values = [row[place] for row in inputs]
        pieces += pieces_of(formula, values, _uniform(con, table, column))
    solutions = programs(pieces, results, MOST_CANDIDATES)
    return _judged(con, table, columns, solutions, examples, most)


def _inputs(
    con: Connection, table: str, columns: Sequence[Column], examples: Sequence[Wanted]
) -> list[tuple[str | None, ...]]:
    cells = [written(col(column.name), column.type).as_(f"c{at}") for at, column in enumerate(columns)]
    numbers = [exp.Literal.number(example.record) for example in examples]
    query = exp.select(col(RECORD), *cells).from_(table).where(exp.In(this=col(RECORD), expressions=numbers))
    rows = {row[0]: row[1:] for row in con.execute(sql(query)).fetchall()}
    return [rows.get(example.record, (None,) * len(columns)) for example in examples]


def _uniform(con: Connection, table: str, column: Column) -> bool:
    length = template("length(:c)", c=written(col(column.name), column.type))
    query = exp.select(template("min(:l) = max(:l)", l=length)).from_(table)
    row = con.execute(sql(query)).fetchall()[0]
    return bool(row and row[0])


def _judged(
    con: Connection,
    table: str,
    columns: Sequence[Column],
    found: Sequence[tuple[float, str]],
    examples: Sequence[Wanted],
    most: int,
) -> Learned:
    """Compute every candidate for all different values, drop those that are wrong or say the same, rank the rest."""
    new_results, reads = [], set()
    for cost, formula in found:
        try:
            parsed = parse(formula, columns)
        except FormulaError:
            continue
        if not parsed.reads:  # a result that is the same for every record is no way to make it
            continue
        new_results.append((cost, formula, parsed.expression))
        reads |= set(parsed.reads)
    if not new_results:
        return Learned((), (), ())
    used = [column for column in columns if column.name in reads]
    grouped = exp.select(
        *(col(each_column.name) for each_column in used),
        template(f"min({RECORD}) AS __first"),
        template("count(*) AS __times"),
    ).from_(table)
    grouped = grouped.group_by(*(col(each_column.name) for each_column in used))
    results = [exp.alias_(expression, f"__r{at}") for at, (_, _, expression) in enumerate(new_results)]
    con.execute(sql(temporary_table("learned", exp.select("*", *results).from_(grouped.subquery("grouped")))))
    right = _right(con, table, used, len(new_results), examples)
    alive: list[int] = [at for at in range(len(new_results)) if right[at]]
    something = (
        template(
            ":f IS NOT NULL",
            f=exp.Coalesce(
                this=exp.cast(col(used[0].name), "VARCHAR"),
                expressions=[exp.cast(col(each_column.name), "VARCHAR") for each_column in used[1:]],
            ),
        )
        if used
        else exp.true()
    )
    total, counts = _untreated(con, len(new_results), something)
    ranked = sorted(alive, key=lambda at: new_results[at][0] + UNTREATED * counts[at] / max(total, 1))
    distinct: list[int] = []
    for at in ranked:
        if len(distinct) < most and not any(_same(con, at, other) for other in distinct):
            distinct.append(at)
    candidates = tuple(_candidate(con, new_results[at][1], used, at, total, counts[at], something) for at in distinct)
    return Learned(tuple(each_column.name for each_column in used), candidates, _questions(con, used, distinct[:3]))


def _right(con: Connection, table: str, used: Sequence[Column], many: int, examples: Sequence[Wanted]) -> list[bool]:
    """Which candidates give the wanted results in the engine too."""
    same = [template(":a IS NOT DISTINCT FROM :b", a=col(column.name, "t"), b=col(column.name, "l")) for column in used]
    numbers = [exp.Literal.number(example.record) for example in examples]
    query = exp.select(col(RECORD, "t"), *(exp.column(f"__r{at}", table="l") for at in range(many))).from_(
        exp.to_table(table).as_("t")
    )
    query = query.join(exp.to_table("learned").as_("l"), on=exp.and_(*same) if same else exp.true())
    rows = con.execute(sql(query.where(exp.In(this=col(RECORD, "t"), expressions=numbers)))).fetchall()
    cells_of = {row[0]: row[1:] for row in rows}
    return [
        all(cells_of.get(example.record, ())[at : at + 1] == (example.result,) for example in examples)
        for at in range(many)
    ]


def _untreated(con: Connection, many: int, something: exp.Expr) -> tuple[int, list[int]]:
    counts = [
        template("count_if(:s AND :r IS NULL)", s=exp.paren(something.copy()), r=exp.column(f"__r{at}"))
        for at in range(many)
    ]
    row = con.execute(sql(exp.select(template("count(*)"), *counts).from_("learned"))).fetchall()[0]
    return int(row[0]), [int(item) for item in row[1:]]


def _same(con: Connection, at: int, other: int) -> bool:
    row = con.execute(
        sql(exp.select(template("count(*)")).from_("learned").where(f"__r{at} IS DISTINCT FROM __r{other}"))
    ).fetchall()[0]
    return bool(row and row[0] == 0)


def _shown(used: Sequence[Column]) -> list[exp.Expr]:
    return (
        [exp.Array(expressions=[written(col(column.name), column.type) for column in used]).as_("cells")]
        if used
        else [exp.Array().as_("cells")]
    )


def _candidate(
    con: Connection,
    formula: str,
    used: Sequence[Column],
    at: int,
    total: int,
    untreated: int,
    something: exp.Expr,
) -> Candidate:
    rows = (
        exp.select("__first", "__times", *_shown(used), f"__r{at}")
        .from_("learned")
        .order_by("__times DESC", "__first")
        .limit(MOST_SHOWN)
    )
    without = rows.where(something.copy(), f"__r{at} IS NULL")
    first, second = (
        tuple(Row(r, t, tuple(cells), expected) for r, t, cells, expected in con.execute(sql(query)).fetchall())
        for query in (rows, without)
    )
    return Candidate(formula, tuple(column.name for column in used), total, untreated, first, second)


def _questions(con: Connection, used: Sequence[Column], best: Sequence[int]) -> tuple[Question, ...]:
    """Values for which the best candidates give different results, most frequent first, one of each way to differ."""
    if len(best) < 2:
        return ()
    shown = [f"__r{at}" for at in best]
    differs = exp.or_(*(f"{shown[0]} IS DISTINCT FROM {text}" for text in shown[1:]))
    query = exp.select("__first", "__times", *_shown(used), *shown).from_("learned").where(differs)
    rows = con.execute(sql(query.order_by("__times DESC", "__first").limit(MOST_QUESTIONS))).fetchall()
    return tuple(Question(row[0], row[1], tuple(row[2]), tuple(row[3:])) for row in rows)
