"""Change rulebooks: every change is a revision, and nobody overwrites a colleague."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from pravin_core.errors import PravinError
from pravin_core.rules.base import Part, Rule
from pravin_core.rules.registry import KINDS
from pravin_core.rules.resolving import SharedRules, resolved
from pravin_core.rules.rulebook import Rulebook, opened
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Conflict, Invalid, NotFound
from pravin_server.common.locks import lock_rows
from pravin_server.feeds.models import Feed
from pravin_server.library.models import SharedGroup
from pravin_server.library.services import shared_for, snapshot_of_library
from pravin_server.rulebooks.models import Revision


def newest(feed: Feed) -> Revision:
    """The draft: the newest revision (a first, empty one is made when there is none)."""
    revision = feed.revisions.select_related("author").first()
    return revision or Revision.objects.get_or_create(feed=feed, number=0, defaults={"change": "empty rulebook"})[0]


def rulebook_of(revision: Revision) -> Rulebook:
    """The rules of a revision; a stored rule that cannot be read is off and says so, whatever is stored."""
    return opened(revision.rules)


def rules_of(revision: Revision) -> list[dict[str, Any]]:
    """The rules of a revision as data, for changes to them; each can be read."""
    rules: list[dict[str, Any]] = rulebook_of(revision).model_dump(mode="json")["rules"]
    return rules


def columns_of_interest(feed: Feed) -> list[str]:
    """The columns that a feed's rules name: they are of most interest."""
    return [name for rule in rules_of(newest(feed)) for name in rule.get("columns", ())]


def must_be_newest(feed: Feed, based_on: int) -> Revision:
    """The newest revision. Raises Conflict when it is not the one that a person has seen."""
    last = newest(feed)
    if last.number != based_on:
        author = last.author.shown if last.author else "somebody"
        raise Conflict(
            f"{author} changed the rulebook since you opened it (revision {last.number}: {last.change}). "
            "Look at the newest revision and make your change there.",
            newest=last.number,
        )
    return last


def with_shared(feed: Feed, revision: Revision) -> list[Rule]:
    """The rules in the order in which they are numbered when they run; those that refer to what is not there stay in."""
    shared = shared_for(feed)
    latest = feed.deliveries.filter(state="read").first()  # before the first run no columns are agreed
    columns = latest.columns if latest else feed.columns
    try:
        return list(resolved(rulebook_of(revision), snapshot_of_library(feed), shared, columns).rules)
    except PravinError:
        return list(rulebook_of(revision).rules)


def shared_here(feed: Feed) -> list[dict[str, Any]]:
    """The groups of shared rules that are meant for a feed, those switched off too."""
    results = []
    for group in SharedGroup.objects.all():
        if SharedRules(group.name, group.feeds, ()).meant_for(feed.slug):
            sentences = [rule.describe() for rule in opened(group.rules).rules]
            results.append(
                {
                    "id": group.pk,
                    "name": group.name,
                    "place": group.place,
                    "on": feed.slug not in group.off,
                    "sentences": sentences,
                }
            )
    return results


def describe(rule: dict[str, Any] | None) -> list[Part] | None:
    """The sentence of a rule as it is kept."""
    return None if rule is None else opened([rule]).rules[0].describe()


@transaction.atomic
def change_rules(user: Any, feed: Feed, rulebook: Rulebook, based_on: int, change: str) -> Revision:
    """Keep a new revision. `based_on` is the number of the revision that was edited.

    Raises Conflict when somebody else changed the rulebook since.
    """
    person = may_work(user, "change the rulebook")
    lock_rows(Feed).get(pk=feed.pk)
    last = must_be_newest(feed, based_on)
    rules = rulebook.model_dump(mode="json")["rules"]
    revision = Revision.objects.create(
        feed=feed, number=last.number + 1, rules=rules, change=change[:400] or "changed the rules", author=person,
        content_of=last.number + 1, before=last.content_of,
    )  # fmt: skip
    note(person, f"rulebook of {feed.name}: {revision.change}", feed.slug, revision=revision.number)
    return revision


def take_over(user: Any, feed: Feed, rulebook: Rulebook, based_on: int) -> Revision:
    """Keep a rulebook that came as text as a new revision; the rules that are there already stay as they are."""
    may_work(user, "change the rulebook")
    last = newest(feed)
    if rulebook_of(last) == rulebook:
        return last
    return change_rules(user, feed, rulebook, based_on, f"took over {len(rulebook.rules)} rules from text")


