"""Records that broke a check, and what people decided about them."""

from __future__ import annotations

from django.conf import settings
from django.contrib.postgres.indexes import GinIndex
from django.db import models

from pravin_server.deliveries.models import Delivery


class QuarantinedRecord(models.Model):
    """A record set apart by a run, with all its reasons and its original and current values by column."""

    run = models.ForeignKey("runs.Run", on_delete=models.CASCADE, related_name="quarantined")
    record = models.BigIntegerField()
    file = models.IntegerField()
    line = models.BigIntegerField()
    reasons = models.JSONField()
    current = models.JSONField()
    original = models.JSONField()

    class Meta:
        ordering = ["record"]
        constraints = [models.UniqueConstraint(fields=["run", "record"], name="quarantined_once_a_run")]
        indexes = [GinIndex(fields=["reasons"], name="reasons_gin", opclasses=["jsonb_path_ops"])]


class ReasonCount(models.Model):
    """How many records of a run are set apart for a reason: counted once, as the records are set apart."""

    run = models.ForeignKey("runs.Run", on_delete=models.CASCADE, related_name="reasons")
    rule = models.IntegerField()
    name = models.TextField()
    phrase = models.TextField()
    records = models.BigIntegerField()

    class Meta:
        ordering = ["-records", "rule", "name", "phrase"]


class Decision(models.Model):
    """What was decided on one record. `values` are amended values by column (null is missing)."""

    class Kind(models.TextChoices):
        AMEND = "amend"
        ACCEPT = "accept"
        DISCARD = "discard"

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="decisions")
    record = models.BigIntegerField()
    kind = models.CharField(max_length=8, choices=Kind.choices)
    values = models.JSONField(default=dict)
    justification = models.TextField(blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["record"]
        constraints = [models.UniqueConstraint(fields=["delivery", "record"], name="one_decision_a_record")]
