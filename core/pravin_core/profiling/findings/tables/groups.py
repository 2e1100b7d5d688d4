"""Quantities that differ by group: cells far from the others of their group, and those of the magnitude of another unit."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import pyarrow
from sqlglot import exp

from pravin_core.engines.kinds import double_of
from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, Rule, make, some_records
from pravin_core.profiling.findings.columns.outliers import is_skewed
from pravin_core.profiling.findings.formulas import number_of, quoted
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import Coded, TableStudy
from pravin_core.records.filters import Filter, make_filter
from pravin_core.sql.statements import temporary_table
from pravin_core.sql.trees import column, sql
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import DataType, Role

KIND = Kind(
    "outlier in its group",
    "Where the values of another column (2 to 40 of them) explain at least half of the variance of a quantity's ranks in an even "
    "sample: cells beyond the outer fences (3 interquartile ranges, Tukey 1977; of logarithms where the largest group is skewed) of "
    "their group in that sample that lie within those of the whole column; not where most records of a value of another column are such.",
)
UNIT = Kind(
    "unit does not fit the magnitude",
    "As outliers in their group, where the groups are units of measurement: all cells beyond the outer fences of the logarithms "
    "of their unit.",
)
pa: Any = pyarrow
Array = np.ndarray[Any, Any]
MOST_GROUPS, LEAST_CELLS, LEAST_OF_VALUE = 40, 30, 5
EXPLAINED = 0.5
FEW = 0.05
FEW_VALUES = 8
SHOWN, LONGEST_FORMULA = 12, 2000
_UNIT = re.compile(
    r"^(?:[kmµμunpGMcdh]?(?:g|l|L|m|s|A|V|W|Wh|Pa|Hz|J|N|mol|bar|eq|S|B)(?:[²³23])?|t|%|‰|min|h|d|ha|pp[mbt]|°[CF]|IU|cfu|ntu|NTU)"
    r"(?:\s?/\s?(?:[kmµμund]?(?:g|l|L|m|s|mol)[²³23]?|h|d|min|100\s?m[lL]))?$"
)


@dataclass(frozen=True)
class Group:
    """A group and the fences beyond which its cells are far."""

    name: str
    low: float
    high: float


def find(table: TableStudy) -> Iterator[Finding]:
    """For each quantity the column that tells most of it, and the cells that are far from their group."""
    groups = [each_column for each_column in table.having(Role.CATEGORY, Role.IDENTIFIER) if each_column.distinct >= 2]
    groups = [group for group in groups if group.type is DataType.TEXT and _telling(group, table.records)]
    for quantity in table.having(Role.QUANTITY):
        numbers = table.sampled_numbers.get(quantity.name)
        if quantity.numbers and numbers is not None and quantity.distinct > FEW_VALUES and groups:
            shares = {group.name: explained(numbers, table.sample[group.name].codes) for group in groups}
            best = max(groups, key=lambda group: shares[group.name])
            if shares[best.name] >= EXPLAINED:
                yield from _far(table, quantity, best, [group for group in groups if group is not best])


def _telling(column: ColumnProfile, records: int) -> bool:
    """Whether a few values hold nearly all cells; more of them may be mistyped."""
    total = sum(value.count for value in column.values[:MOST_GROUPS])
    return column.distinct <= 500 and total >= 0.9 * (records - column.missing) > 0


def explained(numbers: Array, codes: Array) -> float:
    """The share of the variance of the numbers' ranks that lies between groups (the correlation ratio of ranks, squared)."""
    known = np.isfinite(numbers)
    if known.sum() < 2 * LEAST_CELLS:
        return 0.0
    _, places = np.unique(numbers[known], return_inverse=True)
    at_or_below = np.cumsum(np.bincount(places))
    ranks = at_or_below[places] - (np.bincount(places)[places] - 1) / 2
    own = codes[known]
    cells = np.bincount(own)
    sums = np.bincount(own, weights=ranks)
    means = np.divide(sums, cells, out=np.zeros_like(sums), where=cells > 0)
    every = float(((ranks - ranks.mean()) ** 2).sum())
    between = float((cells * (means - ranks.mean()) ** 2).sum())
    return between / every if every else 0.0


def _far(
    table: TableStudy, quantity: ColumnProfile, by: ColumnProfile, others: Sequence[ColumnProfile]
) -> Iterator[Finding]:
    units = _are_units(by)
    groups, every = _fences(table.sampled_numbers[quantity.name], table.sample[by.name], units)
    if len(groups) < 2 or every is None:
        return
    if units and quantity.numbers:
        every = Group("", quantity.numbers.minimum, quantity.numbers.maximum)
    met = _with_any_beyond(table, quantity, by, groups)
    if met:
        yield from _finding(
            table, quantity, by, _door(quantity, by, met, every), groups, others, UNIT if units else KIND
        )


def _with_any_beyond(
    table: TableStudy, quantity: ColumnProfile, by: ColumnProfile, groups: Sequence[Group]
) -> list[Group]:
    """The groups with any record beyond their fences: a cheap look, for the doors of many groups are dear to ask."""
    limits = {
        "g": [group.name for group in groups],
        "low": [group.low for group in groups],
        "high": [group.high for group in groups],
    }
    table.con.register("limits", pa.table(limits))
    cells = exp.select(exp.alias_(text_of(by.name), "g"), exp.alias_(double_of(text_of(quantity.name)), "v"))
    met = (
        exp.select("f.g").distinct().from_(cells.from_(table.source).subquery("c")).join("limits AS f", on="f.g = c.g")
    )
    names = {name for (name,) in table.ask(met.where("c.v < f.low OR c.v > f.high"))}
    table.con.unregister("limits")
    return [group for group in groups if group.name in names]


