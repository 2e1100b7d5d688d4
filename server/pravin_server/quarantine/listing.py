"""What stands in quarantine behind a filter: the records, their counts by reason and source, and the acts of people."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path
from typing import Any, Literal

import numpy as np
from django.utils import timezone
from pydantic import BaseModel, Field

from pravin_core.cases.chosen import Waiting
from pravin_core.cases.counting import count_files, count_reasons
from pravin_core.cases.files import FileFormat, write_cases
from pravin_core.records.filters import Filter, make_filter
from pravin_core.records.pages import Stage, page_of
from pravin_core.runs.runner import VERSION
from pravin_core.tables.record_sets import Numbers, is_in
from pravin_server.accounts.models import User
from pravin_server.common import cache
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds import masking
from pravin_server.quarantine.cases import RUN_KINDS, Cases, cases_of, known_to, that_hold
from pravin_server.quarantine.models import Decision
from pravin_server.runs import orders
from pravin_server.runs.models import Run
from pravin_server.runs.queries import newest_trial
from pravin_server.runs.results import rulebook_of_run, stage_of

MOST_DECISIONS = 200
QUARANTINED = make_filter("state", value="quarantined")


Standing = Literal["waiting", "settled", "again", "all"]


class CaseFilter(BaseModel):
    """Which cases: those that wait here, were settled by a later delivery, or wait in a later one; of one owner (0: nobody's);
    whose day is past; with their supplier; opened by a run.
    """

    standing: Standing = "waiting"
    owner: int | None = Field(default=None, ge=0, le=2**62)
    overdue: bool = False
    returned: bool = False
    since: int | None = Field(default=None, ge=1, le=2**62)


@dataclass(frozen=True)
class Chosen:
    """The records behind filters (`numbers`, in the order asked for), and all cases of the run."""

    stage: Stage
    cases: Cases
    numbers: Numbers


def choose(
    run: Run, filters: Sequence[Filter], among: CaseFilter, sort: str | None = None, down: bool = False
) -> Chosen:
    """The cases of a run behind filters. Raises RunError when a filter names a column that is not there."""
    stage, cases = stage_of(run), cases_of(run)
    numbers = orders.numbers_of(stage, [QUARANTINED, *filters], sort, down)
    fits = np.ones(len(cases.records), dtype=bool)
    match among.standing:
        case "waiting":
            fits &= cases.is_waiting
        case "settled":
            fits &= cases.settled_by > 0
        case "again":
            fits &= cases.again_in > 0
    if among.owner is not None:
        fits &= cases.owner == among.owner
    if among.overdue:
        fits &= cases.is_overdue
    if among.returned:
        fits &= cases.returned > 0
    if among.since is not None:
        fits &= cases.since == among.since
    numbers = numbers[is_in(numbers, cases.records[fits])]
    return Chosen(stage, cases, numbers)


def counted(run: Run, filters: Sequence[Filter], among: CaseFilter) -> dict[str, Any]:
    """How many cases are behind filters, by reason (most first), source file, owner and the run that opened them."""
    return cache.even_if_deleted(lambda: _counted(run, filters, among))


def _counted(run: Run, filters: Sequence[Filter], among: CaseFilter) -> dict[str, Any]:
    chosen = choose(run, filters, among)
    limits = cache.limits()
    is_all = len(chosen.numbers) == len(chosen.cases.records)
    only = None if is_all else np.sort(chosen.numbers)
    kept = first_reasons(run) if not filters and among == CaseFilter() and _says_the_same_today(run) else []
    reasons = kept or in_words(
        run, [vars(reason) for reason in count_reasons(chosen.stage, cache.spills(), limits, only)]
    )
    places = np.searchsorted(chosen.cases.records, np.sort(chosen.numbers))
    return {
        "total": len(chosen.numbers),
        "reasons": reasons,
        "files": [
            {"file": file, "records": records}
            for file, records in count_files(chosen.stage, cache.spills(), limits, only)
        ],
        "with_supplier": int(np.sum(chosen.cases.returned[places] > 0)),
        "overdue": int(np.sum(chosen.cases.is_overdue[places])),
        "owners": _owners(chosen.cases.owner[places]),
        "runs": _runs(chosen.cases.since[places]),
    }


def _says_the_same_today(run: Run) -> bool:
    """Whether the result of a run, made again today, has the reasons that were counted when it ran: versions may word them otherwise."""
    return bool((run.outcome or {}).get("version") == VERSION)


def would_quarantine(delivery: Delivery) -> dict[str, Any] | None:
    """What the newest trial over a delivery would quarantine: how many records, for which reasons; None when there is no trial."""
    trial = newest_trial(delivery)
    if trial is None:
        return None
    reasons = cache.even_if_deleted(lambda: count_reasons(stage_of(trial), cache.spills(), cache.limits()))
    return {
        "run": trial.pk, "revision": trial.revision.number,
        "records": (trial.outcome or {})["reconciliation"]["quarantined"],
        "reasons": in_words(trial, [vars(reason) for reason in reasons]),
    }  # fmt: skip


def in_words(run: Run, reasons: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """Reasons with the sentences of their rules, and the ids of these (`rule_id`, empty where there is none)."""
    rules = dict(enumerate(rulebook_of_run(run).rules, start=1))
    result = []
    for reason in reasons:
        rule = rules.get(reason["rule"])
        sentence = [part.model_dump() for part in rule.describe()] if rule else []
        result.append({**reason, "sentence": sentence, "rule_id": rule.id if rule else ""})
    return result


def first_reasons(run: Run, limit: int | None = None) -> list[dict[str, Any]]:
    """The most frequent reasons of a run, or all, as counted when its records were set apart: of those that wait."""
    return in_words(run, [
        {"rule": reason.rule, "name": reason.name, "phrase": reason.phrase, "records": reason.records}
        for reason in run.reasons.all()[:limit]
    ])  # fmt: skip


def _owners(ids: Numbers) -> list[dict[str, Any]]:
    known, records = np.unique(ids, return_counts=True)
    people = User.objects.in_bulk(known.tolist())
    return [
        {"owner": id_, "name": people[id_].shown if id_ in people else "", "records": count}
        for id_, count in zip(known.tolist(), records.tolist(), strict=True)
    ]


def _runs(ids: Numbers) -> list[dict[str, Any]]:
    known, records = np.unique(ids, return_counts=True)
    ended = dict(Run.objects.filter(pk__in=known.tolist()).values_list("pk", "ended"))
    return [
        {"run": id_, "since": ended.get(id_), "records": count}
        for id_, count in zip(known.tolist(), records.tolist(), strict=True)
    ]


def page(
    run: Run,
    filters: Sequence[Filter],
    among: CaseFilter,
    offset: int,
    limit: int,
    key: Sequence[str],
    hidden: Collection[str] = (),
) -> tuple[int, list[dict[str, Any]]]:
    """How many cases are behind filters, and some of them: reasons, the values of the key, since when, with whom, until when. Values of
    hidden columns are covered.
    """

    def read() -> tuple[int, list[dict[str, Any]]]:
        chosen = choose(run, filters, among)
        return len(chosen.numbers), _rows(chosen, offset, limit, key, hidden)

    return cache.even_if_deleted(read)


def _rows(chosen: Chosen, offset: int, limit: int, key: Sequence[str], hidden: Collection[str]) -> list[dict[str, Any]]:
    numbers = chosen.numbers[offset : offset + limit]
    page_ = page_of(chosen.stage, numbers, len(chosen.numbers), cache.spills(), cache.limits())
    place = {name: at for at, (name, _) in enumerate(page_.columns)}
    shown_key = [place[name] for name in key if name in place]
    cases = chosen.cases
    where = np.searchsorted(cases.records, numbers).tolist()
    since: dict[int, datetime | None] = dict(
        Run.objects.filter(pk__in=np.unique(cases.since[where]).tolist()).values_list("pk", "ended")
    )
    people = User.objects.in_bulk(np.unique(cases.owner[where]).tolist())
    return [
        {
            **{name: row[name] for name in ("record", "file", "line", "reasons")},
            "key": [row["cells"][at] for at in shown_key],
            "since": since.get(int(cases.since[at])),
            "owner": people[int(cases.owner[at])].shown if int(cases.owner[at]) in people else "",
            "due": date.fromordinal(int(cases.due[at])) if cases.due[at] else None,
            "with_supplier": bool(cases.returned[at]),
            "settled_by": int(cases.settled_by[at]) or None,
            "again_in": int(cases.again_in[at]) or None,
            "there": int(cases.there[at]) or None,
        }
        for row, at in zip((masking.masked_row(row, place, hidden) for row in page_.rows), where, strict=True)
    ]


def write_file(
    runs: Sequence[Run], filters: Sequence[Filter], among: CaseFilter, target: Path, form: FileFormat, defused: bool
) -> None:
    """The cases behind filters of one or several deliveries as a file, see `write_cases`."""

    def written() -> None:
        waiting = []
        for run in runs:
            chosen = choose(run, filters, among)
            waiting.append(Waiting(run.delivery.number, chosen.stage, chosen.numbers))
        write_cases(waiting, target, form, defused, cache.limits())

    cache.even_if_deleted(written)


def acts(delivery: Delivery, hidden: Collection[str] = ()) -> list[dict[str, Any]]:
    """What people decided on a delivery's records, newest first; undone ones too."""
    rows = Decision.objects.filter(delivery=delivery).defer("content").select_related("by", "owner", "undone_by")
    rows = rows.prefetch_related("sendings")
    return [act_out(decision, delivery, hidden) for decision in rows.order_by("-id")[:MOST_DECISIONS]]


def act_out(decision: Decision, delivery: Delivery, hidden: Collection[str] = ()) -> dict[str, Any]:
    """A decision in words; values of hidden columns are covered."""
    return {
        "id": decision.pk,
        "kind": decision.kind,
        "records": decision.records,
        "details": masking.masked_details(decision.details, hidden),
        "justification": decision.justification,
        "until": decision.until,
        "owner": decision.owner.shown if decision.owner else "",
        "who": decision.by.shown if decision.by else "",
        "at": decision.at,
        "undone_by": decision.undone_by.shown if decision.undone_by else "",
        "undone_at": decision.undone_at,
        "holds": decision.undone_at is None
        and decision.snapshot_key == delivery.snapshot_key
        and not (decision.kind == "accept" and decision.until and decision.until < timezone.localdate()),
        "read_otherwise": decision.snapshot_key != delivery.snapshot_key,
        "sent": list(decision.sendings.all()),
    }


def not_applied(delivery: Delivery, run: Run | None) -> int:
    """How many decisions were taken or undone since the run, and wait for the next one."""
    now = set(that_hold(delivery).filter(kind__in=RUN_KINDS).values_list("id", flat=True))
    return len(now ^ set(known_to(run))) if run else 0
