"""Drafts of a rulebook, tried on a delivery without being kept."""

from __future__ import annotations

import json
from dataclasses import asdict
from typing import Any

from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from pravin_core.errors import RulebookError
from pravin_core.formulas import standard
from pravin_core.formulas.by_example.learning import Wanted
from pravin_core.formulas.functions import FUNCTIONS, Function
from pravin_core.formulas.windows import OVER_FUNCTIONS
from pravin_core.rules.review import Advice
from pravin_core.rules.rulebook import Rulebook, parse_rulebook
from pravin_core.runs.effects.model import RuleEffect
from pravin_core.runs.preview import Request
from pravin_server.accounts.access import reader
from pravin_server.common.schemas import PROBLEMS, Id
from pravin_server.deliveries.lookups import delivery_or_404
from pravin_server.feeds import masking
from pravin_server.rulebooks import drafting

router = Router(tags=["rulebooks"], auth=reader)
MOST_VALUES = 12
MOST_COLUMNS = 500  # that a rule makes of the values of one


class DraftIn(Schema):
    """The rules of a draft."""

    rules: list[dict[str, Any]] = Field(
        max_length=2000, description="each as in a rulebook; one at hand may be unfinished"
    )

    def rulebook(self) -> Rulebook:
        """The draft as a rulebook. Raises RulebookError when a rule is unfinished."""
        return parse_rulebook(json.dumps({"rules": self.rules}))


class EffectIn(DraftIn):
    """A draft and the rule whose effect is asked for."""

    rule: str = Field(max_length=60)


class EffectNow(Schema):
    """The effect of one rule; or what is in its way: the rule is unfinished, or does not fit the columns."""

    effect: RuleEffect | None
    problem: str = ""
    advice: str = ""


class FormulaIn(DraftIn):
    """A formula as it is typed, at the place of the rule `below` (at the end when it is not there)."""

    below: str = Field("", max_length=60)
    text: str = Field(max_length=4000)
    condition: bool = False


class TriedRow(Schema):
    """A record on which a formula was tried."""

    record: int
    cells: list[str | None]
    result: str | None


class FormulaOut(Schema):
    """A formula tried: what is wrong and where (characters from 0), or its type and results on some records."""

    columns: list[tuple[str, str]]
    message: str
    advice: str
    start: int
    end: int
    type: str
    reads: list[str]
    rows: list[TriedRow]
    readings: list[str] = Field(
        description="where and and or stand beside each other: what is read, and what may be meant"
    )


class ExampleIn(Schema):
    """The result that is wanted for a record; empty where nothing is wanted."""

    record: int = Field(ge=1, le=10**12)
    result: str | None = Field(max_length=2000)


class LearnIn(DraftIn):
    """Wanted results, the columns to look at (all when none is named), and records to show: by number or by a text."""

    below: str = Field("", max_length=60)
    columns: list[str] = Field([], max_length=300)
    wanted: list[ExampleIn] = Field(max_length=20)
    records: list[int] = Field([], max_length=40)
    search: str = Field("", max_length=200)


class ValuesIn(DraftIn):
    """A column whose values are asked for, at the place of the rule `below`."""

    below: str = Field("", max_length=60)
    name: str = Field(max_length=2000)


class ValuesOut(Schema):
    """The different values of a column, in the order in which they first occur; whether there are `more` than these."""

    values: list[str]
    more: bool


class ResultRow(Schema):
    """A combination of values: the first record with it, how many have it, and the result."""

    record: int
    times: int
    values: list[str | None]
    result: str | None


class CandidateOut(Schema):
    """A formula that gives every wanted result."""

    formula: str
    columns: list[str]
    different: int
    untreated: int
    rows: list[ResultRow]
    untreated_rows: list[ResultRow]


class LookupOut(Schema):
    """A code list or table of the library in which the wanted results stand at the value of a column."""

    column: str
    code_list: str
    table: str
    key: str
    take: str
    different: int
    untreated: int
    rows: list[ResultRow]


class QuestionOut(Schema):
    """A record for which the best candidates differ."""

    record: int
    times: int
    values: list[str | None]
    results: list[str | None]


class RecordToSay(Schema):
    """A record that an example can be given for."""

    record: int
    cells: list[str | None]


class LearnOut(Schema):
    """Candidates, best first, over `columns`; what to ask; where the results stand in the library; records to give
    examples for, over `looked_at`.
    """

    columns: list[str]
    candidates: list[CandidateOut]
    questions: list[QuestionOut]
    lookups: list[LookupOut]
    looked_at: list[str]
    records: list[RecordToSay]


class FunctionOut(Schema):
    """A function of formulas, or a part that SQL writes in words; `insert` is what is typed for it, with | at the cursor. One
    that looks at other records (not `per_record`) has no place in a condition.
    """

    name: str
    group: str
    signature: str
    about: str
    example: str
    result: str
    insert: str
    per_record: bool = True


