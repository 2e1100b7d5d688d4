"""Spaces at the ends and characters that cannot be seen."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterator

from pravin_core.engines.functions import Mark
from pravin_core.engines.kinds import OUTER_SPACES
from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import (
    Evidence,
    Finding,
    Kind,
    Rule,
    cells,
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
    own = {v: n for v, n in met.values if repaired(v) is None}  # else it is half of a letter that was decoded wrongly
    if own:
        is_all = len(own) == len(met.values)
        count = met.cells if is_all else sum(own.values())
        seen = {v: _without_unseen(v) for v in own}
        rule: Rule = {"kind": "replace-pattern", "columns": [column_values.name], "find": _UNSEEN}
        yield of_column(
            column_values, INVISIBLE, "middle", count, f"{cells(count)} with characters that cannot be seen",
            evidence=[Evidence(value=v, count=n, becomes=seen[v]) for v, n in own.items()],
            filters=matching(column_values.name, _UNSEEN) if is_all else those(column_values.name, list(own)),
            rule=rule if is_all else translation(column_values.name, seen),
        )  # fmt: skip


def _other_spaces(column_values: ColumnValues, spaces: str) -> Iterator[Finding]:
    inside = rf"(?s){_CAN_BE_SEEN}.*[{spaces}].*{_CAN_BE_SEEN}"
    met = column_values.matching(inside, Mark.WIDE | Mark.CONTROL)
    marked = grouped(column_values) if met.cells else None
    own = [(v, n) for v, n in met.values if not marked or v not in marked.values]
    if own:
        count = met.cells if len(own) == len(met.values) else sum(n for _, n in own)
        door = matching(column_values.name, inside)
        yield of_column(
            column_values, INVISIBLE, "middle", count, f"{cells(count)} with spaces of another kind inside",
            evidence=[Evidence(value=v, count=n, becomes=_with_plain_spaces(v, spaces)) for v, n in own],
            filters=door if len(own) == len(met.values) else those(column_values.name, [v for v, _ in own]),
            rule={"kind": "replace-pattern", "columns": [column_values.name], "find": f"[{spaces}]+", "replacement": " ", "only": inside},
            detail="spaces",
        )  # fmt: skip


def _stands_twice(column_values: ColumnValues) -> bool:
    return bool(column_values.ask(_ALSO_WITHOUT, {"spaces": " \t\u00a0\u2003\u3000"}))


def _without_unseen(value: str) -> str:
    return "".join(c for c in value if unicodedata.category(c) not in ("Cc", "Cf") or c in "\t\n\v\f\r")


def _with_plain_spaces(value: str, spaces: str) -> str:
    return re.sub(f"[{re.sub(r'.x{(....)}', lambda found: chr(int(found[1], 16)), spaces)}]+", " ", value)
