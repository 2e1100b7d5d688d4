"""Jobs: deferred in the caller's transaction, idempotent, cancellable, taken up again after a crash."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from django.apps import apps
from django.db import transaction
from django.utils import timezone
from procrastinate import App
from procrastinate.contrib.django import app

from pravin_core.errors import Cancelled, PravinError
from pravin_server.common import cache
from pravin_server.common.errors import ServerError, of_core, problem

if TYPE_CHECKING:
    from pravin_server.common.models import Job
    from pravin_server.deliveries.models import Delivery

logger = logging.getLogger(__name__)
_WORK: dict[str, Callable[[int, Progress], None]] = {}


def on_app_ready(procrastinate_app: App) -> None:
    """Nothing to prepare: tasks register themselves by import of each app's tasks.py."""


class Progress:
    """What a job tells about itself; also how it hears that it is to stop."""

    def __init__(self, job_id: int) -> None:
        self.job_id = job_id

    def __call__(self, step: str, share: float) -> bool:
        """Tell the step and how far it is (0 to 1); returns False when a person cancelled."""
        job = apps.get_model("common", "Job").objects
        job.filter(pk=self.job_id).update(step=step[:200], share=share)
        return not job.filter(pk=self.job_id, cancel_wanted=True).exists()


def work(kind: str) -> Callable[[Callable[[int, Progress], None]], Callable[[int, Progress], None]]:
    """Register a function that does the work of a kind of job: it takes the target's id and a Progress."""

    def register(function: Callable[[int, Progress], None]) -> Callable[[int, Progress], None]:
        _WORK[kind] = function
        return function

    return register


def ask(kind: str, target: int, delivery: Delivery | None, user: Any, lock: str | None = None) -> Job:
    """Ask for work, in the caller's transaction. Work with the same `lock` is never done at the same time."""
    job: Job = apps.get_model("common", "Job").objects.create(
        kind=kind, target=target, delivery=delivery, asked_by=user if getattr(user, "pk", None) else None
    )
    perform.configure(lock=lock).defer(job_id=job.pk)
    return job


@app.task(queue="work", name="perform")
def perform(job_id: int) -> None:
    """Do one job. Safe to be called again after a crash: each kind of work writes its result once, under its key."""
    jobs = apps.get_model("common", "Job").objects
    with transaction.atomic():
        job = jobs.select_for_update().filter(pk=job_id).first()
        if job is None or job.state in ("done", "failed", "cancelled"):
            return
        if job.cancel_wanted:
            _end(job, "cancelled")
            return
        job.state, job.attempts = "working", job.attempts + 1
        job.save(update_fields=["state", "attempts"])
    try:
        cache.even_if_deleted(lambda: _WORK[job.kind](job.target, Progress(job_id)))
    except Cancelled:
        _end(job, "cancelled")
    except PravinError as error:
        _end(job, "failed", of_core(error))
    except ServerError as error:
        _end(job, "failed", problem(error.status, error.title, error.message))
    except Exception:
        logger.exception("job %s (%s) failed", job_id, job.kind)
        _end(job, "failed", problem(500, "The work failed", "An unexpected error occurred; it is in the server's log."))
    else:
        _end(job, "done")


def _end(job: Job, state: str, error: dict[str, Any] | None = None) -> None:
    job.state, job.error, job.ended = state, error, timezone.now()
    job.share = 1.0 if state == "done" else job.share
    job.save(update_fields=["state", "error", "ended", "share"])
    after = _ENDED.get(job.kind)
    if after and state != "done":
        after(job.target, state, error)


_ENDED: dict[str, Callable[[int, str, dict[str, Any] | None], None]] = {}


def when_not_done(kind: str) -> Callable[[Callable[..., None]], Callable[..., None]]:
    """Register what to do when a job of a kind fails or is cancelled: takes target, state and error."""

    def register(function: Callable[..., None]) -> Callable[..., None]:
        _ENDED[kind] = function
        return function

    return register


@app.periodic(cron="* * * * * */5")
@app.task(queue="watch", name="take_up_stalled", queueing_lock="take_up_stalled", pass_context=False)
async def take_up_stalled(timestamp: int) -> None:
    """Give the jobs of a worker that died to the next one."""
    for job in await app.job_manager.get_stalled_jobs():
        await app.job_manager.retry_job(job)
