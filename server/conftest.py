"""Helpers of the server's tests: people, clients, a delivery, and doing the work that was asked for."""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import Client
from hypothesis import settings

from pravin_core.monitoring.novelties import VOLUME, identity
from pravin_server.accounts.services import make_user
from pravin_server.common.jobs import perform
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Source, SourceFile
from pravin_server.feeds.folders import supplier_folder
from pravin_server.feeds.models import Feed
from pravin_server.library.models import CodeList, CodeListVersion, SharedGroup
from pravin_server.releases.models import Release, ReleaseProposal, TableDivision
from pravin_server.runs.models import Run

ROLES = {"ana": ["analyst"], "app": ["analyst", "approver"], "vic": ["viewer"], "nobody": [], "adm": ["administrator"]}
DATA = b"id|site|ph\n1|A| 7.4\n2|B|74\n3|n/a|x\nbroken\n4|C|6.9\n4|C|6.9\n"
RULES: list[dict[str, Any]] = [
    {"kind": "trim-spaces", "id": "trim", "columns": []},
    {"kind": "missing-tokens", "id": "tokens", "columns": [], "tokens": ["n/a"]},
    {"kind": "to-number", "id": "number", "columns": ["ph"]},
    {"kind": "remove-duplicates", "id": "repeats", "columns": ["id"]},
    {"kind": "required", "id": "site", "columns": ["site"]},
    {"kind": "in-range", "id": "range", "columns": ["ph"], "low": "0", "high": "14"},
]

DIVISION: dict[str, Any] = {
    "shares": [{"name": "train", "share": 70}, {"name": "test", "share": 30}], "seed": "s", "way": "groups", "column": "site",
    "key": [], "moments": [],
}  # fmt: skip

# machines are shared and noisy: how long an example takes says nothing about it
settings.register_profile("pravin", deadline=None)
settings.load_profile("pravin")


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup: None, django_db_blocker: Any) -> None:
    """Tests that commit are cleaned up by truncating, which the activity record refuses otherwise."""
    with django_db_blocker.unblock(), connection.cursor() as cursor:
        cursor.execute("ALTER TABLE activity_event DISABLE TRIGGER activity_no_truncate")


@pytest.fixture(autouse=True)
def _cache(settings: Any, tmp_path: Path) -> None:
    settings.CACHE_DIR = tmp_path / "cache"
    settings.UPLOAD_DIR = tmp_path / "uploads"
    settings.DROP_DIR = tmp_path / "drop"
    settings.MAIL_DIR = tmp_path / "mail"


class Browser:
    """A client of the API: paths without /api, JSON in and out."""

    def __init__(self, username: str | None) -> None:
        self.client = Client()
        if username:
            self.client.force_login(make_user(username, "secret-pass", username.title(), ROLES[username]))

    def __call__(self, method: str, path: str, body: Any = None, expect: int | None = None) -> Any:
        data = None if body is None else json.dumps(body)
        answer = self.client.generic(method, f"/api{path}", data or "", content_type="application/json")
        if expect is not None:
            assert answer.status_code == expect, answer.content[:2000]
        return answer.json() if "json" in answer.get("Content-Type", "") and answer.content else answer

    def upload(self, slug: str, expect: int = 201, **files: bytes) -> Any:
        sent = [SimpleUploadedFile(name if "." in name else f"{name}.txt", data) for name, data in files.items()]
        answer = self.client.post(f"/api/feeds/{slug}/deliveries", {"files": sent})
        assert answer.status_code == expect, answer.content[:2000]
        return answer.json()


def records_for(reason: dict[str, Any]) -> str:
    """The query of the records that stand in quarantine for a reason."""
    asked = {"on": "reason", "value": str(reason["rule"]), "name": reason["name"], "phrase": reason["phrase"]}
    return urlencode({"where": json.dumps([asked]), "limit": 500})


@pytest.fixture
def browser(db: None) -> Callable[[str | None], Browser]:
    return Browser


