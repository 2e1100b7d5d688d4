"""Records that are alike but for a small difference in one or two columns: a spelling, a cell left out, a number nearly the same."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from itertools import combinations
from typing import Any

import numpy as np
from sqlglot import exp

from pravin_core.engines.duckdb import beside
from pravin_core.profiling.column_values import cell_of
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, make, some_records, these_records
from pravin_core.profiling.findings.tables.duplicates import is_key, plain
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, joined, sql, template
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import NUMBERS, DataType

KIND = Kind(
    "nearly alike records",
    "Pairs of records that agree in all columns but the key and one or two others, where these differ by at most two letters (no "
    "digit), by 2 in 100, or in that one of the cells is missing; and that agree in so much that chance is no explanation (fewer "
    "than one pair in twenty expected, each column judged by how often two of its cells are the same). Candidates agree in two of "
    "four groups of columns (blocking, Fellegi and Sunter 1969).",
)
GROUPS, AGREEING = 4, 2
MOST_TELLING = 16  # columns in the groups at most: all are compared afterwards
LARGEST_BLOCK = 4
MOST_PAIRS, MOST_RECORDS = 20_000, 2000
LEAST_COLUMNS, MOST_COLUMNS = 4, 100
FEW = 0.02  # records
FIRST_BITS, SHIFT = 16, np.uint64(48)
MIXER = np.uint64(0x9E3779B97F4A7C15)
Array = np.ndarray[Any, Any]
CHANCE = 0.25  # blocks to a record, from which on agreement in these columns is mere chance


def find(table: TableStudy) -> Iterator[Finding]:
    """One finding of all such records."""
    keys = [each_column for each_column in table.columns if is_key(each_column, table.records)]
    rest = [each_column for each_column in table.columns if each_column not in keys and each_column.distinct > 1]
    if not LEAST_COLUMNS <= len(rest) <= MOST_COLUMNS or table.records < 10:
        return
    pairs = _pairs(*_blocks(table, rest))
    if not pairs:
        return
    _keep_pairs(table, pairs)
    _keep_candidates(table, [*rest, *keys], sorted({number for pair in pairs for number in pair}))
    rows = _alike(table, rest, keys)
    numbers = sorted({number for first, second, *_ in rows for number in (first, second)})
    if not numbers or len(numbers) > min(MOST_RECORDS, max(4, FEW * table.records)):
        return
    shown = [
        Evidence(value=f"record {first:,} | record {second:,}", count=1, becomes=", ".join(names))
        for first, second, names in rows
    ]
    yield make(
        KIND, (), "middle", len(numbers), table.records,
        f"{some_records(len(numbers))} are nearly alike in pairs: they differ a little in {', '.join(_names(rows))}",
        evidence=shown, **these_records(numbers),
    )  # fmt: skip


def _names(rows: Sequence[tuple[int, int, list[str]]]) -> list[str]:
    names = dict.fromkeys(name for *_, differing in rows for name in differing)
    return [*list(names)[:3], *(["others"] if len(names) > 3 else [])]


def _blocks(table: TableStudy, rest: Sequence[ColumnProfile]) -> tuple[Array, list[Array]]:
    """The numbers of the records, and for each of four groups of columns, each with some that tell much, a hash of its cells."""
    ordered = sorted(rest, key=lambda each_column: -each_column.distinct)
    needed = math.log(table.records) - 1  # of each group: in two of them some ten pairs agree by chance
    for size in range(GROUPS, MOST_TELLING + 1, GROUPS):
        groups = [ordered[:size][at::GROUPS] for at in range(GROUPS)]
        if min(sum(map(_telling, group)) for group in groups) >= needed:
            break
    hashes = [
        exp.alias_(exp.Anonymous(this="hash", expressions=[cell_of(each_column) for each_column in group]), f"h{at}")
        for at, group in enumerate(groups)
    ]
    query = exp.select(exp.alias_(column(RECORD), "r"), *hashes).from_(table.source)
    with beside(table.con) as own:
        read = own.execute(sql(query)).fetchnumpy()
    return np.asarray(read["r"]), [np.asarray(read[f"h{at}"], dtype=np.uint64) for at in range(GROUPS)]


def _pairs(numbers: Array, hashes: Sequence[Array]) -> set[tuple[int, int]]:
    """The records, two by two, that agree in two groups. Groups of columns in which many records agree tell nothing and are
    left aside.
    """
    results: set[tuple[int, int]] = set()
    for hash_, other in combinations(hashes, AGREEING):
        pairs = alike(hash_ * MIXER ^ other)
        if 0 < len(pairs) <= min(MOST_PAIRS, CHANCE * len(numbers)):
            results.update((int(min(two)), int(max(two))) for two in numbers[pairs])
    return results if len(results) <= MOST_PAIRS else set()


def alike(keys: Array) -> Array:
    """The places of equal keys, two by two; keys that more than four places have are left aside.

    Few keys come twice, so that all are only sorted, and the places of these alone looked for.
    """
    ordered = np.sort(keys)
    again = np.unique(ordered[1:][ordered[1:] == ordered[:-1]])
    if not len(again):
        return np.empty((0, 2), dtype=np.int64)
    begins = np.zeros(1 << FIRST_BITS, dtype=bool)
    begins[again >> SHIFT] = True
    some = np.flatnonzero(begins[keys >> SHIFT])  # a cheap look at the first bits
    some = some[np.isin(keys[some], again)]
    some = some[np.argsort(keys[some], kind="stable")]
    ordered = keys[some]
    starts = np.flatnonzero(np.append(True, ordered[1:] != ordered[:-1]))
    sizes = np.diff(np.append(starts, len(some)))
    pairs = [
        np.stack((some[starts[sizes == size] + a], some[starts[sizes == size] + b]), axis=1)
        for size in range(2, LARGEST_BLOCK + 1)
        for a, b in combinations(range(size), 2)
    ]
    return np.concatenate(pairs)


def _keep_pairs(table: TableStudy, pairs: set[tuple[int, int]]) -> None:
    """The temporary table `pairs(a, b)`."""
    both = exp.select(
        template("unnest(:a)", a=exp.convert([number for number, _ in pairs])).as_("a"),
        template("unnest(:b)", b=exp.convert([other for _, other in pairs])).as_("b"),
    )
    table.con.execute(sql(temporary_table("pairs", both)))


def _keep_candidates(table: TableStudy, columns: Sequence[ColumnProfile], numbers: Sequence[int]) -> None:
    """The temporary table `candidates(r, c0, c1, …)`: the cells of some records."""
    cells = [exp.alias_(plain(each_column), f"c{at}") for at, each_column in enumerate(columns)]
    some = exp.select(exp.alias_(column(RECORD), "r"), *cells).from_(table.source)
    some = some.where(exp.In(this=column(RECORD), expressions=[exp.Literal.number(number) for number in numbers]))
    table.con.execute(sql(temporary_table("candidates", some)))


def _alike(
    table: TableStudy, rest: Sequence[ColumnProfile], keys: Sequence[ColumnProfile]
) -> list[tuple[int, int, list[str]]]:
    """The pairs that differ only a little, with the columns in which they do. That keys agree tells something, too; that they
    do not is in their nature.
    """
    differ = [exp.column(f"c{at}", "x").neq(exp.column(f"c{at}", "y")) for at in range(len(rest))]
    if not _keep_those_that_differ_in_one_or_two(table, differ):
        return []
    score = [
        template("CASE WHEN x.:c = y.:c AND x.:c <> '' THEN :s ELSE 0 END", c=exp.to_identifier(f"c{at}"), s=exp.Literal.number(f"{_telling(key):.6f}"))
        for at, key in enumerate((*rest, *keys))
    ]  # fmt: skip
    names = exp.Array(expressions=[
        template("CASE WHEN :d THEN :n END", d=differs.copy(), n=exp.Literal.string(each_column.name)) for each_column, differs in zip(rest, differ, strict=True)
    ])  # fmt: skip
    small = [template("NOT :d OR :s", d=exp.paren(differs.copy()), s=exp.paren(_is_small(each_column, at)))
             for (at, each_column), differs in zip(enumerate(rest), differ, strict=True)]  # fmt: skip
    enough = 2 * math.log(table.records) + 3
    query = (
        exp.select(
            "x.r", "y.r", exp.alias_(template("list_filter(:names, lambda n: n IS NOT NULL)", names=names), "names")
        )
        .from_("pairs")
        .join("candidates AS x", on="x.r = pairs.a")
        .join("candidates AS y", on="y.r = pairs.b")
        .where(joined(exp.And, [exp.paren(condition) for condition in small]))
        .where(
            template(
                "list_sum(:s) >= :enough", s=exp.Array(expressions=score), enough=exp.Literal.number(f"{enough:.6f}")
            )
        )
    )
    pairs = exp.select("*").from_(query.subquery("q")).where("len(names) BETWEEN 1 AND 2").order_by("1", "2")
    return [(first, second, list(differing)) for first, second, differing in table.ask(pairs)]


def _keep_those_that_differ_in_one_or_two(table: TableStudy, differ: Sequence[exp.Expr]) -> int:
    """Leave of `pairs` those whose candidates do; how many these are."""
    count = template(
        "list_count(list_filter(:d, lambda d: d))", d=exp.Array(expressions=[condition.copy() for condition in differ])
    )
    some = exp.select("pairs.a", "pairs.b").from_("pairs").join("candidates AS x", on="x.r = pairs.a")
    some = some.join("candidates AS y", on="y.r = pairs.b").where(template(":n BETWEEN 1 AND 2", n=count))
    table.con.execute(sql(temporary_table("near", some)))
    table.con.execute(sql(temporary_table("pairs", exp.select("*").from_("near"))))
    return int(table.ask(exp.select("count(*)").from_("pairs"))[0][0])


def _telling(profile: ColumnProfile) -> float:
    """How much it tells that two cells of a column agree: the negative logarithm of the chance of it."""
    present = sum(n for kind, n in profile.kinds.items() if kind != "missing")
    shares = [value.count / present for value in profile.values] if present else [1.0]
    rest = max(0.0, 1 - sum(shares))
    chance = sum(share * share for share in shares) + rest * rest / max(1, profile.distinct - len(shares))
    return max(0.0, -math.log(max(chance, 1e-12)))


def _is_small(profile: ColumnProfile, at: int) -> exp.Expr:
    """Whether the difference of two cells is a small one."""
    a, b = (exp.column(f"c{at}", side) for side in ("x", "y"))
    missing = template(":a = '' OR :b = ''", a=a, b=b)
    if profile.type in NUMBERS:
        x, y = (template("try_cast(replace(:c, ',', '.') AS DOUBLE)", c=cell) for cell in (a, b))
        near = template("abs(:x - :y) <= 0.02 * greatest(abs(:x), abs(:y))", x=x, y=y)
    elif profile.type in (DataType.DATE, DataType.DATETIME, DataType.BOOLEAN):
        return missing  # another day is another day
    else:
        letters = [template("regexp_replace(:c, '[0-9]', '', 'g')", c=cell) for cell in (a, b)]
        digits = [template("regexp_replace(:c, '[^0-9]', '', 'g')", c=cell) for cell in (a, b)]
        near = template(
            "length(:a) >= 4 AND length(:b) >= 4 AND :da = :db AND damerau_levenshtein(left(:la, 200), left(:lb, 200)) <= 2",
            a=a, b=b, da=digits[0], db=digits[1], la=letters[0], lb=letters[1],
        )  # fmt: skip
    return template(":m OR coalesce(:n, false)", m=exp.paren(missing), n=exp.paren(near))
