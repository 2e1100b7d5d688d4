"""Load the demo data, once, through the same services that people use."""

import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction

from demo.field_samples import write_month
from demo.rulebook import RULES
from demo.sites import write_sites
from pravin_core.rules.rulebook import Rulebook
from pravin_server.accounts.models import User
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.services.receiving import receive
from pravin_server.feeds.models import Feed
from pravin_server.feeds.services import make_feed
from pravin_server.releases.services import ask_release
from pravin_server.rulebooks.services import change_rules, newest
from pravin_server.runs.services import ask_run

SEED = 7


class Command(BaseCommand):
    help = "Load the demo data if it is not there."

    def handle(self, *args: Any, **options: Any) -> None:
        if Feed.objects.filter(slug="field-samples").exists():
            return
        self.stdout.write("pravin: loading the demo data")
        analyst, approver = User.objects.get(username="marlo"), User.objects.get(username="tessen")
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place)
            sites = make_feed(analyst, "Sites", "Merrow basin agency", "Register of the sampling sites")
            samples = make_feed(analyst, "Field samples", "Four field teams", "Monthly samples of the field teams")
            _deliver(analyst, sites, [write_sites(folder, SEED)])
            january = _deliver(analyst, samples, write_month(folder, SEED, 2024, 1))
            rulebook = Rulebook.model_validate({"rules": RULES})
            change_rules(analyst, samples, rulebook, newest(samples).number, "wrote the first rules")
            run, job = ask_run(analyst, january, "run")
            _wait(job)
            _, job = ask_release(approver, january, run.pk)
            _wait(job)
            samples.refresh_from_db()
            february = _deliver(analyst, samples, write_month(folder, SEED, 2024, 2))
            _, job = ask_run(analyst, february, "run")
            _wait(job)
            _deliver(analyst, samples, write_month(folder, SEED, 2024, 3))


def _deliver(user: User, feed: Feed, paths: Sequence[Path]) -> Delivery:
    uploads = [UploadedFile(path.open("rb"), path.name, size=path.stat().st_size) for path in paths]
    with transaction.atomic():
        delivery, job = receive(user, feed, uploads)
    _wait(job)
    delivery.refresh_from_db()
    return delivery


def _wait(job: Job) -> None:
    """Until the worker did the job."""
    deadline = time.monotonic() + 120
    while time.monotonic() < deadline:
        job.refresh_from_db()
        if job.state == "done":
            return
        if job.state in ("failed", "cancelled"):
            raise CommandError(f"the demo job {job.kind} {job.state}: {job.error}")
        time.sleep(0.1)
    raise CommandError("the worker does not take the demo's jobs")