KILLED = {"PGAPPNAME": "killed"}  # for the environment of a process that a test kills: its connections are known by it


def until_the_database_let_go() -> None:
    """Wait until the database has ended what killed processes asked of it: it hears of their end a moment later, and may commit until
    then.
    """
    deadline = time.monotonic() + 60
    with connection.cursor() as cursor:
        while time.monotonic() < deadline:
            cursor.execute("SELECT count(*) FROM pg_stat_activity WHERE application_name = %s", [KILLED["PGAPPNAME"]])
            if cursor.fetchone() == (0,):
                return
            time.sleep(0.05)
    raise AssertionError("the database still works for a process that was killed")


def do_work() -> None:
    """Do all jobs that wait, as the worker would."""
    while job := Job.objects.filter(state="waiting").order_by("id").first():
        perform(job_id=job.pk)


@pytest.fixture
def delivered(db: None) -> Iterator[int]:
    """A feed `samples` with rules and a delivery that is read; gives the delivery's id."""
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Samples"}, expect=201)
    delivery = analyst.upload("samples", field=DATA)["id"]
    analyst("PUT", "/feeds/samples/rulebook", {"based_on": 0, "change": "first", "rules": RULES}, expect=200)
    do_work()
    return delivery


@pytest.fixture
def places(delivered: int) -> dict[str, Any]:
    """The parts of addresses, such that each leads to something of a feed with a delivery, a run and a release."""
    approver = Browser("app")
    approver("POST", f"/deliveries/{delivered}/runs", expect=201)
    do_work()
    run = Run.objects.latest("id").pk
    approver("POST", f"/deliveries/{delivered}/release", {"run": run}, expect=201)
    approver("PUT", "/feeds/samples/key", {"columns": ["id"]}, expect=200)
    relations = approver("POST", f"/deliveries/{delivered}/relations", {}, expect=200)["id"]
    comparison = approver("POST", f"/deliveries/{delivered}/comparisons", {}, expect=200)["id"]
    table = approver("POST", f"/deliveries/{delivered}/tables-after", {}, expect=200)["id"]
    do_work()
    group = SharedGroup.objects.create(name="shared", feeds="*")
    remark = {"records": [2], "kind": "return"}
    comment = approver("POST", f"/deliveries/{delivered}/decisions", remark, expect=201)["decision"]
    (sent,) = approver("POST", f"/deliveries/{delivered}/decisions/{comment}/send", expect=200)
    path = supplier_folder(Feed.objects.get(slug="samples")) / sent["name"]
    answer = approver.client.post(
        "/api/feeds/samples/answers", {"file": SimpleUploadedFile(path.name, path.read_bytes())}
    )
    reads = approver("POST", "/readers", {"name": "somebody", "feeds": ["samples"]}, expect=201)["id"]
    known = CodeList.objects.create(name="known")
    CodeListVersion.objects.create(list=known, number=1, codes=[["a", "b"]], change="first")
    return {
        "group_id": group.pk, "novelty": identity(VOLUME, ""), "name": "known", "one": 0, "other": 1, "form": "json",
        "filter_id": 1, "relations_id": relations, "comparison_id": comparison, "table_id": table, "slug": "samples", "delivery_id": delivered, "file_id": SourceFile.objects.latest("id").pk, "run_id": run,
        "source_id": Source.objects.latest("id").pk, "line": 5, "key": "8c3a4b7e-0000-4000-8000-000000000000", "token_id": 1,
        "person_id": 10**6, "webhook_id": 10**6, "text": "no-such-invitation", "job_id": Job.objects.latest("id").pk, "release_id": Release.objects.latest("id").pk, "record": 2,
        "reader_id": reads, "decision_id": comment, "answer_id": answer.json()["id"],
        "division_id": TableDivision.objects.create(feed=Feed.objects.get(slug="samples"), number=9, content=DIVISION).pk,
        "proposal_id": ReleaseProposal.objects.create(delivery_id=delivered, run_id=run).pk,
    }  # fmt: skip
