"""Columns of a table and the names the engine keeps for itself."""

from __future__ import annotations

from dataclasses import dataclass

from pravin_core.tables.types import DataType

RECORD, FILE, LINE = "__record", "__file", "__line"
ORIGIN = (RECORD, FILE, LINE)
GONE = "__gone"  # the number of the rule that removed the record
PLACE = "__place"  # where the record stands when rules gave the table another order
ADDED = "__added"  # the number of the rule that made the record
MADE_FROM = "__made_from"  # the record that a rule made this one from
MERGED_INTO = "__merged_into"  # the record that a rule put this one into


@dataclass(frozen=True)
class Column:
    """A column by name and data type; `role` as the profile or a person says, `delivered` its name in the delivery."""

    name: str
    type: DataType = DataType.TEXT
    role: str = ""
    delivered: str = ""


def unique_names(names: list[str]) -> tuple[list[str], list[str]]:
    """Make column names usable: not empty, not equal when letter case is ignored, none reserved.

    Returns the names and one sentence for each name that had to be changed.
    """
    in_use: set[str] = set()
    result: list[str] = []
    notes: list[str] = []
    texts = {name.strip().casefold() for name in names}
    for position, delivered in enumerate(names, start=1):
        text = delivered.strip().replace("\x00", "") or f"column_{position}"
        if text.startswith("__"):
            text = f"column{text}"
        name, number = text, 2
        while name.casefold() in in_use or (number > 2 and name.casefold() in texts):
            name, number = f"{text}_{number}", number + 1
        in_use.add(name.casefold())
        result.append(name)
        if name != delivered:
            notes.append(f"column {position} was headed {delivered!r} and is called {name!r}")
    return result, notes
