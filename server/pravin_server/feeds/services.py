"""Make feeds, agree their columns."""

from __future__ import annotations

import re
import unicodedata
import uuid
from collections.abc import Collection, Sequence
from typing import TYPE_CHECKING, Any

from django.db import transaction
from django.utils.text import slugify

from pravin_core.intake.design import AgreedColumn
from pravin_core.rules.rulebook import Rulebook
from pravin_core.tables.types import NUMBERS, DataType
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Conflict, Invalid
from pravin_server.feeds.models import Feed
from pravin_server.rulebooks.services import change_rules, newest, rules_of

if TYPE_CHECKING:
    from pravin_server.deliveries.models import Delivery
    from pravin_server.rulebooks.models import Revision


@transaction.atomic
def make_feed(user: Any, name: str, supplier: str = "", about: str = "") -> Feed:
    """Create a feed with an empty rulebook; its address is made from the name."""
    person = may_work(user, "create a feed")
    looks = _looks(name)
    if not looks:
        raise Invalid("The name of a feed needs at least one letter or digit.", field="name")
    feeds = Feed.objects.select_for_update().in_bulk()
    if alike := next((feed for feed in feeds.values() if _looks(feed.name) == looks), None):
        raise Conflict(f"There is already a feed named like this: {alike.name!r}. Choose another name.", field="name")
    slug = _free(slugify(name), "-", 80, {feed.slug for feed in feeds.values()})
    view = _free(slug.replace("-", "_"), "_", 60, {feed.view for feed in feeds.values()})
    feed = Feed.objects.create(slug=slug, view=view, name=name.strip(), supplier=supplier, about=about, owner=person)
    note(person, f"created the feed {feed.name}", feed=slug)
    return feed


def _looks(name: str) -> str:
    """What people tell names apart by: letters and digits of any script, without regard to case and marks between."""
    return re.sub(r"[\W_]+", "", unicodedata.normalize("NFKC", name)).casefold()


def _free(wanted: str, mark: str, longest: int, taken: Collection[str]) -> str:
    """A name that fits and is not taken: cut names get a number, so that no two are the same."""
    base = wanted[:longest].strip("-_") or "feed"
    endings = (f"{mark}{number}" for number in range(2, len(taken) + 3))
    return next(one for end in ("", *endings) if (one := f"{base[: longest - len(end)]}{end}") not in taken)


def agree(feed: Feed, delivery: Delivery) -> None:
    """Agree the columns of a feed as a delivery has them: names, types, roles, and what to recognise them by."""
    profiled = {column["name"]: column for column in delivery.profile.content["columns"]}
    sketches: dict[str, Any] = {}
    for source in delivery.sources.filter(left_out=False):
        for target, sketch in zip(source.settings["columns"], source.sketch, strict=True):
            if target and target not in sketches and sketch["cells"]:
                sketches[target] = {**sketch, "name": target}
    said = {column["name"]: column for column in feed.design}
    feed.design = [
        {
            "type": profiled[name]["type"], "role": profiled[name]["role"], "sketch": sketches.get(name),
            **{key: value for key, value in said.get(name, {}).items() if value}, "name": name,
        }
        for name in delivery.columns
    ]  # fmt: skip
    feed.save(update_fields=["design"])


@transaction.atomic
def describe_columns(user: Any, feed: Feed, columns: Sequence[AgreedColumn]) -> Feed:
    """Say what the agreed columns are: type, role, missing tokens, marks, date formats.

    Before anything is agreed the columns themselves may be given, e.g. from a schema file; afterwards those that the
    feed does not have are refused.
    """
    person = may_work(user, "describe a feed's columns")
    feed = Feed.objects.select_for_update().get(pk=feed.pk)
    given = {column.name: column for column in columns}
    if feed.design:
        unknown = [name for name in given if name not in feed.columns]
        if unknown:
            raise Invalid(
                f"The feed has no column {unknown[0]!r}. New columns come with a delivery and are settled in Intake."
            )
    named = feed.design or [{"name": name} for name in given]
    feed.design = [
        {**column, **given[column["name"]].model_dump(mode="json", exclude={"sketch"}), "by_hand": True}
        if column["name"] in given
        else column
        for column in named
    ]
    feed.save(update_fields=["design"])
    note(person, f"described {len(given)} columns of {feed.name}", feed.slug)
    return feed


@transaction.atomic
def make_reading_rules(user: Any, feed: Feed) -> Revision:
    """Put rules at the head of the rulebook that read the columns as they are described.

    Missing tokens become no value, texts become numbers and dates. Rules made so before give way.
    """
    design = [AgreedColumn.model_validate(column) for column in feed.design]
    rules = [*_missing(design), *_numbers(design), *_dates(design)]
    last = newest(feed)
    others = [rule for rule in rules_of(last) if not str(rule["id"]).startswith("reading-")]
    if not rules:
        raise Invalid("No column is described with missing tokens, as a number or as a date with its format.")
    rulebook = Rulebook.model_validate({"rules": [*rules, *others]})
    return change_rules(user, feed, rulebook, last.number, f"{len(rules)} rules from the columns as described")


def _rule(kind: str, columns: Sequence[str], **fields: Any) -> dict[str, Any]:
    return {
        "kind": kind,
        "id": f"reading-{uuid.uuid4().hex[:8]}",
        "columns": list(columns),
        "note": "from Intake",
        **fields,
    }


def _grouped(columns: Sequence[AgreedColumn], *fields: str) -> dict[tuple[Any, ...], list[str]]:
    found: dict[tuple[Any, ...], list[str]] = {}
    for column in columns:
        found.setdefault(tuple(getattr(column, field) for field in fields), []).append(column.name)
    return found


def _missing(design: Sequence[AgreedColumn]) -> list[dict[str, Any]]:
    wanted = [column for column in design if column.missing]
    return [_rule("missing-tokens", names, tokens=list(key[0])) for key, names in _grouped(wanted, "missing").items()]


def _numbers(design: Sequence[AgreedColumn]) -> list[dict[str, Any]]:
    wanted = [column for column in design if column.by_hand and column.type in NUMBERS]
    return [
        _rule(
            "to-number",
            names,
            decimal=decimal or ".",
            thousands=thousands,
            whole=kind is DataType.WHOLE,
            exact=kind is DataType.EXACT,
        )
        for (kind, decimal, thousands), names in _grouped(wanted, "type", "decimal", "thousands").items()
    ]


def _dates(design: Sequence[AgreedColumn]) -> list[dict[str, Any]]:
    wanted = [column for column in design if column.by_hand and column.date_format]
    return [_rule("to-date", names, formats=[key[0]]) for key, names in _grouped(wanted, "date_format").items()]
