"""Lines of sums among the records, as in tables made to be read."""

from __future__ import annotations

import re
from collections.abc import Iterator

from sqlglot import exp

from pravin_core.profiling.column_values import text_of
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, make, some_records
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.table import TableStudy
from pravin_core.records.filters import Filter, make_filter
from pravin_core.sql.trees import template
from pravin_core.tables.types import DataType

KIND = Kind(
    "subtotal among the records",
    "Records with a word for a sum (total, subtotal, Summe, totale …) in one of the first four columns (of decimals aside), in which at "
    "least half of the other columns that are nearly always filled, quantities aside, are empty.",
)
WORDS = (
    "total", "totals", "sub total", "subtotal", "sub-total", "grand total", "sum", "sums", "overall", "all", "summe", "zwischensumme",
    "gesamt", "gesamtsumme", "insgesamt", "endsumme", "übertrag", "totale", "totaal", "subtotaal", "sous-total", "total général",
    "somme", "suma", "totalt", "delsumma", "yhteensä", "razem", "celkem",
)  # fmt: skip
_FIRST = tuple(sorted({letter for word in WORDS for letter in (word[0], word[0].upper())} | {" "}))
_IS_SUM = (
    r"^\s*(?:"
    + "|".join(word.replace("-", "[- ]") for word in WORDS)
    + r")(?:\s*[:=]|\s+(?:of|for|von|für|de|di|van)\s.*|\s+[0-9].*)?\s*$"
)
FIRST = 4
_NEVER = (DataType.DECIMAL, DataType.EXACT, DataType.BOOLEAN)
FILLED = 0.9


def find(table: TableStudy) -> Iterator[Finding]:
    """The lines by the column that holds the word, with the rule that removes them."""
    for each_column in [column for column in table.columns if _may_hold_words(column)][:FIRST]:
        others = [other for other in table.columns if other.name != each_column.name and _tells(other, table.records)]
        cell = text_of(each_column.name)
        begins = exp.In(
            this=template("left(:c, 1)", c=cell), expressions=[exp.Literal.string(letter) for letter in _FIRST]
        )
        if each_column.distinct <= len(each_column.values) and not any(
            re.match(_IS_SUM, value.value.lower()) for value in each_column.values
        ):
            continue  # all its values are known
        met = exp.and_(begins, template("regexp_matches(lower(:c), :p)", c=cell, p=exp.Literal.string(_IS_SUM)))
        if not others or not table.count(met):
            continue
        gaps = template("list_sum(:g)", g=exp.Array(expressions=[
            template("CASE WHEN :c = '' THEN 1 ELSE 0 END", c=text_of(other.name)) for other in others]))  # fmt: skip
        is_line = template(":gaps * 2 >= :n", gaps=gaps, n=exp.Literal.number(len(others)))
        asked = exp.select(exp.alias_(cell, "__value"), "count(*)", template("count_if(:l)", l=is_line))
        rows = table.ask(asked.from_(table.source).where(met).group_by(cell.copy()).order_by("2 DESC", "1").limit(100))
        if values := {value: lines for value, every, lines in rows if lines == every}:
            yield _finding(table, each_column, values)


def _may_hold_words(column: ColumnProfile) -> bool:
    return column.type is DataType.TEXT or (column.type not in _NEVER and column.misfits > 0)


def _tells(column: ColumnProfile, records: int) -> bool:
    """Whether an empty cell of the column is unusual; quantities are what a line of sums fills."""
    return column.missing <= (1 - FILLED) * records and column.type not in (DataType.DECIMAL, DataType.EXACT)


def _finding(table: TableStudy, column: ColumnProfile, values: dict[str, int]) -> Finding:
    count = sum(values.values())
    door: list[Filter] = [make_filter("column", name=column.name, test="one of", values=tuple(values))]
    return make(
        KIND, (), "high", count, table.records,
        f"{some_records(count)} that are lines of sums: {column.name} is {', '.join(f'“{value}”' for value in list(values)[:3])}",
        evidence=[Evidence(value=value, count=n) for value, n in values.items()], filters=door,
        rule={"kind": "remove-where", "columns": [column.name], "values": list(values)}, effect=count, detail=column.name,
    )  # fmt: skip
