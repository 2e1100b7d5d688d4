"""Values, shapes and lengths of the cells as text."""

from __future__ import annotations

from pravin_core.engines.functions import LONG, Mark
from pravin_core.engines.kinds import INVISIBLE, OUTER_SPACES
from pravin_core.profiling.model import Bin, Distribution, TextStatistics, ValueCount
from pravin_core.profiling.study import Study

_LENGTHS = "SELECT min(length(value)), max(length(value)), sum(length(value) * n) / sum(n) FROM study WHERE value <> ''"
_WORDS = """
SELECT sum(n * CASE WHEN marks & $spaces = 0 THEN 1 ELSE words_of(value) END) / sum(n)
FROM study WHERE value <> ''
"""
_LETTERS = r"""
SELECT sum(n * CASE WHEN shape = $long THEN length(regexp_replace(value, '[^\p{Lu}\p{Lt}\p{Ll}]', '', 'g'))
  ELSE length(shape) - length(replace(replace(shape, 'a', ''), 'A', '')) END) / sum(n)
FROM study WHERE value <> ''
"""
_MATCHING = """
SELECT coalesce(sum(n), 0)::BIGINT FROM study WHERE marks & $marks > 0 AND regexp_matches(value, $pattern)
"""

_LETTER = Mark.LETTER | Mark.E | Mark.WIDE


def measure(study: Study) -> TextStatistics | None:
    """Lengths, words and what cannot be seen; None when every cell is missing."""
    shortest, longest, mean = study.ask(_LENGTHS)[0]
    if shortest is None:
        return None
    spaced = study.holds(Mark.SPACE | Mark.CONTROL)
    return TextStatistics(
        shortest=shortest,
        longest=longest,
        mean_length=mean,
        mean_words=study.ask(_WORDS, {"spaces": int(Mark.SPACE | Mark.CONTROL)})[0][0] if spaced else 1.0,
        mean_letters=study.ask(_LETTERS, {"long": LONG})[0][0] if study.holds(_LETTER) else 0.0,
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
