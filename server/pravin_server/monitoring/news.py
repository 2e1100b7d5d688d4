"""What is new in a delivery, for people: news with their answers, findings that no rule treats, design changes; and measures over time."""

from __future__ import annotations

from collections.abc import Set
from typing import Any

from django.db import transaction

from pravin_core.monitoring.limits import LEAST_PAST
from pravin_core.monitoring.measures import DeliveryMemory, from_scale
from pravin_core.monitoring.news import Series, series_of
from pravin_core.monitoring.novelties import Remembered
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import NotFound
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.folders import supplier_folder, written_for_supplier
from pravin_server.feeds.masking import MASK, refuse
from pravin_server.findings.queries import findings_by_severity
from pravin_server.monitoring.memory import count_open, expected_in, in_words, measure_before, memory_of
from pravin_server.monitoring.models import Memory, NewsAnswer, PolicyStep

SHOWN_POINTS = 120  # deliveries in a line of a measure
_VERBS = {"expected": "expects from now on in", "ignored": "ignores this time in", "asked": "asked the supplier about"}
SEVERITY = {"high": 0, "middle": 1}


def news_of(delivery: Delivery, hidden: Set[str]) -> dict[str, Any]:
    """All that is new in a delivery, the heaviest first, and what its feed's policy did. Of hidden columns only that there is something."""
    memory = memory_of(delivery) if delivery.state == Delivery.State.READ else None
    answers = {each.novelty: each for each in delivery.news_answers.select_related("by")}
    known = [{**_covered(each, hidden), **_answer(answers.get(each["id"]))} for each in (memory.news if memory else [])]
    return {
        "past": (memory.past or 0) if memory else 0,
        "needed": LEAST_PAST,
        "changes": delivery.changes.filter(choice="").count(),
        "news": [each for each in known if each["weight"] != "low"],
        "usual": [each for each in known if each["weight"] == "low"],
        "findings": _open_findings(delivery, hidden),
        "judged": _judged(memory),
        "steps": [
            {"did": step.did, "at": step.at, "reasons": [_covered_reason(reason, hidden) for reason in step.reasons]}
            for step in PolicyStep.objects.filter(delivery=delivery)
        ],
    }


def _covered(novelty: dict[str, Any], hidden: Set[str]) -> dict[str, Any]:
    if novelty["column"] not in hidden:
        return novelty
    says = f"{novelty['measure']}: the values may only be seen masked"
    return {**novelty, "says": says, "value": None, "low": None, "high": None, "texts": [{"text": MASK, "share": None}]}


def _covered_reason(reason: str, hidden: Set[str]) -> str:
    named = [name for name in sorted(hidden) if name in reason]
    return f"{', '.join(named)}: the values may only be seen masked" if named else reason


def _answer(answer: NewsAnswer | None) -> dict[str, Any]:
    if answer is None:
        return {"answer": "", "word": "", "by": "", "at": None}
    return {"answer": answer.answer, "word": answer.word, "by": answer.by.shown if answer.by else "", "at": answer.at}


def _open_findings(delivery: Delivery, hidden: Set[str]) -> list[dict[str, Any]]:
    if not hasattr(delivery, "profile"):
        return []
    open_ones = [each for each in findings_by_severity(delivery, None, hidden) if each["state"] == "open"]
    heavy = [each["finding"] for each in open_ones if each["finding"].severity in SEVERITY]
    return [
        {"id": each.id, "kind": each.kind, "columns": list(each.columns), "severity": each.severity, "says": each.says}
        for each in sorted(heavy, key=lambda each: SEVERITY[each.severity])
    ]


def _judged(memory: Memory | None) -> int:
    """How many measures of the delivery were compared with those before."""
    if memory is None or (memory.past or 0) < LEAST_PAST:
        return 0
    content = memory.content
    return 1 + len(content["checks"]) + sum(len(column["measures"]) for column in content["columns"].values())


