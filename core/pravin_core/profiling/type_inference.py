"""What a column seems to be (data type) and what part it plays (role), from the counts."""

from __future__ import annotations

import re
from collections.abc import Callable

from pravin_core.profiling.model import TextStatistics, ValueCount
from pravin_core.tables.types import DataType, Role

ENOUGH = 0.9
ENOUGH_DATES = 0.8  # hardly any text that is none looks like a date
MOST = 0.5
NOTHING = ("none", "nil", "nothing", "no", "keine", "keiner", "keines", "nichts", "aucun", "aucune", "rien", "ninguno", "ninguna",
           "nada", "nessuno", "nessuna", "geen", "inget", "ingen", "brak")  # fmt: skip
OFTEN, MOST_CATEGORIES = 0.1, 30
FITTING = {
    DataType.WHOLE: ("whole number",),
    DataType.DECIMAL: ("whole number", "decimal", "decimal comma"),
    DataType.EXACT: ("whole number", "decimal", "decimal comma"),
    DataType.DATE: ("date",),
    DataType.DATETIME: ("date", "date-time"),
    DataType.BOOLEAN: ("true/false",),
}
_ID_NAME = re.compile(r"(?i:(?:^|[_\s-])(?:id|code|key|number|nr|no|ref|uuid)$)|[a-z]Id$")  # sampleId, but not paid
_ZEROS = re.compile(r"^0\d+$")
_CLOCK = re.compile(r"^9?9:99(:99)?$")


def propose_type(
    kinds: dict[str, int], values: tuple[ValueCount, ...], written: Callable[[], int] = int
) -> tuple[DataType, int]:
    """The data type that fits at least nine in ten of the cells not missing (eight in ten for dates), and how many cells fit it.

    Digits with leading zeros are text: they name something. `written` counts cells that are numbers to a person, but are
    written with a unit, a currency or grouped thousands; they decide with the plain numbers, where these are the most.
    """
    present = sum(count for kind, count in kinds.items() if kind not in ("missing", "missing token"))
    whole, decimal = kinds.get("whole number", 0), kinds.get("decimal", 0) + kinds.get("decimal comma", 0)
    date, moment, truth = kinds.get("date", 0), kinds.get("date-time", 0), kinds.get("true/false", 0)
    if not present:
        return DataType.TEXT, 0
    zeros = sum(v.count for v in values if _ZEROS.match(v.value))
    if zeros > 0.05 * sum(v.count for v in values) and whole >= ENOUGH * present:
        return DataType.TEXT, present
    if whole >= ENOUGH * present and decimal <= 0.02 * present:
        return DataType.WHOLE, whole
    if whole + decimal >= ENOUGH * present:
        return DataType.DECIMAL, whole + decimal
    if whole + decimal >= MOST * present and whole + decimal + written() >= ENOUGH * present:
        return DataType.DECIMAL, whole + decimal
    if date >= ENOUGH_DATES * present:
        return DataType.DATE, date
    if date + moment >= ENOUGH_DATES * present:
        return DataType.DATETIME, date + moment
    if truth >= ENOUGH * present:
        return DataType.BOOLEAN, truth
    return DataType.TEXT, present


def propose_role(
    name: str,
    data_type: DataType,
    present: int,
    distinct: int,
    shapes: tuple[ValueCount, ...],
    text: TextStatistics | None,
    counts: Callable[[], bool] = bool,
) -> Role:
    """The role, from name, type, number of distinct values, shapes and lengths; of texts that count something (numbers to a
    person, `counts` tells) a quantity.
    """
    if data_type in (DataType.DATE, DataType.DATETIME):
        return Role.TIME
    if data_type is DataType.BOOLEAN:
        return Role.FLAG
    if data_type is DataType.DECIMAL:
        return Role.QUANTITY
    named = bool(_ID_NAME.search(name))
    if data_type is DataType.WHOLE:
        return Role.IDENTIFIER if named else Role.FLAG if distinct == 2 and present > 20 else Role.QUANTITY
    if counts():
        return Role.QUANTITY
    if text is None:
        return Role.CATEGORY
    if shapes and _CLOCK.match(shapes[0].value) and shapes[0].count > 0.5 * present:
        return Role.TIME
    if named and text.mean_words < 1.5:
        return Role.IDENTIFIER
    if text.mean_words > 3 or text.mean_length > 40:
        return Role.FREE_TEXT
    coded = bool(shapes) and "9" in shapes[0].value and shapes[0].count > 0.5 * present
    if coded and distinct > 0.5 * present:
        return Role.IDENTIFIER
    return Role.CATEGORY if distinct <= max(30, 0.2 * present) else Role.FREE_TEXT


def nothing_as_category(values: tuple[ValueCount, ...], distinct: int) -> tuple[ValueCount, ...]:
    """The words for nothing that are an answer like the others: in a column of at most 30 different values, where at least one
    in ten cells that hold something is such a word (none, mild, severe).
    """
    filled = sum(value.count for value in values)
    met = tuple(value for value in values if value.value.strip().casefold() in NOTHING)
    often = sum(value.count for value in met) >= OFTEN * filled
    return met if met and often and len(met) + 2 <= distinct <= MOST_CATEGORIES else ()


def looks_like_identifier(name: str) -> bool:
    """Whether a column's name says that it identifies something (sample_id, siteCode, ref)."""
    return bool(_ID_NAME.search(name) or re.search(r"(Code|Nr|No|Key|Ref)$", name))
