"""Jobs: what goes on, look and cancel."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Path, Router, Schema

from pravin_server.accounts.access import reader
from pravin_server.accounts.services import may_work
from pravin_server.common.errors import NotFound
from pravin_server.common.models import Job
from pravin_server.common.schemas import PROBLEMS, JobOut

router = Router(tags=["jobs"], auth=reader)
MOST_LISTED = 200


class GoingOn(Schema):
    """A job that waits or is worked on, and the delivery that it is about."""

    id: int
    kind: str
    delivery_id: int | None
    state: str
    step: str
    share: float


class WorkOut(Schema):
    """What goes on. Nothing began or ended as long as `newest` and the ids of `jobs` stay the same."""

    newest: int
    jobs: list[GoingOn]


@router.get("/jobs", response={200: WorkOut, **PROBLEMS})
def work(request: HttpRequest) -> Any:
    """All work that waits or goes on; pages ask for it again and again, and for the rest only when it changed."""
    going = Job.objects.filter(state__in=[Job.State.WAITING, Job.State.WORKING]).order_by("id")[:MOST_LISTED]
    newest = Job.objects.order_by("-id").values_list("id", flat=True).first()
    return {"newest": newest or 0, "jobs": list(going)}


def _job(job_id: int) -> Job:
    job_ = Job.objects.filter(pk=job_id).first()
    if job_ is None:
        raise NotFound(f"There is no job {job_id}.")
    return job_


@router.get("/jobs/{job_id}", response={200: JobOut, **PROBLEMS})
def job(request: HttpRequest, job_id: int = Path(..., ge=1, le=2**62)) -> Any:
    """How far a job is."""
    return _job(job_id)


@router.post("/jobs/{job_id}/cancel", response={200: JobOut, **PROBLEMS})
def cancel(request: HttpRequest, job_id: int = Path(..., ge=1, le=2**62)) -> Any:
    """Ask a job to stop; it changes nothing when it does."""
    may_work(request.user, "cancel work")
    job_ = _job(job_id)
    job_.cancel_wanted = True
    job_.save(update_fields=["cancel_wanted"])
    return job_
