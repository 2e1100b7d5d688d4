"""What the effect of a rule is."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict

from pravin_core.runs.change_samples import ValueChange

MOST_COLUMNS = 12  # of a record that are shown


class SampleRow(BaseModel):
    """A record that a correction of records or of the table touches."""

    model_config = ConfigDict(frozen=True)

    record: int
    cells: tuple[str | None, ...]


class RuleEffect(BaseModel):
    """What one rule does to the records as the rules above leave them. `pairs` are the most frequent of all
    `different` ones; `lost` are values it could not treat; `rows` shows records of a correction of records or the table.
    """

    model_config = ConfigDict(frozen=True)

    cells: int = 0
    unconverted: int = 0
    records: int | None = 0  # None where a rule treats several columns and its records were not counted
    removed: int = 0
    added: int = 0
    broken: int = 0
    columns: int = 0
    seen: str = ""
    fills: bool = False  # whether the cells that change are those of new columns only
    undone: int = 0  # cells that get back what they held before an earlier rule
    undoes: str = ""  # that rule
    different: int = 0
    pairs: tuple[ValueChange, ...] = ()
    lost: tuple[ValueChange, ...] = ()
    heads: tuple[str, ...] = ()
    rows: tuple[SampleRow, ...] = ()
