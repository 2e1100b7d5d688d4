"""Files for suppliers on their way: put into the folder that a supplier reaches, and the answers that arrive and wait for a person."""

from __future__ import annotations

import shutil
import uuid
from pathlib import Path
from typing import Any

from django.core.files.base import File
from django.db import transaction
from django.utils import timezone

from pravin_core.cases.returns import REFERENCE
from pravin_core.errors import PravinError
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import settle
from pravin_server.accounts.models import User
from pravin_server.accounts.services import may_work
from pravin_server.activity.services import note
from pravin_server.common import cache
from pravin_server.common.errors import Conflict, Invalid, NotFound
from pravin_server.common.locks import lock_rows
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import sources_of
from pravin_server.feeds.folders import written_for_supplier
from pravin_server.feeds.models import Feed
from pravin_server.quarantine import returns
from pravin_server.quarantine.models import Answer, Decision, Sending
from pravin_server.runs.queries import current_run
from pravin_server.storage.models import StoredFile


@transaction.atomic
def send(user: Any, delivery: Delivery, decision_id: int) -> list[Sending]:
    """Put the file of each source of returned records where its supplier finds it; one that lies there already is replaced."""
    person = may_work(user, "send a file to a supplier")
    returned = returns.returned_or_404(delivery, decision_id)
    run = current_run(delivery)
    if returned.undone_at is not None or returned.snapshot_key != delivery.snapshot_key or run is None:
        raise Invalid("Returning these records was undone, or the delivery was read anew since.")
    names = [source.name for source in sources_of(delivery)]
    places = [place for place, _ in returned.details.get("sources", [])]
    sent = []
    with cache.scratch() as scratch:
        for place in places or [None]:
            # the number tells sources of the same name apart; the name is for people, and cut to what a folder takes
            about = "" if place is None else f", source {place + 1} {Path(names[place]).stem[:40]}"
            name = f"delivery {delivery.number}, return {returned.pk}{about}.xlsx"
            returns.write_file(delivery, run, returned, place, scratch / name, "xlsx")
            sent.append(name)
        Sending.objects.filter(returned=returned).delete()
        result = [Sending.objects.create(returned=returned, name=name, by=person) for name in sent]
        note(person, f"put {', '.join(sent)} where the supplier of {delivery.feed.name} finds it", delivery.feed.slug,
             delivery.pk, decision=returned.pk)  # fmt: skip
        for name in sent:
            with written_for_supplier(delivery.feed, name) as place_of_it:
                shutil.copyfile(scratch / name, place_of_it)
    return result


def is_answer(path: Path, name: str) -> bool:
    """Whether a file is one that was made for a supplier, told from its head."""
    try:
        return REFERENCE in settle(path, name, SettingsRequest()).settings.names
    except PravinError:
        return False


@transaction.atomic
def receive_answer(feed: Feed, name: str, path: Path, way: str, person: User | None = None) -> Answer:
    """Keep what came back from a supplier of a feed, for a person to look at. Raises Invalid when it answers nothing that was
    returned, Conflict when the same bytes wait already.
    """
    returned = returns.answered_by(feed, name, path)
    answer = Answer(returned=returned, name=name[:255], way=way)
    with path.open("rb") as file:
        answer.bytes.save(f"answer/{uuid.uuid4().hex}", File(file), save=False)
    answer.sha256 = StoredFile.objects.values_list("sha256", flat=True).get(name=answer.bytes.name)
    if Answer.objects.filter(returned=returned, sha256=answer.sha256, state=Answer.State.WAITING).exists():
        raise Conflict(f"{name} arrived before, and waits to be looked at.")
    answer.save()
    delivery = returned.delivery
    note(person, f"{name} arrived from the supplier of {feed.name}, about delivery {delivery.number}", feed.slug,
         delivery.pk, decision=returned.pk, way=way)  # fmt: skip
    return answer


def waiting(delivery: Delivery) -> list[Answer]:
    """The answers about a delivery that nobody has applied or set aside, the oldest first."""
    rows = Answer.objects.filter(returned__delivery=delivery, state=Answer.State.WAITING)
    rows = rows.select_related("returned__delivery")
    return list(rows.filter(returned__undone_at__isnull=True, returned__snapshot_key=delivery.snapshot_key))


def waiting_answer(delivery: Delivery, answer_id: int) -> Answer:
    """An answer that waits, locked. Raises NotFound, or Conflict when somebody was faster."""
    answer = lock_rows(Answer).filter(pk=answer_id, returned__delivery=delivery).first()
    if answer is None:
        raise NotFound(f"No answer {answer_id} arrived about delivery {delivery.number}.")
    if answer.state != Answer.State.WAITING:
        raise Conflict(f"{answer.name} was {answer.get_state_display()} already.")
    return answer


def copied(answer: Answer, target: Path) -> Path:
    """The bytes of an answer as a file."""
    with answer.bytes.open("rb") as source, target.open("wb") as out:
        shutil.copyfileobj(source, out, 2**20)
    return target


@transaction.atomic
def set_aside(user: Any, delivery: Delivery, answer_id: int) -> Answer:
    """Take nothing of an answer; it stays in the history."""
    person = may_work(user, "set an answer aside")
    answer = waiting_answer(delivery, answer_id)
    settle_answer(answer, Answer.State.ASIDE, person)
    note(person, f"set {answer.name} aside, about delivery {delivery.number}", delivery.feed.slug, delivery.pk,
         decision=answer.returned_id)  # fmt: skip
    return answer


def settle_answer(answer: Answer, state: Answer.State, person: User, amendment: Decision | None = None) -> None:
    """Say what became of an answer, in the caller's transaction."""
    answer.state, answer.settled_by, answer.settled_at, answer.amendment = state, person, timezone.now(), amendment
    answer.save(update_fields=["state", "settled_by", "settled_at", "amendment"])
