"""Ask for trials and runs, do them once, keep what they found."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.utils import timezone

from pravin_core.runs.model import Outcome
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common.errors import Invalid, NotYet
from pravin_server.common.jobs import Progress, ask
from pravin_server.common.locks import lock_rows
from pravin_server.common.models import Job
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.services.intake_decisions import agree, remember_layouts
from pravin_server.feeds.models import Feed
from pravin_server.rulebooks.models import Revision
from pravin_server.rulebooks.run_context import build_context, resolve_rulebook
from pravin_server.rulebooks.services import newest, rulebook_of
from pravin_server.runs import ports
from pravin_server.runs.models import Run
from pravin_server.runs.results import result_of


@transaction.atomic
def ask_run(user: Any, delivery: Delivery, purpose: str, revision: Revision | None = None) -> tuple[Run, Job]:
    """Ask for a trial or run of a revision (by default the newest) over a delivery."""
    person = may_work(user, "run the rulebook")
    delivery = lock_rows(Delivery).select_related("feed").get(pk=delivery.pk)
    if delivery.state != Delivery.State.READ:
        raise Invalid("The delivery is not read yet. Wait until it is, or settle its import settings in Intake.")
    open_changes = delivery.changes.filter(choice="").count()
    if open_changes:
        raise NotYet(
            f"{open_changes} design change{'s are' if open_changes > 1 else ' is'} not settled. Settle in Intake how the"
            " columns of this delivery match those agreed for the feed; then it can run."
        )
    revision = revision or newest(delivery.feed)
    own = rulebook_of(revision)
    rulebook = resolve_rulebook(delivery, own)
    run = Run.objects.create(
        delivery=delivery,
        revision=revision,
        purpose=purpose,
        snapshot_key=delivery.snapshot_key,
        decisions=ports.current_decisions(delivery),
        rules=None if rulebook is own else rulebook.model_dump(mode="json")["rules"],
        context=build_context(delivery, rulebook),
        asked_by=person,
    )
    if purpose == Run.Purpose.RUN:
        note(person, f"ran revision {revision.number} over delivery {delivery.number}", delivery.feed.slug, delivery.pk)
    return run, ask("run", run.pk, delivery, person, lock=f"delivery-{delivery.pk}")


def perform_run(run_id: int, progress: Progress) -> None:
    """Do a trial or run. Called again after a crash, it finishes what is not finished, once."""
    run = Run.objects.select_related("delivery__feed", "revision").get(pk=run_id)
    if run.state == "done":
        _done(run)  # perhaps the worker ended just before it was told
        return
    begun = timezone.now()
    progress("running the rules", 0.01)
    _, outcome = result_of(run, lambda share: progress("running the rules", 0.05 + 0.85 * share))
    if run.purpose == Run.Purpose.RUN:
        outcome = _under_exceptions(run, outcome, progress)
    progress("setting records apart", 0.92)
    with transaction.atomic():
        locked = lock_rows(Run).get(pk=run_id)
        if locked.state == "done":
            return
        locked.state, locked.outcome, locked.ended = "done", outcome.model_dump(mode="json"), timezone.now()
        locked.seconds = (locked.ended - begun).total_seconds()
        locked.save()
        if run.purpose == Run.Purpose.RUN:
            ports.set_apart(locked)
            _publish_revision(run)
    _done(run)


def _done(run: Run) -> None:
    if run.purpose == Run.Purpose.RUN:
        ports.run_done(run)


def _under_exceptions(run: Run, outcome: Outcome, progress: Progress) -> Outcome:
    """The outcome under what was accepted in other deliveries for the keys of the records that are quarantined, too."""
    with transaction.atomic():
        more = ports.standing_exceptions(run)
        if not more:
            return outcome
        run.decisions = [*run.decisions, *more]
        run.save(update_fields=["decisions"])
    return result_of(run, lambda share: progress("running the rules again, with exceptions", 0.05 + 0.85 * share))[1]


def _publish_revision(run: Run) -> None:
    """A revision that a run uses is published; the first run settles the feed's columns."""
    if run.revision.published is None:
        run.revision.published = timezone.now()
        run.revision.save(update_fields=["published"])
    feed = lock_rows(Feed).get(pk=run.delivery.feed_id)
    if not all(column.get("type") for column in feed.design) or not feed.design:
        agree(feed, run.delivery)
        remember_layouts(run.delivery)


def run_ended(run_id: int, state: str, error: dict[str, Any] | None) -> None:
    """A run that failed or was cancelled says so; nothing else changed."""
    Run.objects.filter(pk=run_id).exclude(state="done").update(state=state, error=error, ended=timezone.now())
