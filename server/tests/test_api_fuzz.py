"""Every operation of the API against its own description: no answer 500, none that is not described.

PRAVIN_FUZZ_SECONDS says how long (three minutes when all tests run, more where each operation was not asked often enough by then);
PRAVIN_FUZZ_SEED starts elsewhere.
"""

from __future__ import annotations

import json
import os
import random
import time
from collections import Counter
from contextlib import suppress
from typing import Any
from urllib.parse import quote, urlencode

import pytest
import schemathesis
from django.test import Client
from hypothesis import HealthCheck, Phase, Verbosity, given, seed, settings
from hypothesis import strategies as st
from test_permissions import BODIES

from conftest import ROLES as ROLES_OF
from conftest import do_work
from pravin_server.accounts.models import User
from pravin_server.accounts.services import make_user
from pravin_server.config.api import api

SECONDS = float(os.environ.get("PRAVIN_FUZZ_SECONDS", "180"))
AT_LEAST = 8  # requests of each operation, however slow the machine
SEED = int(os.environ.get("PRAVIN_FUZZ_SEED", "1"))
WRITING = ("ana", "app")
ROLES = (*WRITING, "adm", "vic", "nobody", None)
SCHEMA = schemathesis.openapi.from_dict(api.get_openapi_schema())
OPERATIONS = [result.ok() for result in SCHEMA.get_all_operations()]
NASTY = [
    "\x00",
    "\ud800",
    "a\u202eb",
    "'",
    '"',
    "../..",
    "%00",
    "x" * 100_000,
    "=1+1",
    "",
    " ",
    "null",
    "\\",
    "\n",
    "💧",
]


@pytest.fixture
def people(places: dict[str, Any]) -> dict[str | None, Any]:
    """A person for each role; None is nobody."""
    known = {person.username: person for person in User.objects.all()}
    results = {
        role: known.get(role) or make_user(role, "secret-pass", role.title(), ROLES_OF[role]) for role in ROLES if role
    }
    return {None: None, **results}


def client_of(person: Any) -> Client:
    """A client, signed in; a new one for each operation, since some of them sign out."""
    client = Client(raise_request_exception=False)
    if person is not None:
        client.force_login(person)
    return client


FILTERS: list[Any] = [
    {"on": "column", "name": "ph", "test": "above", "value": "7"}, {"on": "column", "name": "ph", "test": "between", "values": ["1", "2"]},
    {"on": "column", "name": "site", "test": "matches", "value": "^A"}, {"on": "state", "value": "ready"}, {"on": "rule", "value": "2"},
    {"on": "any of", "of": [{"on": "rule", "value": "1"}, {"on": "column", "name": "site", "test": "one of", "values": ["A"]}]},
    {"on": "column", "name": "id", "test": "dated", "value": "%Y", "values": ["2024-01-01", "2024-02-01"]}, {"on": "repeated", "values": ["id"]},
]  # fmt: skip


class Enough(Exception):
    """The time of an operation is over."""


def spoiled(body: Any, draw: random.Random) -> Any:
    """A body that is valid but for one value, replaced by something nasty or of another type, or left out."""
    if isinstance(body, dict) and body and draw.random() < 0.9:
        key = draw.choice(sorted(body))
        if draw.random() < 0.1:
            return {k: v for k, v in body.items() if k != key}
        return {**body, key: spoiled(body[key], draw)}
    if isinstance(body, list) and body and draw.random() < 0.8:
        at = draw.randrange(len(body))
        return [*body[:at], spoiled(body[at], draw), *body[at + 1 :]]
    return draw.choice([*NASTY, None, True, -1, 0, 2**63, 10**30, 1e308, 0.5, [], {}, [None], {"x": {}}, ["a"] * 50])


def answers(client: Client, method: str, path: str, query: dict[str, Any], body: Any) -> Any:
    """The answer to a request, whatever stands in it."""
    address = quote(path, safe="/%", errors="surrogatepass")
    if query:
        address += "?" + urlencode(query, doseq=True, errors="surrogatepass")
    data = "" if body is None else json.dumps(body)
    return client.generic(method.upper(), address, data, content_type="application/json")


