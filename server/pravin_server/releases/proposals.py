"""Proposals of releases: an analyst proposes, an approver approves, declines or asks; each word is kept."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import OuterRef, Subquery
from django.utils import timezone

from pravin_server.accounts.models import User
from pravin_server.accounts.services import may_release, may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Conflict, Invalid
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds.models import Feed
from pravin_server.quarantine.cases import known_to
from pravin_server.quarantine.models import Decision
from pravin_server.releases.models import ProposalRemark, Release, ReleaseProposal
from pravin_server.releases.services import ask_release, releasable
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run

State = ReleaseProposal.State


@transaction.atomic
def propose(user: Any, delivery: Delivery, run_id: int, word: str) -> ReleaseProposal:
    """Propose the release of the run that the analyst looked at. Raises Invalid when a gate is not met, Conflict when it is proposed."""
    person = may_work(user, "propose a release")
    lock_rows(Feed).get(pk=delivery.feed_id)
    case = releasable(delivery, run_id)
    waiting = delivery.proposals.filter(state=State.WAITING)
    if waiting.filter(run=case.run).exists():
        raise Conflict("This release is proposed already, and waits for an approver.")
    waiting.update(state=State.REPLACED, decided_at=timezone.now())
    proposal = ReleaseProposal.objects.create(delivery=delivery, run=case.run, word=word.strip(), by=person)
    _note(person, "proposed the release of", delivery, word)
    return proposal


@transaction.atomic
def approve(user: Any, delivery: Delivery, run_id: int, word: str = "") -> tuple[Release, Job]:
    """Ask for the release of a run; where it was proposed, that is the approval. Raises NotAllowed, Invalid, Conflict as `ask_release`
    does, and Conflict for who may not approve.
    """
    person = may_release(user)
    feed = lock_rows(Feed).get(pk=delivery.feed_id)
    proposal = lock_rows(ReleaseProposal).filter(delivery=delivery, state=State.WAITING, run=run_id).first()
    run = current_run(delivery)
    if feed.second_person and run is not None and (why := why_not(person, run, proposal)):
        raise Conflict(f"{why} In this feed a second person approves.")
    release, job = ask_release(person, delivery, run_id)
    if proposal is not None:
        _decide(proposal, State.APPROVED, person, word, release)
        _note(person, "approved the release of", delivery, word)
    delivery.proposals.filter(state=State.WAITING).update(state=State.REPLACED, decided_at=timezone.now())
    return release, job


@transaction.atomic
def decline(user: Any, proposal_id: int, reason: str) -> ReleaseProposal:
    """Decline a proposal, with a reason. Raises Invalid without one, Conflict when the proposal waits no more."""
    person = may_release(user, "decline a release")
    proposal = _waiting(proposal_id)
    if not reason.strip():
        raise Invalid("Say why: whoever proposed it has to know what to correct.", field="reason")
    _decide(proposal, State.DECLINED, person, reason)
    _note(person, "declined the release of", proposal.delivery, reason)
    return proposal


@transaction.atomic
def cancel(user: Any, proposal_id: int) -> ReleaseProposal:
    """Cancel a proposal that waits."""
    person = may_work(user, "cancel a proposal")
    proposal = _waiting(proposal_id)
    _decide(proposal, State.CANCELLED, person, "")
    _note(person, "cancelled the proposal to release", proposal.delivery, "")
    return proposal


@transaction.atomic
def remark(user: Any, proposal_id: int, text: str) -> ReleaseProposal:
    """Ask about a proposal that waits, or answer. Raises Invalid for an empty text."""
    person = may_work(user, "say something about a proposal")
    proposal = _waiting(proposal_id)
    if not text.strip():
        raise Invalid("Write a question or an answer first.", field="text")
    ProposalRemark.objects.create(proposal=proposal, text=text.strip(), by=person)
    _note(person, "said something about the proposal to release", proposal.delivery, text)
    return proposal


def why_not(person: User, run: Run, proposal: ReleaseProposal | None) -> str:
    """Why a person may not approve where a second person has to; empty when they may."""
    if proposal is not None and proposal.by_id == person.pk:
        return "You proposed this release."
    records = sum(Decision.objects.filter(pk__in=known_to(run), by=person).values_list("records", flat=True))
    return f"You decided on {records:,} of its records." if records else ""


def newest_of(delivery: Delivery) -> ReleaseProposal | None:
    """The proposal of a delivery that people speak about now: the newest that nobody cancelled or replaced."""
    gone = [State.CANCELLED, State.REPLACED]
    return delivery.proposals.exclude(state__in=gone).select_related("by", "decided_by").first()


def waiting() -> list[ReleaseProposal]:
    """All proposals that wait for an approver, the oldest first: those whose delivery was not run again since."""
    runs = Run.objects.filter(purpose=Run.Purpose.RUN, state="done", delivery=OuterRef("delivery"))
    current = runs.filter(snapshot_key=OuterRef("delivery__snapshot_key")).order_by("-id").values("pk")[:1]
    kept = ReleaseProposal.objects.filter(state=State.WAITING, run=Subquery(current))
    return list(kept.select_related("by", "decided_by", "delivery__feed", "run").order_by("id"))


def publishing_ended(release_id: int) -> None:
    """A proposal whose release could not be published waits again."""
    others = ReleaseProposal.objects.filter(state=State.WAITING).values("delivery")
    failed = ReleaseProposal.objects.filter(release=release_id, release__state=Release.State.FAILED)
    failed.exclude(delivery__in=others).update(state=State.WAITING, decided_by=None, decided_at=None, release=None)


def _waiting(proposal_id: int) -> ReleaseProposal:
    proposal = lock_rows(ReleaseProposal).filter(pk=proposal_id, state=State.WAITING).first()
    if proposal is None:
        raise Conflict("This proposal waits no more: it was decided, cancelled or replaced meanwhile. Look again.")
    return proposal


def _decide(proposal: ReleaseProposal, state: str, person: User, answer: str, release: Release | None = None) -> None:
    proposal.state, proposal.decided_by, proposal.answer = state, person, answer.strip()
    proposal.decided_at, proposal.release = timezone.now(), release
    proposal.save(update_fields=["state", "decided_by", "decided_at", "answer", "release"])


def _note(person: User, did: str, delivery: Delivery, word: str) -> None:
    told = {"word": word.strip()} if word.strip() else {}
    note(person, f"{did} delivery {delivery.number} of {delivery.feed.name}", delivery.feed.slug, delivery.pk, **told)
