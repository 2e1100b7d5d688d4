"""The inbox, wishes for mail, webhooks."""

from __future__ import annotations

from datetime import datetime
from typing import Any, Literal

from django.db.models import Count, OuterRef, Q, Subquery, Value
from django.db.models.functions import Coalesce
from django.http import HttpRequest
from ninja import Field, Router, Schema

from pravin_server.accounts.access import reader
from pravin_server.accounts.services import may_administer, may_read, may_work
from pravin_server.common.schemas import PROBLEMS, FeedRef, Id
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.notices import services
from pravin_server.notices.models import MailWish, Sending, Webhook

router = Router(tags=["notices"], auth=reader)


class WaitsOut(Schema):
    """Something that waits. `place`: where in its delivery a person goes on; `blocks`: what cannot go on before; `since`: when it was
    found.
    """

    sort: str
    feed: FeedRef
    owner: str
    delivery: int | None
    place: str
    says: str
    blocks: list[str]
    since: datetime | None


class WishOut(Schema):
    """When mail is wanted; of all feeds where none is named."""

    feed: str | None
    when: str


class InboxOut(Schema):
    """What waits for the person who asks, and when they want mail. `mail`: their address, if one is known."""

    waits: list[WaitsOut]
    wishes: list[WishOut]
    mail: str


class WishIn(Schema):
    when: Literal["never", "at once", "daily"]
    feed: str | None = Field(None, max_length=80)
    mail: str | None = Field(None, max_length=254, description="the address, where it changes")


class WebhookIn(Schema):
    address: str = Field(min_length=1, max_length=1000)


class WebhookOut(Schema):
    """An address that is told. Of what was to be told it: how much `arrived`, `waits`, was `given_up`; why the last try failed."""

    id: int
    address: str
    made: datetime
    arrived: int
    waits: int
    given_up: int
    said: str


class NewWebhook(WebhookOut):
    """A webhook just made; its secret is shown this once."""

    secret: str


@router.get("/inbox", response={200: InboxOut, **PROBLEMS})
def inbox(request: HttpRequest) -> Any:
    """What waits for the person who asks, what blocks most first."""
    person = may_read(request.user)
    waits = [
        {**vars(each), "feed": {"slug": each.slug, "name": each.name}, "since": since}
        for each, since in services.inbox_of(person)
    ]
    return {"waits": waits, "wishes": _wishes(person), "mail": person.email}


def _wishes(person: Any) -> list[dict[str, Any]]:
    return [
        {"feed": wish.feed.slug if wish.feed else None, "when": wish.when}
        for wish in MailWish.objects.filter(person=person).select_related("feed")
    ]


@router.put("/inbox/mail", response={200: InboxOut, **PROBLEMS})
def wish(request: HttpRequest, body: WishIn) -> Any:
    """Say when mail is wanted about what waits: of one feed, or of all."""
    may_work(request.user, "be told by mail")
    services.wish(request.user, body.when, feed_or_404(body.feed) if body.feed else None, body.mail)
    return inbox(request)


def _webhooks(**only: Any) -> list[dict[str, Any]]:
    def _in(state: str) -> Count:
        return Count("sendings", filter=Q(sendings__state=state))

    failed = Sending.objects.filter(webhook=OuterRef("pk")).exclude(said="").order_by("-id").values("said")[:1]
    told = Webhook.objects.filter(**only).annotate(
        arrived=_in(Sending.State.SENT),
        waits=_in(Sending.State.WAITING),
        given_up=_in(Sending.State.GIVEN_UP),
        said=Coalesce(Subquery(failed), Value("")),
    )
    rows: Any = told.values("id", "address", "made", "arrived", "waits", "given_up", "said")
    return list(rows)


@router.get("/webhooks", response={200: list[WebhookOut], **PROBLEMS})
def webhooks(request: HttpRequest) -> Any:
    """The addresses that are told of what waits, and how it goes."""
    may_administer(request.user, "see which programs are told")
    return _webhooks()


@router.post("/webhooks", response={201: NewWebhook, **PROBLEMS})
def make_webhook(request: HttpRequest, body: WebhookIn) -> Any:
    """Tell an address of what waits. Calls are signed as Standard Webhooks says, with the secret that is shown this once."""
    webhook, secret = services.make_webhook(request.user, body.address)
    return 201, {**_webhooks(pk=webhook.pk)[0], "secret": secret}


@router.delete("/webhooks/{webhook_id}", response={204: None, **PROBLEMS})
def drop_webhook(request: HttpRequest, webhook_id: int = Id) -> Any:
    """Do not tell that address any more."""
    services.drop_webhook(request.user, webhook_id)
    return 204, None
