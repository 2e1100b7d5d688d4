"""Fetch deliveries from a page or a database, when asked or on a schedule."""

from __future__ import annotations

import tempfile
import urllib.error
import urllib.request
from datetime import datetime, timedelta
from pathlib import PurePosixPath
from typing import IO, Any
from urllib.parse import unquote, urlsplit

import psycopg
from django.conf import settings
from django.core.files.base import File
from django.db import transaction
from django.utils import timezone
from psycopg import sql

from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.arrivals.models import FetchPlan
from pravin_server.common.errors import Conflict, Invalid, ServerError
from pravin_server.common.jobs import ask
from pravin_server.common.models import Job
from pravin_server.deliveries.services.receiving import receive
from pravin_server.feeds.models import Feed

PATIENCE = 30  # seconds for a page to answer
LONGEST_QUERY = "300s"
_CHUNK = 2**20


class CannotFetch(ServerError):
    """The outside did not answer as it should."""

    status, title = 422, "Nothing could be fetched"


@transaction.atomic
def keep_plan(user: Any, feed: Feed, kind: str, address: str, query: str, password: str, minutes: int) -> FetchPlan:
    """Say where a feed's deliveries are fetched from, and how often. An empty password keeps the known one."""
    person = may_work(user, "plan where deliveries are fetched from")
    _allowed(kind, address)
    if kind == FetchPlan.Kind.DATABASE and not query.strip():
        raise Invalid("Say which table, or write a query that begins with SELECT or WITH.", field="query")
    known = FetchPlan.objects.filter(feed=feed).first()
    plan, _ = FetchPlan.objects.update_or_create(
        feed=feed,
        defaults={
            "kind": kind, "address": address, "query": query, "minutes": minutes, "by": person,
            "password": password or (known.password if known else ""),
            "due": timezone.now() + timedelta(minutes=minutes) if minutes else None,
        },
    )  # fmt: skip
    often = f"every {minutes:,} minutes" if minutes else "when asked"
    note(person, f"{feed.name} is fetched from a {kind}, {often}", feed.slug, address=address)
    return plan


@transaction.atomic
def drop_plan(user: Any, feed: Feed) -> None:
    """Do not fetch any more."""
    person = may_work(user, "plan where deliveries are fetched from")
    FetchPlan.objects.filter(feed=feed).delete()
    note(person, f"{feed.name} is not fetched any more", feed.slug)


@transaction.atomic
def ask_fetch(user: Any, feed: Feed) -> Job:
    """Fetch now."""
    person = may_work(user, "fetch a delivery")
    plan = FetchPlan.objects.filter(feed=feed).first()
    if plan is None:
        raise Invalid("Say first where deliveries of this feed are fetched from.")
    return ask("fetch", plan.pk, None, person, lock=f"fetch-{plan.pk}")


def ask_due(now: datetime) -> None:
    """Ask for the fetches that are due."""
    for plan in FetchPlan.objects.filter(due__lte=now):
        with transaction.atomic():
            locked = FetchPlan.objects.select_for_update().get(pk=plan.pk)
            if locked.due is None or locked.due > now:
                continue
            locked.due = now + timedelta(minutes=locked.minutes) if locked.minutes else None
            locked.save(update_fields=["due"])
            ask("fetch", locked.pk, None, locked.by, lock=f"fetch-{locked.pk}")


def fetch(plan_id: int) -> None:
    """Fetch what a plan says and take it in; the same bytes as before are noticed and not taken again."""
    plan = FetchPlan.objects.select_related("feed__owner", "by").get(pk=plan_id)
    try:
        with tempfile.TemporaryFile() as file:
            name = _fetch_page(plan, file) if plan.kind == FetchPlan.Kind.PAGE else _fetch_query(plan, file)
            file.seek(0)
            with transaction.atomic():
                delivery, _ = receive(plan.by or plan.feed.owner, plan.feed, [File(file, name)], arrived=plan.address)
        _said(plan, f"delivery {delivery.number} was fetched", failed=False)
    except Conflict as error:
        _said(plan, error.message, failed=False)
    except ServerError as error:
        _said(plan, error.message, failed=True)
        raise


