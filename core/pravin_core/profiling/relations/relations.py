"""All relations between the columns of a table, and of each to a target."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from pydantic import BaseModel, ConfigDict

from pravin_core.engines.base import Limits
from pravin_core.errors import Cancelled, RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.profiling.model import ColumnProfile
from pravin_core.profiling.relations.association import (
    correlation_ratio,
    cramers_v,
    missing_together,
    pearson,
    spearman,
    uncertainty,
)
from pravin_core.profiling.relations.skill import skill
from pravin_core.profiling.relations.table import MOST_COLUMNS, SAMPLE, Measured, measured

METHODS = {
    ("number", "number"): "the greater of Pearson's and Spearman's correlation, its sign left aside",
    ("category", "number"): "correlation ratio (Fisher's eta)",
    ("category", "category"): "Cramér's V with correction of its bias (Bergsma 2013)",
}


class _Part(BaseModel):
    model_config = ConfigDict(frozen=True)


class Related(_Part):
    """A column among the others. `scale` is number, category or none; then `why_not` says why it is not compared."""

    name: str
    scale: str
    why_not: str = ""


class Pair(_Part):
    """Two columns by their places. `strength` from 0 to 1; the correlations are given for two numbers, for two categories how
    much the left tells of the right, and the right of the left.
    """

    left: int
    right: int
    strength: float
    pearson: float | None = None
    spearman: float | None = None
    right_by_left: float | None = None
    left_by_right: float | None = None


class Foretold(_Part):
    """What a column says of the target: association, skill alone, and how its being missing goes with the target."""

    name: str
    association: float | None
    skill: float | None
    missing: float | None


class Relations(_Part):
    """All pairs that can be compared. `compared` of `records` records were looked at; `left_out`: columns beyond 300."""

    records: int
    compared: int
    columns: tuple[Related, ...]
    pairs: tuple[Pair, ...]
    missing: tuple[Pair, ...]
    target: str = ""
    foretold: tuple[Foretold, ...] = ()
    left_out: int = 0


def relate(
    snapshot: Snapshot,
    columns: Sequence[ColumnProfile],
    target: str,
    scratch: Path,
    limits: Limits = Limits(),
    sample: int | None = SAMPLE,
    progress: Callable[[float], bool] | None = None,
) -> Relations:
    """Compare all columns with each other and, if one is named, with the target.

    `sample` None compares all records. `progress(share)` returns False to cancel. Raises RunError for an unknown target.
    """
    if target and target not in snapshot.columns:
        raise RunError(f"There is no column {target!r}.", column=target, advice="Choose another target.")
    chosen = [column for column in columns if column.name == target] + [
        column for column in columns if column.name != target
    ]
    chosen = sorted(chosen[:MOST_COLUMNS], key=lambda each_column: each_column.position)
    known = measured(snapshot, chosen, scratch, limits, sample)
    pairs: list[Pair] = []
    for at, left in enumerate(known):
        if progress and not progress(0.7 * at / len(known)):
            raise Cancelled("The comparison of columns was cancelled.")
        pairs += [pair for other in range(at + 1, len(known)) if (pair := _pair(at, other, left, known[other]))]
    together = missing_together(known)
    absent = tuple(
        Pair(left=i, right=j, strength=round(abs(phi), 4), pearson=round(phi, 4))
        for i in range(len(known))
        for j in range(i + 1, len(known))
        if (phi := together[i][j]) is not None and abs(phi) >= 0.1
    )
    return Relations(
        records=snapshot.records,
        compared=len(known[0].missing) if known else 0,
        columns=tuple(
            Related(name=variable.name, scale=variable.scale, why_not=variable.why_not) for variable in known
        ),
        pairs=tuple(pairs),
        missing=absent,
        target=target,
        foretold=_foretold(known, target, progress),
        left_out=max(0, len(columns) - len(chosen)),
    )


def _pair(at: int, other: int, left: Measured, right: Measured) -> Pair | None:
    if left.numbers is not None and right.numbers is not None:
        straight, ranked = pearson(left.numbers, right.numbers), spearman(left.numbers, right.numbers)
        if straight is None or ranked is None:
            return None
        strength = max(abs(straight), abs(ranked))
        return Pair(left=at, right=other, strength=round(strength, 4), pearson=round(straight, 4),
                    spearman=round(ranked, 4))  # fmt: skip
    result = association(left, right)
    if result is None:
        return None
    results = uncertainty(left.codes, right.codes) if left.codes is not None and right.codes is not None else None
    forth, back = results or (None, None)
    return Pair(
        left=at, right=other, strength=round(result, 4), right_by_left=_rounded(forth), left_by_right=_rounded(back)
    )


def association(left: Measured, right: Measured) -> float | None:
    """The strength of association of two columns by the method for their scales; None where there is none."""
    if left.numbers is not None and right.numbers is not None:
        both = pearson(left.numbers, right.numbers), spearman(left.numbers, right.numbers)
        return max(abs(both[0]), abs(both[1])) if both[0] is not None and both[1] is not None else None
    if left.codes is not None and right.codes is not None:
        return cramers_v(left.codes, right.codes)
    if left.codes is not None and right.numbers is not None:
        return correlation_ratio(left.codes, right.numbers)
    if left.numbers is not None and right.codes is not None:
        return correlation_ratio(right.codes, left.numbers)
    return None


def _foretold(known: Sequence[Measured], target: str, progress: Callable[[float], bool] | None) -> tuple[Foretold, ...]:
    goal = next((variable for variable in known if variable.name == target), None)
    if goal is None:
        return ()
    results = []
    for at, variable in enumerate(known):
        if progress and not progress(0.7 + 0.3 * at / len(known)):
            raise Cancelled("The comparison of columns was cancelled.")
        if variable is goal:
            continue
        gaps = Measured(
            variable.name,
            np.zeros(len(variable.missing), dtype=bool),
            codes=variable.missing.astype(np.int64),
            levels=2,
        )
        gone = association(gaps, goal) if 0 < variable.missing.sum() < len(variable.missing) else None
        results.append(
            Foretold(
                name=variable.name,
                association=_rounded(association(variable, goal)),
                skill=_rounded(skill(variable, goal)),
                missing=_rounded(gone),
            )
        )
    return tuple(results)


def _rounded(value: float | None) -> float | None:
    return None if value is None else round(value, 4)
