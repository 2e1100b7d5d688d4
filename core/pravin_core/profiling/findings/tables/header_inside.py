"""Header rows among the records."""

from __future__ import annotations

from collections.abc import Iterator

from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Finding, Kind, make, some_records, these_records
from pravin_core.profiling.table import TableStudy
from pravin_core.sql.trees import column, template
from pravin_core.tables.columns import RECORD

KIND = Kind(
    "header among the records",
    "Records in which at least two cells, and half of all filled ones, are the name of their column.",
)


def find(table: TableStudy) -> Iterator[Finding]:
    """Records that repeat the names of the columns, with the rule that removes them."""
    if not 2 <= len(table.columns) <= 500:
        return
    named = [
        template("CASE WHEN lower(trim(:c)) = :n THEN 1 ELSE 0 END", c=text_of(column.name),
                 n=exp.Literal.string(column.name.strip().lower()))
        for column in table.columns
    ]  # fmt: skip
    filled = [template("CASE WHEN :c = '' THEN 0 ELSE 1 END", c=text_of(column.name)) for column in table.columns]
    sums = [template("list_sum(:parts)", parts=exp.Array(expressions=parts)) for parts in (named, filled)]
    # few columns first: all of them are read only where one of these holds its name
    begun = [
        exp.EQ(this=column(each_column.name), expression=exp.Literal.string(each_column.name))
        for each_column in table.columns[:3]
    ]
    likely = table.numbers_of(exp.or_(*begun))
    if not likely:
        return
    among = exp.In(this=column(RECORD), expressions=[exp.Literal.number(number) for number in likely])
    numbers = table.numbers_of(template(":among AND :a >= 2 AND :a * 2 >= :b", among=among, a=sums[0], b=sums[1]))
    if not numbers:
        return
    first = table.columns[0].name
    yield make(
        KIND, (), "high", len(numbers), table.records, f"{some_records(len(numbers))} repeat the header",
        **these_records(numbers),
        rule={"kind": "remove-where", "columns": [first], "values": [first]}, effect=len(numbers),
    )  # fmt: skip
