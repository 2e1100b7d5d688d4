"""What a rule looks at, and which rules above it matter for that."""

from __future__ import annotations

from collections.abc import Sequence

from pravin_core.formulas.reading import reads
from pravin_core.rules.base import ColumnCorrection, Derivation, OfColumns, RecordCorrection, Rule, TableCorrection


def needed_by(rule: Rule, above: Sequence[tuple[int, Rule]]) -> list[tuple[int, Rule]]:
    """Those of the rules above without which the cells that a rule looks at would be others."""
    requested = None if of_all(rule) else _looked_at(rule)
    kept: list[tuple[int, Rule]] = []
    for number, each_rule in reversed(above):
        if requested is not None and not _writes(each_rule, requested):
            continue
        kept.append((number, each_rule))
        more = _looked_at(each_rule)
        requested = None if requested is None or more is None else requested | more
    return kept[::-1]


def of_all(rule: Rule) -> bool:
    """Whether a rule treats columns that it does not name."""
    return isinstance(rule, OfColumns) and (rule.by is not None or not rule.columns)


def _writes(rule: Rule, wanted: set[str]) -> bool:
    """Whether a rule may write one of the columns, or removes records."""
    if isinstance(rule, ColumnCorrection) and not of_all(rule):
        columns = {f"{name}{rule.ending}" for name in rule.columns} if rule.result == "beside" else set(rule.columns)
        return bool(wanted & columns)
    if isinstance(rule, Derivation):
        return bool(wanted & {*rule.makes(), *rule.drops()})
    return True


def _looked_at(rule: Rule) -> set[str] | None:
    """The columns that a rule reads or writes beside each one that it treats; None when it may be all."""
    if isinstance(rule, TableCorrection):
        return None
    named = {*rule.needs(), *reads(rule.condition())}
    if isinstance(rule, Derivation):
        return named | set(rule.makes())
    if isinstance(rule, RecordCorrection) and "columns" in type(rule).model_fields and not getattr(rule, "columns", ()):
        return None  # records alike in every column
    if isinstance(rule, RecordCorrection) and not rule.needs():
        return None
    return named


def delivered_columns(active: Sequence[tuple[int, Rule]], delivered: Sequence[str]) -> list[str] | None:
    """The delivered columns that some rules look at, in order; None when it may be all."""
    asked_for: set[str] = set()
    results: set[str] = set()
    for _, rule in active:
        named = _looked_at(rule)
        if named is None:
            return None
        asked_for |= named - results
        if isinstance(rule, Derivation):
            results |= set(rule.makes())
        if isinstance(rule, ColumnCorrection) and rule.result == "beside":
            results |= {f"{name}{rule.ending}" for name in rule.columns}
    return [name for name in delivered if name in asked_for]
