"""Readers: programs and people that read released tables in the database, each with a role of its own."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.feeds.models import Feed


class DatabaseReader(models.Model):
    """A reader and the feeds whose views it may read. `role`: its role in the database, made from its id, so that none collide; the
    password is known to the database alone. `password_at`: since when it holds.
    """

    name = models.CharField(max_length=120, unique=True)
    role = models.CharField(max_length=63, unique=True, null=True)
    feeds = models.ManyToManyField(Feed, related_name="readers")
    made_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    made = models.DateTimeField(auto_now_add=True)
    password_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
