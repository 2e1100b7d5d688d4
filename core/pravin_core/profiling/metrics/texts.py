"""Values, shapes and lengths of the cells as text."""

from __future__ import annotations

from pravin_core.engines.functions import LONG, Mark
from pravin_core.engines.kinds import INVISIBLE, OUTER_SPACES
from pravin_core.profiling.column_values import ColumnValues
from pravin_core.profiling.model import Bin, Distribution, TextStatistics, ValueCount

# a shape is as long as its texts, with letters and words where they have them; long texts share one and are read
_LENGTHS = r"""
SELECT min(length(text)), max(length(text)), sum(length(text) * cells) / sum(cells),
  sum(words_of(text) * cells) / sum(cells), sum((length(text) - others) * cells) / sum(cells)
FROM (
  SELECT shape AS text, length(replace(replace(shape, 'a', ''), 'A', '')) AS others, cells FROM forms WHERE shape <> $long
  UNION ALL
  SELECT value, length(regexp_replace(value, '[\p{Lu}\p{Lt}\p{Ll}]', '', 'g')), n FROM column_values WHERE shape = $long
)
"""
_MATCHING = """
SELECT coalesce(sum(n), 0)::BIGINT FROM column_values WHERE marks & $marks > 0 AND regexp_matches(value, $pattern)
"""


def measure(column_values: ColumnValues) -> TextStatistics | None:
    """Lengths, words and what cannot be seen; None when every cell is missing."""
    shortest, longest, length, words, letters = column_values.ask(_LENGTHS, {"long": LONG})[0]
    if shortest is None:
        return None
    return TextStatistics(
        shortest=shortest,
        longest=longest,
        mean_length=length,
        mean_words=words,
        mean_letters=letters,
        outer_spaces=_matching(column_values, Mark.OUTER_SPACE | Mark.WIDE | Mark.CONTROL, OUTER_SPACES),
        invisible=_matching(column_values, Mark.CONTROL | Mark.WIDE, INVISIBLE),
    )


def _matching(column_values: ColumnValues, marks: int, pattern: str) -> int:
    if not column_values.count_where(marks):
        return 0
    return int(column_values.ask(_MATCHING, {"marks": int(marks), "pattern": pattern})[0][0])


def distribution(top: tuple[ValueCount, ...]) -> Distribution:
    """The twelve most frequent values as bars."""
    return Distribution(
        of="values", bins=tuple(Bin(low=v.value[:40], high=v.value[:40], count=v.count) for v in top[:12])
    )
