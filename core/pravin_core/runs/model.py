"""What a run says."""

from __future__ import annotations

from pydantic import BaseModel, ConfigDict


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
    """What one rule did: cells changed, cells it could not treat, records touched, removed, added, breaking the check,
    columns touched. `seen` is what a check of the table saw.
    """

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
    added: int = 0
    seen: str = ""


class Outcome(BaseModel):
    """The whole result of a run but for the records. `stopped_by` lists stopping checks that records break."""

    model_config = ConfigDict(frozen=True)

    reconciliation: Reconciliation
    discarded: int
    accepted: int
    effects: tuple[Effect, ...]
    columns: tuple[tuple[str, str], ...]
    delivered: dict[str, str] = {}  # columns that are called otherwise in the delivery: name there by name here
    ordered: bool = False  # rules gave the records another order, which stands in the result
    lost: tuple[str, ...] = ()  # columns with cells that may not have been read: the value stands in a reason
    traced: bool = False  # rules added or merged records: where each belongs stands in the result
    stopped_by: tuple[str, ...]
    # of what made it: where it is today's, counts kept with the run are those of the result made again
    version: int = 0
