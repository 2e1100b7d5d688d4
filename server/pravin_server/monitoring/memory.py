"""Remember deliveries, and say what was new in each against those before."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from pravin_core.monitoring.measures import DeliveryMemory, remember, with_run
from pravin_core.monitoring.news import Remembered, news
from pravin_core.profiling.model import Profile
from pravin_core.runs.model import Outcome
from pravin_server.deliveries.models import Delivery, DeliveryProfile
from pravin_server.feeds.models import Feed
from pravin_server.monitoring.models import Memory, NewsAnswer
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run

MOST_PAST = 400  # deliveries that limits are made from


def memory_of(delivery: Delivery) -> Memory | None:
    """What is remembered of a delivery as it is read and was run, worked out where that changed; None where it is not profiled."""
    kept = Memory.objects.filter(delivery=delivery).first()
    run = current_run(delivery)
    if kept and kept.snapshot_key == delivery.snapshot_key and kept.run_id == (run.pk if run else None):
        return kept
    content = _content(delivery, run)
    if content is None:
        return None
    before = remembered_before(delivery)
    now = Remembered(delivery.number, delivery.received, content)
    fields = {
        "snapshot_key": delivery.snapshot_key, "run": run, "content": content.model_dump(mode="json"), "past": len(before),
        "news": [each.model_dump(mode="json") for each in news([*before, now], expected_in(delivery.feed))],
    }  # fmt: skip
    memory = Memory.objects.update_or_create(delivery=delivery, defaults=fields)[0]
    count_open(memory)
    return memory


def _content(delivery: Delivery, run: Run | None) -> DeliveryMemory | None:
    profile = DeliveryProfile.objects.filter(delivery=delivery, snapshot_key=delivery.snapshot_key).first()
    if profile is None or profile.content.get("awaited"):
        return None
    memory = remember(Profile.model_validate({**profile.content, "findings": []}))
    return with_run(memory, Outcome.model_validate(run.outcome)) if run else memory


def remembered_before(delivery: Delivery) -> list[Remembered]:
    """The deliveries of the feed that arrived before one, oldest first; those that were never remembered are now."""
    earlier = Delivery.objects.filter(feed=delivery.feed_id, state=Delivery.State.READ, received__lte=delivery.received)
    earlier = earlier.exclude(pk=delivery.pk).exclude(received=delivery.received, pk__gt=delivery.pk)
    for each in earlier.filter(memory=None).select_related("feed").order_by("received", "pk"):
        run = current_run(each)
        if content := _content(each, run):
            Memory.objects.get_or_create(
                delivery=each,
                defaults={"snapshot_key": each.snapshot_key, "run": run, "content": content.model_dump(mode="json")},
            )
    newest = Memory.objects.filter(delivery__in=earlier).order_by("-delivery__received", "-delivery_id")
    known = newest.values_list("delivery__number", "delivery__received", "content")[:MOST_PAST]
    return [Remembered(number, at, DeliveryMemory.model_validate(content)) for number, at, content in reversed(known)]


def expected_in(feed: Feed) -> dict[str, list[int]]:
    """By the id of a novelty the numbers of the deliveries since which people expect it."""
    answers = NewsAnswer.objects.filter(delivery__feed=feed, answer=NewsAnswer.Answer.EXPECTED)
    expected: dict[str, list[int]] = {}
    for novelty, number in answers.order_by("delivery__received").values_list("novelty", "delivery__number"):
        expected.setdefault(novelty, []).append(number)
    return expected


def calling(memory: Memory, answered: Collection[str]) -> list[dict[str, Any]]:
    """What of the news of a delivery calls a person: all but what is usual for its column, and what was answered."""
    return [each for each in memory.news if each["weight"] != "low" and each["id"] not in answered]


def answered_in(delivery: Delivery) -> set[str]:
    """The news of a delivery that people answered."""
    return set(NewsAnswer.objects.filter(delivery=delivery).values_list("novelty", flat=True))


def count_open(memory: Memory) -> None:
    """Keep how many of the news are open, after news or answers changed."""
    memory.open = len(calling(memory, answered_in(memory.delivery)))
    memory.save(update_fields=["open"])
