"""Records that broke a check: their cases, what people decided about them, and how later deliveries met them again."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.deliveries.models import Delivery


class ReasonCount(models.Model):
    """How many records of a run are set apart for a reason: counted once, as the records are set apart."""

    run = models.ForeignKey("runs.Run", on_delete=models.CASCADE, related_name="reasons")
    rule = models.IntegerField()
    name = models.TextField()
    phrase = models.TextField()
    records = models.BigIntegerField()

    class Meta:
        ordering = ["-records", "rule", "name", "phrase"]


class CaseStep(models.Model):
    """What a run did to the cases of its delivery: the records whose case it opened and those whose case it ended (packed
    numbers). All steps of a delivery in order tell which records wait, and since when.

    Of its records that still stand in quarantine `settled` came ready with a later delivery, `again` came broken with one
    and wait there, `waiting` are the rest, the longest since `oldest`.
    """

    run = models.OneToOneField("runs.Run", on_delete=models.CASCADE, related_name="cases")
    opened = models.BinaryField()
    ended = models.BinaryField()
    opened_count = models.BigIntegerField()
    ended_count = models.BigIntegerField()
    waiting = models.BigIntegerField()
    settled = models.BigIntegerField(default=0)
    again = models.BigIntegerField(default=0)
    oldest = models.DateTimeField(null=True)

    class Meta:
        ordering = ["run_id"]


class Match(models.Model):
    """Records of an earlier delivery in quarantine whose key a later delivery brought again. `content` is packed: `record`,
    `by_record` (its number in the later delivery), `again` (1: broken there too, 0: ready there).
    """

    case_run = models.ForeignKey("runs.Run", on_delete=models.CASCADE, related_name="met_later")
    by_run = models.ForeignKey("runs.Run", on_delete=models.CASCADE, related_name="met_earlier")
    settled = models.BigIntegerField()
    again = models.BigIntegerField()
    content = models.BinaryField()

    class Meta:
        ordering = ["by_run_id"]
        constraints = [models.UniqueConstraint(fields=["case_run", "by_run"], name="two_runs_met_once")]


class Decision(models.Model):
    """One act of a person on a set of records of a delivery, as it was read then; never changed, at most undone.

    `content` is packed: the records, for an amendment its cells. `filters` tell how they were chosen (empty: one by one),
    `details` what was said: values or a formula. `until`: the last day on which an exception holds, or to which is waited.
    `details` of records returned to their supplier: how many are of which source; of an answer: `returned`, the act it answers.
    """

    class Kind(models.TextChoices):
        AMEND = "amend"
        ACCEPT = "accept"
        DISCARD = "discard"
        REOPEN = "reopen"
        ASSIGN = "assign"
        WAIT = "wait"
        COMMENT = "comment"
        RETURN = "return"

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="decisions")
    snapshot_key = models.CharField(max_length=64)
    kind = models.CharField(max_length=8, choices=Kind.choices)
    records = models.BigIntegerField()
    content = models.BinaryField()
    filters = models.JSONField(default=list)
    details = models.JSONField(default=dict)
    justification = models.TextField(blank=True)
    until = models.DateField(null=True)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)
    undone_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    undone_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]
        indexes = [models.Index(fields=["delivery", "undone_at"], name="decisions_that_hold")]


class Sending(models.Model):
    """A file about returned records that was put where its supplier finds it."""

    returned = models.ForeignKey(Decision, on_delete=models.CASCADE, related_name="sendings")
    name = models.CharField(max_length=400)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]


class Answer(models.Model):
    """A file that came back from a supplier by itself (`way`: the drop folder or the API) and what became of it."""

    class State(models.TextChoices):
        WAITING = "waiting", "waiting"
        APPLIED = "applied", "applied"
        ASIDE = "aside", "set aside"

    returned = models.ForeignKey(Decision, on_delete=models.CASCADE, related_name="answers")
    name = models.CharField(max_length=255)
    bytes = models.FileField(max_length=400)
    sha256 = models.CharField(max_length=64)
    way = models.CharField(max_length=20)
    arrived = models.DateTimeField(auto_now_add=True)
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    amendment = models.ForeignKey(Decision, null=True, on_delete=models.SET_NULL, related_name="+")
    settled_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="+")
    settled_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["id"]