@transaction.atomic
def answer(user: Any, delivery: Delivery, novelty: str, choice: str, word: str) -> NewsAnswer:
    """Answer to something new: it is expected from now on, to be ignored this time, or its supplier is asked, by a file where they find it.
    Raises NotFound when it is not new there.
    """
    person = may_work(user, "answer to what is new")
    memory = Memory.objects.filter(delivery=delivery).first()
    found = next((each for each in memory.news if each["id"] == novelty), None) if memory else None
    if memory is None or found is None:
        raise NotFound("This is not among what is new in the delivery any more. Look again.")
    fields = {"says": in_words(found), "answer": choice, "word": word.strip(), "by": person}
    kept, _ = NewsAnswer.objects.update_or_create(delivery=delivery, novelty=novelty, defaults=fields)
    count_open(memory)
    what = (
        f"{_VERBS[choice]} delivery {delivery.number}: {_named(found)}"  # no number: the activity is read by everybody
    )
    note(person, what, delivery.feed.slug, delivery.pk, word=word.strip())
    if choice == NewsAnswer.Answer.ASKED:
        with written_for_supplier(delivery.feed, _question_name(delivery, novelty)) as place:
            place.write_text(_question(delivery, found, word.strip(), person.shown), encoding="utf-8")
    else:
        _drop_question(delivery, novelty)
    return kept


def _question_name(delivery: Delivery, novelty: str) -> str:
    return f"question about delivery {delivery.number}, {novelty}.txt"


def _question(delivery: Delivery, novelty: dict[str, Any], word: str, person: str) -> str:
    """What a supplier reads: what is new, with the texts that are, and what is asked."""
    shares = [(each["text"], each["share"]) for each in novelty["texts"]]
    lines = [
        f"About delivery {delivery.number} of {delivery.feed.name}, received {delivery.received:%Y-%m-%d %H:%M} UTC",
        "",
        in_words(novelty),
        *(f"  {text}" + ("" if share is None else f" ({share:.2%} of the records)") for text, share in shares),
        "",
        word or "Is this right?",
        "",
        person,
    ]
    return "\n".join(lines) + "\n"


def _drop_question(delivery: Delivery, novelty: str) -> None:
    (supplier_folder(delivery.feed) / _question_name(delivery, novelty)).unlink(missing_ok=True)


def _named(novelty: dict[str, Any]) -> str:
    """What a novelty is about, without its numbers."""
    return f"{novelty['column']}, {novelty['measure']}" if novelty["column"] else str(novelty["measure"])


@transaction.atomic
def take_back(user: Any, delivery: Delivery, novelty: str) -> None:
    """Take an answer back; nothing happens where there is none."""
    person = may_work(user, "answer to what is new")
    for kept in NewsAnswer.objects.filter(delivery=delivery, novelty=novelty):
        kept.delete()
        count_open(delivery.memory)
        _drop_question(delivery, novelty)
        note(
            person, f"took an answer to what is new in delivery {delivery.number} back", delivery.feed.slug, delivery.pk
        )


def measure_over_time(delivery: Delivery, measure: str, hidden: Set[str]) -> dict[str, Any]:
    """A measure over the deliveries up to one, with the limits that held for each. Raises NotFound when the delivery has no such,
    NotAllowed when it is of a hidden column.
    """
    memory = memory_of(delivery)
    if memory is None:
        raise NotFound("The delivery is not profiled yet.")
    now = Remembered(delivery.number, delivery.received, DeliveryMemory.model_validate(memory.content))
    own = next((each for each in series_of([now]) if each.id == measure), None)
    if own is None:
        raise NotFound("There is no such measure in this delivery.")
    column = "" if own.rule else own.column
    refuse(hidden & {column}, "The measure is of")
    deliveries = [*measure_before(delivery, column), now]
    series = next(each for each in series_of(deliveries, expected_in(delivery.feed)) if each.id == measure)
    return {
        "column": series.column, "measure": series.about, "scale": series.scale.value,
        "points": [_point(series, place) for place in range(max(0, len(series.points) - SHOWN_POINTS), len(series.points))],
    }  # fmt: skip


def _point(series: Series, place: int) -> dict[str, Any]:
    each, measured = series.points[place]
    limits = series.limits(place)
    return {
        "number": each.number, "received": each.at, "value": measured.value, "outside": limits is not None and limits.outside(measured.scaled),
        "low": from_scale(series.scale, limits.low) if limits else None,
        "high": from_scale(series.scale, limits.high) if limits else None,
        "expected": each.number in series.expected,
    }  # fmt: skip
