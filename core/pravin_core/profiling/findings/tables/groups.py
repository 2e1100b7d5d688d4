"""Quantities that differ by group: cells far from the others of their group, and those of the magnitude of another unit."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, Rule, make, some_records
from pravin_core.profiling.findings.columns.outliers import is_skewed
from pravin_core.profiling.findings.formulas import number_of, quoted
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.records.filters import Filter, make_filter
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType, Role

KIND = Kind(
    "outlier in its group",
    "Where the values of another column (2 to 40 of them) explain at least half of the variance of a quantity's ranks in an even "
    "sample: cells beyond the outer fences (3 interquartile ranges, Tukey 1977; of logarithms where the largest group is skewed) of "
    "their group that lie within those of the whole column; not where most records of a value of another column are such.",
)
UNIT = Kind(
    "unit does not fit the magnitude",
    "As outliers in their group, where the groups are units of measurement: all cells beyond the outer fences of the logarithms "
    "of their unit.",
)
MOST_GROUPS, LEAST_CELLS, LEAST_OF_VALUE = 40, 30, 5
EXPLAINED = 0.5
FEW = 0.05
SHOWN, LONGEST_FORMULA = 12, 2000
_UNIT = re.compile(
    r"^(?:[kmµμunpGMcdh]?(?:g|l|L|m|s|A|V|W|Wh|Pa|Hz|J|N|mol|bar|eq|S|B)(?:[²³23])?|t|%|‰|min|h|d|ha|pp[mbt]|°[CF]|IU|cfu|ntu|NTU)"
    r"(?:\s?/\s?(?:[kmµμund]?(?:g|l|L|m|s|mol)[²³23]?|h|d|min|100\s?m[lL]))?$"
)


@dataclass(frozen=True)
class Group:
    """The body of a group: its cells, and the fences beyond which they are far."""

    name: str
    cells: int
    low: float
    high: float


def find(table: TableStudy) -> Iterator[Finding]:
    """For each quantity the column that tells most of it, and the cells that are far from their group."""
    groups = [one for one in table.having(Role.CATEGORY, Role.IDENTIFIER) if one.distinct >= 2]
    groups = [one for one in groups if one.type is DataType.TEXT and _telling(one, table.records)]
    for quantity in table.having(Role.QUANTITY):
        if quantity.numbers and quantity.distinct > 20 and groups:
            numbers = table.sampled_numbers[quantity.name]
            shares = {one.name: explained(numbers, table.sample[one.name].codes) for one in groups}
            best = max(groups, key=lambda one: shares[one.name])
            if shares[best.name] >= EXPLAINED:
                yield from _far(table, quantity, best, [one for one in groups if one is not best])


def _telling(column: ColumnProfile, records: int) -> bool:
    """Whether a few values hold nearly all cells; more of them may be mistyped."""
    held = sum(value.count for value in column.values[:MOST_GROUPS])
    return column.distinct <= 500 and held >= 0.9 * (records - column.missing) > 0


def explained(numbers: np.ndarray[Any, Any], codes: np.ndarray[Any, Any]) -> float:
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
    numbers, coded = table.sampled_numbers[quantity.name], table.sample[by.name]
    largest = np.bincount(coded.codes).argmax()
    values = np.sort(numbers[(coded.codes == largest) & np.isfinite(numbers)])
    units = _are_units(by)
    by_size = len(values) > 0 and values[0] > 0 and (units or is_skewed(values, np.ones(len(values), dtype=np.int64)))
    groups, every = _fences(table, quantity, by, by_size)
    if len(groups) < 2 or every is None:
        return
    if units and quantity.numbers:
        every = Group("", every.cells, quantity.numbers.minimum, quantity.numbers.maximum)
    doors: list[Filter] = []
    for group in groups:
        doors += [_door(quantity, by, group, low, high) for low, high in _beyond(group, every)]
    if doors and not any(_tells_them_apart(table, doors, other) for other in others):
        yield from _finding(table, quantity, by, doors, groups, UNIT if units else KIND)


def _tells_them_apart(table: TableStudy, doors: Sequence[Filter], other: ColumnProfile) -> bool:
    """Whether most records of a value of another column are among those found: then they are of another nature, not wrong."""
    types = {one.name: DataType.TEXT for one in table.columns}
    met = exp.or_(*(door.condition(types, {}) for door in doors))
    cell = text_of(other.name)
    counted = exp.select(template("count(*) AS n"), template("count_if(:m) AS met", m=met)).from_(table.source)
    counted = counted.group_by(cell).having(f"n >= {LEAST_OF_VALUE} AND met > 0.5 * n")
    return bool(table.ask(exp.select("count(*)").from_(counted.subquery("c")))[0][0])


def _are_units(by: ColumnProfile) -> bool:
    known = sum(value.count for value in by.values if _UNIT.match(value.value.strip()))
    return known >= 0.9 * sum(value.count for value in by.values)


def _fences(
    table: TableStudy, quantity: ColumnProfile, by: ColumnProfile, by_size: bool
) -> tuple[list[Group], Group | None]:
    """The groups with enough cells, and the whole column."""
    cell, number = text_of(by.name), _number(quantity)
    scaled = template("CASE WHEN :n > 0 THEN ln(:n) END", n=number) if by_size else number
    quartiles = template("quantile_cont(v, [0.25, 0.75])")
    rows = exp.select(exp.alias_(cell, "g"), exp.alias_(scaled, "v")).from_(table.source).subquery("cells")
    asked = exp.select("g", "count(v)", quartiles).from_(rows).where("v IS NOT NULL", "isfinite(v)")
    found = table.ask(
        asked.copy().group_by("g").having(f"count(v) >= {LEAST_CELLS}").order_by("2 DESC", "g").limit(500)
    )
    whole = table.ask(
        exp.select(exp.Literal.string(""), "count(v)", quartiles.copy()).from_(rows.copy()).where("isfinite(v)")
    )
    groups = [_group(name, n, box, by_size) for name, n, box in found if name and box[1] > box[0]][:MOST_GROUPS]
    return groups, next((_group(name, n, box, by_size) for name, n, box in whole if n), None)


def _group(name: str, cells: int, quartiles: Sequence[float], by_size: bool) -> Group:
    wide = 3 * (quartiles[1] - quartiles[0])
    low, high = quartiles[0] - wide, quartiles[1] + wide
    return (
        Group(name, cells, float(np.exp(low)), float(np.exp(min(high, 700))))
        if by_size
        else Group(name, cells, low, high)
    )


def _beyond(group: Group, every: Group) -> list[tuple[float, float]]:
    """The stretches beyond the fences of a group that lie within those of the whole column."""
    below = [(every.low, group.low)] if every.low < group.low else []
    return [*below, (group.high, every.high)] if every.high > group.high else below


def _door(quantity: ColumnProfile, by: ColumnProfile, group: Group, low: float, high: float) -> Filter:
    inside = make_filter("column", name=quantity.name, test="between", values=(f"{low:.15g}", f"{high:.15g}"))
    edges = tuple(f"{edge:.15g}" for edge in (group.low, group.high))
    own = make_filter("column", name=quantity.name, test="between", values=edges)
    is_in = make_filter("column", name=by.name, test="is", value=group.name)
    return make_filter("all of", of=(is_in, inside, make_filter("none of", of=(own,))))


def _finding(
    table: TableStudy, quantity: ColumnProfile, by: ColumnProfile, doors: list[Filter], groups: list[Group], kind: Kind
) -> Iterator[Finding]:
    door = doors[0] if len(doors) == 1 else make_filter("any of", of=tuple(doors))
    count = table.opened_by([door])
    if not 0 < count <= FEW * table.records:
        return
    cell, number = text_of(by.name), text_of(quantity.name)
    types = {one.name: DataType.TEXT for one in table.columns}
    shown = exp.select(cell, number, "count(*)").from_(table.source).where(door.condition(types, {}))
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
    return f"not ({' or '.join(f'({one})' for one in beyond)})"


def _number(quantity: ColumnProfile) -> exp.Expr:
    return template("try_cast(replace(trim(:c), ',', '.') AS DOUBLE)", c=text_of(quantity.name))
