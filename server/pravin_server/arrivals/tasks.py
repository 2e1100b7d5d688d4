"""Background work of arrivals."""

from django.utils import timezone
from procrastinate.contrib.django import app

from pravin_server.arrivals import drop_folder, fetching
from pravin_server.common.jobs import Progress, work


@work("fetch")
def fetch(target: int, progress: Progress) -> None:
    """Fetch what a plan says."""
    progress("fetching", 0.1)
    fetching.fetch(target)


@app.periodic(cron="* * * * * */3")
@app.task(queue="watch", name="look_into_drop_folders", queueing_lock="look_into_drop_folders", pass_context=False)
def look_into_drop_folders(timestamp: int) -> None:
    """Take in what suppliers dropped."""
    drop_folder.look()


@app.periodic(cron="* * * * * */20")
@app.task(queue="watch", name="fetch_what_is_due", queueing_lock="fetch_what_is_due", pass_context=False)
def fetch_what_is_due(timestamp: int) -> None:
    """Ask for the fetches that are due."""
    fetching.ask_due(timezone.now())