def _said(plan: FetchPlan, said: str, failed: bool) -> None:
    now = timezone.now()
    FetchPlan.objects.filter(pk=plan.pk).update(last_at=now, last_said=said[:1000], last_failed=failed)


def _allowed(kind: str, address: str) -> None:
    """Only hosts that the settings name are asked, so that a plan cannot reach into the network."""
    parts = urlsplit(address)
    schemes = ("http", "https") if kind == FetchPlan.Kind.PAGE else ("postgresql", "postgres")
    if parts.scheme not in schemes or not parts.hostname:
        raise Invalid(f"Write the address with {schemes[0]}:// and a host.", field="address")
    if parts.hostname not in settings.FETCH_HOSTS:
        raise Invalid(
            f"{parts.hostname} is not among the hosts that may be asked ({', '.join(settings.FETCH_HOSTS)}).",
            field="address",
        )
    if parts.password:
        raise Invalid("Leave the password out of the address; there is a field for it.", field="address")


class _SameRules(urllib.request.HTTPRedirectHandler):
    """A redirect leads only where a plan could."""

    def redirect_request(self, req: Any, fp: Any, code: int, msg: str, headers: Any, newurl: str) -> Any:
        _allowed(FetchPlan.Kind.PAGE, newurl)
        return super().redirect_request(req, fp, code, msg, headers, newurl)


def _fetch_page(plan: FetchPlan, out: IO[bytes]) -> str:
    _allowed(plan.kind, plan.address)
    opener = urllib.request.build_opener(_SameRules, urllib.request.ProxyHandler({}))
    try:
        with opener.open(plan.address, timeout=PATIENCE) as answer:
            while piece := answer.read(_CHUNK):
                if out.tell() + len(piece) > settings.UPLOAD_LIMIT:
                    raise CannotFetch(f"{plan.address} sends more than {settings.UPLOAD_LIMIT:,} bytes.")
                out.write(piece)
    except (urllib.error.URLError, OSError, ValueError) as error:
        reason = getattr(error, "reason", error)
        raise CannotFetch(f"{plan.address} cannot be fetched: {reason}.") from error
    name = PurePosixPath(unquote(urlsplit(plan.address).path)).name
    return name or "page.html"


def _fetch_query(plan: FetchPlan, out: IO[bytes]) -> str:
    """The result of a query or a whole table as CSV with every text quoted, so that a missing value (nothing) and an
    empty text (quotes) stay apart in the bytes that are kept. The database is only read."""
    _allowed(plan.kind, plan.address)
    said = plan.query.strip().rstrip(";")
    whole_table = " " not in said
    what = sql.SQL("TABLE {}").format(sql.Identifier(*said.split("."))) if whole_table else sql.SQL(said)  # type: ignore[arg-type]
    statement = sql.SQL("COPY ({}) TO STDOUT WITH (FORMAT csv, HEADER true, FORCE_QUOTE *)").format(what)
    try:
        with psycopg.connect(
            plan.address, password=plan.password or None, connect_timeout=PATIENCE,
            options=f"-c default_transaction_read_only=on -c statement_timeout={LONGEST_QUERY}",
        ) as con, con.cursor() as cursor, cursor.copy(statement) as copy:  # fmt: skip
            for piece in copy:
                if out.tell() + len(piece) > settings.UPLOAD_LIMIT:
                    raise CannotFetch(f"The query gives more than {settings.UPLOAD_LIMIT:,} bytes.")
                out.write(piece)
    except psycopg.Error as error:
        raise CannotFetch(f"The database does not answer the query: {str(error).strip()}") from error
    return f"{said if whole_table else 'query'}.csv"
