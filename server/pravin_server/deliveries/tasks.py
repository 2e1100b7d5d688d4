"""Background work of deliveries."""

from typing import Any

from pravin_server.common.jobs import Progress, when_not_done, work
from pravin_server.deliveries.services import reading


@work("read")
def read(target: int, progress: Progress) -> None:
    """Read and profile a delivery."""
    reading.read_delivery(target, progress)


@when_not_done("read")
def not_read(target: int, state: str, error: dict[str, Any] | None) -> None:
    """The delivery shows why it could not be read."""
    reading.reading_ended(target, state, error)