def is_described(operation: Any, answer: Any) -> bool:
    """Whether the description of an operation knows the status of an answer; 400 and 405 come before any operation."""
    known = {str(code) for code in operation.definition.raw["responses"]}
    return str(answer.status_code) in known | {"400", "405"}


class Fuzz:
    """Requests to one operation, judged: what faults there were, and how often each status came."""

    def __init__(self, operation: Any, faults: dict[str, str], statuses: Counter[int]) -> None:
        self.operation, self.faults, self.statuses = operation, faults, statuses
        self.asked = 0

    def judge(self, client: Client, path: str, query: dict[str, Any], body: Any) -> None:
        """Send a request, and write down what should not have been answered."""
        method = self.operation.method
        answer = answers(client, method, path, query, body)
        self.asked += 1
        self.statuses[answer.status_code] += 1
        if answer.status_code >= 500 or not is_described(self.operation, answer):
            text = b"".join(answer.streaming_content) if answer.streaming else answer.content
            shown = f"{method} {path} {query} {str(body)[:300]} -> {answer.status_code} {text[:300]!r}"
            self.faults.setdefault(f"{method} {self.operation.path} {answer.status_code}", shown)

    def nastily(self, client: Client, real: str, draw: random.Random) -> None:
        """A request to a real place, made without its description's help: soon enough also where that takes long to read."""
        named = [each["name"] for each in self.operation.definition.raw.get("parameters", ()) if each["in"] == "query"]
        query = {name: draw.choice(NASTY) for name in named if draw.random() < 0.7}
        valid = BODIES.get(self.operation.path, {"name": "x"})
        self.judge(
            client, real, query, spoiled(valid, draw) if "requestBody" in self.operation.definition.raw else None
        )

    def as_described(self, client: Client, real: str, until: float) -> None:
        """Requests made from the description, until a moment; half of them to a real place."""

        @seed(SEED)
        @settings(max_examples=500, deadline=None, database=None, phases=[Phase.generate], verbosity=Verbosity.quiet,
                  suppress_health_check=list(HealthCheck))  # fmt: skip
        @given(case=self.operation.as_strategy(), is_real=st.booleans())
        def run(case: Any, is_real: bool) -> None:
            if time.monotonic() > until:
                raise Enough
            path = real if is_real else self.operation.path.format(**(case.path_parameters or {}))
            body = case.body if isinstance(case.body, dict | list | str | int | float) else None
            self.judge(client, path, dict(case.query or {}), body)

        with suppress(Enough):
            run()


def test_no_operation_answers_500_or_what_is_not_described(
    places: dict[str, Any], people: dict[str | None, Any]
) -> None:
    faults: dict[str, str] = {}
    statuses: Counter[int] = Counter()
    draw = random.Random(SEED)
    share = SECONDS / len(OPERATIONS)
    for operation in OPERATIONS:
        until = time.monotonic() + share
        clients = {role: client_of(person) for role, person in people.items()}
        fuzz, real = Fuzz(operation, faults, statuses), operation.path.format(**places)
        while operation.path in BODIES and time.monotonic() < until - share / 2:
            client = clients[draw.choice((*ROLES, *WRITING, *WRITING))]
            fuzz.judge(client, real, {}, spoiled(BODIES[operation.path], draw))
        while operation.path.endswith("/records") and time.monotonic() < until - share / 2:
            serialized = json.dumps([spoiled(draw.choice(FILTERS), draw) for _ in range(draw.randint(1, 2))])
            fuzz.judge(clients["ana"], real, {"filters": serialized, "offset": draw.choice([0, 10**9])}, None)
        while fuzz.asked < AT_LEAST:
            fuzz.nastily(clients[draw.choice(WRITING)], real, draw)
        for at, role in enumerate(WRITING):
            left = until - time.monotonic()
            fuzz.as_described(clients[role], real, time.monotonic() + left / (len(WRITING) - at))
    do_work()
    print(f"{statuses.total()} requests", dict(sorted(statuses.items())))
    assert not faults, "\n".join(faults.values())
    assert statuses.total() >= AT_LEAST * len(OPERATIONS)
    assert sum(n for status, n in statuses.items() if status < 300) > statuses.total() / 20  # it comes past the door
