"""Feeds: recurring sources of one kind of table."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_core.releases.adding_up import AddingUp


class Feed(models.Model):
    """A feed and what it remembers of its deliveries. What belongs to it is found by its id; `slug` (in addresses) and `view`
    (its view of released records in the database) are made from the name once, each its own, and never change.

    `design`: the agreed columns (AgreedColumn), in order, settled by the first run. `layouts`: the ways in which
    sources name and order them. `requests`: import settings by the pattern of a source's name. `key`: the columns that tell a
    record apart, also from one delivery to the next; empty until a person agreed it. `adds_up`: what a newer delivery does to the
    released table (AddingUp); `shows_origin`: whether its view tells each record's delivery and number. `second_person`: whoever proposed
    a release or decided on its records may not approve it.
    """

    slug = models.SlugField(max_length=80, unique=True)
    view = models.CharField(max_length=63, unique=True)
    name = models.CharField(max_length=120)
    supplier = models.CharField(max_length=120, blank=True)
    about = models.TextField(blank=True)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    design = models.JSONField(default=list)
    layouts = models.JSONField(default=list)
    requests = models.JSONField(default=dict)
    key = models.JSONField(default=list)
    adds_up = models.CharField(max_length=10, choices=[(way.value, way.value) for way in AddingUp], default="replaces")
    shows_origin = models.BooleanField(default=True)
    second_person = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]

    @property
    def columns(self) -> list[str]:
        """The names of the agreed columns, in order."""
        return [column["name"] for column in self.design]
