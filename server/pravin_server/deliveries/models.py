"""Deliveries, their source files, the sources in them, and what a person settled about them."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.feeds.models import Feed


class Delivery(models.Model):
    """One arrival for a feed. Counts and columns are those of its snapshot, once it is read.

    `arrived`: by which way. `totals`: a list of control totals (ControlTotals) that came with it or were typed in, `compared`
    what the comparison found (a list of Compared).
    """

    class State(models.TextChoices):
        READING = "reading"
        READ = "read"
        FAILED = "failed"

    MADE = "releases of other feeds"  # how a delivery that we made ourselves arrived

    feed = models.ForeignKey(Feed, on_delete=models.PROTECT, related_name="deliveries")
    number = models.IntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.READING)
    error = models.JSONField(null=True)
    received = models.DateTimeField()
    received_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    arrived = models.CharField(max_length=200, default="upload")
    snapshot_key = models.CharField(max_length=64, blank=True)
    columns = models.JSONField(default=list)
    records = models.BigIntegerField(default=0)
    rejected = models.BigIntegerField(default=0)
    totals = models.JSONField(default=list)
    compared = models.JSONField(default=list)

    class Meta:
        ordering = ["-received", "-id"]
        constraints = [models.UniqueConstraint(fields=["feed", "number"], name="delivery_number_once")]
        indexes = [models.Index(fields=["feed", "-received", "-id"], name="newest_of_a_feed")]


class SourceFile(models.Model):
    """One file of a delivery, byte for byte. `companion`: it holds control totals, not records."""

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="files")
    position = models.IntegerField()
    name = models.CharField(max_length=255)
    bytes = models.FileField(max_length=400)
    size = models.BigIntegerField()
    sha256 = models.CharField(max_length=64)
    companion = models.BooleanField(default=False)

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["delivery", "position"], name="one_file_a_place")]


class Source(models.Model):
    """One table to read: a file, a member of an archive, a sheet, a table of a page.

    `request` is what a person chose, `settings` what is used; `left_out`: it is not read. `guess`: the encoding, judged
    once. `sketch`: its columns in a few measures, to match them with others.
    """

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="sources")
    file = models.ForeignKey(SourceFile, on_delete=models.CASCADE, related_name="sources")
    position = models.IntegerField()
    name = models.CharField(max_length=800)
    member = models.CharField(max_length=400, blank=True)
    table = models.CharField(max_length=200, blank=True)
    left_out = models.BooleanField(default=False)
    request = models.JSONField(default=dict)
    settings = models.JSONField(default=dict)
    guess = models.JSONField(null=True)
    evidence = models.JSONField(default=dict)
    notes = models.JSONField(default=list)
    rivals = models.JSONField(default=dict)
    doubts = models.JSONField(default=list)
    sketch = models.JSONField(default=list)
    counts = models.JSONField(null=True)

    class Meta:
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["delivery", "position"], name="one_source_a_place")]


class Repair(models.Model):
    """A rejected line that a person repaired: `text` stands for `lines` lines from `line`; `original` is what was there."""

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="repairs")
    line = models.BigIntegerField()
    lines = models.IntegerField(default=1)
    text = models.TextField()
    original = models.TextField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["source", "line"], name="one_repair_a_line")]


class DesignChange(models.Model):
    """One difference to the columns agreed for the feed, and how it was settled (`choice` empty: not yet).

    `source` is empty for what concerns the whole table; `target`: the agreed column a delivered one was said to be.
    """

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="changes")
    source = models.ForeignKey(Source, null=True, on_delete=models.CASCADE, related_name="changes")
    kind = models.CharField(max_length=12)
    name = models.CharField(max_length=1000)
    column = models.CharField(max_length=1000, blank=True)
    evidence = models.TextField(blank=True)
    choices = models.JSONField(default=list)
    choice = models.CharField(max_length=40, blank=True)
    target = models.CharField(max_length=1000, blank=True)
    settled_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    settled_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]


class DeliveryProfile(models.Model):
    """The profile of a snapshot. `treated`: which findings the rules of a revision treat, as last asked (`revision`, `by`)."""

    delivery = models.OneToOneField(Delivery, on_delete=models.CASCADE, related_name="profile")
    snapshot_key = models.CharField(max_length=64)
    content = models.JSONField()
    treated = models.JSONField(default=dict)
    made = models.DateTimeField(auto_now=True)


class NamedFilter(models.Model):
    """Filters of records kept under a name, for all deliveries of a feed."""

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="filters")
    name = models.CharField(max_length=100)
    filters = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["feed", "name"], name="filter_named_once")]
