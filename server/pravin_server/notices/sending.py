"""Tell people and webhooks what waits: found, put on its way once for each, and sent until it arrives.

What was sent is marked in the transaction that holds its row, so two senders never send the same, and a sender that dies between the two
sends it again under the same name: the Message-ID of a mail, the `webhook-id` of a call (Standard Webhooks), by which whoever receives
it knows that it is the same.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import logging
import math
import time
from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

import httpx
from django.conf import settings
from django.core.mail import EmailMessage
from django.db import transaction
from django.db.models import F, Q
from django.utils import timezone

from pravin_server.accounts.models import User
from pravin_server.arrivals.outside import page_at
from pravin_server.common.errors import ServerError
from pravin_server.common.secrets import opened
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.notices.gathering import roles_for, waiting
from pravin_server.notices.models import MailWish, Notice, Sending, Webhook

logger = logging.getLogger(__name__)
FIRST_PAUSE, LONGEST_PAUSE = timedelta(seconds=30), timedelta(hours=3)
GIVE_UP = timedelta(days=2)
DAILY_AT = 6  # o'clock, UTC
CALL_SECONDS = 10
When, State = MailWish.When, Sending.State


@transaction.atomic
def find(now: datetime | None = None) -> int:
    """Note what waits newly, and what does not any more; put what is new on its way. Returns how many are new."""
    now = now or timezone.now()
    found = {each.key: each for each in waiting()}
    Notice.objects.filter(ended=None).exclude(key__in=found).update(ended=now)
    Notice.objects.filter(key__in=found).exclude(ended=None).update(ended=None)  # it waits again, and was told before
    known = set(Notice.objects.filter(key__in=found).values_list("key", flat=True))
    new = [
        Notice(key=key, sort=each.sort, feed_id=each.feed_id, delivery_id=each.delivery, says=each.says[:300], at=now)
        for key, each in found.items()
        if key not in known
    ]
    Notice.objects.bulk_create(new, ignore_conflicts=True)
    for notice in Notice.objects.filter(key__in=[each.key for each in new]).select_related("feed"):
        _put_on_its_way(notice, now)
    return len(new)


def _put_on_its_way(notice: Notice, now: datetime) -> None:
    """A sending for each person who wants mail of it, and for each webhook."""
    sendings = [Sending(notice=notice, webhook=webhook, due=now) for webhook in Webhook.objects.all()]
    for person in (
        User.objects.filter(is_active=True, groups__name__in=roles_for(notice.sort)).exclude(email="").distinct()
    ):
        when = wish_of(person, notice.feed)
        if when != When.NEVER:
            due = _next_day(now) if when == When.DAILY else now
            day = due.date() if when == When.DAILY else None
            sendings.append(Sending(notice=notice, person=person, day=day, due=due))
    Sending.objects.bulk_create(sendings, ignore_conflicts=True)


def wish_of(person: User, feed: Feed) -> str:
    """When a person wants mail of a feed: as said of it, else as said of all, else never."""
    wishes = MailWish.objects.filter(Q(feed=feed) | Q(feed=None), person=person)
    nearest = wishes.order_by(F("feed").asc(nulls_last=True)).values_list("when", flat=True).first()
    return str(nearest or When.NEVER)


def _next_day(now: datetime) -> datetime:
    today = now.astimezone(UTC).replace(hour=DAILY_AT, minute=0, second=0, microsecond=0)
    return today if today > now else today + timedelta(days=1)


def send_due(now: datetime | None = None, seconds: float = math.inf) -> int:
    """Send what is due, one after the other, and begin with none after some `seconds`; returns how many arrived."""
    now = now or timezone.now()
    ends = time.monotonic() + seconds
    arrived = 0
    while time.monotonic() < ends and (result := _send_next(now)) is not None:
        arrived += result
    return arrived


def _send_next(now: datetime) -> bool | None:
    """Send the next that is due; whether it arrived, None when nothing is due. A mail of the day takes all that are due with it."""
    with transaction.atomic():
        due = Sending.objects.select_for_update(skip_locked=True, of=("self",)).filter(
            state=State.WAITING, due__lte=now
        )
        first = (
            due.select_related("notice__feed", "notice__delivery", "person", "webhook").order_by("due", "id").first()
        )
        if first is None:
            return None
        together = [first]
        if first.day is not None:
            together = list(
                due.filter(person=first.person, day=first.day).select_related("notice__feed").order_by("id")
            )
        try:
            _send(together, now)
        except (OSError, httpx.HTTPError, ServerError) as error:
            _try_later(together, now, str(getattr(error, "message", "") or error) or type(error).__name__)
            return False
        except Exception:  # one that cannot be sent for a fault of ours must not keep the others waiting
            logger.exception("sending %s could not be sent", first.pk)
            _try_later(together, now, "An unexpected error occurred; it is in the server's log.")
            return False
        for each in together:
            each.state, each.sent, each.said = State.SENT, now, ""
            each.save()
        return True


def _try_later(sendings: Sequence[Sending], now: datetime, why: str) -> None:
    for each in sendings:
        each.tries += 1
        each.said = why[:300]
        each.due = now + min(FIRST_PAUSE * 2 ** min(each.tries - 1, 20), LONGEST_PAUSE)
        if now - each.notice.at > GIVE_UP:
            each.state = State.GIVEN_UP
        each.save()


def _send(sendings: Sequence[Sending], now: datetime) -> None:
    first = sendings[0]
    if first.webhook is not None:
        _call(first, first.webhook, now)
    elif first.person is not None:
        _mail(first.person, sendings)


def _mail(person: User, sendings: Sequence[Sending]) -> None:
    lines = [f"{each.notice.feed.name}: {each.notice.says}" for each in sendings]
    subject = " ".join(lines[0].split()) if len(lines) == 1 else f"{len(lines)} things wait in Pravin"
    first = sendings[0]
    name = f"day-{first.day}-{person.pk}" if first.day else f"notice-{first.pk}"
    text = "\n".join([*lines, "", "What waits for you stands in Pravin under Inbox."])
    headers = {"Message-ID": f"<{name}@{settings.MAIL_DOMAIN}>"}
    EmailMessage(subject, text, settings.DEFAULT_FROM_EMAIL, [person.email], headers=headers).send()


def _call(sending: Sending, webhook: Webhook, now: datetime) -> None:
    """Tell a webhook; anything but a success of HTTP is tried again. Raises httpx.HTTPError."""
    page_at(webhook.address)  # the hosts that may be asked can have changed since
    body = json.dumps(content_of(sending.notice)).encode()
    headers = {"Content-Type": "application/json", **signed(f"notice-{sending.pk}", now, body, opened(webhook.secret))}
    with (
        httpx.Client(
            timeout=CALL_SECONDS, trust_env=False
        ) as client,  # it goes where it is said, past no other machine
        client.stream("POST", webhook.address, content=body, headers=headers) as answer,  # what is answered is not read
    ):
        answer.raise_for_status()


def content_of(notice: Notice) -> dict[str, Any]:
    """What a webhook is told. No values of records are in it."""
    delivery: Delivery | None = notice.delivery
    return {
        "type": f"waiting.{notice.sort}",
        "timestamp": notice.at.isoformat(),
        "data": {
            "feed": notice.feed.slug,
            "delivery": delivery.pk if delivery else None,
            "number": delivery.number if delivery else None,
            "says": notice.says,
        },
    }


def signed(id_: str, at: datetime, body: bytes, secret: str) -> dict[str, str]:
    """The headers by which a receiver knows that a call is ours and which it is (Standard Webhooks 1.0, symmetric signature)."""
    stamp = str(int(at.timestamp()))
    key = base64.b64decode(secret.removeprefix("whsec_"))
    mark = hmac.new(key, f"{id_}.{stamp}.".encode() + body, hashlib.sha256).digest()
    return {
        "webhook-id": id_,
        "webhook-timestamp": stamp,
        "webhook-signature": f"v1,{base64.b64encode(mark).decode()}",
    }
