"""Header rows among the records."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from pravin_core.engines.duckdb import template
from pravin_core.profiling.findings.base import Finding, Kind, make, some_records
from pravin_core.profiling.study import text_of
from pravin_core.profiling.table import TableStudy
from pravin_core.records.filters import Filter

KIND = Kind(
    "header among the records",
    "Records in which at least two cells, and half of all filled ones, are the name of their column.",
)


def find(table: TableStudy) -> Iterator[Finding]:
    """Records that repeat the names of the columns, with the rule that removes them."""
    if not 2 <= len(table.columns) <= 500:
        return
    named = [
        template("CASE WHEN lower(trim(:c)) = :n THEN 1 ELSE 0 END", c=text_of(one.name),
                 n=exp.Literal.string(one.name.strip().lower()))
        for one in table.columns
    ]  # fmt: skip
    filled = [template("CASE WHEN :c = '' THEN 0 ELSE 1 END", c=text_of(one.name)) for one in table.columns]
    sums = [template("list_sum(:parts)", parts=exp.Array(expressions=parts)) for parts in (named, filled)]
    any_ = exp.or_(*(template("lower(trim(:c)) = :n", c=text_of(one.name), n=exp.Literal.string(one.name.strip().lower()))
                     for one in table.columns[:3]))  # fmt: skip
    condition = template("(:any) AND :a >= 2 AND :a * 2 >= :b", any=any_, a=sums[0], b=sums[1])
    numbers = table.numbers_of(condition)
    if not numbers:
        return
    first = table.columns[0].name
    by_name = Filter(on="column", name=first, test="is", value=first)
    yield make(
        KIND, (), "high", len(numbers), table.records, f"{some_records(len(numbers))} repeat the header",
        filters=[Filter(on="records", values=tuple(str(n) for n in numbers[:500]))],
        rule={"kind": "remove-where", "columns": [first], "values": [by_name.value]}, effect=len(numbers),
    )  # fmt: skip
