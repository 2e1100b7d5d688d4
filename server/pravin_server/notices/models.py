"""What waits and is told, whom it is told and how."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed


class Notice(models.Model):
    """Something that waits for people. `key` is the same as long as it is the same thing, so that nothing is told twice; `ended` when it
    does not wait any more.
    """

    key = models.CharField(max_length=120, unique=True)
    sort = models.CharField(max_length=12)
    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="notices")
    delivery = models.ForeignKey(Delivery, null=True, on_delete=models.CASCADE, related_name="notices")
    says = models.CharField(max_length=300)
    at = models.DateTimeField()
    ended = models.DateTimeField(null=True, db_index=True)

    class Meta:
        ordering = ["id"]


class MailWish(models.Model):
    """When a person wants mail about what waits: of one feed, or of all (no feed) where nothing is said of that one."""

    class When(models.TextChoices):
        NEVER = "never"
        AT_ONCE = "at once"
        DAILY = "daily"

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="mail_wishes")
    feed = models.ForeignKey(Feed, null=True, on_delete=models.CASCADE, related_name="mail_wishes")
    when = models.CharField(max_length=8, choices=When.choices)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["person", "feed"], name="one_wish_a_feed", nulls_distinct=False),
        ]


class Webhook(models.Model):
    """An address that is told of what waits, signed with a secret that was shown once."""

    address = models.CharField(max_length=1000)
    secret = models.TextField()  # sealed
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class Sending(models.Model):
    """A notice on its way to one person by mail or to one webhook; `due` is when it is tried (again). `day`: it goes with the mail of
    that day, which takes all of the person's that have it.
    """

    class State(models.TextChoices):
        WAITING = "waiting"
        SENT = "sent"
        GIVEN_UP = "given up"

    notice = models.ForeignKey(Notice, on_delete=models.CASCADE, related_name="sendings")
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.CASCADE, related_name="sendings")
    webhook = models.ForeignKey(Webhook, null=True, on_delete=models.CASCADE, related_name="sendings")
    day = models.DateField(null=True)
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    due = models.DateTimeField()
    tries = models.IntegerField(default=0)
    said = models.CharField(max_length=300, blank=True)  # why the last try failed
    sent = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]
        indexes = [models.Index(fields=["state", "due"])]
        constraints = [
            models.UniqueConstraint(fields=["notice", "person"], name="one_mail_a_notice"),
            models.UniqueConstraint(fields=["notice", "webhook"], name="one_call_a_notice"),
        ]
