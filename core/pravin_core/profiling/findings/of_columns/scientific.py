"""Identifiers in scientific notation."""

from __future__ import annotations

import re
from collections.abc import Iterator

from pravin_core.engines.functions import Mark
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, listed, matching, of_column
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.proposals import looks_like_identifier
from pravin_core.profiling.study import Study

KIND = Kind(
    "scientific notation",
    "In a column of long whole numbers or codes some are written like 2.4E+07. The digits that were rounded away are "
    "lost, so such identifiers cannot be restored, only asked for again.",
)
PATTERN = r"^\s*[+-]?\d(?:[.,]\d+)?[eE]\+?\d{1,2}\s*$"
_LENGTHS = """
SELECT length(trim(value)) AS digits, sum(n)::BIGINT AS cells FROM study
WHERE kind = 'whole number' AND trim(value) NOT LIKE '-%' GROUP BY digits ORDER BY cells DESC, digits LIMIT 3
"""


def find(study: Study, column: ColumnProfile) -> Iterator[Finding]:
    """Whole numbers as powers of ten; a check on the usual number of digits holds them back."""
    met = study.matching(PATTERN, Mark.E)
    if not met.cells:
        return
    lengths = study.ask(_LENGTHS)
    whole = study.kinds.get("whole number", 0)
    others = study.present - met.cells
    long = bool(lengths) and lengths[0][0] >= 5 and whole >= 0.8 * others > 0
    same = long and lengths[0][1] >= 0.6 * whole and met.cells < others
    named = looks_like_identifier(study.name)
    coded = bool(others) and met.cells < 0.2 * others and study.numeric - met.cells < 0.2 * others and named
    if not (same or (named and (long or not others)) or coded):
        return
    digits = lengths[0][0] if same else 0
    check = {"kind": "matches-pattern", "columns": [study.name], "pattern": rf"\d{{{digits}}}"} if digits else None
    evidence = [Evidence(value=v, count=n) for v, n in met.values]
    lost = sum(n for v, n in met.values if len(re.sub(r"[eE].*|\D", "", v)) <= 6)
    says = f"{cells(met.cells)} in scientific notation: {listed(met.texts)}"
    says += "; their last digits are lost" if lost else ""
    yield of_column(
        study, KIND, "high", met.cells, says, evidence=evidence, filters=matching(study.name, PATTERN), rule=check
    )
