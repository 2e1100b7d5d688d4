"""Spaces at the ends and characters that cannot be seen."""

from __future__ import annotations

from collections.abc import Iterator

from pravin_core.engines.functions import Mark
from pravin_core.engines.kinds import OUTER_SPACES
from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.findings.base import Evidence, Finding, Kind, cells, of_column
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
    "Control and format characters (Unicode Cc and Cf) and no-break spaces inside a value. Line breaks and tabs in "
    "free text are not meant.",
)
_INSIDE = r"\S(?:.*)[\p{Cf}\x{00A0}\x{2000}-\x{200B}\x{202F}\x{3000}](?:.*)\S|[\x{00}-\x{08}\x{0E}-\x{1F}\x{7F}-\x{9F}]|\p{Cf}"
_BREAKS = r"\S[\t\r\n]+.*\S"


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
    free = column.role is Role.FREE_TEXT
    pattern = _INSIDE if free else f"{_INSIDE}|{_BREAKS}"
    inside = column_values.matching(f"(?s){pattern}", Mark.WIDE | Mark.CONTROL)
    own = [(v, n) for v, n in inside.values if not _plain_after_trim(v)]
    if own:
        count = inside.cells if len(own) == len(inside.values) else sum(n for _, n in own)
        yield of_column(
            column_values, INVISIBLE, "middle", count, f"{cells(count)} with characters that cannot be seen",
            evidence=[Evidence(value=v, count=n, becomes=_without(v)) for v, n in own],
            filters=[make_filter("column", name=column_values.name, test="matches", value=f"(?s){pattern}")],
            rule={"kind": "replace-pattern", "columns": [column_values.name],
                  "find": r"[\p{Cf}\x{00}-\x{08}\x{0E}-\x{1F}\x{7F}-\x{9F}]|[\s\x{00A0}\x{2000}-\x{200A}\x{202F}\x{3000}]+$"},
        )  # fmt: skip


def _stands_twice(column_values: ColumnValues) -> bool:
    return bool(column_values.ask(_ALSO_WITHOUT, {"spaces": " \t\u00a0\u2003\u3000"}))


def _plain_after_trim(value: str) -> bool:
    text = value.strip()
    return text.isprintable() and not any(c in "\u00a0\u202f\u3000" or "\u2000" <= c <= "\u200b" for c in text)


def _without(value: str) -> str:
    return "".join(c if c.isprintable() else " " if c.isspace() else "" for c in value).strip()
