"""Background work of runs."""

from typing import Any

from pravin_server.common.jobs import Progress, when_not_done, work
from pravin_server.runs import services, tables_after


@work("run")
def run(target: int, progress: Progress) -> None:
    """Do a trial or run."""
    services.perform_run(target, progress)


@when_not_done("run")
def not_run(target: int, state: str, error: dict[str, Any] | None) -> None:
    """The run shows why it is not done."""
    services.run_ended(target, state, error)


@work("table after")
def table_after(target: int, progress: Progress) -> None:
    """Make and profile the table that rules leave."""
    tables_after.perform(target, progress)
