"""Deliveries, decisions, undoing, runs, releases and withdrawals drawn at random, against a retelling in plain Python."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from typing import Any

import pytest
from test_quarantine import Make, Row, agree_key, lines, numbers, standing

from conftest import Browser, do_work
from pravin_core.tables.record_sets import unpacked
from pravin_server.activity.models import Event
from pravin_server.activity.services import first_broken
from pravin_server.quarantine.models import Decision

KEYS = [f"k{n}" for n in range(8)]
RULES: list[dict[str, Any]] = [
    {"kind": "required", "id": "site", "columns": ["site"]},
    {"kind": "in-range", "id": "range", "columns": ["amount"], "low": "0", "high": "9"},
]


@dataclass
class Told:
    """A delivery as it is told: its rows, the acts on it (undone ones are gone), and those that its last run knew;
    `acts_ever` has the undone ones too.
    """

    number: int
    id: int
    rows: list[Row]
    acts: dict[int, tuple[str, list[int], dict[str, str]]] = field(default_factory=dict)
    applied: list[int] = field(default_factory=list)
    acts_ever: dict[int, tuple[str, list[int], dict[str, str]]] = field(default_factory=dict)

    def states(self) -> dict[int, str]:
        """ready, quarantined or removed by record, as the last run left it."""
        kinds: dict[int, str] = {}
        cells = {record: {"site": row[1], "amount": row[2]} for record, row in enumerate(self.rows, start=1)}
        for act in self.applied:
            kind, records, values = self.acts_ever[act]
            for record in records:
                if kind == "reopen":
                    kinds.pop(record, None)
                    cells[record] = {"site": self.rows[record - 1][1], "amount": self.rows[record - 1][2]}
                else:
                    kinds[record] = kind
                    cells[record] |= values
        states = {}
        for record, cell in cells.items():
            wrong = not cell["site"] or not 0 <= int(cell["amount"]) <= 9
            kind = kinds.get(record)
            states[record] = (
                "removed" if kind == "discard" else "quarantined" if wrong and kind != "accept" else "ready"
            )
        return states


def expected(told: list[Told]) -> dict[int, tuple[list[int], int, int]]:
    """Of each delivery the records that wait, and how many were settled by or wait in later ones."""
    states = {one.id: one.states() for one in told}
    result = {}
    for place, one in enumerate(told):
        waiting, settled, again = [], 0, 0
        for record, state in states[one.id].items():
            if state != "quarantined":
                continue
            met = [
                states[later.id][number] for later in told[place + 1 :] for number, row in enumerate(later.rows, start=1)
                if row[0] == one.rows[record - 1][0] and row[0]
            ]  # fmt: skip
            if "ready" in met:
                settled += 1
            elif "quarantined" in met:
                again += 1
            else:
                waiting.append(record)
        result[one.id] = (waiting, settled, again)
    return result


def told_again(told: list[Told]) -> list[Told]:
    """The deliveries as the activity tells them, from its first entry on: what was decided, undone and run, in order."""
    result = {one.id: Told(one.number, one.id, one.rows) for one in told}
    for event in Event.objects.filter(delivery__isnull=False).order_by("id"):
        one, details = result[event.delivery], event.details
        if event.what.startswith("ran revision"):
            one.applied = list(one.acts)
        elif details.get("undone"):
            del one.acts[details["decision"]]
        elif "decision" in details:
            content = unpacked(bytes(Decision.objects.get(pk=details["decision"]).content))
            values: dict[str, str] = {}
            if details["kind"] == "amend":
                values = dict(zip(content["name"].to_pylist(), content["value"].to_pylist(), strict=True))
            records = sorted(set(content["record"].to_pylist()))
            one.acts[details["decision"]] = one.acts_ever[details["decision"]] = (details["kind"], records, values)
    return list(result.values())


@pytest.mark.parametrize("seed", [101, 102, 103])
def test_every_record_has_one_open_case_or_none(seed: int, browser: Make) -> None:
    drawn = random.Random(seed)
    approver: Browser = browser("app")
    approver("POST", "/feeds", {"name": "Stock"}, expect=201)
    numeric = {"kind": "to-number", "id": "n", "columns": ["amount"]}
    approver("PUT", "/feeds/stock/rulebook", {"based_on": 0, "change": "first", "rules": [numeric, *RULES]}, expect=200)
    told: list[Told] = []
    ever = 0
    for step in range(14):
        action = (
            drawn.choice(["deliver", *["decide"] * 5, "undo", "rerun", "release", "withdraw"]) if told else "deliver"
        )
        one = drawn.choice(told) if told else None
        if action == "deliver" and len(told) < 4:
            keys = drawn.sample(KEYS, drawn.randint(2, 5)) + drawn.choices(["", *KEYS], k=drawn.randint(0, 2))
            rows = [(key, drawn.choice(["A", "B", ""]), drawn.choice(["5", "7", "77"])) for key in keys]
            delivery = approver.upload("stock", stock=lines(rows))["id"]
            do_work()
            approver("POST", f"/deliveries/{delivery}/runs", expect=201)
            do_work()
            told.append(Told(len(told) + 1, delivery, rows))
            if len(told) == 1:
                agree_key(approver, "id")
        elif action == "decide" and one is not None:
            held = [record for record, state in one.states().items() if state == "quarantined"]
            known = sorted({*held, *(record for _, records, _ in one.acts.values() for record in records)})
            if not known:
                continue
            kind = drawn.choice(["amend", "amend", "accept", "discard", "reopen"])
            records = sorted(drawn.sample(known, drawn.randint(1, len(known))))
            values = {drawn.choice(["site", "amount"]): drawn.choice(["3", "88"])} if kind == "amend" else {}
            now = drawn.random() < 0.7
            act = {"kind": kind, "records": records, "values": values, "justification": "as drawn", "apply": now}
            decision = approver("POST", f"/deliveries/{one.id}/decisions", act, expect=201)["decision"]
            one.acts[decision] = one.acts_ever[decision] = (kind, records, values)
            ever += 1
            if now:
                one.applied = list(one.acts)
        elif action == "undo" and one is not None and one.acts:
            decision = drawn.choice(list(one.acts))
            approver("POST", f"/deliveries/{one.id}/decisions/{decision}/undo", expect=201)
            del one.acts[decision]
            one.applied = list(one.acts)
        elif action == "rerun" and one is not None:
            approver("POST", f"/deliveries/{one.id}/runs", expect=201)
            one.applied = list(one.acts)
        elif action == "release" and one is not None:
            run = approver("GET", f"/deliveries/{one.id}/release", expect=200)["run"]
            approver(
                "POST", f"/deliveries/{one.id}/release", {"run": run}
            )  # may be refused: nothing ready, released already
        elif action == "withdraw" and one is not None:
            release = approver("GET", f"/deliveries/{one.id}/release", expect=200)["release"]
            if release and release["state"] == "published":
                approver(
                    "POST",
                    f"/releases/{release['id']}/withdraw",
                    {"justification": "as drawn", "ends_view": True},
                    expect=200,
                )
        do_work()
        for delivery, (waiting, settled, again) in expected(told).items():
            assert standing(approver, delivery) == (len(waiting), settled, again), (step, action, delivery)
            assert numbers(approver, delivery) == waiting
            balance = approver("GET", f"/deliveries/{delivery}", expect=200)["balance"]
            parts = ("ready", "corrected", "quarantined", "removed", "rejected")
            assert sum(balance[part] for part in parts) == balance["delivered"]
    assert Decision.objects.count() == ever  # the history loses nothing
    assert expected(told_again(told)) == expected(told)
    assert first_broken() is None
