"""Jobs: deferred in the caller's transaction, idempotent, cancellable, taken up again after a crash."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import timedelta
from threading import Event, Thread
from typing import TYPE_CHECKING, Any

from django.apps import apps
from django.db import DatabaseError, InterfaceError, OperationalError, connection, transaction
from django.utils import timezone
from procrastinate import App
from procrastinate.contrib.django import app

from pravin_core.engines.base import set_gate
from pravin_core.errors import Cancelled, PravinError
from pravin_core.stopping import Stop, stoppable
from pravin_server.common import cache
from pravin_server.common.engines import as_worker, turn
from pravin_server.common.errors import ServerError, of_core, problem

if TYPE_CHECKING:
    from pravin_server.common.models import Job

logger = logging.getLogger(__name__)
BEAT = 5  # seconds
LOOK = 1  # seconds
TELLING = 0.3  # seconds
SILENT = timedelta(seconds=40)  # without a beat: nobody works on it any more
MOST_ATTEMPTS = 5
_WORK: dict[str, Callable[[int, Progress], None]] = {}


def on_app_ready(procrastinate_app: App) -> None:
    """Tasks register themselves by import of each app's tasks.py; engines wait for their turn in every process."""
    set_gate(turn)


class Progress:
    """What a job tells about itself; also how it hears that it is to stop."""

    def __init__(self, job_id: int) -> None:
        self.job_id = job_id
        self._after = 0.0

    def __call__(self, step: str, share: float) -> bool:
        """Tell the step and how far it is (0 to 1); returns False when a person cancelled."""
        job = apps.get_model("common", "Job").objects
        job.filter(pk=self.job_id).update(step=step[:200], share=share, beat=timezone.now())
        return not job.filter(pk=self.job_id, cancel_wanted=True).exists()

    def often(self, step: str, share: float) -> bool:
        """The same for what is told after each of many small parts: passed on a few times a second."""
        if time.monotonic() < self._after:
            return True
        self._after = time.monotonic() + TELLING
        return self(step, share)


def work(kind: str) -> Callable[[Callable[[int, Progress], None]], Callable[[int, Progress], None]]:
    """Register a function that does the work of a kind of job: it takes the target's id and a Progress."""

    def register(function: Callable[[int, Progress], None]) -> Callable[[int, Progress], None]:
        _WORK[kind] = function
        return function

    return register


def ask(kind: str, target: int, delivery: Any, user: Any, lock: str | None = None) -> Job:
    """Ask for work (of a delivery, or of none), in the caller's transaction. Work with the same `lock` is never done at the same time."""
    job: Job = apps.get_model("common", "Job").objects.create(
        kind=kind,
        target=target,
        delivery=delivery,
        asked_by=user if getattr(user, "pk", None) else None,
        lock=lock or "",
    )
    _defer(job)
    return job


def _defer(job: Job) -> None:
    perform.configure(lock=job.lock or None).defer(job_id=job.pk)


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
        job.state, job.attempts, job.beat = "working", job.attempts + 1, timezone.now()
        job.save(update_fields=["state", "attempts", "beat"])
    as_worker()
    try:
        stop = Stop()
        with beating(job_id, stop), stoppable(stop):
            cache.need_space()
            cache.even_if_deleted(lambda: _WORK[job.kind](job.target, Progress(job_id)))
    except Cancelled:
        _end(job, "cancelled")
    except PravinError as error:
        _end(job, "failed", of_core(error))
    except ServerError as error:
        _end(job, "failed", problem(error.status, error.title, error.message))
    except DatabaseError as error:
        if not is_lost(error):
            logger.exception("job %s (%s) failed", job_id, job.kind)
            _end(
                job,
                "failed",
                problem(500, "The work failed", "An unexpected error occurred; it is in the server's log."),
            )
            return
        # the connection is gone, and so is all that was not committed: the work is taken up again, from the start
        logger.warning("job %s (%s) lost its database connection", job_id, job.kind)
        connection.close()
        _wait_and_take_up(job_id)
    except Exception:
        logger.exception("job %s (%s) failed", job_id, job.kind)
        _end(job, "failed", problem(500, "The work failed", "An unexpected error occurred; it is in the server's log."))
    else:
        _end(job, "done")


def is_lost(error: DatabaseError) -> bool:
    """Whether an error of the database means that its connection is gone."""
    return isinstance(error, OperationalError | InterfaceError) and not connection.is_usable()


@contextmanager
def beating(job_id: int, stop: Stop) -> Iterator[None]:
    """While a job is worked on, say every few seconds that it goes on, and every second look whether it is to stop; from
    a thread and connection of its own.
    """
    over = Event()

    def beat() -> None:
        last_beat = time.monotonic()
        while not over.wait(LOOK):
            job = apps.get_model("common", "Job").objects.filter(pk=job_id)
            try:
                if job.filter(cancel_wanted=True).exists():
                    stop.now()
                if time.monotonic() - last_beat >= BEAT:
                    job.filter(state="working").update(beat=timezone.now())
                    last_beat = time.monotonic()
            except DatabaseError:
                connection.close()  # it may be there again for the next beat
        connection.close()

    thread = Thread(target=beat, name=f"beat-{job_id}", daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join(timeout=2)


def _wait_and_take_up(job_id: int) -> None:
    """Put a job whose connection was lost back among those that wait, as soon as the database answers."""
    for _ in range(30):
        try:
            take_up(apps.get_model("common", "Job").objects.get(pk=job_id))
            return
        except DatabaseError:
            connection.close()
            time.sleep(1)
    # who looks after silent jobs will find it


def take_up(job: Job) -> None:
    """Do a job again that nobody works on any more; one that was begun too often fails and says so."""
    with transaction.atomic():
        locked = apps.get_model("common", "Job").objects.select_for_update().get(pk=job.pk)
        if locked.state != "working":
            return
        if locked.attempts >= MOST_ATTEMPTS:
            sentence = f"The work broke off {locked.attempts} times, when its worker or the database ended. Nothing was changed."
            _end(locked, "failed", problem(500, "The work broke off", sentence, advice="Try again."))
            return
        locked.state = "waiting"
        locked.save(update_fields=["state"])
        _defer(locked)


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


@app.periodic(cron="*/5 * * * *")
@app.task(queue="watch", name="shrink_cache", queueing_lock="shrink_cache", pass_context=False)
def shrink_cache(timestamp: int) -> None:
    """Keep the cache within its limit."""
    cache.shrink()


@app.periodic(cron="* * * * * */10")
@app.task(queue="watch", name="take_up_silent", queueing_lock="take_up_silent", pass_context=False)
def take_up_silent(timestamp: int) -> None:
    """Nothing is in an in-between state without an owner: work that nobody says is going on is taken up or failed, and
    so is work that waits although no worker was asked for it any more.
    """
    silent = timezone.now() - SILENT
    for job in apps.get_model("common", "Job").objects.filter(state="working", beat__lt=silent):
        take_up(job)
    known = apps.get_model("procrastinate", "ProcrastinateJob").objects.filter(
        status__in=["todo", "doing"], task_name="perform"
    )
    asked = set(known.values_list("args__job_id", flat=True))
    for job in (
        apps.get_model("common", "Job").objects.filter(state="waiting", created__lt=silent).exclude(pk__in=asked)
    ):
        _defer(job)
