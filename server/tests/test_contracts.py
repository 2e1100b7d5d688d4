"""The contract of a released table: agreed in versions, kept by releases, seen in the database."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import Any

from django.db import connection

from conftest import Browser, do_work

Make = Callable[[str | None], Browser]
FILE = (
    b"well|litres|lead_mail|day\nA|1.50|ann.lee@merrow.example|2026-01-02\nB|20.25|bo.may@merrow.example|2026-01-03\n"
)
RULES: list[dict[str, Any]] = [
    {"kind": "to-number", "id": "n", "columns": ["litres"]},
    {"kind": "to-date", "id": "d", "columns": ["day"], "formats": ["%Y-%m-%d"]},
]


def asked(approver: Browser, file: bytes = FILE) -> int:
    """A delivery that was run."""
    delivery = approver.upload("wells", **{f"m{len(file)}": file})["id"]
    do_work()
    approver("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    return int(delivery)


def feed(approver: Browser) -> int:
    approver("POST", "/feeds", {"name": "Wells"}, expect=201)
    approver("PUT", "/feeds/wells/rulebook", {"based_on": 0, "change": "x", "rules": RULES}, expect=200)
    assert approver("GET", "/feeds/wells/contract", expect=200) == {
        "number": 0,
        "change": "",
        "who": "",
        "at": None,
        "columns": [],
    }
    delivery = asked(approver)
    approver("PUT", "/feeds/wells/key", {"columns": ["well"]}, expect=200)
    return delivery


def agreed(approver: Browser, number: int = 0, **sizes: dict[str, Any]) -> dict[str, Any]:
    """The contract as it stands with some columns changed."""
    columns = approver("GET", "/feeds/wells/contract", expect=200)["columns"]
    for column in columns:
        column.update(sizes.get(column["name"], {}))
    return {"based_on": number, "columns": columns, "change": "sizes"}


def proposal(approver: Browser, delivery: int) -> Any:
    return approver("GET", f"/deliveries/{delivery}/release", expect=200)


def published(approver: Browser, delivery: int) -> Any:
    approver("POST", f"/deliveries/{delivery}/release", {"run": proposal(approver, delivery)["run"]}, expect=201)
    do_work()
    release = proposal(approver, delivery)["release"]
    assert release["state"] == "published", release["error"]
    return release


def columns_in_database(name: str) -> dict[str, tuple[str, bool, str | None]]:
    """Type, whether a value is required, and comment of each column."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT attname, format_type(atttypid, atttypmod), attnotnull, col_description(attrelid, attnum)"
            " FROM pg_attribute WHERE attrelid = %s::regclass AND attnum > 0 ORDER BY attnum",
            [f"released.{name}"],
        )
        return {row[0]: (row[1], row[2], row[3]) for row in cursor.fetchall()}


def test_a_contract_is_proposed_agreed_and_seen_in_the_database(browser: Make, db: None) -> None:
    approver = browser("app")
    delivery = feed(approver)
    proposed = approver("GET", "/feeds/wells/contract", expect=200)
    assert [(c["name"], c["type"], c["required"], c["key"], c["example"]) for c in proposed["columns"]] == [
        ("well", "text", True, True, "A"), ("litres", "decimal", True, False, "1.5"),
        ("lead_mail", "text", True, False, "ann.lee@merrow.example"), ("day", "date", True, False, "2026-01-02"),
    ]  # fmt: skip
    body = agreed(
        approver, 0, well={"length": 5, "label": "Well"}, litres={"digits": 6, "decimals": 2, "unit": "l", "description": "per day"},
        day={"type": "date-time"},
    )  # fmt: skip
    version = approver("PUT", "/feeds/wells/contract", body, expect=200)
    assert (version["number"], version["change"], version["who"]) == (1, "sizes", "App")
    release = published(approver, delivery)
    assert (release["manifest"]["contract"], release["manifest"]["columns"][1]["database_type"]) == (1, "numeric(6,2)")
    expected = {
        "well": ("character varying(5)", True, "Well"), "litres": ("numeric(6,2)", True, "per day [l]"),
        "lead_mail": ("text", True, None), "day": ("timestamp without time zone", True, None),
    }  # fmt: skip
    table = columns_in_database(release["table"])
    assert {name: table[name] for name in expected} == expected
    view = columns_in_database("wells")
    assert {name: view[name][::2] for name in expected} == {
        name: (kind, said) for name, (kind, _, said) in expected.items()
    }
    with connection.cursor() as cursor:
        cursor.execute("SELECT a.attname FROM pg_index i JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = ANY(i.indkey)"
                       " WHERE i.indisprimary AND i.indrelid = %s::regclass", [f"released.{release['table']}"])  # fmt: skip
        assert cursor.fetchall() == [("well",)]
        cursor.execute("SELECT litres FROM released.wells ORDER BY well")
        assert cursor.fetchall() == [(Decimal("1.50"),), (Decimal("20.25"),)]


