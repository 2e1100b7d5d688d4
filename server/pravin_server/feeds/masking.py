"""Columns that may only go out masked: their values are shown to those who work on them, and to nobody else."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from typing import Any

from pravin_server.accounts.models import User
from pravin_server.common.errors import NotAllowed
from pravin_server.feeds import ports
from pravin_server.feeds.models import Feed

MASK, CHANGED = "•••", "••• changed"  # stand for a value that is there, and for one that was another before
WORKING = {"analyst", "approver"}


def hidden_columns(user: Any, feed: Feed) -> frozenset[str]:
    """The columns of a feed whose values a person may not see: those to be masked, for whoever does not work on records."""
    return frozenset() if works_on_records(user) else ports.masked_columns(feed)


def works_on_records(user: Any) -> bool:
    """Whether somebody is an analyst or approver, who see all values."""
    return isinstance(user, User) and bool(WORKING & set(user.roles))


def refuse(hidden: Collection[str], what: str) -> None:
    """Raise NotAllowed where something shows values of hidden columns; `what` begins the sentence: "This file shows"."""
    if hidden:
        named = ", ".join(f"“{name}”" for name in sorted(set(hidden)))
        raise NotAllowed(f"{what} values of {named}, which may only be seen masked. Ask an analyst of the feed.")


def refuse_named(hidden: Collection[str], filters: Iterable[Any], sort: str | None = None) -> None:
    """Raise NotAllowed where records are to be chosen or ordered by a hidden column: which ones come would tell its values."""
    ordering = [name for name in hidden if name == sort]
    refuse([*ordering, *named_by(hidden, filters)], "What is asked for chooses or orders records by")


def named_by(hidden: Collection[str], filters: Iterable[Any]) -> list[str]:
    """The hidden columns that filters look into: by name, in a formula, or by text wherever it stands."""
    asked = list(_asked([each.model_dump(mode="json") for each in filters]))
    return [
        name
        for name in hidden
        if any(kind == "text" or name == said or (kind == "formula" and name in said) for kind, said in asked)
    ]


def _asked(said: Any, kind: str = "") -> Iterable[tuple[str, str]]:
    """All texts within filters, each with the kind of its filter."""
    if isinstance(said, str):
        yield kind, said
    elif isinstance(said, Mapping):
        for value in said.values():
            yield from _asked(value, str(said.get("on", kind)))
    elif isinstance(said, list | tuple):
        for value in said:
            yield from _asked(value, kind)


def masked_row(row: dict[str, Any], columns: Iterable[str], hidden: Collection[str]) -> dict[str, Any]:
    """A record as a page gives it, for somebody from whom columns are hidden: what is missing is seen to be missing."""
    if not hidden:
        return row
    covered = [name in hidden for name in columns]
    cells = {name: _masked(row[name], covered) for name in ("cells", "originals") if row.get(name) is not None}
    return {**row, **cells, "reasons": masked_reasons(row.get("reasons"), hidden)}


def masked_reasons(reasons: list[dict[str, Any]] | None, hidden: Collection[str]) -> list[dict[str, Any]] | None:
    """Reasons without the values of hidden columns."""
    if not hidden or not reasons:
        return reasons
    return [
        {**reason, "value": MASK} if reason.get("value") is not None and _names(reason["name"], hidden) else reason
        for reason in reasons
    ]


def _names(columns: str, hidden: Collection[str]) -> bool:
    """Whether columns as a reason names them ("ph", "ph, site") are some of the hidden."""
    return columns in hidden or any(name in hidden for name in columns.split(", "))


def _masked(cells: list[str | None], covered: list[bool]) -> list[str | None]:
    return [MASK if hides and cell is not None else cell for cell, hides in zip(cells, covered, strict=True)]


def masked_details(details: dict[str, Any], hidden: Collection[str]) -> dict[str, Any]:
    """What was said with a decision, without values of hidden columns and without formulas and rules that could hold some."""
    if not hidden:
        return details
    values = details.get("values")
    covered = (
        {name: MASK if name in hidden else value for name, value in values.items()} if isinstance(values, dict) else {}
    )
    said = {
        name: MASK if name in ("formula", "sentence") else value for name, value in details.items() if name != "rule"
    }
    return {**said, "values": covered} if covered else said


def without_key(rule: dict[str, Any]) -> dict[str, Any]:
    """A rule without the key that it masks by: with it anybody could try values out."""
    return {**rule, "key": MASK} if rule.get("kind") == "mask" and rule.get("key") else rule
