"""Trials and runs."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.deliveries.models import Delivery
from pravin_server.rulebooks.models import Revision


class Run(models.Model):
    """A rulebook revision over a delivery. A trial changes nothing; a run counts.

    With snapshot, revision (or `rules`), `decisions` and `context` it has all that its result is made from.
    """

    class Purpose(models.TextChoices):
        TRIAL = "trial"
        RUN = "run"

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="runs")
    revision = models.ForeignKey(Revision, on_delete=models.PROTECT, related_name="runs")
    purpose = models.CharField(max_length=5, choices=Purpose.choices)
    state = models.CharField(max_length=12, default="waiting")
    snapshot_key = models.CharField(max_length=64)
    decisions = models.JSONField(default=list)
    rules = models.JSONField(null=True)  # as they ran, where the library put something in; else those of the revision
    context = models.JSONField(default=dict)
    outcome = models.JSONField(null=True)
    error = models.JSONField(null=True)
    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    asked = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)
    seconds = models.FloatField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["delivery", "purpose", "state"])]


class TableAfter(models.Model):
    """The table of a delivery as the rules up to one leave it, as a table that can be profiled.

    `rule` is the last of them, empty for the end of the rulebook, `place` its number. With snapshot, `rules` (resolved),
    `decisions` and `context` it has all that its records are made from; `key` is made of these. `content` is its profile, empty
    until it is measured; `left_out` tells how many records were quarantined and removed before.
    """

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="tables_after")
    key = models.CharField(max_length=64, unique=True)
    rule = models.CharField(max_length=40, blank=True)
    place = models.IntegerField()
    snapshot_key = models.CharField(max_length=64)
    rules = models.JSONField()
    decisions = models.JSONField(default=list)
    context = models.JSONField(default=dict)
    left_out = models.JSONField(default=dict)
    content = models.JSONField(null=True)
    made = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]