def test_what_breaks_the_contract_keeps_the_gate_shut_and_is_shown(browser: Make, db: None) -> None:
    approver = browser("app")
    first = feed(approver)
    body = agreed(approver, 0, litres={"digits": 3, "decimals": 2}, day={"required": True})
    approver("PUT", "/feeds/wells/contract", body, expect=200)
    found = proposal(approver, first)
    breach = {"column": "litres", "sentence": "has more than 1 digits before the point", "records": 1, "first": [2]}
    assert found["breaches"] == [breach]
    assert [gate["name"] for gate in found["gates"] if not gate["met"]] == ["The contract is kept"]
    refused = approver("POST", f"/deliveries/{first}/release", {"run": found["run"]}, expect=422)
    assert "litres has more than 1 digits" in refused["detail"]
    approver(
        "PUT", "/feeds/wells/contract", {**agreed(approver, 1, litres={"digits": 4}), "change": "wider"}, expect=200
    )
    assert proposal(approver, first)["breaches"] == []
    numbers = [version["number"] for version in approver("GET", "/feeds/wells/contract/versions", expect=200)]
    assert numbers == [2, 1]
    published(approver, first)
    second = asked(approver, b"well|litres|lead_mail|day\nA|3|x@merrow.example|2026-02-02\nC|4|y@merrow.example|\n")
    assert proposal(approver, second)["breaches"] == [
        {"column": "day", "sentence": "is missing", "records": 1, "first": [2]}
    ]


def test_a_contract_that_somebody_else_changed_or_that_cannot_be_is_refused(browser: Make, db: None) -> None:
    approver = browser("app")
    feed(approver)
    body = agreed(approver)
    approver("PUT", "/feeds/wells/contract", body, expect=200)
    assert "is at version 1 now" in approver("PUT", "/feeds/wells/contract", body, expect=409)["detail"]
    twice = {"based_on": 1, "columns": [body["columns"][0]] * 2}
    wrong = {"based_on": 1, "columns": [{"name": "day", "type": "date", "length": 3}]}
    for refused in (twice, wrong, {"based_on": 1, "columns": []}):
        assert approver("PUT", "/feeds/wells/contract", refused, expect=422)["detail"]
    assert browser("vic")("PUT", "/feeds/wells/contract", body)["status"] == 403
    assert approver("GET", "/feeds/wells/contract")["number"] == 1


def test_sizes_that_grow_do_not_cut_or_round_what_was_released(browser: Make, db: None) -> None:
    approver = browser("app")
    first = feed(approver)
    approver("PUT", "/feeds/wells/released", {"adds_up": "adds"}, expect=200)
    approver("PUT", "/feeds/wells/contract", agreed(approver, 0, litres={"digits": 6, "decimals": 2}), expect=200)
    published(approver, first)
    approver("PUT", "/feeds/wells/contract", agreed(approver, 1, litres={"digits": 4, "decimals": 1}), expect=200)
    second = asked(approver, b"well|litres|lead_mail|day\nC|30.5|z@merrow.example|2026-02-02\n")
    published(approver, second)
    assert columns_in_database("wells")["litres"][0] == "numeric"
    with connection.cursor() as cursor:
        cursor.execute("SELECT litres FROM released.wells ORDER BY well")
        assert cursor.fetchall() == [(Decimal("1.50"),), (Decimal("20.25"),), (Decimal("30.5"),)]


def test_numbers_that_the_contract_calls_text_are_written_as_everywhere(browser: Make, db: None) -> None:
    approver = browser("app")
    delivery = feed(approver)
    approver("PUT", "/feeds/wells/contract", agreed(approver, 0, litres={"type": "text"}), expect=200)
    published(approver, delivery)
    with connection.cursor() as cursor:
        cursor.execute("SELECT litres FROM released.wells ORDER BY well")
        assert cursor.fetchall() == [("1.5",), ("20.25",)]


def test_an_approver_is_warned_of_personal_data_and_of_numbers_that_go_out_as_text(browser: Make, db: None) -> None:
    approver = browser("app")
    feed(approver)
    people = "".join(f"W-{n}|{n}.5|lead{n}@merrow.example|2026-01-{n:02}\n" for n in range(1, 31))
    delivery = asked(approver, f"well|litres|lead_mail|day\n{people}".encode())
    approver("PUT", "/feeds/wells/rulebook", {"based_on": 1, "change": "none", "rules": RULES[:1]}, expect=200)
    approver("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    assert proposal(approver, delivery)["warnings"] == [
        "lead_mail holds personal data, and goes out as it is", "day reads as date, and goes out as text",
    ]  # fmt: skip
    masked = [*RULES, {"kind": "mask", "id": "m", "columns": ["lead_mail"]}]
    approver("PUT", "/feeds/wells/rulebook", {"based_on": 2, "change": "mask", "rules": masked}, expect=200)
    approver("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    assert proposal(approver, delivery)["warnings"] == []
    approver("PUT", "/feeds/wells/contract", agreed(approver, 0, lead_mail={"masked": True}), expect=200)
    assert proposal(approver, delivery)["breaches"] == []
    approver("PUT", "/feeds/wells/rulebook", {"based_on": 3, "change": "not masked", "rules": RULES}, expect=200)
    approver("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    (breach,) = proposal(approver, delivery)["breaches"]
    assert (breach["column"], breach["sentence"]) == ("lead_mail", "must be masked, and no rule masks it")
