"""Background work of derived feeds."""

from pravin_server.common.jobs import Progress, work
from pravin_server.derived import making


@work("derive")
def derive(target: int, progress: Progress) -> None:
    """Deliver a derived feed anew."""
    making.deliver(target, progress)
