"""Decisions about findings, remembered by the feed."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed


class FindingDecision(models.Model):
    """A finding was accepted (its rule is in the rulebook) or dismissed; it holds for later deliveries too."""

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="finding_decisions")
    finding = models.CharField(max_length=12)
    state = models.CharField(max_length=12, choices=[("accepted", "accepted"), ("dismissed", "dismissed")])
    reason = models.CharField(max_length=1000, default="")
    rule = models.CharField(max_length=40, default="")
    delivery = models.ForeignKey(Delivery, null=True, on_delete=models.SET_NULL)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["feed", "finding"], name="finding_decided_once")]
