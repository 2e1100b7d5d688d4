"""Load the demo data, once, through the same services that people use."""

import tempfile
import time
from collections.abc import Sequence
from datetime import datetime, timedelta
from datetime import time as clock
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.files.uploadedfile import UploadedFile
from django.core.management.base import BaseCommand, CommandError
from django.db import transaction
from django.utils import timezone

from demo import permit_months, rain_months
from demo.catchment import write_catchment
from demo.derived import COMPLIANCE, COMPLIANCE_RULES, TRAINING
from demo.field_samples import write_month
from demo.lab_results import ANALYTES, write_harbour, write_north
from demo.rulebook import RULES
from demo.sites import write_sites
from demo.station_months import MONTHS, arrived, write_station_month
from demo.station_months import RULES as STATION_RULES
from pravin_core.intake.settings import SettingsRequest
from pravin_core.monitoring.plans import Plan
from pravin_core.releases.adding_up import AddingUp
from pravin_core.rules.rulebook import Rulebook
from pravin_server.accounts.models import User
from pravin_server.arrivals.fetching import ask_fetch, keep_plan
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.services.intake_decisions import change_settings, settle_changes
from pravin_server.deliveries.services.receiving import receive
from pravin_server.derived.plans import keep_plan as keep_plan_of_derived
from pravin_server.feeds.models import Feed
from pravin_server.feeds.services import make_feed
from pravin_server.library.services import keep_code_list, keep_parameter, keep_shared
from pravin_server.monitoring.arrivals import keep_plan as keep_arrival_plan
from pravin_server.monitoring.arrivals import learned
from pravin_server.monitoring.models import ArrivalPlan
from pravin_server.monitoring.news import answer
from pravin_server.monitoring.policy import keep_policy
from pravin_server.quarantine.keys import agree_key
from pravin_server.readers.services import make_reader
from pravin_server.releases.released_table import set_adding_up
from pravin_server.releases.services import ask_release
from pravin_server.rulebooks.services import change_rules, newest
from pravin_server.runs.services import ask_run

SEED = 7
ONCE = ("missing", "sources", "delivered before", "far off", "mean", "spread", "high end")
"""What was different once and not from then on."""


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
            _sites(analyst, sites, folder)
            january = _deliver(analyst, samples, write_month(folder, SEED, 2024, 1))
            rulebook = Rulebook.model_validate({"rules": RULES})
            change_rules(analyst, samples, rulebook, newest(samples).number, "wrote the first rules")
            _release(analyst, approver, january)
            samples.refresh_from_db()
            february = _deliver(analyst, samples, write_month(folder, SEED, 2024, 2))
            _, job = ask_run(analyst, february, "run")
            _wait(job)
            agree_key(analyst, samples, ["sample_id"])
            _deliver(analyst, samples, write_month(folder, SEED, 2024, 3))
            _library(analyst)
            _laboratories(analyst, approver, folder)
            about = "Features by site and week, for the model of algal bloom"
            catchment = make_feed(analyst, "Catchment features", "Modelling group", about)
            features = _deliver(analyst, catchment, [write_catchment(folder, SEED)])
            _release(analyst, approver, sites.deliveries.get())
            _release(analyst, approver, features)
            _derived(analyst, approver)
            _stations(analyst, approver, folder)
            _until_today(analyst, approver, folder)
            make_reader(
                approver, "Monthly river report", ["field-samples", "compliance-table"]
            )  # New password gives it one to use


def _derived(analyst: User, approver: User) -> None:
    """What is made from the releases: one table for reporting, released; one for modelling, just made."""
    compliance = make_feed(analyst, "Compliance table", "", "Samples with their results and sites, for reporting")
    keep_plan_of_derived(analyst, compliance, "field-samples", COMPLIANCE, 0)
    rules = Rulebook.model_validate({"rules": COMPLIANCE_RULES})
    change_rules(analyst, compliance, rules, newest(compliance).number, "wrote the first rules")
    _release(analyst, approver, _made(compliance))
    training = make_feed(analyst, "Bloom training table", "", "Features known before a bloom, for the model")
    keep_plan_of_derived(analyst, training, "catchment-features", TRAINING, 0)
    _made(training)


def _stations(analyst: User, approver: User, folder: Path) -> None:
    """A feed that runs itself, with two years behind it: a person was called now and then, and answered but for the last time."""
    about = "Daily means of the automatic stations, a file a month"
    feed = _running_itself(analyst, approver, "Station months", about, STATION_RULES)
    for place in range(MONTHS):
        files = [write_station_month(folder, SEED, place)]
        _month(analyst, approver, feed, files, arrived(place), () if place + 1 == MONTHS else ("missing",))
    if plan := learned(feed):
        keep_arrival_plan(approver, feed, plan, "")


def _until_today(analyst: User, approver: User, folder: Path) -> None:
    """Two more feeds that run themselves, up to these days: of one a month came late and one never, of the other the newest is late."""
    today = timezone.now().date()
    rain = _running_itself(
        analyst, approver, "Rain months", "Daily rain of the gauges, a file a month", rain_months.RULES
    )
    for place in range(rain_months.MONTHS):
        if file := rain_months.write_rain_month(folder, SEED, today, place):
            _month(analyst, approver, rain, [file], rain_months.arrived(today, place), ONCE)
    keep_arrival_plan(approver, rain, Plan(every="month", on=1, at=clock(6), tolerance=48), "")
    about = "What permit holders took from the rivers, two files a month"
    permits = _running_itself(analyst, approver, "Permit months", about, permit_months.RULES)
    for place in range(permit_months.MONTHS):
        files = permit_months.write_permit_month(folder, SEED, today, place)
        _month(analyst, approver, permits, files, permit_months.arrived(today, place), ONCE)
    keep_arrival_plan(approver, permits, Plan(every="month", on=4, at=clock(12), tolerance=72), "")
    long_ago = rain_months.arrived(today, 0) - timedelta(days=40)
    ArrivalPlan.objects.filter(feed__in=[rain, permits]).update(begun=long_ago)


