"""Rulebooks and their revisions."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.feeds.models import Feed


class Revision(models.Model):
    """One state of a feed's rulebook. The newest is the draft; runs say which one they used."""

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="revisions")
    number = models.IntegerField()
    rules = models.JSONField(default=list)
    change = models.CharField(max_length=400)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now_add=True)
    published = models.DateTimeField(null=True)
    content_of = models.IntegerField(default=0)  # the revision whose rules these are: itself, or the one gone back to
    before = models.IntegerField(null=True)  # of an edit: the revision (by content) that was edited
    redo = models.JSONField(default=list)  # revisions that were undone, the next one to redo first

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["feed", "number"], name="revision_number_once")]
