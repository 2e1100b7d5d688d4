"""Work in the background, as a person sees it."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.http import HttpResponse


class Job(models.Model):
    """One piece of work: what it is, how far it is, how it ended. The worker writes, the browser reads."""

    class State(models.TextChoices):
        WAITING = "waiting"
        WORKING = "working"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    kind = models.CharField(max_length=40)
    target = models.BigIntegerField()
    delivery = models.ForeignKey("deliveries.Delivery", null=True, on_delete=models.CASCADE, related_name="jobs")
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    step = models.CharField(max_length=200, blank=True)
    share = models.FloatField(default=0)
    error = models.JSONField(null=True)
    cancel_wanted = models.BooleanField(default=False)
    attempts = models.IntegerField(default=0)
    lock = models.CharField(max_length=100, blank=True)  # work with the same one is never done at the same time
    beat = models.DateTimeField(null=True)  # when its worker last said that it goes on
    asked_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    created = models.DateTimeField(auto_now_add=True)
    ended = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["delivery", "state"])]


class GivenAnswer(models.Model):
    """What was answered to a request with a key, kept for some days. `asker` is a digest of who asked and the key, `asked` one of the
    request; neither can be read back.
    """

    asker = models.CharField(max_length=64, unique=True)
    asked = models.CharField(max_length=64)
    status = models.IntegerField(default=0)
    content_type = models.CharField(max_length=100, blank=True)
    body = models.BinaryField(default=bytes)
    given = models.DateTimeField(auto_now_add=True, db_index=True)

    def keep(self, answer: HttpResponse) -> None:
        """Keep what was answered."""
        self.status, self.content_type, self.body = answer.status_code, answer.get("Content-Type", ""), answer.content
        self.save()

    def again(self) -> HttpResponse:
        """The same answer, with a header that says so."""
        answer = HttpResponse(bytes(self.body), status=self.status, content_type=self.content_type)
        answer["Idempotency-Replayed"] = "true"
        return answer
