"""Plans of derived feeds: kept when they are valid, tried on what is released now."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from pravin_core.errors import PravinError
from pravin_core.releases.deriving import first_records
from pravin_core.rules.base import Part, Rule
from pravin_core.rules.rulebook import Rulebook, as_rulebook
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, Invalid, NotYet
from pravin_server.common.jobs import ask
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.derived.graph import made_from
from pravin_server.derived.making import columns_after, make, sources_now, steps_of, stored
from pravin_server.derived.models import DerivedPlan
from pravin_server.feeds.models import Feed
from pravin_server.releases.queries import released_table

SHOWN = 12  # records of a table that is tried
MOST_STEPS = 60


def checked_steps(rules: Sequence[dict[str, Any]]) -> Rulebook:
    """Steps as they were written. Raises the core's errors for a rule that is unfinished, Invalid for one that is no step."""
    if len(rules) > MOST_STEPS:
        raise Invalid(f"A plan has at most {MOST_STEPS} steps.", field="steps")
    steps = as_rulebook({"rules": list(rules)})
    if check := next((rule for rule in steps.rules if rule.is_check), None):
        raise Invalid(
            f"“{check.title}” is a check. Checks belong to the rulebook of the derived feed, which judges what the steps made.",
            field="steps",
        )
    return steps


def feeds_named(feed: Feed, base: str, steps: Rulebook) -> dict[str, Feed]:
    """The feeds that a plan is made from, by slug, the base first. Raises Invalid when one is not there or is made from this one."""
    slugs = list(dict.fromkeys([base, *(name for rule in steps.rules if (name := getattr(rule, "reference", "")))]))
    known = {each.slug: each for each in Feed.objects.filter(slug__in=slugs)}
    if missing := [slug for slug in slugs if slug not in known]:
        raise Invalid(f"There is no feed “{missing[0]}”. Choose the feed anew.", field="steps")
    below = made_from(feed)
    for slug in slugs:
        if known[slug].pk in below:
            raise Invalid(
                f"{known[slug].name} is {'the feed itself' if known[slug] == feed else f'made from {feed.name}'}: a table cannot be "
                "made from itself. Choose another feed.",
                field="steps",
            )
    return {slug: known[slug] for slug in slugs}


def keep_plan(user: Any, feed: Feed, base: str, rules: Sequence[dict[str, Any]], version: int) -> DerivedPlan:
    """Say what a feed is made from; it is delivered anew at once where all sources are released.

    `version`: that of the plan which was changed (0: there was none). Raises Conflict when another person changed it since.
    """
    person = may_work(user, "say what a feed is made from")
    with (
        cache.only_one("plans of derived feeds"),
        transaction.atomic(),
    ):  # one at a time: two together might make a circle
        return _keep(person, feed, base, rules, version)


def _keep(person: Any, feed: Feed, base: str, rules: Sequence[dict[str, Any]], version: int) -> DerivedPlan:
    feed = lock_rows(Feed).get(pk=feed.pk)
    known = lock_rows(DerivedPlan).filter(feed=feed).first()
    if (known.version if known else 0) != version:
        raise Conflict("The plan was changed since you looked. Nothing was kept: open it again and repeat your change.")
    steps = checked_steps(rules)
    feeds = feeds_named(feed, base, steps)
    whole = steps_of(feed, stored(steps))
    if all(released_table(each) for each in feeds.values()):
        columns_after(sources_now(feeds), base, whole)
    content = {"base": feeds[base], "steps": stored(steps), "by": person, "version": version + 1}
    plan, _ = DerivedPlan.objects.update_or_create(feed=feed, defaults=content)
    plan.sources.set(feeds.values())
    names = ", ".join(each.name for each in feeds.values())
    note(person, f"{feed.name} is made from the releases of {names}", feed.slug, steps=len(steps.rules))
    ask_anew(plan, person)
    return plan


def ask_anew(plan: DerivedPlan, user: Any) -> Job:
    """Ask for a delivery of a derived feed, in the caller's transaction."""
    return ask("derive", plan.pk, None, user, lock=f"derive-{plan.pk}")


@transaction.atomic
def deliver_now(user: Any, feed: Feed) -> Job:
    """Ask for a derived feed to be delivered anew, if its sources changed."""
    person = may_work(user, "have a derived feed delivered")
    plan = DerivedPlan.objects.filter(feed=feed).first()
    if plan is None:
        raise NotYet("Say first what this feed is made from.")
    return ask_anew(plan, person)


@transaction.atomic
def drop_plan(user: Any, feed: Feed) -> None:
    """The feed is not made from others any more; its deliveries stay."""
    person = may_work(user, "say what a feed is made from")
    if DerivedPlan.objects.filter(feed=feed).delete()[0]:
        note(person, f"{feed.name} is not made from other feeds any more", feed.slug)


def source_changed(feed: Feed) -> None:
    """What is released of a feed changed: those made from it are delivered anew."""
    for plan in DerivedPlan.objects.filter(sources=feed).select_related("by"):
        ask_anew(plan, plan.by)


@dataclass(frozen=True)
class Tried:
    """A plan tried: the columns before each step and after the last one, how many records there are then, the first ones at the end;
    or at which step (0: the base) it does not go on, and why.
    """

    steps: list[Rule]
    columns: list[list[tuple[str, str]]]
    records: list[int]
    rows: list[Sequence[str | None]]
    problem: str = ""
    advice: str = ""
    step: int = 0


def try_plan(feed: Feed, base: str, rules: Sequence[dict[str, Any]]) -> Tried:
    """Try a plan on what is released now, on all records, without keeping anything."""
    columns: list[list[tuple[str, str]]] = []
    read: list[Rule] = []
    step = 0
    try:
        for step in range(len(rules) + 1):
            steps = checked_steps(rules[:step])
            read = list(steps.rules)
            sources = sources_now(feeds_named(feed, base, steps))
            whole = steps_of(feed, stored(steps))
            columns.append([(each.name, each.type.value) for each in columns_after(sources, base, whole)])
        step = 0
        folder, stage = cache.even_if_deleted(lambda: make(sources, base, whole, None))
        with cache.scratch() as scratch:
            rows = first_records(folder, stage.outcome, SHOWN, scratch, cache.limits())
        return Tried(read, columns, list(stage.records), rows)
    except PravinError as error:
        return Tried(read, columns, [], [], error.message, error.advice, step)
    except (Invalid, NotYet) as error:
        return Tried(read, columns, [], [], error.message, "", step)


def in_words(rule: Rule) -> list[Part]:
    """A step as a sentence, in which a feed has its name."""
    slug = getattr(rule, "reference", "")
    name = Feed.objects.filter(slug=slug).values_list("name", flat=True).first() if slug else None
    return (rule.model_copy(update={"reference": name}) if name else rule).describe()