def _running_itself(analyst: User, approver: User, name: str, about: str, rules: list[dict[str, Any]]) -> Feed:
    feed = make_feed(analyst, name, "Merrow basin agency", about)
    change_rules(analyst, feed, Rulebook.model_validate({"rules": rules}), newest(feed).number, "wrote the first rules")
    set_adding_up(approver, feed, AddingUp.ADDS, shows_origin=True)
    keep_policy(approver, feed, "publish", 0.05, 100, None)
    return feed


def _month(analyst: User, approver: User, feed: Feed, files: Sequence[Path], at: datetime, once: Sequence[str]) -> None:
    """Let a month arrive; where a person is called she answers and releases it. `once`: measures that are ignored when they are new."""
    delivery = _deliver(analyst, feed, files, at)
    while work := delivery.jobs.filter(state__in=["waiting", "working"]).first():
        _wait(work)
    delivery.refresh_from_db()
    run = delivery.runs.filter(purpose="run").latest("id")
    if once and not delivery.releases.exists():
        for novelty in delivery.memory.news:
            choice = "ignored" if novelty["measure"] in once else "expected"
            answer(approver, delivery, novelty["id"], choice, "")
        _wait(ask_release(approver, delivery, run.pk)[1])


def _made(feed: Feed) -> Delivery:
    """The delivery that the worker makes of a derived feed, once it is read."""
    _wait(Job.objects.filter(kind="derive").latest("id"))
    delivery = feed.deliveries.get()
    _wait(delivery.jobs.latest("id"))
    delivery.refresh_from_db()
    return delivery


def _release(analyst: User, approver: User, delivery: Delivery) -> None:
    run, job = ask_run(analyst, delivery, "run")
    _wait(job)
    _, job = ask_release(approver, delivery, run.pk)
    _wait(job)


def _library(user: User) -> None:
    """What rules of several feeds refer to."""
    codes = [(code, name.lower()) for name, (code, _, _) in ANALYTES.items()]
    keep_code_list(user, "analytes", codes, "codes of Lab North and the names used in reports", "from Lab North", 0)
    keep_parameter(user, "highest_ph", "number", "14", {}, "above it a value is a slip")
    tidy: list[dict[str, Any]] = [
        {"kind": "trim-spaces", "columns": [], "collapse": True},
        {"kind": "missing-tokens", "columns": [], "tokens": ["n/a", "-"]},
    ]
    keep_shared(user, "Tidy texts", "lab-*", "first", tidy, [], "what both laboratories need")


def _sites(user: User, feed: Feed, folder: Path) -> None:
    """The register is fetched from the bulletin site where one runs; its menu is no table of records."""
    if settings.OUTSIDE:
        keep_plan(user, feed, "page", f"{settings.OUTSIDE}/sites.html", "", "", 24 * 60)
        _wait(ask_fetch(user, feed))
        delivery = feed.deliveries.get()
        _wait(delivery.jobs.latest("id"))
    else:
        delivery = _deliver(user, feed, [write_sites(folder, SEED)])
    menu = delivery.sources.get(position=0)
    with transaction.atomic():
        job = change_settings(user, menu, SettingsRequest(), left_out=True)
    _wait(job)


def _laboratories(user: User, approver: User, folder: Path) -> None:
    """Two deliveries of two laboratories: the layouts of the first are settled, the second waits for a person."""
    feed = make_feed(user, "Lab results", "Lab North and Lab Harbour", "Monthly results of both laboratories")
    first = _deliver(user, feed, [write_north(folder, SEED, 2024, 1)[0], write_harbour(folder, SEED, 2024, 1)])
    harbour = {
        "Sample no.": "sample_no", "Received": "taken_on", "Analyte": "analyte", "Result": "result",
        "Laboratory": "laboratory", "Analyst": "analyst", "Remark": "remark",
    }  # fmt: skip
    north = {
        "Proben-Nr": "sample_no", "Jahr": "year", "Monat": "month", "Tag": "day", "Analyt": "analyte",
        "Messwert": "result", "Einheit": "unit", "Labor": "laboratory", "Bearbeitung": "analyst",
    }  # fmt: skip
    for source in first.sources.all():
        columns = harbour if "harbour" in source.name else north
        with transaction.atomic():
            job = change_settings(user, source, SettingsRequest(columns=columns, source_column="delivered_in"))
        _wait(job)
    changes = [{"change": change.pk, "choice": change.choices[0]} for change in first.changes.filter(choice="")]
    reading = settle_changes(user, first, changes) if changes else None
    if reading:
        _wait(reading)
    first.refresh_from_db()
    _release(user, approver, first)
    _deliver(user, feed, [*write_north(folder, SEED, 2024, 2, renamed=True), write_harbour(folder, SEED, 2024, 2)])


def _deliver(user: User, feed: Feed, paths: Sequence[Path], at: datetime | None = None) -> Delivery:
    """Let files arrive, some time ago where `at` says so; returns the delivery once it is read."""
    uploads = [UploadedFile(path.open("rb"), path.name, size=path.stat().st_size) for path in paths]
    with transaction.atomic():
        delivery, job = receive(user, feed, uploads)
        if at is not None:
            Delivery.objects.filter(pk=delivery.pk).update(received=at)
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