def _are_told_apart(table: TableStudy, others: Sequence[ColumnProfile]) -> bool:
    """Whether most records of a value of another column are in `far(r)`: then they are of another nature, not wrong."""
    cells = [exp.alias_(text_of(other.name), f"c{at}") for at, other in enumerate(others)]
    query = exp.select(*cells, "f.r IS NOT NULL AS met").from_(table.source)
    table.con.execute(sql(temporary_table("told", query.join("far AS f", on=f"f.r = {RECORD}", join_type="left"))))
    most = f"count(*) >= {LEAST_OF_VALUE} AND count_if(met) > 0.5 * count(*)"
    return any(
        table.ask(exp.select("1 AS one").from_("told").group_by(f"c{at}").having(most).limit(1))
        for at in range(len(others))
    )


def _are_units(by: ColumnProfile) -> bool:
    known = sum(value.count for value in by.values if _UNIT.match(value.value.strip()))
    return known >= 0.9 * sum(value.count for value in by.values)


def _fences(numbers: Array, coded: Coded, units: bool) -> tuple[list[Group], Group | None]:
    """The groups with enough cells, largest first, and the whole column, as a sample has them."""
    known = np.isfinite(numbers)
    largest = np.sort(numbers[known & (coded.codes == np.bincount(coded.codes).argmax())])
    by_size = (
        len(largest) > 0 and largest[0] > 0 and (units or is_skewed(largest, np.ones(len(largest), dtype=np.int64)))
    )
    if by_size:
        known &= numbers > 0
    codes, values = coded.codes[known], np.log(numbers[known]) if by_size else numbers[known]
    groups = []
    for code in np.argsort(-np.bincount(codes, minlength=len(coded.texts)), kind="stable")[:MOST_GROUPS]:
        own = values[codes == code]
        if coded.texts[code] and len(own) >= LEAST_CELLS:
            groups.append(_group(coded.texts[code], own, by_size))
    return [group for group in groups if group.high > group.low], _group("", values, by_size) if len(values) else None


def _group(name: str, values: Array, by_size: bool) -> Group:
    q1, q3 = np.quantile(values, (0.25, 0.75))
    low, high = q1 - 3 * (q3 - q1), q3 + 3 * (q3 - q1)
    return (
        Group(name, float(np.exp(low)), float(np.exp(min(high, 700))))
        if by_size
        else Group(name, float(low), float(high))
    )


def _door(quantity: ColumnProfile, by: ColumnProfile, groups: Sequence[Group], every: Group) -> Filter:
    """The cells beyond the fences of one of some groups that lie within those of the whole column."""

    def within(limits: Group) -> Filter:
        edges = (f"{limits.low:.15g}", f"{limits.high:.15g}")
        return make_filter("column", name=quantity.name, test="between", values=edges)

    beyond = [
        make_filter(
            "all of",
            of=(
                make_filter("column", name=by.name, test="is", value=group.name),
                make_filter("none of", of=(within(group),)),
            ),
        )
        for group in groups
    ]
    return make_filter("all of", of=(within(every), make_filter("any of", of=tuple(beyond))))


def _finding(
    table: TableStudy, quantity: ColumnProfile, by: ColumnProfile, door: Filter, groups: list[Group],
    others: Sequence[ColumnProfile], kind: Kind,
) -> Iterator[Finding]:  # fmt: skip
    met = exp.select(column(RECORD).as_("r")).from_(table.source).where(*table.conditions([door]))
    table.con.execute(sql(temporary_table("far", met)))
    count = table.ask(exp.select("count(*)").from_("far"))[0][0]
    if not 0 < count <= FEW * table.records or _are_told_apart(table, others):
        return
    cell, number = text_of(by.name), text_of(quantity.name)
    shown = exp.select(cell, number, "count(*)").from_(table.source).join("far AS f", on=f"f.r = {RECORD}")
    rows = table.ask(shown.group_by(cell.copy(), number.copy()).order_by("3 DESC", "1", "2").limit(SHOWN))
    name, value, _ = rows[0]
    usual = next(group for group in groups if group.name == name)
    words = "has the magnitude of another unit than" if kind is UNIT else "is far from the others of its"
    formula = _within(quantity, by, groups) if kind is UNIT else ""
    rule: Rule | None = None
    if 0 < len(formula) <= LONGEST_FORMULA:
        rule = {"kind": "holds", "columns": [quantity.name, by.name], "formula": formula}
    yield make(
        kind, [quantity.name, by.name], "middle" if rule and count <= 0.02 * table.records else "low", count, table.records,
        f"{some_records(count)} in which {quantity.name} {words} {by.name}: “{value}” with “{name}”, of which most are from "
        f"{usual.low:.4g} to {usual.high:.4g}",
        evidence=[Evidence(value=f"{value} with {name}", count=n) for name, value, n in rows], filters=[door],
        rule=rule, effect=count if rule else None,
    )  # fmt: skip


def _within(quantity: ColumnProfile, by: ColumnProfile, groups: list[Group]) -> str:
    """The formula that the quantity lies within the fences of its group."""
    number = number_of(quantity)
    beyond = [
        f"{quoted(by)} = '{group.name.replace(chr(39), chr(39) * 2)}' and ({number} < {group.low:.15g} or {number} > {group.high:.15g})"
        for group in groups
    ]
    return f"not ({' or '.join(f'({condition})' for condition in beyond)})"
