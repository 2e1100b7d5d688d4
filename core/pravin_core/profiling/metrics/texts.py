"""Values, shapes and lengths of the cells as text."""

from __future__ import annotations

from pravin_core.engines.functions import LONG, Mark
from pravin_core.engines.kinds import INVISIBLE, OUTER_SPACES
from pravin_core.profiling.model import Bin, Distribution, TextStatistics, ValueCount
from pravin_core.profiling.study import Study

# a shape is as long as its texts, with letters and words where they have them; long texts share one and are read
_LENGTHS = r"""
SELECT min(length(text)), max(length(text)), sum(length(text) * cells) / sum(cells),
  sum(words_of(text) * cells) / sum(cells), sum((length(text) - others) * cells) / sum(cells)
FROM (
  SELECT shape AS text, length(replace(replace(shape, 'a', ''), 'A', '')) AS others, cells FROM forms WHERE shape <> $long
  UNION ALL
  SELECT value, length(regexp_replace(value, '[\p{Lu}\p{Lt}\p{Ll}]', '', 'g')), n FROM study WHERE shape = $long
)
"""
_MATCHING = """
SELECT coalesce(sum(n), 0)::BIGINT FROM study WHERE marks & $marks > 0 AND regexp_matches(value, $pattern)
"""


def measure(study: Study) -> TextStatistics | None:
    """Lengths, words and what cannot be seen; None when every cell is missing."""
    shortest, longest, length, words, letters = study.ask(_LENGTHS, {"long": LONG})[0]
    if shortest is None:
        return None
    return TextStatistics(
        shortest=shortest,
        longest=longest,
        mean_length=length,
        mean_words=words,
        mean_letters=letters,
        outer_spaces=_matching(study, Mark.OUTER_SPACE | Mark.WIDE | Mark.CONTROL, OUTER_SPACES),
        invisible=_matching(study, Mark.CONTROL | Mark.WIDE, INVISIBLE),
    )


def _matching(study: Study, marks: int, pattern: str) -> int:
    if not study.holds(marks):
        return 0
    return int(study.ask(_MATCHING, {"marks": int(marks), "pattern": pattern})[0][0])


def distribution(top: tuple[ValueCount, ...]) -> Distribution:
    """The twelve most frequent values as bars."""
    return Distribution(
        of="values", bins=tuple(Bin(low=v.value[:40], high=v.value[:40], count=v.count) for v in top[:12])
    )
