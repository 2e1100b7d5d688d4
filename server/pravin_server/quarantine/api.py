"""Quarantine: cases behind filters, decisions, the key of a feed, the life of a record."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from django.http import FileResponse, HttpRequest
from ninja import File, Query, Router
from ninja.files import UploadedFile

from pravin_core.cases.files import FileFormat
from pravin_core.records.filters import Filter
from pravin_server.accounts.access import reader
from pravin_server.accounts.models import User
from pravin_server.accounts.services import may_work
from pravin_server.common import cache
from pravin_server.common.errors import Invalid
from pravin_server.common.schemas import PROBLEMS, Id, Slug, Started
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import sources_of
from pravin_server.feeds import masking
from pravin_server.feeds.lookups import feed_or_404
from pravin_server.quarantine import answers, keys, listing, record_life, returns, services
from pravin_server.quarantine.cases import ENDINGS, ended_by
from pravin_server.quarantine.listing import CaseFilter
from pravin_server.quarantine.matching import current_runs
from pravin_server.quarantine.models import CaseStep
from pravin_server.quarantine.schemas import (
    ActIn,
    AmendIn,
    AnswerOut,
    ArrivedOut,
    CountsOut,
    DecidedOut,
    DecisionIn,
    HeldPage,
    KeyIn,
    KeyOut,
    LifeOut,
    QuarantineOut,
    RetryOut,
    SendingOut,
    TakeBackIn,
    WouldBeOut,
)
from pravin_server.runs.models import Run
from pravin_server.runs.queries import current_run
from pravin_server.runs.records_api import filters_of

router = Router(tags=["quarantine"], auth=reader)
DEFUSED = Query(True, description="put ' before texts that a spreadsheet would run (CSV and TSV)")
WHERE = Query("[]", max_length=20_000, description="a JSON list of filters, all of which must hold")


@router.get("/deliveries/{delivery_id}/quarantine", response={200: QuarantineOut, **PROBLEMS})
def quarantine(request: HttpRequest, delivery_id: int = Id) -> Any:
    """How many records wait, were settled or came again, and what people decided."""
    delivery = delivery_or_404(delivery_id)
    run = current_run(delivery)
    step = CaseStep.objects.filter(run=run).defer("opened", "ended").first() if run else None
    people = User.objects.filter(is_active=True, groups__name__in=["analyst", "approver"]).distinct()
    return {
        "run": run.pk if run else None,
        "since": run.ended if run else None,
        "total": step.waiting + step.settled + step.again if step else 0,
        "waiting": step.waiting if step else 0,
        "settled": step.settled if step else 0,
        "again": step.again if step else 0,
        "trial": None if run else listing.would_quarantine(delivery),
        "ended": ended_by(run) if run else dict.fromkeys(ENDINGS, 0),
        "key": delivery.feed.key,
        "columns": [column for column, _ in (run.outcome or {}).get("columns", [])] if run else [],
        "files": [source.name for source in sources_of(delivery)],
        "answers": answers.waiting(delivery),
        "not_applied": listing.not_applied(delivery, run),
        "decisions": listing.acts(delivery, masking.hidden_columns(request.user, delivery.feed)),
        "people": [{"owner": person.pk, "name": person.shown, "records": 0} for person in people.order_by("username")],
    }


@router.get("/deliveries/{delivery_id}/quarantine/counts", response={200: CountsOut, **PROBLEMS})
def counts(
    request: HttpRequest,
    delivery_id: int = Id,
    where: str = WHERE,
    among: CaseFilter = Query(...),
) -> Any:
    """How many cases are behind filters, by reason, source file, owner and age."""
    delivery, filters = delivery_or_404(delivery_id), filters_of(where)
    masking.refuse_named(masking.hidden_columns(request.user, delivery.feed), filters)
    return listing.counted(services.run_of(delivery), filters, among)


@router.get("/deliveries/{delivery_id}/quarantine/records", response={200: HeldPage, **PROBLEMS})
def held(
    request: HttpRequest,
    delivery_id: int = Id,
    where: str = WHERE,
    among: CaseFilter = Query(...),
    offset: int = Query(0, ge=0, le=10**10),
    limit: int = Query(100, ge=1, le=500),
) -> Any:
    """The cases behind filters, by record number."""
    delivery = delivery_or_404(delivery_id)
    filters = filters_of(where)
    files = [source.name for source in sources_of(delivery)]
    run = current_run(delivery)
    if run is None or run.outcome is None:
        return {"run": None, "total": 0, "key": delivery.feed.key, "files": files, "rows": []}
    hidden = masking.hidden_columns(request.user, delivery.feed)
    masking.refuse_named(hidden, filters)
    total, rows = listing.page(run, filters, among, offset, limit, delivery.feed.key, hidden)
    return {"run": run.pk, "total": total, "key": delivery.feed.key, "files": files, "rows": rows}


@router.get("/deliveries/{delivery_id}/quarantine/file", response={200: None, **PROBLEMS})
def quarantine_file(
    request: HttpRequest,
    delivery_id: int = Id,
    where: str = WHERE,
    among: CaseFilter = Query(...),
    form: FileFormat = "csv",
    defused: bool = DEFUSED,
) -> Any:
    """The cases behind filters as a file, with their reasons, as they are and as they were delivered."""
    delivery = delivery_or_404(delivery_id)
    name = f"{delivery.feed.slug}-{delivery.number}-quarantine.{form}"
    return _file([services.run_of(delivery)], filters_of(where), among, name, form, defused)


@router.get("/feeds/{slug}/quarantine/file", response={200: None, **PROBLEMS})
def file_of_feed(request: HttpRequest, slug: str = Slug, form: FileFormat = "csv", defused: bool = DEFUSED) -> Any:
    """All records of a feed that wait, whatever delivery they came with, as a file."""
    feed = feed_or_404(slug)
    runs = current_runs(feed)
    if not runs:
        raise Invalid("Nothing is quarantined yet: run the rulebook over a delivery of this feed first.")
    return _file(runs, [], CaseFilter(), f"{feed.slug}-quarantine.{form}", form, defused)


def _file(
    runs: list[Run], filters: list[Filter], among: CaseFilter, name: str, form: FileFormat, defused: bool
) -> FileResponse:
    with cache.scratch() as place:
        target = place / f"cases.{form}"
        listing.write_file(runs, filters, among, target, form, defused)
        return FileResponse(target.open("rb"), as_attachment=True, filename=name)


@router.get("/deliveries/{delivery_id}/records/{record}/life", response={200: LifeOut, **PROBLEMS})
def life(request: HttpRequest, delivery_id: int = Id, record: int = Id, whole: bool = True) -> Any:
    """The life of a record; without `whole` its cells and its case only, which is quick."""
    delivery = delivery_or_404(delivery_id)
    hidden = masking.hidden_columns(request.user, delivery.feed)
    return record_life.life(delivery, record, whole, hidden)


@router.post("/deliveries/{delivery_id}/quarantine/{record}/retry", response={200: RetryOut, **PROBLEMS})
def retry(request: HttpRequest, body: AmendIn, delivery_id: int = Id, record: int = Id) -> Any:
    """Try the checks on a record with other values; changes nothing."""
    return services.retry(request.user, delivery_or_404(delivery_id), record, body.values)


def _asked(body: ActIn) -> tuple[services.Choice, services.Act]:
    choice = services.Choice(body.records, body.where, body.among, body.count, body.run)
    act = services.Act(
        body.kind,
        body.values,
        body.column,
        body.formula,
        body.justification,
        body.until,
        body.owner,
        body.rule,
        body.later,
    )
    return choice, act


@router.post("/deliveries/{delivery_id}/decisions/preview", response={200: WouldBeOut, **PROBLEMS})
def preview(request: HttpRequest, body: ActIn, delivery_id: int = Id) -> Any:
    """What a decision would do; changes nothing."""
    return services.preview(request.user, delivery_or_404(delivery_id), *_asked(body))


@router.post("/deliveries/{delivery_id}/decisions", response={201: DecidedOut, **PROBLEMS})
def decide(request: HttpRequest, body: DecisionIn, delivery_id: int = Id) -> Any:
    """Decide on records; the rulebook is run again, unless it shall wait or nothing is to be run."""
    decision, run, job = services.decide(request.user, delivery_or_404(delivery_id), *_asked(body), body.apply)
    return 201, {"decision": decision.pk, "run": run.pk if run else None, "job": job}


@router.post("/deliveries/{delivery_id}/decisions/apply", response={201: Started, **PROBLEMS})
def apply(request: HttpRequest, delivery_id: int = Id) -> Any:
    """Run again under all decisions. The answer's id is the run's."""
    run, job = services.apply_decisions(request.user, delivery_or_404(delivery_id))
    return 201, {"id": run.pk, "job": job}


@router.post("/deliveries/{delivery_id}/decisions/take-back", response={201: Started, **PROBLEMS})
def take_back(request: HttpRequest, body: TakeBackIn, delivery_id: int = Id) -> Any:
    """Take back all that was decided on records; the rulebook is run again."""
    run, job = services.take_back(request.user, delivery_or_404(delivery_id), body.records)
    return 201, {"id": run.pk, "job": job}


@router.post("/deliveries/{delivery_id}/decisions/{decision_id}/undo", response={201: DecidedOut, **PROBLEMS})
def undo(request: HttpRequest, delivery_id: int = Id, decision_id: int = Id, later: bool = False) -> Any:
    """Undo a decision as a whole; the rulebook is run again, unless it shall wait (`later`)."""
    run, job = services.undo(request.user, delivery_or_404(delivery_id), decision_id, not later)
    return 201, {"decision": decision_id, "run": run.pk if run else None, "job": job}


@router.get("/deliveries/{delivery_id}/decisions/{decision_id}/return-file", response={200: None, **PROBLEMS})
def return_file(
    request: HttpRequest,
    delivery_id: int = Id,
    decision_id: int = Id,
    source: int | None = Query(None, ge=0, le=10_000, description="the records of one source, under its own names"),
    form: FileFormat = "csv",
) -> Any:
    """The file for the supplier: the returned records with their reasons and an empty cell for each that is complained of."""
    delivery = delivery_or_404(delivery_id)
    returned = returns.returned_or_404(delivery, decision_id)
    with cache.scratch() as place:
        target = place / f"return.{form}"
        returns.write_file(delivery, services.run_of(delivery), returned, source, target, form)
        name = f"{delivery.feed.slug}-{delivery.number}-return-{returned.pk}.{form}"
        return FileResponse(target.open("rb"), as_attachment=True, filename=name)


@router.post("/deliveries/{delivery_id}/quarantine/answer", response={200: AnswerOut, **PROBLEMS})
def answer(request: HttpRequest, delivery_id: int = Id, apply: bool = False, file: UploadedFile = File(...)) -> Any:
    """Read what came back from a supplier; changes nothing unless it is applied."""
    with _uploaded(file) as (name, path):
        return _said(services.take_answer(request.user, delivery_or_404(delivery_id), name, path, apply))


@contextmanager
def _uploaded(file: UploadedFile) -> Iterator[tuple[str, Path]]:
    """The name and bytes of an uploaded file, for a while."""
    with cache.scratch() as place:
        path = place / "answer"
        with path.open("wb") as out:
            for piece in file.chunks(2**20):
                out.write(piece)
        yield file.name or "answer", path


def _said(taken: services.Taken) -> dict[str, Any]:
    reading, tried = taken.reading, taken.tried or {"states": {}, "examples": []}
    return {
        "returned": reading.returned.pk, "settled": reading.settled, **vars(reading.content), **tried, "job": taken.job,
    }  # fmt: skip


@router.post("/deliveries/{delivery_id}/decisions/{decision_id}/send", response={200: list[SendingOut], **PROBLEMS})
def send(request: HttpRequest, delivery_id: int = Id, decision_id: int = Id) -> Any:
    """Put the files about returned records where their suppliers find them."""
    return answers.send(request.user, delivery_or_404(delivery_id), decision_id)


@router.post("/feeds/{slug}/answers", response={201: ArrivedOut, **PROBLEMS})
def answer_arrives(request: HttpRequest, slug: str = Slug, file: UploadedFile = File(...)) -> Any:
    """Leave an answer of a supplier, for a person to look at; it is recognised by its references."""
    person = may_work(request.user, "leave an answer of a supplier")
    feed = feed_or_404(slug)
    with _uploaded(file) as (name, path):
        return 201, answers.receive_answer(feed, name, path, "API", person)


@router.post("/deliveries/{delivery_id}/answers/{answer_id}", response={200: AnswerOut, **PROBLEMS})
def arrived_answer(request: HttpRequest, delivery_id: int = Id, answer_id: int = Id, apply: bool = False) -> Any:
    """Read an answer that arrived; changes nothing unless it is applied."""
    return _said(services.take_arrived(request.user, delivery_or_404(delivery_id), answer_id, apply))


@router.post("/deliveries/{delivery_id}/answers/{answer_id}/set-aside", response={200: ArrivedOut, **PROBLEMS})
def set_aside(request: HttpRequest, delivery_id: int = Id, answer_id: int = Id) -> Any:
    """Take nothing of an answer that arrived."""
    return answers.set_aside(request.user, delivery_or_404(delivery_id), answer_id)


@router.get("/feeds/{slug}/key", response={200: KeyOut, **PROBLEMS})
def key(request: HttpRequest, slug: str = Slug) -> Any:
    """The key of a feed, and keys that would tell the records of its newest delivery apart."""
    feed = feed_or_404(slug)
    newest = feed.deliveries.select_related("feed").filter(state=Delivery.State.READ).first()
    return {"columns": feed.key, "proposals": keys.proposed(newest) if newest else []}


@router.put("/feeds/{slug}/key", response={200: KeyOut, **PROBLEMS})
def agree_key(request: HttpRequest, body: KeyIn, slug: str = Slug) -> Any:
    """Agree the key of a feed; waiting records are met with later deliveries anew."""
    return {"columns": keys.agree_key(request.user, feed_or_404(slug), body.columns).key, "proposals": []}
