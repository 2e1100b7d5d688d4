"""Analyses that were asked for, and what they found."""

from __future__ import annotations

from django.db import models

from pravin_server.deliveries.models import Delivery


class Analysis(models.Model):
    """One analysis of a delivery. `key` is made from all it depends on; `content` is empty until it is done.

    `asked` for relations: target and whether all records are compared; for side by side: the other delivery or the run.
    """

    class Kind(models.TextChoices):
        RELATIONS = "relations"
        SIDE_BY_SIDE = "side by side"

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="analyses")
    kind = models.CharField(max_length=20, choices=Kind.choices)
    key = models.CharField(max_length=64, unique=True)
    asked = models.JSONField()
    content = models.JSONField(null=True)
    made = models.DateTimeField(auto_now_add=True)
