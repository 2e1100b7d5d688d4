"""Work in the background, as a person sees it."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Job(models.Model):
    """One piece of work: what it is, how far it is, how it ended. The worker writes, the browser reads."""

    class State(models.TextChoices):
        WAITING = "waiting"
        WORKING = "working"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    kind = models.CharField(max_length=40)
    target = models.BigIntegerField()
    delivery = models.ForeignKey("deliveries.Delivery", null=True, on_delete=models.CASCADE, related_name="jobs")
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    step = models.CharField(max_length=200, blank=True)
    share = models.FloatField(default=0)
    error = models.JSONField(null=True)
    cancel_wanted = models.BooleanField(default=False)
    attempts = models.IntegerField(default=0)
    lock = models.CharField(max_length=100, blank=True)  # work with the same one is never done at the same time
    beat = models.DateTimeField(null=True)  # when its worker last said that it goes on
    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["delivery", "state"])]