@router.get("/formula-functions", response={200: list[FunctionOut], **PROBLEMS})
def functions(request: HttpRequest) -> Any:
    """All functions that a formula may use, the parts that SQL writes in words, and functions by their other names."""
    ours = [_offered(f, f.group, f.signature, f"{f.name}(|)") for f in FUNCTIONS.values()]
    in_words = [_offered(form, "As SQL writes it", form.written, form.insert) for form in standard.FORMS]
    over_groups = [
        {"name": f.name, "group": "Over a group of records", "signature": f.signature, "about": f.about,
         "example": f.example, "result": "", "insert": f.insert, "per_record": False}
        for f in OVER_FUNCTIONS.values()
    ]  # fmt: skip
    other = [
        {"name": name, "group": "Other names", "signature": meant, "about": f"The same as {meant}.", "example": "", "result": "",
         "insert": f"{name}(|)"}
        for name, meant in standard.other_names().items()
    ]  # fmt: skip
    return ours + in_words + over_groups + other


def _offered(function: Function | standard.Form, group: str, signature: str, insert: str) -> dict[str, str]:
    return {
        "name": function.name, "group": group, "signature": signature, "about": function.about, "example": function.example,
        "result": str(function.result), "insert": insert,
    }  # fmt: skip


@router.post("/deliveries/{delivery_id}/effect", response={200: EffectNow, **PROBLEMS})
def effect(request: HttpRequest, body: EffectIn, delivery_id: int = Id) -> Any:
    """The exact effect of one rule of a draft on all records of a delivery."""
    delivery = delivery_or_404(delivery_id)
    try:
        return {"effect": drafting.effect_on(delivery, body.rulebook(), body.rule)}
    except RulebookError as error:
        return {"effect": None, "problem": error.message, "advice": error.advice}


@router.post("/deliveries/{delivery_id}/remarks", response={200: list[Advice], **PROBLEMS})
def remarks(request: HttpRequest, body: DraftIn, delivery_id: int = Id) -> Any:
    """What a colleague would say of a draft."""
    return drafting.remarks_on(delivery_or_404(delivery_id), body.rulebook())


@router.post("/deliveries/{delivery_id}/formula", response={200: FormulaOut, **PROBLEMS})
def formula(request: HttpRequest, body: FormulaIn, delivery_id: int = Id) -> Any:
    """Check a formula as it is typed and show its result on some records."""
    tried = drafting.formula_on(delivery_or_404(delivery_id), body.rulebook(), body.below, body.text, body.condition)
    rows = [{"record": record, "cells": cells, "result": result} for record, cells, result in tried.rows]
    return {
        **{k: getattr(tried, k) for k in ("columns", "message", "advice", "start", "end", "type", "reads", "readings")},
        "rows": rows,
    }


@router.get("/deliveries/{delivery_id}/values", response={200: list[str], **PROBLEMS})
def values(
    request: HttpRequest,
    delivery_id: int = Id,
    name: str = Query(..., max_length=2000),
    part: str = Query("", max_length=200),
) -> Any:
    """Values of a delivered column that hold a text, the most frequent first."""
    delivery = delivery_or_404(delivery_id)
    if name not in delivery.columns:
        return []
    masking.refuse(masking.hidden_columns(request.user, delivery.feed) & {name}, "What is asked for shows")
    return drafting.values_of(delivery, name, part, MOST_VALUES)


@router.post("/deliveries/{delivery_id}/values", response={200: ValuesOut, **PROBLEMS})
def values_at_place(request: HttpRequest, body: ValuesIn, delivery_id: int = Id) -> Any:
    """The different values of a column as the rules above a place leave them."""
    seen = drafting.values_on(delivery_or_404(delivery_id), body.rulebook(), body.below, body.name, MOST_COLUMNS + 1)
    return {"values": seen[:MOST_COLUMNS], "more": len(seen) > MOST_COLUMNS}


@router.post("/deliveries/{delivery_id}/examples", response={200: LearnOut, **PROBLEMS})
def by_example(request: HttpRequest, body: LearnIn, delivery_id: int = Id) -> Any:
    """Find formulas that give wanted results."""
    delivery = delivery_or_404(delivery_id)
    examples = [Wanted(example.record, example.result or None) for example in body.wanted]
    asked = Request(body.columns, examples, body.records, body.search.strip())
    learned, records = drafting.learned_on(delivery, body.rulebook(), body.below, asked)
    looked_at = body.columns or [name for name, _ in drafting.columns_on(delivery, body.rulebook(), body.below)][:60]
    return {
        **asdict(learned),
        "looked_at": looked_at,
        "records": [{"record": record, "cells": cells} for record, cells in records],
    }
