"""Ways in which deliveries arrive besides a plain upload: resumable uploads, drop folders, fetching."""

from __future__ import annotations

import uuid
from pathlib import Path

from django.conf import settings
from django.db import models

from pravin_server.feeds.models import Feed


class Upload(models.Model):
    """A file on its way in, a piece at a time. Its bytes lie in `path` until a delivery takes them. `sha256` as its sender said it, if at
    all.
    """

    key = models.UUIDField(default=uuid.uuid4, unique=True)
    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="uploads")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE)
    name = models.CharField(max_length=255)
    size = models.BigIntegerField()
    sha256 = models.CharField(max_length=64, blank=True)
    begun = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]

    @property
    def path(self) -> Path:
        place: Path = settings.UPLOAD_DIR
        place.mkdir(parents=True, exist_ok=True)
        return place / self.key.hex

    @property
    def received(self) -> int:
        """How many bytes are here."""
        return self.path.stat().st_size if self.path.exists() else 0


class DropSighting(models.Model):
    """A file seen in a feed's drop folder: it is taken when it has not changed between two looks."""

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="sightings")
    name = models.CharField(max_length=255)
    size = models.BigIntegerField()
    modified = models.BigIntegerField()
    since = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["feed", "name"], name="one_sighting_a_file")]


class FetchPlan(models.Model):
    """Where a feed's deliveries are fetched from, how often (`minutes`, 0: only when asked), and how it went."""

    class Kind(models.TextChoices):
        PAGE = "page"
        DATABASE = "database"

    feed = models.OneToOneField(Feed, on_delete=models.CASCADE, related_name="fetch_plan")
    kind = models.CharField(max_length=10, choices=Kind.choices)
    address = models.CharField(max_length=1000)
    query = models.TextField(blank=True)
    password = models.CharField(max_length=1000, blank=True)  # sealed, see common/secrets.py
    minutes = models.IntegerField(default=0)
    due = models.DateTimeField(null=True)
    last_at = models.DateTimeField(null=True)
    last_said = models.CharField(max_length=1000, blank=True)
    last_failed = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
