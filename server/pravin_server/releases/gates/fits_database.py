"""A table of the database can hold the columns."""

from __future__ import annotations

from pravin_server.releases.gates.base import Gate, Proposal

MOST_COLUMNS = 1500  # PostgreSQL takes 1,600, less what its row header and ours need


def finds(case: Proposal) -> tuple[bool, str]:
    """A table of the database can hold the columns."""
    columns = len(case.outcome.columns)
    return columns <= MOST_COLUMNS, f"{columns:,} of at most {MOST_COLUMNS:,} columns"


GATE = Gate("The table fits the database", 70, finds)
