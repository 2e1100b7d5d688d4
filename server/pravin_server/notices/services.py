"""What people say about being told: their wishes for mail, the webhooks of the house."""

from __future__ import annotations

import base64
import secrets
from typing import Any

from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction

from pravin_server.accounts.models import User
from pravin_server.accounts.services import may_administer, may_work
from pravin_server.activity.services import note
from pravin_server.arrivals.outside import page_at
from pravin_server.common.errors import Invalid, NotFound
from pravin_server.common.secrets import sealed
from pravin_server.feeds.models import Feed
from pravin_server.notices.gathering import Waits, roles_for, waiting
from pravin_server.notices.models import MailWish, Notice, Webhook


def inbox_of(person: User) -> list[tuple[Waits, Any]]:
    """What waits for a person by their roles, each with since when it is known, what blocks most first."""
    roles = set(person.roles)
    mine = [each for each in waiting() if roles & set(roles_for(each.sort))]
    known = dict(Notice.objects.filter(key__in=[each.key for each in mine]).values_list("key", "at"))
    return [(each, known.get(each.key)) for each in mine]


@transaction.atomic
def wish(user: Any, when: str, feed: Feed | None, mail: str | None = None) -> MailWish:
    """Say when one wants mail, of a feed or of all, and at which address. Raises Invalid without one."""
    person = may_work(user, "be told by mail")
    if mail is not None and mail != person.email:
        _check(mail)
        person.email = mail
        person.save(update_fields=["email"])
    if not person.email and when != MailWish.When.NEVER:
        raise Invalid("Say at which address you want mail.", field="mail")
    kept, _ = MailWish.objects.update_or_create(person=person, feed=feed, defaults={"when": when})
    return kept


def _check(mail: str) -> None:
    try:
        if mail:
            validate_email(mail)
    except ValidationError:
        raise Invalid(f"“{mail}” is no mail address such as name@example.org.", field="mail") from None


@transaction.atomic
def make_webhook(user: Any, address: str) -> tuple[Webhook, str]:
    """Tell an address of what waits; returns it with its secret, which is shown this once."""
    person = may_administer(user, "have other programs told")
    page_at(address)
    secret = f"whsec_{base64.b64encode(secrets.token_bytes(24)).decode()}"
    webhook = Webhook.objects.create(address=address, secret=sealed(secret), by=person)
    note(person, "has another program told of what waits", address=address)
    return webhook, secret


@transaction.atomic
def drop_webhook(user: Any, webhook_id: int) -> None:
    """Do not tell that address any more."""
    person = may_administer(user, "have other programs told")
    webhook = Webhook.objects.filter(pk=webhook_id).first()
    if webhook is None:
        raise NotFound(f"There is no webhook {webhook_id}.")
    note(person, "has another program told no more", address=webhook.address)
    webhook.delete()
