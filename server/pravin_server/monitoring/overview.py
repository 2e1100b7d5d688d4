"""The memory of a feed: one measure of all its columns over its deliveries, with what happened between them."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Set
from typing import Any

from django.db.models import Exists, F, OuterRef
from django.db.models.fields.json import KeyTransform

from pravin_core.monitoring.measures import Measure
from pravin_core.monitoring.novelties import BROKEN, QUARANTINED, VOLUME, identity
from pravin_core.releases.writers import defused
from pravin_server.feeds.models import Feed
from pravin_server.monitoring.models import Memory
from pravin_server.releases.models import Release

SHOWN = 200  # deliveries
SCALES = {each.value: each.scale.value for each in Measure} | {VOLUME: "size", QUARANTINED: "share", BROKEN: "share"}


def memory_over_time(feed: Feed, measure: str, hidden: Set[str]) -> dict[str, Any]:
    """A measure of all columns (or checks) that the newest delivery has, over the last deliveries, oldest first; hidden columns are left
    out. Whether a value was new then is as it was judged.
    """
    remembered = Memory.objects.filter(delivery__feed=feed).order_by("-delivery__received", "-delivery_id")
    released = Release.objects.filter(delivery=OuterRef("delivery"), state=Release.State.PUBLISHED)
    rows = remembered.annotate(of_measure=KeyTransform(measure, "values"), released=Exists(released)).values(
        "delivery_id", "of_measure", "news", "released", number=F("delivery__number"), received=F("delivery__received"),
        revision=F("run__revision__number"),
    )[:SHOWN]  # fmt: skip
    deliveries = list(reversed(rows))
    newest: dict[str, Any] = {}
    columns: list[str] = []
    checks: dict[str, Any] = {}
    last = remembered.values_list("values", "delivery__columns", KeyTransform("checks", "content")).first()
    if last is not None:
        newest, columns, checks = last
    titles = {rule: check["title"] for rule, check in checks.items()}
    place = {name: at for at, name in enumerate(columns)}  # the database keeps names in an order of its own
    told = [{each["id"] for each in row["news"] if each["value"] is not None} for row in deliveries]
    return {
        "measures": [name for name in SCALES if name in newest],
        "measure": measure,
        "scale": SCALES.get(measure, "value"),
        "deliveries": [
            {"id": row["delivery_id"], **{name: row[name] for name in ("number", "received", "revision", "released")}}
            for row in deliveries
        ],
        "series": [
            {
                "id": (id_ := identity(measure, name)),
                "name": titles.get(name, "") if measure == BROKEN else name,
                "rule": name if measure == BROKEN else "",
                "values": [(row["of_measure"] or {}).get(name) for row in deliveries],
                "new": [id_ in ids for ids in told],
            }
            for name in sorted(newest.get(measure, {}), key=lambda name: place.get(name, len(place)))
            if measure == BROKEN or name not in hidden
        ],
    }


class _Line:
    """What csv writes into: it gives each line back."""

    def write(self, line: str) -> str:
        return line


def as_csv(feed: Feed, hidden: Set[str]) -> Iterator[str]:
    """All that a feed remembers, as lines of CSV: a measure of a delivery each, in the order of arrival; `of`: the column or check that it
    is of, empty for all records. Hidden columns are left out.
    """
    lines = csv.writer(_Line())
    yield lines.writerow(["delivery", "received", "revision", "measure", "of", "value"])
    rows = Memory.objects.filter(delivery__feed=feed).order_by("delivery__received", "delivery_id")
    kept = rows.values_list(
        "delivery__number", "delivery__received", "run__revision__number", "values", KeyTransform("checks", "content")
    )
    for number, received, revision, values, checks in kept.iterator(chunk_size=20):
        for measure, of_each in sorted(values.items()):
            for name, value in sorted(of_each.items()):
                if measure == BROKEN or name not in hidden:
                    of = checks[name]["title"] if measure == BROKEN else name
                    yield lines.writerow([number, received.isoformat(), revision or "", measure, defused(of), value])
