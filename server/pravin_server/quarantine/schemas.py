"""What the API of the quarantine takes and answers."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any, Literal, Self

from ninja import Field, Schema
from pydantic import BaseModel, model_validator

from pravin_core.records.filters import AnyFilter
from pravin_core.rules.base import Part
from pravin_core.rules.registry import AnyRule
from pravin_server.common.schemas import JobOut
from pravin_server.quarantine.listing import CaseFilter
from pravin_server.quarantine.models import Answer

Kind = Literal["amend", "accept", "discard", "reopen", "assign", "wait", "comment", "return"]


class ReasonCountOut(Schema):
    """A reason and how many records it holds. Rule 0 is a value typed by hand that does not fit."""

    rule: int
    name: str
    phrase: str
    records: int
    sentence: list[Part]


class Reason(BaseModel):
    rule: int
    name: str
    value: str | None
    phrase: str


class FileCount(Schema):
    """How many records are from a source file; -1: a rule made them."""

    file: int
    records: int


class OwnerCount(Schema):
    """How many records somebody has; 0: nobody."""

    owner: int
    name: str
    records: int


class RunCount(Schema):
    """How many records wait since a run."""

    run: int
    since: datetime | None
    records: int


class CountsOut(Schema):
    """How many cases are behind a filter."""

    total: int
    reasons: list[ReasonCountOut]
    files: list[FileCount]
    with_supplier: int
    overdue: int
    owners: list[OwnerCount]
    runs: list[RunCount]


class HeldOut(BaseModel):
    """A quarantined record. `key`: the values of the feed's key; `settled_by`, `again_in`: the number of a later delivery, in
    which the record is number `there`.
    """

    record: int
    file: int
    line: int
    reasons: list[Reason]
    key: list[str | None]
    since: datetime | None
    owner: str
    due: date | None
    with_supplier: bool
    settled_by: int | None
    again_in: int | None
    there: int | None


class HeldPage(Schema):
    run: int | None
    total: int
    key: list[str]
    files: list[str]
    rows: list[HeldOut]


class SendingOut(Schema):
    """A file about returned records that was put where its supplier finds it."""

    name: str
    at: datetime


class ArrivedOut(Schema):
    """An answer of a supplier that arrived by itself (`way`), about records of delivery `number`."""

    id: int
    returned: int
    delivery: int
    number: int
    name: str
    way: str
    arrived: datetime
    state: str

    @staticmethod
    def resolve_returned(answer: Answer) -> int:
        """The act that it answers."""
        return answer.returned_id

    @staticmethod
    def resolve_delivery(answer: Answer) -> int:
        """The id of the delivery that it is about."""
        return answer.returned.delivery_id

    @staticmethod
    def resolve_number(answer: Answer) -> int:
        """The number of that delivery in its feed."""
        return answer.returned.delivery.number


class DecisionOut(Schema):
    """An act on records. `holds`: it is not undone, not past, and about the delivery as it is read now."""

    id: int
    kind: str
    records: int
    details: dict[str, Any]
    justification: str
    until: date | None
    owner: str
    who: str
    at: datetime
    undone_by: str
    undone_at: datetime | None
    holds: bool
    read_otherwise: bool
    sent: list[SendingOut]


class EndedOut(Schema):
    """How many cases ended by which decision, or because of `rules`."""

    amend: int
    accept: int
    discard: int
    rules: int


class WouldQuarantineOut(Schema):
    """What the newest trial would quarantine."""

    run: int
    revision: int
    records: int
    reasons: list[ReasonCountOut]


class QuarantineOut(Schema):
    """The quarantine of a delivery; `run` is None before the first run, and then `trial` tells what the newest one would quarantine. Of the records that the run set apart `settled` came
    ready with a later delivery, `again` wait in a later one, `waiting` are the rest. `not_applied`: decisions since the run.
    """

    run: int | None
    since: datetime | None
    total: int
    waiting: int
    settled: int
    again: int
    ended: EndedOut
    trial: WouldQuarantineOut | None
    key: list[str]
    columns: list[str]
    files: list[str]
    not_applied: int
    answers: list[ArrivedOut]
    decisions: list[DecisionOut]
    people: list[OwnerCount]


class LaterOut(Schema):
    """Where a later delivery has the same key."""

    delivery: int
    number: int
    record: int
    state: str


class LifeCell(Schema):
    """A cell of a record: as delivered, and now. `wrong`: what is said against it."""

    name: str
    type: str
    original: str | None
    current: str | None
    wrong: list[str]


class ChangedCell(Schema):
    name: str
    before: str | None
    after: str | None


class RuleWork(Schema):
    """What a rule did to the record: the cells before and after, or that it removed or added it."""

    rule: int
    sentence: list[Part]
    cells: list[ChangedCell]


class CaseRunOut(Schema):
    """A run that opened or ended the case of a record."""

    run: int
    revision: int
    ended: datetime | None
    opened: bool


class ReleasedIn(Schema):
    id: int
    number: int
    state: str
    published: datetime | None


class LifeOut(Schema):
    """The life of a record: where it was delivered, its cells, its reasons, what people decided, the releases it went into, and
    the other deliveries that have its key.
    """

    record: int
    run: int | None
    state: str
    file: str
    line: int
    line_text: str
    cells: list[LifeCell]
    reasons: list[Reason]
    key: dict[str, str | None]
    since: datetime | None
    owner: str
    due: date | None
    steps: list[RuleWork]
    decisions: list[DecisionOut]
    runs: list[CaseRunOut]
    releases: list[ReleasedIn]
    others: list[LaterOut]


class AmendIn(Schema):
    values: dict[str, str | None] = Field(min_length=1, max_length=2000)


class RetryOut(Schema):
    """How a record would stand."""

    state: str
    reasons: list[Reason]
    values: dict[str, str | None]


class ActIn(Schema):
    """What to do with which records: some by number, or all behind filters (`where`), `count` of them as they were seen in
    `run`. An amendment takes `values`, or a column and a formula or a rule. `later`: an exception
    holds also for the same keys in later deliveries, where they are wrong in the same way.
    """

    kind: Kind
    records: list[int] = Field([], max_length=100_000)
    where: list[AnyFilter] | None = Field(None, max_length=50)
    among: CaseFilter = CaseFilter()
    count: int | None = Field(None, ge=0)
    run: int | None = Field(None, ge=1, le=2**62)
    values: dict[str, str | None] = Field({}, max_length=2000)
    column: str = Field("", max_length=2000)
    formula: str = Field("", max_length=2000)
    rule: AnyRule | None = None
    justification: str = Field("", max_length=2000)
    until: date | None = None
    owner: int | None = Field(None, ge=1, le=2**62)
    later: bool = False

    @model_validator(mode="after")
    def _about_some(self) -> Self:
        if bool(self.records) == (self.where is not None):
            raise ValueError("say which records it is about: by their numbers, or by filters")
        if self.records and not all(1 <= record < 2**62 for record in self.records):
            raise ValueError("records are numbered from 1")
        return self


class DecisionIn(ActIn):
    """`apply`: run again at once; else the decision is applied with the next run."""

    apply: bool = True


class TriedRecord(Schema):
    """A record as an act would leave it."""

    record: int
    state: str
    reasons: list[Reason]
    changes: list[ChangedCell]


class WouldBeOut(Schema):
    """What an act would do: how many records would stand in which state, and the first of them."""

    records: int
    states: dict[str, int]
    examples: list[TriedRecord]


class DecidedOut(Schema):
    """The act, and the run that applies it (None: the next one does)."""

    decision: int
    run: int | None
    job: JobOut | None


class AnswerOut(Schema):
    """What came back from a supplier: how many records it fills in and how many it does not, how many were `settled`
    or decided since, the lines of which nothing is taken, and
    how the records would stand; `job` runs it when it was applied.
    """

    returned: int
    records: int
    untouched: int
    settled: int
    unknown: list[int]
    repeated: list[int]
    changed: list[int]
    states: dict[str, int]
    examples: list[TriedRecord]
    job: JobOut | None


class TakeBackIn(Schema):
    records: list[int] = Field(min_length=1, max_length=100_000)


class KeyIn(Schema):
    """The columns that tell a record of the feed apart; none: no key."""

    columns: list[str] = Field(max_length=10)


class KeyProposal(Schema):
    """Columns that tell the records of a delivery apart: `different` of its records are told apart by them, `missing` of them
    have no value in one of the columns.
    """

    columns: list[str]
    records: int
    different: int
    missing: int


class KeyOut(Schema):
    columns: list[str]
    proposals: list[KeyProposal]
