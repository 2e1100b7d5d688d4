"""Which feeds are made from which."""

from __future__ import annotations

from collections.abc import Mapping

from pravin_server.derived.models import DerivedPlan
from pravin_server.feeds.models import Feed

Ways = Mapping[int, set[int]]  # from the id of a feed to those of others


def sources_of_feeds() -> Ways:
    """The feeds that each derived feed is made from."""
    ways: dict[int, set[int]] = {}
    for made, source in DerivedPlan.sources.through.objects.values_list("derivedplan__feed_id", "feed_id"):
        ways.setdefault(made, set()).add(source)
    return ways


def turned(ways: Ways) -> Ways:
    """The same ways, back."""
    back: dict[int, set[int]] = {}
    for start, ends in ways.items():
        for end in ends:
            back.setdefault(end, set()).add(start)
    return back


def reached(start: int, ways: Ways) -> set[int]:
    """A feed and all that ways lead to from it, through others or directly."""
    found, fresh = {start}, [start]
    while fresh:
        more = ways.get(fresh.pop(), set()) - found
        found |= more
        fresh += more
    return found


def depth(feed: int, sources: Ways) -> int:
    """How many feeds lie behind each other until a feed that is made from none; 0 for such a one."""
    return 1 + max((depth(source, sources) for source in sources.get(feed, ())), default=-1)


def made_from(feed: Feed) -> set[int]:
    """The ids of a feed and of all feeds that are made from it."""
    return reached(feed.pk, turned(sources_of_feeds()))
