"""Row locks: one change of a feed, delivery, run … at a time."""

from __future__ import annotations

from typing import TypeVar

from django.db.models import Model, QuerySet

M = TypeVar("M", bound=Model)


def lock_rows(model: type[M]) -> QuerySet[M]:
    """The rows of a model, each locked for this transaction when it is read; those of other models read along are not.

    The locks let other transactions write rows that refer to these (`FOR NO KEY UPDATE`). A full lock would not: two requests
    that each hold one and write a row that refers to the other's wait for each other for ever.
    """
    return model._default_manager.select_for_update(of=("self",), no_key=True)
