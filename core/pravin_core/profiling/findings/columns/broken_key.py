"""Identifiers that occur more than once."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, of_column
from pravin_core.profiling.findings.columns.personal import MAIL, PHONE
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.type_inference import looks_like_identifier
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import DataType, Role

KIND = Kind(
    "broken key",
    "An identifier of which at least 9 in 10 cells hold a value of their own, and some do not. Numbers (with the same "
    "letters before or after) that repeat about as often as drawn by chance from between the least and the greatest (the birthday "
    "problem) are no key: postcodes, numbers of flights.",
)
_DRAWN = """
SELECT sum(n)::BIGINT AS cells, count(*) AS different, max(number) - min(number) + 1 AS possible FROM (
  SELECT n, regexp_replace(value, '[0-9]+', '#', 'g') AS letters,
    try_cast(regexp_replace(value, '[^0-9]', '', 'g') AS DOUBLE) AS number
  FROM column_values WHERE value <> '' AND kind <> 'missing token')
WHERE number IS NOT NULL GROUP BY letters HAVING cells >= $least
"""
LEAST = 20  # cells with the same letters that tell from where to where their numbers go
AFTER = True  # a token for missing that comes back is no key
_REPEATED = """
SELECT value, n, sum(n) OVER ()::BIGINT FROM column_values
WHERE value <> '' AND n > 1 AND kind <> 'missing token' AND NOT list_contains($tokens, value) ORDER BY n DESC, value LIMIT 50
"""


def find(column_values: ColumnValues, column: ColumnProfile, findings: Sequence[Finding]) -> Iterator[Finding]:
    """The values that occur more than once, with the check that would hold their records back."""
    if column.type is DataType.DECIMAL or column.role not in (Role.IDENTIFIER, Role.CATEGORY, Role.FREE_TEXT):
        return
    if column.role is not Role.IDENTIFIER and (column.text is None or column.text.mean_words > 1.2):
        return
    if any(column_values.match_rate(form) > 0.5 for form in (MAIL, PHONE)):
        return  # several records of one person are no fault
    if column_values.present < 20 or not 0.9 * column_values.present <= column.distinct < column_values.present:
        return
    missing = [finding for finding in findings if finding.kind == "disguised missing"]
    rows = column_values.ask(_REPEATED, {"tokens": [value.value for finding in missing for value in finding.evidence]})
    if not rows:
        return
    count = rows[0][2]
    door = [make_filter("column", name=column.name, test="repeated")]
    door += [make_filter("none of", of=finding.filters) for finding in missing]
    if _is_chance(column_values, column):
        return
    is_named = looks_like_identifier(column.name) or column.role is Role.IDENTIFIER
    yield of_column(
        column_values, KIND, "middle" if is_named else "low", count, f"{cells(count)} repeat an identifier: {listed([v for v, *_ in rows])}",
        evidence=[Evidence(value=v, count=n) for v, n, _ in rows],
        filters=door,
        rule={"kind": "unique", "columns": [column_values.name]}, effect=count,
    )  # fmt: skip


def _is_chance(column_values: ColumnValues, column: ColumnProfile) -> bool:
    """Whether numbers drawn at random, between the least and the greatest that stand with the same letters, would repeat as often:
    at least a quarter as many as expected.
    """
    rows = column_values.ask(_DRAWN, {"least": LEAST})
    if sum(cells_ for cells_, *_ in rows) < 0.9 * column_values.present:
        return False
    expected = sum(drawn - possible * -math.expm1(-drawn / possible) for drawn, _, possible in rows)
    repeated = sum(drawn - different for drawn, different, _ in rows)
    return bool(expected >= 3 and repeated >= 0.25 * expected)
