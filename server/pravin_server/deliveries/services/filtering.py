"""Keep filters of records under a name."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from pravin_core.records.filters import Filter
from pravin_server.accounts.services import may_work
from pravin_server.common.errors import NotFound
from pravin_server.deliveries.models import NamedFilter
from pravin_server.feeds.models import Feed


@transaction.atomic
def keep_filter(user: Any, feed: Feed, name: str, filters: Sequence[Filter]) -> NamedFilter:
    """Keep filters for the feed; those kept under the same name before give way."""
    person = may_work(user, "save filters")
    asked = [filter_.model_dump(mode="json") for filter_ in filters]
    kept, _ = NamedFilter.objects.update_or_create(
        feed=feed, name=name.strip(), defaults={"filters": asked, "by": person}
    )
    return kept


@transaction.atomic
def drop_filter(user: Any, feed: Feed, filter_id: int) -> None:
    """Delete saved filters. Raises NotFound when there are none."""
    may_work(user, "delete saved filters")
    gone, _ = NamedFilter.objects.filter(pk=filter_id, feed=feed).delete()
    if not gone:
        raise NotFound(f"The feed has no saved filters {filter_id}.")
