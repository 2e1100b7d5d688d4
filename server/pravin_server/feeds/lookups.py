"""Feeds as addresses name them."""

from __future__ import annotations

from pravin_server.common.errors import NotFound
from pravin_server.feeds.models import Feed


def feed_or_404(slug: str) -> Feed:
    """The feed of an address. Raises NotFound."""
    feed = Feed.objects.filter(slug=slug).first()
    if feed is None:
        raise NotFound(f"There is no feed {slug!r}.")
    return feed
