"""What a derived feed is made from: its plan, and what each of its deliveries was made from."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed


class DerivedPlan(models.Model):
    """How a feed is made: it begins with the released records of `base`, to which `steps` (rules, as in a rulebook) join, append or
    sum up those of other feeds; a step names another feed by its slug. `sources`: base and those others. How it last went:
    `last_said` at `last_at`.
    """

    feed = models.OneToOneField(Feed, on_delete=models.CASCADE, related_name="derived_plan")
    base = models.ForeignKey(Feed, on_delete=models.PROTECT, related_name="+")
    steps = models.JSONField(default=list)
    sources = models.ManyToManyField(Feed, related_name="plans_that_use_it")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now=True)
    version = models.IntegerField(default=1)
    last_at = models.DateTimeField(null=True)
    last_said = models.CharField(max_length=1000, blank=True)
    last_failed = models.BooleanField(default=False)


class DerivedDelivery(models.Model):
    """What a delivery was made from: the plan as it was, the releases by feed (`sources`: a list of feed id, ids of releases, key) and
    how many records there were after each step (the first: the base).
    """

    delivery = models.OneToOneField(Delivery, on_delete=models.CASCADE, related_name="derived_from")
    base = models.ForeignKey(Feed, on_delete=models.PROTECT, related_name="+")
    steps = models.JSONField(default=list)
    sources = models.JSONField(default=list)
    records = models.JSONField(default=list)
