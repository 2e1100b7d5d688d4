"""Background work of analyses."""

from pravin_server.analyses import services
from pravin_server.common.jobs import Progress, work


@work("analysis")
def analysis(target: int, progress: Progress) -> None:
    """Do an analysis."""
    services.perform(target, progress)
