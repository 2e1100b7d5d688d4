"""Columns that repeat another one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Finding, Kind, make
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.sql.trees import template

KIND = Kind("repeated column", "Two columns of more than one value that are alike in every record.")


def find(table: TableStudy) -> Iterator[Finding]:
    """Each column that repeats an earlier one."""
    alike: dict[tuple[object, ...], list[ColumnProfile]] = defaultdict(list)
    for column in table.columns:
        if column.distinct > 1:
            alike[(column.distinct, column.missing, column.values[:5])].append(column)
    for group in alike.values():
        gone: set[str] = set()
        for place, column in enumerate(group):
            for other in group[place + 1 : place + 40]:
                if other.name in gone:
                    continue
                differs = template(":a <> :b", a=text_of(column.name), b=text_of(other.name))
                query = exp.select("1").from_(table.source).where(differs).limit(1)
                if not table.ask(query):
                    gone.add(other.name)
                    says = f"{other.name} holds the same as {column.name} in every record"
                    yield make(KIND, [other.name, column.name], "low", table.records, table.records, says)
