"""What a person settles about a delivery: import settings, design changes, repaired lines, control totals."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone

from pravin_core.intake.design import FILLS, LEAVE_OUT, TAKE, ChangeKind
from pravin_core.intake.repairs import read_repair
from pravin_core.intake.settings import FileSettings, SettingsRequest
from pravin_core.intake.totals import ControlTotals
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Invalid, NotFound
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.deliveries import rejected
from pravin_server.deliveries.models import Delivery, DesignChange, Repair, Source
from pravin_server.deliveries.services.reading import TYPED, pattern_of
from pravin_server.deliveries.services.receiving import ask_reading, refuse_if_released
from pravin_server.feeds.models import Feed


def _locked(delivery_id: int) -> Delivery:
    delivery = lock_rows(Delivery).select_related("feed").get(pk=delivery_id)
    refuse_if_released(delivery)
    return delivery


@transaction.atomic
def change_settings(user: Any, source: Source, request: SettingsRequest, left_out: bool = False) -> Job:
    """Choose import settings for a source, or leave it out, and ask for the delivery to be read again.

    The feed remembers the choice for sources with the same name but for its numbers.
    """
    person = may_work(user, "change import settings")
    delivery = _locked(source.delivery_id)
    if left_out and not delivery.sources.filter(left_out=False).exclude(pk=source.pk).exists():
        raise Invalid("A delivery needs at least one source that is read.")
    source.request, source.left_out = request.model_dump(exclude_none=True, mode="json"), left_out
    if left_out:
        source.changes.all().delete()
    source.save(update_fields=["request", "left_out"])
    feed = lock_rows(Feed).get(pk=delivery.feed_id)
    pattern = pattern_of(source.name)
    feed.requests = {name: kept for name, kept in feed.requests.items() if name != pattern}
    if source.request:
        feed.requests[pattern] = source.request
    feed.save(update_fields=["requests"])
    text = f"left {source.name} out" if left_out else f"changed import settings of {source.name}"
    note(person, text, feed.slug, delivery.pk, settings=source.request)
    return ask_reading(person, delivery)


@transaction.atomic
def settle_changes(user: Any, delivery: Delivery, choices: Sequence[dict[str, Any]]) -> Job | None:
    """Settle design changes: each `{change, choice, target}`. The delivery is read again when its columns change.

    When none is left open the feed remembers the layouts.
    """
    person = may_work(user, "settle design changes")
    delivery = _locked(delivery.pk)
    rereads = False
    for choice in choices:
        change = delivery.changes.filter(pk=choice["change"]).first()
        if change is None:
            raise NotFound(f"The delivery has no design change {choice['change']}. It may have been read again since.")
        rereads |= _settle_one(person, delivery, change, choice["choice"], choice.get("target") or "")
    if not delivery.changes.filter(choice="").exists():
        remember_layouts(delivery)
        _read_others(person, delivery)
    return ask_reading(person, delivery) if rereads else None


def _read_others(person: Any, delivery: Delivery) -> None:
    """Deliveries of the feed that wait for the same answers are read again: what is known is not asked twice."""
    waiting = delivery.feed.deliveries.filter(state=Delivery.State.READ, changes__choice="").exclude(pk=delivery.pk)
    for other in waiting.distinct():
        ask_reading(person, other)


def _settle_one(person: Any, delivery: Delivery, change: DesignChange, choice: str, target: str) -> bool:
    if choice not in change.choices:
        raise Invalid(f"{change.name!r} cannot be settled by {choice!r}; choose one of: {', '.join(change.choices)}.")
    if choice == FILLS:
        target = target or change.column
        if not target:
            raise Invalid(f"Say which column {change.name!r} is.", field="target")
        _refuse_taken(change, target)
    change.choice, change.target = choice, target if choice == FILLS else ""
    change.settled_by, change.settled_at = person, timezone.now()
    change.save()
    if change.kind == ChangeKind.RETYPED:
        _retype(delivery, change)
    where = f" of {change.source.name}" if change.source else ""
    sentence = (
        f"settled: {change.kind} column {change.name!r}{where}: {choice}{f' {target!r}' if choice == FILLS else ''}"
    )
    note(person, sentence[:400], delivery.feed.slug, delivery.pk)
    return choice in (TAKE, LEAVE_OUT, FILLS)


def _refuse_taken(change: DesignChange, target: str) -> None:
    others = DesignChange.objects.filter(source=change.source, choice=FILLS, target=target).exclude(pk=change.pk)
    if others.exists():
        raise Invalid(f"{others[0].name!r} of this source is the column {target!r} already.", field="target")


def _retype(delivery: Delivery, change: DesignChange) -> None:
    """The type that the values have now is the agreed one."""
    profile = delivery.profile.content["columns"]
    types = {column["name"]: column["type"] for column in profile}
    feed = lock_rows(Feed).get(pk=delivery.feed_id)
    feed.design = [
        {**column, "type": types.get(column["name"])} if column["name"] == change.column else column
        for column in feed.design
    ]
    feed.save(update_fields=["design"])


def agree(feed: Feed, delivery: Delivery) -> None:
    """Agree the columns of a feed as a delivery has them: names, types, roles, and what to recognise them by."""
    profiled = {column["name"]: column for column in delivery.profile.content["columns"]}
    sketches: dict[str, Any] = {}
    for source in delivery.sources.filter(left_out=False):
        for target, sketch in zip(source.settings["columns"], source.sketch, strict=True):
            if target and target not in sketches and sketch["cells"]:
                sketches[target] = {**sketch, "name": target}
    evidence = {column["name"]: column for column in feed.design}
    feed.design = [
        {
            "type": profiled[name]["type"], "role": profiled[name]["role"], "sketch": sketches.get(name),
            **{key: value for key, value in evidence.get(name, {}).items() if value}, "name": name,
        }
        for name in delivery.columns
    ]  # fmt: skip
    feed.save(update_fields=["design"])


def remember_layouts(delivery: Delivery) -> None:
    """The feed knows the layouts of a delivery from now on, and agrees to its new columns."""
    feed = lock_rows(Feed).get(pk=delivery.feed_id)
    sources = list(delivery.sources.filter(left_out=False))
    settled = {
        (change.source_id, change.name): None if change.choice == LEAVE_OUT else change.target or change.name
        for change in delivery.changes.exclude(choice="").exclude(source=None)
        if change.choice in (TAKE, LEAVE_OUT, FILLS)
    }
    known = {column["name"] for column in feed.design}
    for source in sources:
        names, columns = source.settings["names"], list(source.settings["columns"])
        for at, name in enumerate(names):
            if (source.pk, name) in settled:
                columns[at] = settled[source.pk, name]
        layouts = [layout for layout in feed.layouts if layout["names"] != names]
        feed.layouts = [*layouts, {"names": names, "columns": columns}]
        extra = [*columns, *source.settings["facts"], source.settings["source_column"]]
        if feed.design:
            for column in extra:
                if column and column not in known:
                    known.add(column)
                    feed.design = [*feed.design, {"name": column}]
    feed.save(update_fields=["layouts", "design"])


def try_repair(source: Source, text: str) -> tuple[list[str | None], str]:
    """What a repaired text reads as: the cells, or why it is still no record. Changes nothing."""
    cells = read_repair(text, FileSettings(**source.settings))
    return ([], cells) if isinstance(cells, str) else (list(cells), "")


@transaction.atomic
def repair(user: Any, source: Source, line: int, lines: int, text: str) -> Job:
    """Repair a rejected line: the text stands for it, as one record. The delivery is read again."""
    person = may_work(user, "repair rejected lines")
    delivery = _locked(source.delivery_id)
    _, reason = try_repair(source, text)
    if reason:
        raise Invalid(f"The repaired line is still no record: {reason}.", field="text")
    original = rejected.texts(delivery, source, line, lines)
    if len(original) != lines:
        raise Invalid(f"Line {line:,} of {source.name} is not rejected.", field="line")
    Repair.objects.update_or_create(
        source=source, line=line, defaults={"lines": lines, "text": text, "original": "\n".join(original), "by": person}
    )
    sentence = f"repaired line {line:,} of {source.name}"
    note(person, sentence, delivery.feed.slug, delivery.pk, before="\n".join(original)[:2000], after=text[:2000])
    return ask_reading(person, delivery)


@transaction.atomic
def take_repair_back(user: Any, source: Source, line: int) -> Job:
    """A repaired line is rejected again."""
    person = may_work(user, "repair rejected lines")
    delivery = _locked(source.delivery_id)
    if not source.repairs.filter(line=line).delete()[0]:
        raise NotFound(f"Line {line:,} of {source.name} was not repaired.")
    note(person, f"undid the repair of line {line:,} of {source.name}", delivery.feed.slug, delivery.pk)
    return ask_reading(person, delivery)


@transaction.atomic
def type_totals(user: Any, delivery: Delivery, totals: ControlTotals | None) -> Job:
    """Type control totals in (None: go back to those that came with the delivery) and compare."""
    person = may_work(user, "type control totals in")
    delivery = lock_rows(Delivery).select_related("feed").get(pk=delivery.pk)
    refuse_if_released(delivery)
    delivery.totals = [totals.model_copy(update={"source": TYPED, "of": ""}).model_dump(mode="json")] if totals else []
    delivery.save(update_fields=["totals"])
    note(person, f"typed control totals of delivery {delivery.number} in", delivery.feed.slug, delivery.pk)
    return ask_reading(person, delivery)


@transaction.atomic
def treat_file(user: Any, delivery: Delivery, file_id: int, companion: bool) -> Job:
    """Say that a file holds control totals, or that it holds records after all."""
    person = may_work(user, "change import settings")
    delivery = _locked(delivery.pk)
    file = delivery.files.filter(pk=file_id).first()
    if file is None:
        raise NotFound(f"The delivery has no file {file_id}.")
    if companion and not delivery.files.filter(companion=False).exclude(pk=file_id).exists():
        raise Invalid("A delivery needs at least one file of records.")
    file.companion = companion
    file.save(update_fields=["companion"])
    note(person, f"{file.name} holds {'control totals' if companion else 'records'}", delivery.feed.slug, delivery.pk)
    return ask_reading(person, delivery)
