"""Background work of releases."""

from typing import Any

from pravin_server.common.jobs import Progress, when_not_done, work
from pravin_server.releases import proposals, services


@work("publish")
def publish(target: int, progress: Progress) -> None:
    """Publish a release."""
    services.publish(target, progress)


@when_not_done("publish")
def not_published(target: int, state: str, error: dict[str, Any] | None) -> None:
    """The release shows why it is not published."""
    services.publishing_ended(target, state, error)
    proposals.publishing_ended(target)
