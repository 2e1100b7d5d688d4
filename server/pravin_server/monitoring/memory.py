"""Remember deliveries, and say what was new in each against those before."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection
from typing import Any

from django.db.models import QuerySet
from django.db.models.fields.json import KeyTransform

from pravin_core.monitoring.measures import DeliveryMemory, remember, with_run
from pravin_core.monitoring.news import news, values_by_measure
from pravin_core.monitoring.novelties import Novelty, Remembered, heaviest_first
from pravin_core.profiling.model import Profile
from pravin_core.runs.model import Outcome
from pravin_server.deliveries.models import Delivery, DeliveryProfile
from pravin_server.deliveries.services.reading import pattern_of
from pravin_server.feeds.models import Feed
from pravin_server.monitoring.models import Memory, NewsAnswer
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run

MOST_PAST = 400  # deliveries that limits are made from


def memory_of(delivery: Delivery) -> Memory | None:
    """What is remembered of a delivery as it is read and was run, worked out where that changed; None where it is not profiled."""
    kept = Memory.objects.filter(delivery=delivery).first()
    run = current_run(delivery)
    is_as_read = kept is not None and kept.past is not None and kept.snapshot_key == delivery.snapshot_key
    if kept and is_as_read and kept.run_id == (run.pk if run else None):
        return kept
    if kept and is_as_read and run:
        content = with_run(DeliveryMemory.model_validate(kept.content), Outcome.model_validate(run.outcome))
        told, past = _news_after_run(delivery, kept, content), kept.past
    else:
        as_read = _content(delivery, run)
        if as_read is None:
            return None
        content, before = as_read, remembered_before(delivery)
        told, past = news([*before, _now(delivery, content)], expected_in(delivery.feed)), len(before)
    fields = {
        **_kept(delivery, run, content), "past": past,
        "news": [each.model_dump(mode="json") for each in told],
    }  # fmt: skip
    memory = Memory.objects.update_or_create(delivery=delivery, defaults=fields)[0]
    count_open(memory)
    return memory


def _news_after_run(delivery: Delivery, kept: Memory, content: DeliveryMemory) -> list[Novelty]:
    """What was new in the delivery as it came, and what is in what its run found."""
    now = _now(delivery, content.model_copy(update={"columns": {}}))
    of_run = [each for each in news([*measure_before(delivery), now], expected_in(delivery.feed)) if each.is_of_run]
    as_it_came = [Novelty.model_validate(each) for each in kept.news]
    return heaviest_first([*(each for each in as_it_came if not each.is_of_run), *of_run])


def _kept(delivery: Delivery, run: Run | None, content: DeliveryMemory) -> dict[str, Any]:
    return {
        "snapshot_key": delivery.snapshot_key, "run": run, "content": content.model_dump(mode="json"),
        "values": values_by_measure(content),
    }  # fmt: skip


def _now(delivery: Delivery, content: DeliveryMemory) -> Remembered:
    return Remembered(delivery.number, delivery.received, content)


def _content(delivery: Delivery, run: Run | None) -> DeliveryMemory | None:
    profile = DeliveryProfile.objects.filter(delivery=delivery, snapshot_key=delivery.snapshot_key).first()
    if profile is None or profile.content.get("awaited"):
        return None
    memory = remember(Profile.model_validate({**profile.content, "findings": []})).model_copy(update=_sources(delivery))
    return with_run(memory, Outcome.model_validate(run.outcome)) if run else memory


def _sources(delivery: Delivery) -> dict[str, Any]:
    """What is remembered of the sources of a delivery; nothing of one that we made."""
    if delivery.arrived == Delivery.MADE:
        return {}
    names = delivery.sources.filter(left_out=False).values_list("name", flat=True)
    files = delivery.files.filter(companion=False).values_list("sha256", "name")
    return {"sources": dict(Counter(pattern_of(name) for name in names)), "files": dict(files)}


def remembered_before(delivery: Delivery) -> list[Remembered]:
    """The deliveries of the feed that arrived before one, oldest first; those that were never remembered are now."""
    for each in _earlier(delivery).filter(memory=None).select_related("feed").order_by("received", "pk"):
        run = current_run(each)
        if content := _content(each, run):
            Memory.objects.get_or_create(delivery=each, defaults=_kept(each, run, content))
    known = _newest(delivery).values_list("delivery__number", "delivery__received", "content")[:MOST_PAST]
    return [Remembered(number, at, DeliveryMemory.model_validate(content)) for number, at, content in reversed(known)]


def measure_before(delivery: Delivery, column: str = "") -> list[Remembered]:
    """The deliveries before one, oldest first, with no more of their memory than one column at most: of wide tables it is long."""
    parts = {name: KeyTransform(name, "content") for name in ("records", "volume", "quarantined", "checks")}
    of_column = KeyTransform(column, KeyTransform("columns", "content"))
    kept = _newest(delivery).annotate(**{f"_{name}": part for name, part in parts.items()}, _column=of_column)
    names = [f"_{name}" for name in (*parts, "column")]
    results = []
    for number, at, *values in reversed(kept.values_list("delivery__number", "delivery__received", *names)[:MOST_PAST]):
        content = dict(zip(parts, values, strict=False))
        columns = {column: values[-1]} if column and values[-1] is not None else {}
        memory = DeliveryMemory.model_validate({**content, "rejected": 0, "columns": columns})
        results.append(Remembered(number, at, memory))
    return results


def _earlier(delivery: Delivery) -> QuerySet[Delivery]:
    """The deliveries of the feed that were read and arrived before one."""
    earlier = Delivery.objects.filter(feed=delivery.feed_id, state=Delivery.State.READ, received__lte=delivery.received)
    return earlier.exclude(pk=delivery.pk).exclude(received=delivery.received, pk__gt=delivery.pk)


def _newest(delivery: Delivery) -> QuerySet[Memory]:
    """What is remembered of them, newest first."""
    return Memory.objects.filter(delivery__in=_earlier(delivery)).order_by("-delivery__received", "-delivery_id")


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


def in_words(novelty: dict[str, Any]) -> str:
    """A novelty in one sentence, with the column or check that it is about."""
    return f"{novelty['column']}: {novelty['says']}" if novelty["column"] else str(novelty["says"])


def answered_in(delivery: Delivery) -> set[str]:
    """The news of a delivery that people answered."""
    return set(NewsAnswer.objects.filter(delivery=delivery).values_list("novelty", flat=True))


def count_open(memory: Memory) -> None:
    """Keep how many of the news are open, after news or answers changed."""
    memory.open = len(calling(memory, answered_in(memory.delivery)))
    memory.save(update_fields=["open"])
