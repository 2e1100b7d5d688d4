"""Identifiers in scientific notation."""

from __future__ import annotations

import re
from collections.abc import Iterator

from pravin_core.engines.functions import Mark
from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, matching, of_column
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.type_inference import looks_like_identifier

KIND = Kind(
    "scientific notation",
    "In a column of long whole numbers or codes some are written like 2.4E+07. The digits that were rounded away are "
    "lost, so such identifiers cannot be restored, only asked for again.",
)
PATTERN = r"^\s*[+-]?\d(?:[.,]\d+)?[eE]\+?\d{1,2}\s*$"
_LENGTHS = """
SELECT length(trim(value)) AS digits, sum(n)::BIGINT AS cells FROM column_values
WHERE kind = 'whole number' AND trim(value) NOT LIKE '-%' GROUP BY digits ORDER BY cells DESC, digits LIMIT 3
"""


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Whole numbers as powers of ten; a check on the usual number of digits holds them back."""
    met = column_values.matching(PATTERN, Mark.E)
    if not met.cells:
        return
    lengths = column_values.ask(_LENGTHS)
    whole = column_values.kinds.get("whole number", 0)
    others = column_values.present - met.cells
    long = bool(lengths) and lengths[0][0] >= 5 and whole >= 0.8 * others > 0
    same = long and lengths[0][1] >= 0.6 * whole and met.cells < others
    named = looks_like_identifier(column_values.name)
    coded = bool(others) and met.cells < 0.2 * others and column_values.numeric - met.cells < 0.2 * others and named
    if not (same or (named and (long or not others)) or coded):
        return
    digits = lengths[0][0] if same else 0
    check = (
        {"kind": "matches-pattern", "columns": [column_values.name], "pattern": rf"\d{{{digits}}}"} if digits else None
    )
    evidence = [Evidence(value=v, count=n) for v, n in met.values]
    lost = sum(n for v, n in met.values if len(re.sub(r"[eE].*|\D", "", v)) <= 6)
    says = f"{cells(met.cells)} in scientific notation: {listed(met.texts)}"
    says += "; their last digits are lost" if lost else ""
    yield of_column(
        column_values,
        KIND,
        "high",
        met.cells,
        says,
        evidence=evidence,
        filters=matching(column_values.name, PATTERN),
        rule=check,
    )
