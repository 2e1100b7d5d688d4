"""Analyses that were asked for, and what they found."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed


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


class Suitability(models.Model):
    """What people settled about a feed's columns for modelling; the next delivery is judged by it.

    `limits` are shares by name (missing, repeats, leaks); `roles` say of a column, by hand, that it is input or excluded.
    """

    feed = models.OneToOneField(Feed, on_delete=models.CASCADE, related_name="suitability")
    target = models.CharField(max_length=2000, blank=True)
    limits = models.JSONField(default=dict)
    roles = models.JSONField(default=dict)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now=True)
