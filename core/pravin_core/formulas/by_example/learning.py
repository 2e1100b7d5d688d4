"""From wanted results to formulas, checked on all records: what each gives, where they disagree, what they cannot treat."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.errors import FormulaError
from pravin_core.formulas.by_example.choices import chosen_by_condition, first_of, joined, listed
from pravin_core.formulas.by_example.dates import of_dates
from pravin_core.formulas.by_example.lookups import CodeLists, Lookup, OtherTable, lookups
from pravin_core.formulas.by_example.numbers import Source, counts_of, of_numbers, sources_of
from pravin_core.formulas.by_example.parts import around, parts_of, parts_of_part
from pravin_core.formulas.by_example.pieces import Piece, Traits
from pravin_core.formulas.by_example.ranking import strangeness
from pravin_core.formulas.by_example.rewriting import remarked, written_otherwise
from pravin_core.formulas.by_example.rows import Row, rows_of
from pravin_core.formulas.by_example.search import Program, programs
from pravin_core.formulas.by_example.writing import call, name
from pravin_core.formulas.language import Formula, parse
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column as col
from pravin_core.sql.trees import sql, template
from pravin_core.sql.written import written
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.types import DataType

MOST_CANDIDATES, MOST_JUDGED, MOST_QUESTIONS = 20, 6, 8
JUDGED_BY = 20_000  # different values by which candidates are ranked; what they give is computed for all
MOST_INNER = 60  # parts of which further parts are looked for


@dataclass(frozen=True)
class Wanted:
    """The result that is wanted for a record; None where nothing is wanted."""

    record: int
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
    """The candidates, best first, over `columns`; `questions` are what to ask to tell them apart; `lookups` are the code
    lists and tables in which the results stand.
    """

    columns: tuple[str, ...] = ()
    candidates: tuple[Candidate, ...] = ()
    questions: tuple[Question, ...] = ()
    lookups: tuple[Lookup, ...] = ()


def learn(
    con: Connection,
    table: str,
    columns: Sequence[Column],
    examples: Sequence[Wanted],
    most: int = 5,
    lists: CodeLists | None = None,
    tables: Mapping[str, OtherTable] | None = None,
) -> Learned:
    """Find formulas over the columns of `table` (a table or view with record numbers) that give the wanted results.

    Only the `columns` given are looked at; the results are also looked for in code `lists` and other `tables`. No
    candidate means that none of the ways known leads to all examples.
    """
    results = [example.result or None for example in examples]
    if not any(results):
        return Learned()
    inputs = _inputs(con, table, columns, examples)
    wholes = [
        Piece(
            name(column.name) if column.type is DataType.TEXT else call("to_text", name(column.name)),
            tuple(row[place] for row in inputs),
            1.0,
        )
        for place, column in enumerate(columns)
    ]
    traits = [_traits(con, table, column) for column in columns]
    found = sorted(_programs(wholes, traits, results), key=lambda program: program.cost)
    repeated = [
        program
        for column, whole in zip(columns, wholes, strict=True)
        if _repeats(con, table, column, whole)
        for program in listed(whole, results, wholes)
    ]
    looked_up = lookups(con, table, columns, wholes, results, lists or {}, tables or {})
    learned = _judged(con, table, columns, [*repeated, *found][: MOST_CANDIDATES + len(repeated)], examples, most)
    return replace(learned, lookups=tuple(sorted(looked_up, key=lambda lookup: lookup.untreated))[:most])


def _programs(wholes: Sequence[Piece], traits: Sequence[Traits], results: Sequence[str | None]) -> Iterable[Program]:
    """Every way known, for the columns as they stand in the examples."""
    pieces = _pieces(wholes, traits, results)
    wanted = [place for place, result in enumerate(results) if result is not None]
    straight = programs(pieces, results, wanted, MOST_CANDIDATES)
    yield from straight
    yield from joined(wholes, results)
    yield from first_of(wholes, results)
    yield from chosen_by_condition(pieces, wholes, results)


def _pieces(wholes: Sequence[Piece], traits: Sequence[Traits], results: Sequence[str | None]) -> list[Piece]:
    """All pieces, each formula once: columns, their parts, parts of parts, dates, numbers, each also written otherwise."""
    pieces: dict[str, Piece] = {}

    def add(more: Iterable[Piece]) -> None:
        for piece in more:
            known = pieces.get(piece.formula)
            if known is None or piece.cost < known.cost:
                pieces[piece.formula] = piece

    targets = _targets(results)
    numbers: list[Source] = []
    for whole, trait in zip(wholes, traits, strict=True):
        if not any(whole.values):
            continue
        add([whole])
        add(remarked(whole, results))
        add(of_dates(whole))
        numbers += sources_of(whole, is_column=True)
        add(counts_of(whole))
        parts = list(parts_of(whole, trait))
        add(parts)
        for target in targets:
            add(around(whole, target))
        for inner in _inner(parts):
            add(parts_of_part(inner, Traits(decimals=trait.decimals)))
            add(remarked(inner, results))
            add(of_dates(inner))
            numbers += sources_of(inner, is_column=False)
    for piece in list(pieces.values()):
        add(written_otherwise(piece, results))
    numbers.sort(key=lambda source: source.cost)
    add(of_numbers(numbers, targets))
    return [piece for piece in pieces.values() if _stands_in_one(piece, results)]


def _inner(parts: Sequence[Piece]) -> list[Piece]:
    """The parts that may hold further parts, those that say the same once, the simplest first."""
    alike: dict[tuple[str | None, ...], Piece] = {}
    for part in sorted(parts, key=lambda piece: (piece.cost, len(piece.formula))):
        if any((value and not value.isalnum()) or (value and value.isdigit()) for value in part.values):
            alike.setdefault(part.values, part)
    return list(alike.values())[:MOST_INNER]


def _stands_in_one(piece: Piece, results: Sequence[str | None]) -> bool:
    return any(value and result and value in result for value, result in zip(piece.values, results, strict=True))


def _targets(results: Sequence[str | None]) -> list[tuple[str | None, ...]]:
    """What is looked for in the columns: the results, and their numbers and words by place, where all have one there."""
    targets = [tuple(results)]
    for expression in (r"-?\d+(?:\.\d+)?", r"[^\W_]+"):
        lists = [None if result is None else re.findall(expression, result) for result in results]
        fewest = min(len(items) for items in lists if items is not None)
        for at in range(min(fewest, 4)):
            targets.append(tuple(None if items is None else items[at] for items in lists))
    return list(dict.fromkeys(targets))


def _inputs(
    con: Connection, table: str, columns: Sequence[Column], examples: Sequence[Wanted]
) -> list[tuple[str | None, ...]]:
    cells = [written(col(column.name), column.type).as_(f"c{at}") for at, column in enumerate(columns)]
    query = exp.select(col(RECORD), *cells).from_(table).where(_is_example(examples))
    rows = {row[0]: row[1:] for row in con.execute(sql(query)).fetchall()}
    return [rows.get(example.record, (None,) * len(columns)) for example in examples]


def _is_example(examples: Sequence[Wanted]) -> exp.Expr:
    return exp.In(this=col(RECORD), expressions=[exp.Literal.number(example.record) for example in examples])


def _traits(con: Connection, table: str, column: Column) -> Traits:
    cell = written(col(column.name), column.type)
    query = exp.select(
        template("min(length(:c)) = max(length(:c))", c=cell),
        template("count_if(regexp_matches(:c, '(^|[^0-9.,])[0-9]+[.,][0-9]+($|[^0-9.,])')) * 20 > count(:c)", c=cell),
    ).from_(table)
    row = con.execute(sql(query)).fetchall()[0]
    return Traits(uniform=bool(row[0]), decimals=bool(row[1]))


def _repeats(con: Connection, table: str, column: Column, whole: Piece) -> bool:
    """Whether the values of the examples are most of what stands in the column, so that a list of them is a way."""
    values = sorted({value for value in whole.values if value is not None})
    if len(values) < 2:
        return False
    cell = written(col(column.name), column.type)
    known = exp.In(this=cell, expressions=[exp.Literal.string(value) for value in values])
    row = con.execute(
        sql(exp.select(template("count_if(:k)", k=known), template("count(:c)", c=cell)).from_(table))
    ).fetchall()[0]
    return bool(row[0] >= 2 * len(values) and row[0] * 2 >= row[1])


@dataclass(frozen=True)
class _Way:
    """A program that reads as a formula."""

    program: Program
    formula: Formula


def _judged(
    con: Connection,
    table: str,
    columns: Sequence[Column],
    found: Sequence[Program],
    examples: Sequence[Wanted],
    most: int,
) -> Learned:
    """Drop the candidates that are wrong in the engine or say the same, rank the rest, compute the best for all values."""
    ways: list[_Way] = []
    for program in found:
        try:
            formula = parse(program.formula, columns)
        except FormulaError:
            continue
        if formula.reads:  # a result that is the same for every record is no way to make it
            ways.append(_Way(program, formula))
    if not ways:
        return Learned()
    reads = {column for way in ways for column in way.formula.reads}
    used = [column for column in columns if column.name in reads]
    _group(con, table, used, examples)
    some = exp.select("*").from_("grouped").order_by("__told IS NULL", "hash(__first)").limit(JUDGED_BY)
    _compute(con, "some", some, ways)
    right = _right(con, len(ways), examples)
    wanted = [example.result for example in examples]
    something = _something(used)
    costs = {
        at: ways[at].program.cost
        + strangeness(con, "some", f"__r{at}", _one_text(ways[at], columns), wanted, something)
        for at in _apart(con, "some", [at for at, is_right in enumerate(right) if is_right])
    }
    ranked = sorted(costs, key=lambda at: costs[at])
    best = [ways[at] for at in _distinct(con, "some", ranked, MOST_JUDGED)]
    if not best:
        return Learned()
    _compute(con, "learned", exp.select("*").from_("grouped"), best)
    distinct = _distinct(con, "learned", range(len(best)), most)
    candidates = tuple(_candidate(con, best[at].program.formula, used, at, something) for at in distinct)
    return Learned(tuple(column.name for column in used), candidates, _questions(con, used, distinct[:3]))


def _one_text(way: _Way, columns: Sequence[Column]) -> str | None:
    if len(way.formula.reads) != 1:
        return None
    (read,) = way.formula.reads
    return read if any(column.name == read and column.type is DataType.TEXT for column in columns) else None


def _group(con: Connection, table: str, used: Sequence[Column], examples: Sequence[Wanted]) -> None:
    """The different combinations of values, with their first record, how often they occur, and the examples among them."""
    cells = [col(column.name) for column in used]
    told = template("list(:r) FILTER (WHERE :e)", r=col(RECORD), e=_is_example(examples))
    query = exp.select(
        *cells, template("min(:r)", r=col(RECORD)).as_("__first"), template("count(*)").as_("__times"), told.as_("__told")
    )  # fmt: skip
    con.execute(sql(temporary_table("grouped", query.from_(table).group_by(*(cell.copy() for cell in cells)))))


def _compute(con: Connection, table: str, rows: exp.Select, ways: Sequence[_Way]) -> None:
    """A table of the rows with the result of each way."""
    results = [exp.alias_(way.formula.expression, f"__r{at}", copy=False) for at, way in enumerate(ways)]
    query = exp.select("*").select(*results, copy=False).from_(rows.subquery("g"), copy=False)
    con.execute(sql(temporary_table(table, query)))


def _right(con: Connection, many: int, examples: Sequence[Wanted]) -> list[bool]:
    """Which candidates give the wanted results in the engine too."""
    query = exp.select("__told", *(f"__r{at}" for at in range(many))).from_("some").where("__told IS NOT NULL")
    cells_of = {record: row[1:] for row in con.execute(sql(query)).fetchall() for record in row[0]}
    return [
        all(example.record in cells_of and (cells_of[example.record][at] or None) == (example.result or None) for example in examples)
        for at in range(many)
    ]  # fmt: skip


def _something(used: Sequence[Column]) -> exp.Expr:
    """Whether a value stands in any of the columns."""
    texts = [exp.cast(col(column.name), "VARCHAR") for column in used]
    return template(":f IS NOT NULL", f=exp.Coalesce(this=texts[0], expressions=texts[1:]))


def _apart(con: Connection, table: str, ways: Sequence[int]) -> list[int]:
    """The first of the ways that give the same for all rows of the table, told by a hash (the ranking needs no more)."""
    if not ways:
        return []
    hashes = [template("bit_xor(hash(__first, :r))", r=exp.column(f"__r{at}")) for at in ways]
    row = con.execute(sql(exp.select(*hashes).from_(table))).fetchall()[0]
    first: dict[object, int] = {}
    for at, each_hash in zip(ways, row, strict=True):
        first.setdefault(each_hash, at)
    return list(first.values())


def _distinct(con: Connection, table: str, ranked: Sequence[int], most: int) -> list[int]:
    """The first candidates of which no two give the same for all rows."""
    distinct: list[int] = []
    for at in ranked:
        if len(distinct) == most:
            break
        if not any(_same(con, table, at, other) for other in distinct):
            distinct.append(at)
    return distinct


def _same(con: Connection, table: str, at: int, other: int) -> bool:
    differs = f"__r{at} IS DISTINCT FROM __r{other}"
    return not con.execute(sql(exp.select("1").from_(table).where(differs).limit(1))).fetchall()


def _shown(used: Sequence[Column]) -> exp.Expr:
    return exp.Array(expressions=[written(col(column.name), column.type) for column in used]).as_("cells")


def _candidate(con: Connection, formula: str, used: Sequence[Column], at: int, something: exp.Expr) -> Candidate:
    nothing = exp.and_(something.copy(), f"__r{at} IS NULL")
    counts = exp.select(template("count(*)"), template("count_if(:n)", n=nothing)).from_("learned")
    different, untreated = con.execute(sql(counts)).fetchall()[0]
    first, second = (rows_of(con, "learned", _shown(used), f"__r{at}", where) for where in (None, nothing))
    return Candidate(formula, tuple(column.name for column in used), different, untreated, first, second)


def _questions(con: Connection, used: Sequence[Column], best: Sequence[int]) -> tuple[Question, ...]:
    """Values for which the best candidates give different results, most frequent first, one of each way to differ."""
    if len(best) < 2:
        return ()
    shown = [f"__r{at}" for at in best]
    differs = exp.or_(*(f"{shown[0]} IS DISTINCT FROM {text}" for text in shown[1:]))
    query = exp.select("__first", "__times", _shown(used), *shown).from_("learned").where(differs)
    rows = con.execute(sql(query.order_by("__times DESC", "__first").limit(MOST_QUESTIONS))).fetchall()
    return tuple(Question(row[0], row[1], tuple(row[2]), tuple(row[3:])) for row in rows)
