"""Code lists, parameters, shared rules and reference tables."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.feeds.models import Feed


class CodeList(models.Model):
    """A table of codes and meanings; every change is a version."""

    name = models.CharField(max_length=200, unique=True)
    about = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["name"]


class CodeListVersion(models.Model):
    """One state of a code list: pairs of code and meaning, in order."""

    list = models.ForeignKey(CodeList, on_delete=models.CASCADE, related_name="versions")
    number = models.IntegerField()
    codes = models.JSONField()
    change = models.CharField(max_length=400)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["list", "number"], name="code_list_version_once")]


class Parameter(models.Model):
    """A named value that rules refer to as `:name`; feeds may have values of their own."""

    class Type(models.TextChoices):
        TEXT = "text"
        NUMBER = "number"
        DATE = "date"

    name = models.CharField(max_length=60, unique=True)
    type = models.CharField(max_length=6, choices=Type.choices, default=Type.TEXT)
    default = models.CharField(max_length=400)
    values = models.JSONField(default=dict)
    about = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["name"]


class SharedGroup(models.Model):
    """A named group of rules for all feeds whose address fits a pattern; `off` lists feeds that leave it out."""

    name = models.CharField(max_length=200, unique=True)
    feeds = models.CharField(max_length=400)
    place = models.CharField(max_length=5, default="first")
    rules = models.JSONField(default=list)
    off = models.JSONField(default=list)
    about = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ["name"]


class ReferenceTable(models.Model):
    """A table to look into: an uploaded file in versions, or the latest release of a feed."""

    name = models.CharField(max_length=200, unique=True)
    about = models.CharField(max_length=400, blank=True)
    feed = models.ForeignKey(Feed, null=True, on_delete=models.PROTECT, related_name="+")

    class Meta:
        ordering = ["name"]


class ReferenceVersion(models.Model):
    """One uploaded state of a reference table, byte for byte."""

    table = models.ForeignKey(ReferenceTable, on_delete=models.CASCADE, related_name="versions")
    number = models.IntegerField()
    file_name = models.CharField(max_length=255)
    bytes = models.FileField(max_length=400)
    sha256 = models.CharField(max_length=64)
    columns = models.JSONField()
    records = models.BigIntegerField()
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["table", "number"], name="reference_version_once")]
