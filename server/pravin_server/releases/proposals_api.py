"""Proposals of releases: propose, decline, ask; and what people changed since the last release."""

from __future__ import annotations

import datetime as dt
from typing import Any

from django.http import HttpRequest
from ninja import Field, Router, Schema

from pravin_core.rules.base import Part
from pravin_server.accounts.access import reader
from pravin_server.common.schemas import PROBLEMS, FeedRef, Id
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.deliveries.models import Delivery
from pravin_server.quarantine.models import Decision
from pravin_server.releases import proposals
from pravin_server.releases.models import ReleaseProposal
from pravin_server.releases.queries import release_before
from pravin_server.releases.since import decisions_since, rules_since
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run

router = Router(tags=["releases"], auth=reader)


class RemarkOut(Schema):
    text: str
    who: str
    at: dt.datetime


class ProposedOut(Schema):
    """A proposal: who proposed which run with which word, what became of it, and what was asked and answered. `outdated`: the delivery
    was run again since.
    """

    id: int
    run: int
    state: str
    word: str
    who: str
    at: dt.datetime
    decided_by: str
    decided_at: dt.datetime | None
    answer: str
    remarks: list[RemarkOut]
    outdated: bool


class ProposedHere(Schema):
    """The proposal of a delivery; None where there is none. `is_own`: the asking person proposed it. `why_not`: why they may not approve,
    empty when they may.
    """

    proposal: ProposedOut | None
    is_own: bool
    why_not: str


class WaitingProposal(Schema):
    """A proposal that waits for an approver."""

    id: int
    feed: FeedRef
    delivery: int
    delivery_number: int
    word: str
    who: str
    at: dt.datetime
    remarks: int


class ProposeIn(Schema):
    run: int = Field(ge=1, le=2**62)
    word: str = Field("", max_length=2000)


class DeclineIn(Schema):
    reason: str = Field(max_length=2000)


class RemarkIn(Schema):
    text: str = Field(max_length=2000)


class RuleSince(Schema):
    """A rule that is another than in the last release, with its sentences then and now."""

    what: str
    id: str
    number: int
    before: list[Part] | None
    after: list[Part] | None


class DecisionSince(Schema):
    """A decision on records of the delivery. Accepted records are exceptions: `justification` tells why, `until` until when."""

    id: int
    kind: str
    records: int
    justification: str
    until: dt.date | None
    who: str
    at: dt.datetime


class SinceOut(Schema):
    """What people changed since the last release; `rules` is None where nothing was released before."""

    rules: list[RuleSince] | None
    decisions: list[DecisionSince]


def _out(proposal: ReleaseProposal, run: Run | None) -> dict[str, Any]:
    remarks = [
        {"text": remark.text, "who": remark.by.shown if remark.by else "", "at": remark.at}
        for remark in proposal.remarks.select_related("by")
    ]
    return {
        "id": proposal.pk, "run": proposal.run_id, "state": proposal.state, "word": proposal.word,
        "who": proposal.by.shown if proposal.by else "", "at": proposal.at,
        "decided_by": proposal.decided_by.shown if proposal.decided_by else "", "decided_at": proposal.decided_at,
        "answer": proposal.answer, "remarks": remarks, "outdated": run is None or run.pk != proposal.run_id,
    }  # fmt: skip


def _here(request: HttpRequest, delivery: Delivery) -> dict[str, Any]:
    proposal, run, person = proposals.newest_of(delivery), current_run(delivery), request.user
    asks = delivery.feed.second_person and run is not None
    return {
        "proposal": _out(proposal, run) if proposal else None,
        "is_own": proposal is not None and proposal.by_id == person.pk,
        "why_not": proposals.why_not(person, run, proposal) if asks else "",  # type: ignore[arg-type]
    }


@router.get("/proposals", response={200: list[WaitingProposal], **PROBLEMS})
def waiting(request: HttpRequest) -> Any:
    """The proposals that wait for an approver, over all feeds."""
    return [
        {
            "id": each.pk, "feed": each.delivery.feed, "delivery": each.delivery_id,
            "delivery_number": each.delivery.number, "word": each.word, "who": each.by.shown if each.by else "",
            "at": each.at, "remarks": each.remarks.count(),
        }
        for each in proposals.waiting()
    ]  # fmt: skip


@router.get("/deliveries/{delivery_id}/proposal", response={200: ProposedHere, **PROBLEMS})
def proposal_of(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The proposal to release a delivery."""
    return _here(request, delivery_or_404(delivery_id))


@router.post("/deliveries/{delivery_id}/proposal", response={201: ProposedHere, **PROBLEMS})
def propose(request: HttpRequest, body: ProposeIn, delivery_id: int = Id) -> Any:
    """Propose the release of a run."""
    delivery = delivery_or_404(delivery_id)
    proposals.propose(request.user, delivery, body.run, body.word)
    return 201, _here(request, delivery)


@router.post("/proposals/{proposal_id}/decline", response={200: ProposedHere, **PROBLEMS})
def decline(request: HttpRequest, body: DeclineIn, proposal_id: int = Id) -> Any:
    """Decline a proposal, with a reason."""
    return _here(request, proposals.decline(request.user, proposal_id, body.reason).delivery)


@router.post("/proposals/{proposal_id}/cancel", response={200: ProposedHere, **PROBLEMS})
def cancel(request: HttpRequest, proposal_id: int = Id) -> Any:
    """Cancel a proposal."""
    return _here(request, proposals.cancel(request.user, proposal_id).delivery)


@router.post("/proposals/{proposal_id}/remarks", response={201: ProposedHere, **PROBLEMS})
def remark(request: HttpRequest, body: RemarkIn, proposal_id: int = Id) -> Any:
    """Ask about a proposal, or answer."""
    return 201, _here(request, proposals.remark(request.user, proposal_id, body.text).delivery)


@router.get("/deliveries/{delivery_id}/release/since", response={200: SinceOut, **PROBLEMS})
def since(request: HttpRequest, delivery_id: int = Id) -> Any:
    """The rules and decisions that are new since the last release."""
    delivery = delivery_or_404(delivery_id)
    run = current_run(delivery)
    if run is None:
        return {"rules": None, "decisions": []}
    last = release_before(delivery, run)
    return {
        "rules": rules_since(last, run) if last else None,
        "decisions": [_decision(each) for each in decisions_since(last, run)],
    }


def _decision(decision: Decision) -> dict[str, Any]:
    return {
        "id": decision.pk, "kind": decision.kind, "records": decision.records, "justification": decision.justification,
        "until": decision.until, "who": decision.by.shown if decision.by else "", "at": decision.at,
    }  # fmt: skip
