"""Where released tables come from, and what is made from them: by table, and by column from the rules themselves."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from pravin_core.compiler.origins import DELIVERED, column_origins
from pravin_core.compiler.plan import RunContext
from pravin_core.rules.rulebook import as_rulebook, opened
from pravin_core.tables.columns import Column
from pravin_server.deliveries.models import Source
from pravin_server.derived.graph import depth, reached, sources_of_feeds, turned
from pravin_server.derived.making import columns_only, is_current, making_of, newest_of
from pravin_server.derived.models import DerivedDelivery, DerivedPlan
from pravin_server.feeds.models import Feed
from pravin_server.library.models import ReferenceVersion
from pravin_server.releases.models import Release
from pravin_server.releases.queries import columns_of_releases, released_table, standing_releases
from pravin_server.runs.results import rulebook_of_run

MOST_FILES = 40  # of a feed that are named


def lineage_of(feed: Feed) -> dict[str, Any]:
    """A feed, all that are made from it, and all that these and it are made from, each after those it is made from; and how each is
    made from others.
    """
    sources = sources_of_feeds()
    ids = {source for made in reached(feed.pk, turned(sources)) for source in reached(made, sources)}
    depths = {pk: depth(pk, sources) for pk in ids}
    feeds = sorted(Feed.objects.filter(pk__in=ids), key=lambda each: (depths[each.pk], each.name))
    plans = {plan.feed_id: plan for plan in DerivedPlan.objects.filter(feed__in=ids).select_related("base", "feed")}
    return {
        "feeds": [_feed(each, plans.get(each.pk), depths[each.pk]) for each in feeds],
        "ways": [way for each in feeds if each.pk in plans for way in _ways(plans[each.pk])],
    }


def _feed(feed: Feed, plan: DerivedPlan | None, depth: int) -> dict[str, Any]:
    releases = standing_releases(feed)
    table = released_table(feed)
    files = list(
        Source.objects.filter(delivery__in=[each.delivery_id for each in releases], left_out=False)
        .order_by("-delivery__number", "position").values_list("pk", "name", "delivery__number")
    ) if plan is None else []  # fmt: skip
    return {
        "slug": feed.slug,
        "name": feed.name,
        "depth": depth,
        "is_derived": plan is not None,
        "is_current": plan is None or is_current(plan, _made_of(plan)),
        "said": plan.last_said if plan else "",
        "records": table.records if table else 0,
        "columns": table.columns if table else [],
        "view": f"released.{feed.view}" if table else "",
        "files": [{"id": pk, "name": name, "delivery": number} for pk, name, number in files[:MOST_FILES]],
        "more_files": max(0, len(files) - MOST_FILES),
        "releases": [
            {
                "number": each.number,
                "delivery": each.delivery.number,
                "delivery_id": each.delivery_id,
                "records": each.records,
                "revision": each.manifest["revision"],
                "rules": len(each.manifest["rules"]),
            }
            for each in reversed(releases)
        ],
    }


def _made_of(plan: DerivedPlan) -> DerivedDelivery | None:
    """What the released table of a derived feed was made from; its newest delivery while nothing is released."""
    releases = standing_releases(plan.feed)
    if not releases:
        return newest_of(plan.feed)
    return DerivedDelivery.objects.filter(delivery=releases[-1].delivery_id).first()


def _ways(plan: DerivedPlan) -> list[dict[str, Any]]:
    """How a derived feed is made from each of its sources."""
    told: dict[str, list[str]] = {plan.base.slug: ["its records are the first"]}
    for number, rule in enumerate(opened(plan.steps).rules, start=1):
        if slug := getattr(rule, "reference", ""):
            told.setdefault(slug, []).append(f"step {number}: {rule.title.lower()}")
    made = _made_of(plan)
    used = {each["feed"]: each["releases"] for each in made.sources} if made else {}
    ids = [pk for some in used.values() for pk in some]
    numbers = dict(Release.objects.filter(pk__in=ids).values_list("pk", "number"))
    return [
        {
            "source": slug,
            "target": plan.feed.slug,
            "said": said,
            "used": sorted(numbers[pk] for pk in used.get(slug, [])),
        }
        for slug, said in told.items()
    ]


@dataclass(frozen=True, order=True)
class Place:
    """A column at a place: released of a feed or as delivered to it (`where`: its slug, `id`: of the release), at the head of a file
    (its name, the id of the source), or in a table of the library (its name, 0).
    """

    at: str
    where: str
    column: str
    id: int = 0


def trace_column(feed: Feed, name: str) -> dict[Place, list[Place]]:
    """The places that the values of a released column came through, each with those right before it: through the rules and steps of
    the releases that it was made of, to the heads in files. Where releases add up, the newest is followed.
    """
    lines: dict[Place, list[Place]] = {}
    fresh = [Place("released", feed.slug, name, standing_releases(feed)[-1].pk)]
    while fresh:
        place = fresh.pop()
        if place not in lines:
            lines[place] = sorted(set(_before(place)))
            fresh += lines[place]
    return lines


def _before(place: Place) -> Iterable[Place]:
    if place.at not in ("released", "delivered"):
        return ()
    release = Release.objects.select_related("feed", "run__revision", "run__delivery").get(pk=place.id)
    if place.at == "released":
        return _through_rules(release, place)
    made = DerivedDelivery.objects.select_related("base").filter(delivery=release.delivery_id).first()
    return (
        _of_others(made, place) if made else _heads(release.run.delivery.sources.filter(left_out=False), place.column)
    )


def _released(ids: Sequence[int], column: str) -> Place:
    """A column of the table that releases add up to, in the newest of them."""
    newest = Release.objects.select_related("feed").filter(pk__in=ids).order_by("-delivery__number", "-number")[0]
    return Place("released", newest.feed.slug, column, newest.pk)


def _through_rules(release: Release, place: Place) -> Iterable[Place]:
    """The delivered columns, and those of reference tables, that a released one is made of."""
    context = release.run.context
    states = context.get("references", {})
    tables = columns_only({name: _columns_of(state) for name, state in states.items()})
    origins = column_origins(
        rulebook_of_run(release.run),
        release.run.delivery.columns,
        RunContext(context.get("roles", {}), references=tables),
    )
    for origin in origins.get(place.column, ()):
        if origin.table == DELIVERED:
            yield Place("delivered", place.where, origin.column, release.pk)
        elif ids := _releases_of(states[origin.table]):
            yield _released(ids, origin.column)
        else:
            yield Place("library", origin.table, origin.column)


def _releases_of(state: dict[str, Any]) -> list[int]:
    """The releases that a reference table stood for in a run; none for an uploaded one."""
    return state.get("releases") or ([state["release"]] if "release" in state else [])


def _columns_of(state: dict[str, Any]) -> tuple[Column, ...]:
    if ids := _releases_of(state):
        return columns_of_releases(ids)
    version = ReferenceVersion.objects.filter(pk=state["version"]).first()
    return tuple(Column(name) for name in version.columns) if version else ()


def _of_others(made: DerivedDelivery, place: Place) -> Iterable[Place]:
    """The released columns of other feeds that steps made a delivered one of."""
    releases = {each["feed"]: each["releases"] for each in made.sources}
    tables = columns_only({slug: columns_of_releases(ids) for slug, ids in releases.items()})
    making = making_of(tables, made.base.slug, as_rulebook({"rules": made.steps}))
    origins = column_origins(making.steps, [each.name for each in making.base.columns], making.context)
    for origin in origins.get(place.column, ()):
        yield _released(releases[origin.table or made.base.slug], origin.column)


def _heads(sources: Iterable[Source], column: str) -> Iterable[Place]:
    """The heads under which the files of a delivery hold a column."""
    for source in sources:
        names: Sequence[str] = source.settings.get("names", [])
        for name, filled in zip(names, source.settings.get("columns", []), strict=False):
            if filled == column:
                yield Place("file", source.name, name, source.pk)
