"""Releases: immutable, numbered, published results."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed


class Release(models.Model):
    """What was handed over. `table` is its table in the schema `released`; `data` the same as Parquet.
    `contract`: the version that it keeps. `replaced_by`: the follow-up release of the same delivery, after more of its cases were settled; the former stays as it was.
    """

    class State(models.TextChoices):
        PUBLISHING = "publishing"
        PUBLISHED = "published"
        WITHDRAWN = "withdrawn"
        FAILED = "failed"

    feed = models.ForeignKey(Feed, on_delete=models.PROTECT, related_name="releases")
    delivery = models.ForeignKey(Delivery, on_delete=models.PROTECT, related_name="releases")
    run = models.ForeignKey("runs.Run", on_delete=models.PROTECT, related_name="releases")
    number = models.IntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.PUBLISHING)
    table = models.CharField(max_length=63)
    records = models.BigIntegerField(default=0)
    data = models.FileField(max_length=400, null=True)
    manifest = models.JSONField(default=dict)
    error = models.JSONField(null=True)
    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    asked = models.DateTimeField(auto_now_add=True)
    published = models.DateTimeField(null=True)
    withdrawn = models.DateTimeField(null=True)
    withdrawn_why = models.TextField(blank=True)
    contract = models.ForeignKey("ContractVersion", null=True, on_delete=models.PROTECT, related_name="+")
    replaced_by = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="replaces")

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["feed", "number"], name="release_number_once")]


class SupersededRecord(models.Model):
    """A released record whose key a newer delivery has, in a feed of which the newest record of a key stands. It is not shown."""

    pk = models.CompositePrimaryKey("release_id", "record")
    release = models.ForeignKey(Release, on_delete=models.CASCADE, related_name="superseded")
    record = models.BigIntegerField()


class ContractVersion(models.Model):
    """A version of the contract of a feed's released table: its columns (ContractColumn, in order). The newest stands."""

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="contracts")
    number = models.IntegerField()
    columns = models.JSONField(default=list)
    change = models.CharField(max_length=400)
    author = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["feed", "number"], name="contract_number_once")]


class ReleaseProposal(models.Model):
    """What an analyst proposed to release: a run of a delivery, with a word, and what became of it. Of a delivery one waits at most.

    Replaced: a newer proposal took its place. A proposal whose delivery was run again since waits for nobody.
    """

    class State(models.TextChoices):
        WAITING = "waiting"
        APPROVED = "approved"
        DECLINED = "declined"
        CANCELLED = "cancelled"
        REPLACED = "replaced"

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="proposals")
    run = models.ForeignKey("runs.Run", on_delete=models.CASCADE, related_name="+")
    state = models.CharField(max_length=9, choices=State.choices, default=State.WAITING)
    word = models.TextField(blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    decided_at = models.DateTimeField(null=True)
    answer = models.TextField(blank=True)
    release = models.ForeignKey(Release, null=True, on_delete=models.SET_NULL, related_name="proposals")

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(
                fields=["delivery"], condition=models.Q(state="waiting"), name="one_proposal_waits_of_a_delivery"
            )
        ]


class ProposalRemark(models.Model):
    """A question about a proposal, or an answer to one."""

    proposal = models.ForeignKey(ReleaseProposal, on_delete=models.CASCADE, related_name="remarks")
    text = models.TextField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class TableDivision(models.Model):
    """How a feed's released table is divided into parts for modelling (Division, settled when it was made). It never changes, so that a
    record stays in its part; one that is `ended` is kept for the record.
    """

    feed = models.ForeignKey(Feed, on_delete=models.CASCADE, related_name="divisions")
    number = models.IntegerField()
    content = models.JSONField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-number"]
        constraints = [models.UniqueConstraint(fields=["feed", "number"], name="division_number_once")]
