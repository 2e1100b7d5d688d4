"""What was done, by whom, when: append-only, each entry chained to the one before by its hash."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Event(models.Model):
    """One action. `hash` covers the entry and the hash of the one before; triggers refuse changes."""

    at = models.DateTimeField()
    user = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT)
    what = models.CharField(max_length=400)
    feed = models.CharField(max_length=80, blank=True)
    delivery = models.BigIntegerField(null=True)
    details = models.JSONField(default=dict)
    previous = models.CharField(max_length=64)
    hash = models.CharField(max_length=64)

    class Meta:
        ordering = ["-id"]
