"""Identifiers that lost their leading zeros."""

from __future__ import annotations

from collections.abc import Iterator

from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, matching, of_column
from pravin_core.profiling.model import ColumnProfile

KIND = Kind(
    "lost leading zeros",
    "In a column of digits with leading zeros, all of one length, some are shorter: as written by a spreadsheet that "
    "took them for numbers. Where no zero is left, codes that are shorter than nearly all others.",
)
_LENGTHS = r"""
SELECT length(trim(value)) AS digits, sum(n)::BIGINT, coalesce(sum(n) FILTER (trim(value) LIKE '0%'), 0)::BIGINT,
  count(*), min(trim(value)), max(trim(value))
FROM column_values WHERE kind = 'whole number' AND regexp_full_match(trim(value), '\d+') GROUP BY digits
"""


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Numbers shorter than the identifiers around them, with the rule that pads them."""
    if column_values.kinds.get("whole number", 0) < 0.5 * column_values.present or not column_values.present:
        return
    lengths = {row[0]: row[1:] for row in column_values.ask(_LENGTHS)}
    if len(lengths) < 2:
        return
    total = sum(row[0] for row in lengths.values())
    zeroed = {digits: row[1] for digits, row in lengths.items() if row[1] and digits > 1}
    if not zeroed:
        return
    usual = max(zeroed, key=lambda digits: (lengths[digits][0], digits))
    if zeroed[usual] < max(2, 0.01 * total) or lengths[usual][0] < 0.5 * total:
        return
    short = sum(row[0] - row[1] for digits, row in lengths.items() if digits < usual)
    if not 0 < short < 0.4 * total:
        return
    pattern = rf"^\s*[1-9]\d{{0,{usual - 2}}}\s*$" if usual > 2 else r"^\s*[1-9]\s*$"
    met = column_values.matching(pattern, kinds=("whole number",))
    yield of_column(
        column_values, KIND, "high", met.cells, f"{cells(met.cells)} lost leading zeros: {listed(met.texts)}",
        evidence=[Evidence(value=v, count=n, becomes=v.strip().zfill(usual)) for v, n in met.values],
        filters=matching(column_values.name, pattern),
        rule={"kind": "pad", "columns": [column_values.name], "length": usual, "only": r"^\d+$"},
    )  # fmt: skip
