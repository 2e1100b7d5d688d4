"""The ready records keep the contract of the released table."""

from __future__ import annotations

from pravin_server.releases.contracts import breaches, newest
from pravin_server.releases.gates.base import Gate, Proposal


def finds(case: Proposal) -> tuple[bool, str]:
    """The ready records keep the contract of the released table."""
    version = newest(case.delivery.feed)
    if version is None:
        return True, "none is agreed"
    found = breaches(version, case.run)
    told = [
        f"{breach.column} {breach.sentence}"
        + (
            f" ({breach.records:,} records, first: {', '.join(f'{n:,}' for n in breach.first)})"
            if breach.records
            else ""
        )
        for breach in found
    ]
    return not found, "; ".join(told) or f"version {version.number}, {len(version.columns):,} columns"


GATE = Gate("The contract is kept", 56, finds)
