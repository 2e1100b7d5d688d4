"""Trials and runs."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router

from pravin_server.accounts.access import reader
from pravin_server.common.errors import NotFound
from pravin_server.common.schemas import PROBLEMS, Id, RunOut, Started
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.runs import services
from pravin_server.runs.models import Run
from pravin_server.runs.queries import run_summary

router = Router(tags=["runs"], auth=reader)


@router.post("/deliveries/{delivery_id}/trials", response={201: Started, **PROBLEMS})
def try_rules(request: HttpRequest, delivery_id: int = Id) -> Any:
    """Try the newest revision; nothing is changed. The answer's id is the trial's."""
    run, job = services.ask_run(request.user, delivery_or_404(delivery_id), Run.Purpose.TRIAL)
    return 201, {"id": run.pk, "job": job}


@router.post("/deliveries/{delivery_id}/runs", response={201: Started, **PROBLEMS})
def run_rules(request: HttpRequest, delivery_id: int = Id) -> Any:
    """Run the newest revision. The answer's id is the run's."""
    run, job = services.ask_run(request.user, delivery_or_404(delivery_id), Run.Purpose.RUN)
    return 201, {"id": run.pk, "job": job}


@router.get("/runs/{run_id}", response={200: RunOut, **PROBLEMS})
def run(request: HttpRequest, run_id: int = Id) -> Any:
    """A trial or run."""
    run_ = Run.objects.select_related("revision").filter(pk=run_id).first()
    if run_ is None:
        raise NotFound(f"There is no run {run_id}.")
    return run_summary(run_)
