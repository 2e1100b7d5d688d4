"""How well one column foretells another: the skill of a small decision tree over a naive forecast.

Skill is 1 - E / E0, where E is the mean squared error of the tree on records it was not fitted to (for categories the
Brier score of its probabilities, Brier 1950) and E0 that of always forecasting the mean, or the shares of the categories,
of the records fitted to (Murphy 1988). 0: no better than the naive forecast; 1: always right.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from sklearn.model_selection import KFold
from sklearn.tree import DecisionTreeClassifier, DecisionTreeRegressor

from pravin_core.profiling.relations.table import Measured

Array = np.ndarray[Any, Any]
FOLDS = 4
DEPTH = 6
LEAF = 5
SPREAD_OUT = 30
CLASSES = 50


def skill(column: Measured, target: Measured) -> float | None:
    """The skill of `column` alone for `target`, negative counted as 0; None where it cannot be judged."""
    if target.scale == "none" or column.scale == "none":
        return None
    known = np.isfinite(target.numbers) if target.numbers is not None else _codes(target) >= 0
    if known.sum() < 8 * LEAF or (target.codes is not None and target.levels > CLASSES):
        return None
    goal = _goal(target, known)
    features = _features(column)[known]
    missed = naive = 0.0
    for fit, test in KFold(FOLDS, shuffle=True, random_state=0).split(features):
        forecast = _forecast(features[fit], goal[fit], features[test], target.codes is not None)
        missed += float(((goal[test] - forecast) ** 2).sum())
        naive += float(((goal[test] - goal[fit].mean(axis=0)) ** 2).sum())
    return max(0.0, 1 - missed / naive) if naive > 0 else None


def _goal(target: Measured, known: Array) -> Array:
    """The target as one column of numbers, or one column of 0 and 1 for each category."""
    if target.numbers is not None:
        values = target.numbers[known]
        spread = float(np.abs(values - values.mean()).max()) or 1.0
        return np.asarray((values - values.mean()) / spread)[:, None]
    return np.eye(target.levels)[_codes(target)[known]]


def _features(column: Measured) -> Array:
    """Numbers as they are; few categories as a column of 0 and 1 each, many by their frequency."""
    if column.numbers is not None:
        scale = float(np.nanmax(np.abs(column.numbers))) or 1.0
        return np.asarray(column.numbers / scale, dtype=np.float32)[:, None]
    codes = _codes(column)
    if column.levels <= SPREAD_OUT:
        return np.asarray(codes[:, None] == np.arange(column.levels), dtype=np.float32)
    often = np.bincount(codes[codes >= 0], minlength=column.levels)
    place = np.empty(column.levels)
    place[np.argsort(-often, kind="stable")] = np.arange(column.levels)
    return np.where(codes >= 0, place[codes], np.nan).astype(np.float32)[:, None]


def _codes(column: Measured) -> Array:
    assert column.codes is not None
    return column.codes


def _forecast(features: Array, goal: Array, values: Array, classes: bool) -> Array:
    if not classes:
        tree = DecisionTreeRegressor(max_depth=DEPTH, min_samples_leaf=LEAF, random_state=0)
        return np.asarray(tree.fit(features, goal[:, 0]).predict(values))[:, None]
    chooser = DecisionTreeClassifier(max_depth=DEPTH, min_samples_leaf=LEAF, random_state=0)
    chooser.fit(features, goal.argmax(axis=1))
    forecast = np.zeros((len(values), goal.shape[1]))
    forecast[:, chooser.classes_] = chooser.predict_proba(values)
    return forecast
