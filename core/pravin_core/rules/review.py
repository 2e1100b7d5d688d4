"""What a careful colleague would say of a rulebook: rules that do nothing, undo or hide each other, or stand too late."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from pydantic import BaseModel, ConfigDict

from pravin_core.formulas.reading import reads
from pravin_core.rules.base import ColumnCorrection, Conversion, Derivation, RecordCorrection, Rule, TableCorrection
from pravin_core.rules.rulebook import Rulebook

_TEXTS = ("Text", "Repair", "Missing")


class Advice(BaseModel):
    """A remark on a rule: what it says, and the number of the place where the rule would do better (0: none)."""

    model_config = ConfigDict(frozen=True)

    rule: str
    says: str
    better_place: int = 0


def review(rulebook: Rulebook, touched: Mapping[str, int] | None = None) -> list[Advice]:
    """Remarks on the active rules, in their order. `touched` tells how much each rule did in a trial, if there was one."""
    numbered = [(n, rule) for n, rule in enumerate(rulebook.rules, start=1) if rule.enabled]
    advices: list[Advice] = []
    for at, (number, rule) in enumerate(numbered):
        above = numbered[:at]
        remark = (
            _out_of_reach(rule, above) or _after_reading(rule, above) or _hidden(rule, above) or _undoes(rule, above)
        )
        remark = remark or _overwritten(number, rule, numbered[at + 1 :])
        reads = rule.group == "Types"  # to give a column its type is something, even where every text reads well
        if remark is None and touched is not None and not rule.is_check and not reads and touched.get(rule.id) == 0:
            remark = Advice(rule=rule.id, says="It changes nothing in this delivery.")
        if remark:
            advices.append(remark)
    return advices


def _named(rule: Rule) -> set[str]:
    return {*rule.needs(), *reads(rule.condition())}


def _out_of_reach(rule: Rule, above: Sequence[tuple[int, Rule]]) -> Advice | None:
    """A column that a rule above dropped or renamed."""
    named = _named(rule)
    for number, other in above:
        gone: dict[str, str] = {}
        if other.kind == "drop-columns" and getattr(other, "those", "") == "remove":
            gone = dict.fromkeys(getattr(other, "columns", ()), "drops")
        elif other.kind == "rename-columns" and getattr(other, "way", "") == "list":
            gone = {name.code: f"renames to {name.meaning}" for name in getattr(other, "names", ())}
        elif isinstance(other, Derivation):
            gone = dict.fromkeys(set(other.drops()) - set(other.makes()), "uses up")
        if lost := sorted(named & set(gone)):
            place = 0 if rule.is_check else number
            return Advice(
                rule=rule.id, says=f"It needs {lost[0]}, which rule {number} {gone[lost[0]]}.", better_place=place
            )
    return None


def _after_reading(rule: Rule, above: Sequence[tuple[int, Rule]]) -> Advice | None:
    """Text that is repaired only after a rule has read it as number or date."""
    if (
        rule.group not in _TEXTS
        or not isinstance(rule, ColumnCorrection)
        or rule.kind == "fill"
        or rule.result == "beside"
    ):
        return None
    for number, other in above:
        if other.reads_types and isinstance(other, Conversion):
            shared = set(other.columns) & set(rule.columns)
            if shared:
                says = f"Rule {number} has read {min(shared)} already: what this rule repairs comes too late for it."
                return Advice(rule=rule.id, says=says, better_place=number)
    return None


def _hidden(rule: Rule, above: Sequence[tuple[int, Rule]]) -> Advice | None:
    """The same rule stands above, for these columns or for all."""
    if rule.is_check or isinstance(rule, TableCorrection | Derivation):
        return None
    own = rule.model_dump(exclude={"id", "note", "columns", "enabled"})
    for number, other in above:
        if other.kind == rule.kind and other.model_dump(exclude={"id", "note", "columns", "enabled"}) == own:
            theirs, ours = set(getattr(other, "columns", ())), set(getattr(rule, "columns", ()))
            if isinstance(rule, RecordCorrection) and theirs != ours:
                continue
            if not theirs or (ours and ours <= theirs):
                return Advice(rule=rule.id, says=f"Rule {number} does the same already.")
    return None


def _undoes(rule: Rule, above: Sequence[tuple[int, Rule]]) -> Advice | None:
    """A rule that takes back what one above did."""
    ours = set(getattr(rule, "columns", ()))
    for number, other in reversed(above):
        theirs = set(getattr(other, "columns", ()))
        shared = ours & theirs
        if rule.kind == other.kind == "letter-case" and shared:
            return Advice(
                rule=rule.id,
                says=f"It writes again what rule {number} wrote in {min(shared)}: only the later one counts.",
            )
        if (
            rule.kind == other.kind == "scale-values"
            and shared
            and abs(getattr(rule, "factor", 1) * getattr(other, "factor", 1) - 1) < 1e-9
        ):
            return Advice(rule=rule.id, says=f"It undoes rule {number}.")
        if rule.kind == "to-text" and other.reads_types and shared:
            return Advice(rule=rule.id, says=f"It undoes rule {number}, which read {min(shared)}.")
        if rule.kind == other.kind == "rename-columns" and {
            (name.code, name.meaning) for name in getattr(rule, "names", ())
        } & {(name.meaning, name.code) for name in getattr(other, "names", ())}:
            return Advice(rule=rule.id, says=f"It undoes rule {number}.")
        if rule.kind == "drop-columns" and isinstance(other, Derivation) and set(other.makes()) <= ours:
            return Advice(rule=rule.id, says=f"It drops what rule {number} made.")
    return None


def _overwritten(number: int, rule: Rule, below: Sequence[tuple[int, Rule]]) -> Advice | None:
    """A rule whose columns another one writes anew before anything has read them."""
    if not isinstance(rule, ColumnCorrection) or not rule.columns or rule.result == "beside" or rule.by is not None:
        return None
    left = set(rule.columns)
    for later, other in below:
        if isinstance(other, RecordCorrection | TableCorrection) or (
            isinstance(other, ColumnCorrection) and not other.columns
        ):
            return None
        if _named(other) & left and not (isinstance(other, ColumnCorrection) and set(other.columns) & left):
            return None
        if isinstance(other, ColumnCorrection) and set(other.columns) & left:
            return None
        if isinstance(other, Derivation) and left <= set(other.makes()):
            return Advice(rule=rule.id, says=f"Rule {later} writes {min(left)} anew, so this one has no effect.")
    return None
