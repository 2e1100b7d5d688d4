"""Records that repeat others, exactly or but for letter case and spaces."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Finding, Kind, make, some_records
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TELLING, TableStudy
from pravin_core.records.filters import make_filter
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType, Role

EXACT = Kind("duplicate records", "Records alike in every cell, by a 128-bit hash of all cells; the first is none.")
NEAR = Kind(
    "near duplicates",
    "Records alike in every cell but the key when letter case and spaces are left aside, and not alike in every cell.",
)
MOST = 0.2


def find(table: TableStudy) -> Iterator[Finding]:
    """Exact repeats with the rule that removes them, and near ones."""
    if table.records < 2 or not table.columns:
        return
    cells = table.repeated
    if cells:
        yield make(
            EXACT, (), "middle", cells, table.records, f"{some_records(cells)} repeat an earlier one in every cell",
            filters=[make_filter("repeated")], rule={"kind": "remove-duplicates"}, effect=cells,
        )  # fmt: skip
    keys = [column.name for column in table.columns if is_key(column, table.records)]
    rest = [column for column in table.columns if column.name not in keys]
    if len(rest) < 3 or not any(
        each_column.distinct > 0.02 * table.records for each_column in rest if each_column.role is not Role.FREE_TEXT
    ):
        return
    telling = sorted(rest, key=lambda each_column: -each_column.distinct)[:TELLING]
    if not table.may_repeat([plain(each_column) for each_column in telling]):
        return
    near = table.repeats([plain(each_column) for each_column in rest]) - cells
    if 0 < near <= MOST * table.records:
        but = f" but {', '.join(keys)}" if keys else ""
        others = tuple(each_column.name for each_column in rest)
        says = f"{some_records(near)} repeat another one in every cell{but}, letter case and spaces aside"
        yield make(
            NEAR, (), "middle", near, table.records, says,
            filters=[make_filter("repeated", test="matches", values=others),
                     *([make_filter("none of", of=(make_filter("repeated"),))] if cells else [])],
        )  # fmt: skip


def is_key(column: ColumnProfile, records: int) -> bool:
    """Whether a column tells nearly every record apart by its very nature."""
    return column.distinct > 0.9 * records and column.role is Role.IDENTIFIER


def plain(column: ColumnProfile) -> exp.Expr:
    """A cell of a column of texts without letter case and spaces."""
    cell = text_of(column.name)
    spaced = column.text and (column.text.mean_words > 1 or column.text.outer_spaces)
    if column.type is not DataType.TEXT and not column.misfits:
        return cell
    if not spaced:
        return exp.Lower(this=cell)
    return template("lower(replace(replace(:c, ' ', ''), :space, ''))", c=cell, space=exp.Literal.string("\u00a0"))
