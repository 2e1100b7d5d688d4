"""What a run is given and what it says."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field


class Decision(BaseModel):
    """What a person decided on one record: amended values by column (None is missing), accepted or discarded."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    record: int = Field(ge=1)
    kind: Literal["amend", "accept", "discard"]
    values: dict[str, str | None] = {}


class Reconciliation(BaseModel):
    """Every delivered record and line is in exactly one part."""

    model_config = ConfigDict(frozen=True)

    delivered: int
    added: int
    ready: int
    corrected: int
    quarantined: int
    removed: int
    rejected: int

    @property
    def balances(self) -> bool:
        """delivered + added = ready + corrected + quarantined + removed + rejected."""
        parts = self.ready + self.corrected + self.quarantined + self.removed + self.rejected
        return self.delivered + self.added == parts


class Effect(BaseModel):
    """What one rule did: cells changed, cells it could not treat, records touched, removed, breaking the check,
    columns dropped."""

    model_config = ConfigDict(frozen=True)

    rule: str
    number: int
    kind: str
    enabled: bool
    cells: int = 0
    unconverted: int = 0
    records: int = 0
    removed: int = 0
    broken: int = 0
    columns: int = 0


class Outcome(BaseModel):
    """The whole result of a run but for the records. `stopped_by` lists stopping checks that records break."""

    model_config = ConfigDict(frozen=True)

    reconciliation: Reconciliation
    discarded: int
    accepted: int
    effects: tuple[Effect, ...]
    columns: tuple[tuple[str, str], ...]
    stopped_by: tuple[str, ...]