def _step(person: Any, feed: Feed, last: Revision, content: Revision, change: str, redo: Sequence[int]) -> Revision:
    """A revision that brings former rules back."""
    revision = Revision.objects.create(
        feed=feed, number=last.number + 1, rules=rules_of(content), change=change[:400], author=person,
        content_of=content.number, redo=list(redo),
    )  # fmt: skip
    note(person, f"rulebook of {feed.name}: {revision.change}", feed.slug, revision=revision.number)
    return revision


@transaction.atomic
def undo(user: Any, feed: Feed, based_on: int) -> Revision:
    """Bring back the rules as they were before the newest change that is not undone. Raises Invalid when there is none."""
    person = may_work(user, "change the rulebook")
    lock_rows(Feed).get(pk=feed.pk)
    last = must_be_newest(feed, based_on)
    edit = feed.revisions.get(number=last.content_of)
    if edit.before is None:
        raise Invalid("There is nothing to undo: this is how the rulebook began.")
    target = feed.revisions.get(number=edit.before)
    return _step(person, feed, last, target, f"undid: {edit.change}", [edit.number, *last.redo])


@transaction.atomic
def redo(user: Any, feed: Feed, based_on: int) -> Revision:
    """Do again what was undone last. Raises Invalid when nothing was undone since the last change."""
    person = may_work(user, "change the rulebook")
    lock_rows(Feed).get(pk=feed.pk)
    last = must_be_newest(feed, based_on)
    if not last.redo:
        raise Invalid("There is nothing to redo.")
    target = feed.revisions.get(number=last.redo[0])
    return _step(person, feed, last, target, f"redid: {target.change}", last.redo[1:])


def go_back(user: Any, feed: Feed, number: int, based_on: int) -> Revision:
    """Bring back the rules of a former revision, as a change that can be undone."""
    revision = feed.revisions.filter(number=number).first()
    if revision is None:
        raise NotFound(f"The rulebook has no revision {number}.")
    return change_rules(user, feed, rulebook_of(revision), based_on, f"went back to revision {number}")


def put_rule(rules: list[dict[str, Any]], rule: dict[str, Any], behind: str | None = None) -> dict[str, Any]:
    """Put a rule without id into a list of rules, where it fits; returns it with its id.

    What repairs text comes before the first rule that reads types of one of its columns, all others at the end. `behind`: the
    rule that left the table which this one is for (empty: the last correction); it stands right behind that.
    """
    in_use = {rule["id"] for rule in rules}
    name = next(name for number in range(1, len(in_use) + 2) if (name := f"{rule['kind']}-{number}") not in in_use)
    copy = {**rule, "id": name}
    rules.insert(_place(rules, copy) if behind is None else _behind(rules, behind, copy["kind"]), copy)
    return copy


def _behind(rules: Sequence[dict[str, Any]], behind: str, kind: str) -> int:
    if KINDS[kind].is_check:
        return len(rules)
    corrections = [at for at, rule in enumerate(rules) if (known := KINDS.get(rule["kind"])) and not known.is_check]
    last = max(corrections, default=-1) + 1
    return next((at + 1 for at, rule in enumerate(rules) if rule["id"] == behind and at < last), last)


def _place(rules: Sequence[dict[str, Any]], rule: dict[str, Any]) -> int:
    if not KINDS[rule["kind"]].repairs_text:
        return len(rules)
    columns = set(rule.get("columns", ()))
    for place, other in enumerate(rules):
        kind = KINDS.get(other["kind"])
        if kind is not None and kind.reads_types and columns & set(other.get("columns", ())):
            return place
    return len(rules)


def differences(one: Sequence[dict[str, Any]], other: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """What makes one list of rules another: rules added, removed, changed and moved, in the order of the second."""
    before, after = ({rule["id"]: (at, rule) for at, rule in enumerate(rules, start=1)} for rules in (one, other))
    kept = [i for i in before if i in after]
    order = {i: at for at, i in enumerate(sorted(kept, key=lambda i: after[i][0]))}
    results: list[dict[str, Any]] = []
    for id_, (number, rule) in after.items():
        if id_ not in before:
            results.append({"what": "added", "id": id_, "number": number, "before": None, "after": rule})
        elif before[id_][1] != rule:
            results.append({"what": "changed", "id": id_, "number": number, "before": before[id_][1], "after": rule})
        elif order[id_] != kept.index(id_):
            results.append({"what": "moved", "id": id_, "number": number, "before": rule, "after": rule})
    gone = [
        {"what": "removed", "id": i, "number": number, "before": rule, "after": None}
        for i, (number, rule) in before.items()
        if i not in after
    ]
    return [*gone, *results]
