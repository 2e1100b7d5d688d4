"""What feeds remember of their deliveries, what people answered to news, and the policies by which feeds run themselves."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.library.models import CodeList
from pravin_server.runs.models import Run


class Memory(models.Model):
    """What is remembered of a delivery as it is read (DeliveryMemory), with its newest run, and what was new in it (a list of Novelty)
    against the deliveries before (`past` of them; None: nobody asked yet). `open`: how many of the news call a person and are not answered.
    `values`: the numbers of `content` by measure and column (values_by_measure), to be read over many deliveries.
    """

    delivery = models.OneToOneField(Delivery, on_delete=models.CASCADE, related_name="memory")
    snapshot_key = models.CharField(max_length=64)
    run = models.ForeignKey(Run, null=True, on_delete=models.CASCADE)
    content = models.JSONField()
    values = models.JSONField(default=dict)
    news = models.JSONField(default=list)
    past = models.IntegerField(null=True)
    open = models.IntegerField(default=0)
    at = models.DateTimeField(auto_now=True)


class NewsAnswer(models.Model):
    """What a person answered to something new: that it is expected from now on, to be ignored this time, or that its supplier was asked."""

    class Answer(models.TextChoices):
        EXPECTED = "expected"
        IGNORED = "ignored"
        ASKED = "asked"

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="news_answers")
    novelty = models.CharField(max_length=12)
    says = models.TextField()
    answer = models.CharField(max_length=10, choices=Answer.choices)
    word = models.TextField(blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["delivery", "novelty"], name="one_answer_a_novelty")]


class FeedPolicy(models.Model):
    """By which a feed runs itself: each delivery is run when it is read; then, while nothing is new and all stays within what was agreed,
    its release is proposed or published. Else a person is called. `quarantined` is a share of the delivered records; `least`, `most`
    records (None: any number).
    """

    class Then(models.TextChoices):
        NOTHING = "nothing"
        PROPOSE = "propose"
        PUBLISH = "publish"

    feed = models.OneToOneField(Feed, on_delete=models.CASCADE, related_name="policy")
    then = models.CharField(max_length=10, choices=Then.choices, default=Then.NOTHING)
    quarantined = models.FloatField(default=0.05)
    least = models.BigIntegerField(null=True)
    most = models.BigIntegerField(null=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)
    at = models.DateTimeField(auto_now=True)


class ArrivalPlan(models.Model):
    """When deliveries of a feed are expected (`content`: Plan), from `begun` on. `holidays`: a code list whose codes are the days on
    which nothing comes. `after`: the feed that it follows, of a plan that says so.
    """

    feed = models.OneToOneField(Feed, on_delete=models.CASCADE, related_name="arrival_plan")
    content = models.JSONField()
    holidays = models.ForeignKey(CodeList, null=True, on_delete=models.SET_NULL)
    after = models.ForeignKey(Feed, null=True, on_delete=models.CASCADE, related_name="plans_after")
    begun = models.DateTimeField(auto_now=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL)


class PolicyStep(models.Model):
    """One thing that the policy of a feed did with a delivery, or why it called a person."""

    class Did(models.TextChoices):
        RAN = "ran"
        PROPOSED = "proposed"
        PUBLISHED = "published"
        CALLED = "called"
        HELD = "held"  # all was in order, and no more was asked of it

    delivery = models.ForeignKey(Delivery, on_delete=models.CASCADE, related_name="policy_steps")
    run = models.ForeignKey(Run, null=True, on_delete=models.CASCADE, related_name="policy_steps")
    did = models.CharField(max_length=10, choices=Did.choices)
    reasons = models.JSONField(default=list)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
