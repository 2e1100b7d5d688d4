"""Spaces at the ends and characters that cannot be seen."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator

from pravin_core.engines.functions import Mark
from pravin_core.engines.kinds import OUTER_SPACES
from pravin_core.profiling.column_values import ColumnValues, Matches
from pravin_core.profiling.findings.base import (
    Evidence,
    Finding,
    Kind,
    Rule,
    cells,
    for_python,
    matching,
    of_column,
    those,
    translation,
)
from pravin_core.profiling.findings.columns.decoding import repaired
from pravin_core.profiling.findings.thousands import grouped
from pravin_core.profiling.model import ColumnProfile
from pravin_core.records.filters import make_filter
from pravin_core.tables.types import Role

SPACES = Kind(
    "spaces at the ends",
    "A space of any kind (also tab and no-break space) at the beginning or the end. Middle where the same value stands in the "
    "column without them too, for then one thing counts as two.",
)
_ALSO_WITHOUT = """
SELECT 1 FROM column_values AS c JOIN column_values AS d ON d.value = trim(c.value, $spaces)
WHERE c.value <> d.value AND d.value <> '' LIMIT 1
"""
INVISIBLE = Kind(
    "invisible characters",
    "Control and format characters (Unicode Cc and Cf), and spaces of another kind inside a value: no-break and thin ones, tabs, "
    "line breaks. Line breaks and tabs in free text are not meant, nor marks between the thousands of numbers.",
)
_UNSEEN = r"[\p{Cf}\x{00}-\x{08}\x{0E}-\x{1F}\x{7F}-\x{9F}]"
_SPACES = r"\x{00A0}\x{1680}\x{2000}-\x{200A}\x{2028}\x{2029}\x{202F}\x{205F}\x{3000}"
_BREAKS = r"\t\n\v\f\r"
_CAN_BE_SEEN = r"[^\s\p{Z}]"


def find(column_values: ColumnValues, column: ColumnProfile) -> Iterator[Finding]:
    """Outer spaces with the rule that trims them, invisible characters with the one that takes them away."""
    marks = Mark.OUTER_SPACE | Mark.WIDE | Mark.CONTROL
    outer = column_values.matching(OUTER_SPACES, marks)
    if outer.cells:
        yield of_column(
            column_values, SPACES, "middle" if _stands_twice(column_values) else "low", outer.cells, f"{cells(outer.cells)} with spaces at an end",
            evidence=[Evidence(value=v, count=n, becomes=v.strip()) for v, n in outer.values],
            filters=[make_filter("column", name=column_values.name, test="outer spaces")],
            rule={"kind": "trim-spaces", "columns": [column_values.name]},
        )  # fmt: skip
    spaces = _SPACES if column.role is Role.FREE_TEXT else _SPACES + _BREAKS
    if column_values.matching(f"{_UNSEEN}|[{spaces}]", Mark.WIDE | Mark.CONTROL).cells:
        yield from _unseen(column_values)
        yield from _other_spaces(column_values, spaces)


def _unseen(column_values: ColumnValues) -> Iterator[Finding]:
    met = column_values.matching(_UNSEEN, Mark.WIDE | Mark.CONTROL)
    # half of a letter that was decoded wrongly is no character of its own
    becomes = {v: _without_unseen(v) for v in met.texts if repaired(v) is None}
    rule: Rule = {"kind": "replace-pattern", "columns": [column_values.name], "find": _UNSEEN}
    yield from _told(column_values, met, becomes, _UNSEEN, rule, "characters that cannot be seen")


def _other_spaces(column_values: ColumnValues, spaces: str) -> Iterator[Finding]:
    inside = rf"(?s){_CAN_BE_SEEN}.*[{spaces}].*{_CAN_BE_SEEN}"
    met = column_values.matching(inside, Mark.WIDE | Mark.CONTROL)
    marked = grouped(column_values) if met.cells else None
    written = f"[{for_python(spaces)}]+"
    becomes = {v: re.sub(written, " ", v) for v in met.texts if not marked or v not in marked.values}
    rule: Rule = {"kind": "replace-pattern", "columns": [column_values.name], "find": f"[{spaces}]+", "replacement": " ", "only": inside}  # fmt: skip
    yield from _told(column_values, met, becomes, inside, rule, "spaces of another kind inside", detail="spaces")


def _told(
    column_values: ColumnValues, met: Matches, becomes: dict[str, str], pattern: str, rule: Rule, words: str, detail: str = ""
) -> Iterator[Finding]:  # fmt: skip
    """The values that match a pattern; where some of them are told elsewhere, the others by themselves."""
    if not becomes:
        return
    is_all = len(becomes) == len(met.values)
    count = met.cells if is_all else sum(n for v, n in met.values if v in becomes)
    yield of_column(
        column_values, INVISIBLE, "middle", count, f"{cells(count)} with {words}",
        evidence=[Evidence(value=v, count=n, becomes=becomes[v]) for v, n in met.values if v in becomes],
        filters=matching(column_values.name, pattern) if is_all else those(column_values.name, list(becomes)),
        rule=rule if is_all else translation(column_values.name, becomes), detail=detail,
    )  # fmt: skip


def _stands_twice(column_values: ColumnValues) -> bool:
    return bool(column_values.ask(_ALSO_WITHOUT, {"spaces": " \t\u00a0\u2003\u3000"}))


def _without_unseen(value: str) -> str:
    return "".join(c for c in value if unicodedata.category(c) not in ("Cc", "Cf") or c in "\t\n\v\f\r")
