"""Deliveries, their source files and profiles."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.feeds.models import Feed


class Delivery(models.Model):
    """One arrival for a feed. Counts and columns are those of its snapshot, once it is read."""

    class State(models.TextChoices):
        READING = "reading"
        READ = "read"
        FAILED = "failed"

    feed = models.ForeignKey(Feed, on_delete=models.PROTECT, related_name="deliveries")
    number = models.IntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.READING)
    error = models.JSONField(null=True)
    received = models.DateTimeField()
    received_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    snapshot_key = models.CharField(max_length=64, blank=True)
    columns = models.JSONField(default=list)
    records = models.BigIntegerField(default=0)
    rejected = models.BigIntegerField(default=0)

    class Meta:
        ordering = ["-received", "-id"]
        constraints = [models.UniqueConstraint(fields=["feed", "number"], name="delivery_number_once")]


class SourceFile(models.Model):
    """One file of a delivery, byte for byte. `request` is what a person chose, `settings` what is used."""

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="files")
    position = models.IntegerField()
    name = models.CharField(max_length=255)
    bytes = models.FileField(max_length=400)
    size = models.BigIntegerField()
    sha256 = models.CharField(max_length=64)
    request = models.JSONField(default=dict)
    settings = models.JSONField(default=dict)
    evidence = models.JSONField(default=dict)
    notes = models.JSONField(default=list)
    rivals = models.JSONField(default=dict)
    counts = models.JSONField(null=True)

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["delivery", "position"], name="one_file_a_place")]


class DeliveryProfile(models.Model):
    """The profile of a snapshot."""

    delivery = models.OneToOneField(Delivery, on_delete=models.CASCADE, related_name="profile")
    snapshot_key = models.CharField(max_length=64)
    content = models.JSONField()
    made = models.DateTimeField(auto_now=True)
