"""Feeds: recurring sources of one kind of table."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Feed(models.Model):
    """`columns` are the names agreed with the supplier, in order: those of the first delivery that was run."""

    slug = models.SlugField(max_length=80, unique=True)
    name = models.CharField(max_length=120)
    supplier = models.CharField(max_length=120, blank=True)
    about = models.TextField(blank=True)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    columns = models.JSONField(default=list)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
