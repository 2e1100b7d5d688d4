"""Fetch deliveries from a page or a database, when asked or on a schedule."""

from __future__ import annotations

import tempfile
from datetime import datetime, timedelta
from typing import Any

from django.core.files.base import File
from django.db import transaction
from django.utils import timezone

from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.arrivals.databases import checked_query, fetch_query
from pravin_server.arrivals.models import FetchPlan
from pravin_server.arrivals.outside import database_at, fetch_page, page_at
from pravin_server.common.errors import Conflict, Invalid, ServerError
from pravin_server.common.jobs import ask
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.common.secrets import opened, sealed
from pravin_server.deliveries.services.receiving import receive
from pravin_server.feeds.models import Feed


@transaction.atomic
def keep_plan(user: Any, feed: Feed, kind: str, address: str, query: str, password: str, minutes: int) -> FetchPlan:
    """Say where a feed's deliveries are fetched from, and how often. An empty password keeps the known one."""
    person = may_work(user, "plan where deliveries are fetched from")
    if kind == FetchPlan.Kind.DATABASE:
        database_at(address)
        query = checked_query(query)
    else:
        page_at(address)
    known = FetchPlan.objects.filter(feed=feed).first()
    plan, _ = FetchPlan.objects.update_or_create(
        feed=feed,
        defaults={
            "kind": kind, "address": address, "query": query, "minutes": minutes, "by": person,
            "password": sealed(password) or (known.password if known and _same_place(known, kind, address) else ""),
            "due": timezone.now() + timedelta(minutes=minutes) if minutes else None,
        },
    )  # fmt: skip
    often = f"every {minutes:,} minutes" if minutes else "when asked"
    note(person, f"{feed.name} is fetched from a {kind}, {often}", feed.slug, address=address)
    return plan


def _same_place(known: FetchPlan, kind: str, address: str) -> bool:
    """Whether a known password is for that place: it is never sent to another one."""
    if known.kind != kind or kind != FetchPlan.Kind.DATABASE:
        return known.kind == kind
    try:
        return database_at(known.address) == database_at(address)
    except Invalid:
        return False


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
            locked = lock_rows(FetchPlan).get(pk=plan.pk)
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
            if plan.kind == FetchPlan.Kind.PAGE:
                name = fetch_page(plan.address, file)
            else:
                name = fetch_query(plan.address, opened(plan.password), plan.query, file)
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
