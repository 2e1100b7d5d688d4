"""What an engine must do: answer statements within limits, in turn, and be stopped from outside.

Nothing above `engines/` names an engine: it is given a `Connection`, which `engines.duckdb.connect` opens.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractContextManager, nullcontext
from dataclasses import dataclass
from typing import Any, Protocol, Self


class Connection(Protocol):
    """A connection to an engine, for one thread at a time."""

    @property
    def description(self) -> Any:
        """The columns of the last answer: name first."""

    def execute(self, query: str, parameters: object = None) -> Self:
        """Run a statement; parameters by place (a list) or by name (a dictionary)."""

    def fetchall(self) -> list[Any]:
        """All rows of the last answer, as tuples."""

    def fetchone(self) -> tuple[Any, ...] | None:
        """The next row of the last answer."""

    def fetchmany(self, size: int) -> list[Any]:
        """At most so many further rows of the last answer."""

    def sql(self, query: str) -> Any:
        """A query whose answer is read in Arrow batches, while it is computed."""

    def fetchnumpy(self) -> dict[str, Any]:
        """The last answer by column, as arrays."""

    def register(self, view_name: str, python_object: object) -> Self:
        """Let an Arrow table be a table of this connection."""

    def unregister(self, view_name: str) -> Self:
        """Forget such a table."""

    def cursor(self) -> Self:
        """Another connection to the same engine, for another thread."""

    def interrupt(self) -> None:
        """End what is being computed, from any thread."""

    def query_progress(self) -> float:
        """How far the statement is, in per cent; negative when that is not known."""

    def close(self) -> None:
        """End the connection; the engine ends with its last one."""


@dataclass(frozen=True)
class Limits:
    """What a connection may use. `memory` as DuckDB writes it (e.g. "1GB"), `threads` of the machine, and for how many
    seconds it may compute (0: as long as it takes).
    """

    memory: str = "1GB"
    threads: int = 2
    seconds: float = 0


Gate = Callable[[], AbstractContextManager[None]]


_gate: Gate = nullcontext


def in_turn() -> AbstractContextManager[None]:
    """What every engine waits for before it computes."""
    return _gate()


def set_gate(gate: Gate) -> None:
    """Let every connection of this process wait for its turn: `gate` is entered before, and left after it."""
    global _gate
    _gate = gate
