"""What the API of the quarantine takes and answers."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from ninja import Field, Schema
from pydantic import BaseModel

from pravin_core.rules.base import Part


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


class HeldOut(BaseModel):
    """A quarantined record; values by column, as text."""

    record: int
    file: int
    line: int
    reasons: list[Reason]
    current: dict[str, str | None]
    original: dict[str, str | None]


class HeldPage(Schema):
    run: int | None
    total: int
    columns: list[str]
    files: list[str]
    rows: list[HeldOut]


class DecisionOut(Schema):
    record: int
    kind: str
    values: dict[str, str | None]
    justification: str
    who: str
    at: datetime


class QuarantineOut(Schema):
    """The quarantine of a delivery; `run` is None before the first run."""

    run: int | None
    since: datetime | None
    total: int
    reasons: list[ReasonCountOut]
    decisions: list[DecisionOut]


class AmendIn(Schema):
    values: dict[str, str | None] = Field(min_length=1, max_length=2000)


class RetryOut(Schema):
    """How a record would stand."""

    state: str
    reasons: list[Reason]
    values: dict[str, str | None]


class DecisionIn(Schema):
    records: list[int] = Field(min_length=1, max_length=100_000)
    kind: Literal["amend", "accept", "discard"]
    values: dict[str, str | None] = {}
    justification: str = Field("", max_length=2000)


class TakeBackIn(Schema):
    records: list[int] = Field(min_length=1, max_length=100_000)
