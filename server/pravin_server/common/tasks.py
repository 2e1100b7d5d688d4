"""Loads the tasks of all apps for the worker: procrastinate looks for a module of this name in every app."""

from procrastinate.contrib.django import app

from pravin_server.common import repeats
from pravin_server.common.jobs import perform, shrink_cache, take_up_silent, take_up_stalled

__all__ = ["forget_old_answers", "perform", "shrink_cache", "take_up_silent", "take_up_stalled"]


@app.periodic(cron="17 * * * *")
@app.task(queue="watch", name="forget_old_answers", queueing_lock="forget_old_answers", pass_context=False)
def forget_old_answers(timestamp: int) -> None:
    """Keep the answers to requests with a key no longer than anybody repeats them."""
    repeats.forget_old()
