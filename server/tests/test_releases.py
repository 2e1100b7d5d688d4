"""Gates, replacing and withdrawing releases, what downloads hold."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from decimal import Decimal
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from django.db import connection
from psycopg.sql import SQL, Identifier

from conftest import RULES, Browser, do_work
from pravin_server.feeds.models import Feed

Make = Callable[[str | None], Browser]


def run(browser: Browser, delivery: int) -> Any:
    browser("POST", f"/deliveries/{delivery}/runs", expect=201)
    do_work()
    return browser("GET", f"/deliveries/{delivery}/release", expect=200)


def publish(browser: Browser, delivery: int) -> Any:
    proposal = run(browser, delivery)
    browser("POST", f"/deliveries/{delivery}/release", {"run": proposal["run"]}, expect=201)
    do_work()
    return browser("GET", f"/deliveries/{delivery}/release")["release"]


def change(browser: Browser, rules: list[dict[str, Any]]) -> None:
    last = browser("GET", "/feeds/samples/rulebook")["revision"]["number"]
    browser("PUT", "/feeds/samples/rulebook", {"based_on": last, "rules": rules}, expect=200)


def sites() -> list[Any]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT site FROM released.samples ORDER BY id")
        return [row[0] for row in cursor.fetchall()]


def open_gates(proposal: Any) -> list[str]:
    return [gate["name"] for gate in proposal["gates"] if not gate["met"]]


def test_a_stopping_check_and_an_old_run_keep_the_gate_shut(browser: Make, delivered: int) -> None:
    approver = browser("app")
    change(approver, [{**rule, "consequence": "stop"} if rule["id"] == "range" else rule for rule in RULES])
    proposal = run(approver, delivered)
    assert open_gates(proposal) == ["No stopping check is broken"]
    refused = approver("POST", f"/deliveries/{delivered}/release", {"run": proposal["run"]}, expect=422)
    assert "rule 6: 1 records" in refused["detail"]
    change(approver, RULES)
    assert "The run is up to date" in open_gates(approver("GET", f"/deliveries/{delivered}/release"))
    assert open_gates(run(approver, delivered)) == []


def test_a_newer_release_replaces_the_view_and_withdrawing_brings_the_former_back(
    browser: Make, delivered: int
) -> None:
    approver = browser("app")
    publish(approver, delivered)
    assert sites() == ["A", "C"]
    second = approver.upload("samples", more=b"id|site|ph\n7|=1+1|7\n8|Z|8\n")["id"]
    do_work()
    release = publish(approver, second)
    assert (release["number"], sites()) == (2, ["=1+1", "Z"])
    proposal = approver("GET", f"/deliveries/{second}/release")
    assert {d["what"]: (d["before"], d["now"]) for d in proposal["differences"]}["delivered"] == (6, 2)
    for defused, first in (("true", b"7,'=1+1,7"), ("false", b"7,=1+1,7")):
        answer = approver.client.get(f"/api/releases/{release['id']}/data?form=csv&defused={defused}")
        assert b"".join(answer.streaming_content).splitlines()[1] == first
    approver("POST", f"/releases/{release['id']}/withdraw", {"justification": ""}, expect=422)
    approver("POST", f"/releases/{release['id']}/withdraw", {"justification": "mistake"}, expect=200)
    assert sites() == ["A", "C"]


def test_a_decision_taken_back_is_as_if_it_had_not_been(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    before = run(analyst, delivered)["balance"]
    decision = {"records": [2, 3], "kind": "discard", "justification": "broken probe"}
    analyst("POST", f"/deliveries/{delivered}/decisions", decision, expect=201)
    do_work()
    after = analyst("GET", f"/deliveries/{delivered}/release")
    assert (after["discarded"], after["balance"]["quarantined"]) == (2, 0)
    taken = analyst("GET", f"/deliveries/{delivered}/quarantine")["decisions"]
    assert [(d["records"], d["justification"], d["who"]) for d in taken] == [(2, "broken probe", "Ana")]
    analyst("POST", f"/deliveries/{delivered}/decisions/take-back", {"records": [2, 3]}, expect=201)
    do_work()
    assert analyst("GET", f"/deliveries/{delivered}/release")["balance"] == before
    analyst("POST", f"/deliveries/{delivered}/decisions", {**decision, "records": [1]}, expect=422)


def test_rules_that_do_not_fit_fail_with_the_rule_named(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    change(analyst, [{"kind": "required", "id": "x", "columns": ["nowhere"]}])
    job = analyst("POST", f"/deliveries/{delivered}/trials", expect=201)["job"]
    do_work()
    failed = analyst("GET", f"/jobs/{job['id']}")
    assert failed["state"] == "failed"
    assert "Rule 1 needs the column 'nowhere'" in failed["error"]["detail"]
    assert analyst("GET", f"/deliveries/{delivered}")["trial"] is None


def test_files_without_header_take_the_names_of_the_file_beside_them(browser: Make, delivered: int) -> None:
    analyst = browser("ana")
    analyst("POST", "/feeds", {"name": "Teams"}, expect=201)
    delivery = analyst.upload("teams", bare=b"5|E|7.7\n6|F|7.8\n", headed=b"id|site|ph\n1|A|7.4\n")["id"]
    do_work()
    page = analyst("GET", f"/deliveries/{delivery}/records", expect=200)
    assert [c["name"] for c in page["columns"]] == ["id", "site", "ph"]
    assert [(r["record"], r["file"], r["line"], r["cells"][1]) for r in page["rows"]] == [
        (1, 0, 1, "E"), (2, 0, 2, "F"), (3, 1, 2, "A"),
    ]  # fmt: skip


def rows_of(feed: Any) -> list[Any]:
    with connection.cursor() as cursor:
        cursor.execute(SQL("SELECT site FROM released.{} ORDER BY 1").format(Identifier(feed.view)))
        return [row[0] for row in cursor.fetchall()]


def release_of(approver: Browser, feed: Feed, sites_: str) -> Any:
    delivery = approver.upload(feed.slug, more=f"id|site\n1|{sites_}\n".encode())["id"]
    do_work()
    return publish(approver, delivery)


def test_feeds_with_names_alike_never_share_a_view_or_a_table(browser: Make) -> None:
    approver = browser("app")
    long = "Water quality of the upper Merrow basin, monthly, all laboratories, validated "
    names = ["Лаборатория", "Склад", f"{long} north", f"{long} south", "Feed 1 release 1", "Lab results"]
    for name in names:
        approver("POST", "/feeds", {"name": name}, expect=201)
    feeds = list(Feed.objects.order_by("id"))
    assert [feed.name for feed in feeds] == [name.strip() for name in names]
    assert len({feed.slug for feed in feeds}) == len({feed.view for feed in feeds}) == len(names)
    releases = [release_of(approver, feed, f"S{feed.pk}") for feed in feeds]
    assert len({item["table"] for item in releases}) == len(names)
    assert [rows_of(feed) for feed in feeds] == [[f"S{feed.pk}"] for feed in feeds]


@pytest.mark.parametrize("name", ["Lab_results", "lab results", "LAB-Results!", " Lab  results ", "Ｌab results"])
def test_a_feed_that_could_be_taken_for_another_is_refused(browser: Make, name: str) -> None:
    analyst = browser("ana")
    analyst("POST", "/feeds", {"name": "Lab results"}, expect=201)
    assert "Lab results" in analyst("POST", "/feeds", {"name": name}, expect=409)["detail"]
    assert Feed.objects.count() == 1


KEPT = ["-5.5", "+49 30 123", "+49 (30) 123/456", "-", "1,234.5", "(5)", "- 3 / 4"]
RUN = ["=1+1", "+cmd|' /C calc'!A0", "-2+A1", "@SUM(A1)", "=-5", "\t=1", "-a"]


@pytest.mark.parametrize("form", ["csv", "tsv"])
def test_only_texts_that_a_spreadsheet_would_run_are_touched(browser: Make, form: str) -> None:
    approver = browser("app")
    approver("POST", "/feeds", {"name": "Texts"}, expect=201)
    lines = "".join(f'{at}|"{text}"\n' for at, text in enumerate([*KEPT, *RUN]))
    delivery = approver.upload("texts", more=f"id|cell\n{lines}".encode())["id"]
    do_work()
    release = publish(approver, delivery)
    for defused in (True, False):
        answer = approver.client.get(f"/api/releases/{release['id']}/data?form={form}&defused={str(defused).lower()}")
        text = b"".join(answer.streaming_content).decode()
        cells = [row["cell"] for row in csv.DictReader(io.StringIO(text), delimiter="\t" if form == "tsv" else ",")]
        assert cells == [*KEPT, *(f"'{text}" if defused else text for text in RUN)]
    assert "switched off" in release["manifest"]["spreadsheet_formulas"]


def test_exact_decimals_are_released_to_the_last_digit(browser: Make) -> None:
    approver = browser("app")
    approver("POST", "/feeds", {"name": "Samples"}, expect=201)
    delivery = approver.upload(
        "samples", field=b"id|amount\n1|123456789012345678901.24\n2|-0.05\n3|7.40\n4|0.12345678901\n"
    )["id"]
    rules = [{"kind": "to-number", "id": "n", "columns": ["amount"], "exact": True}]
    approver("PUT", "/feeds/samples/rulebook", {"based_on": 0, "rules": rules}, expect=200)
    do_work()
    release = publish(approver, delivery)
    expected = [Decimal("123456789012345678901.24"), Decimal("-0.05"), Decimal("7.4")]
    with connection.cursor() as cursor:
        cursor.execute("SELECT amount, pg_typeof(amount)::text, sum(amount) OVER () FROM released.samples ORDER BY id")
        assert cursor.fetchall() == [(item, "numeric", sum(expected)) for item in expected]
    own_text = b"".join(approver("GET", f"/releases/{release['id']}/data?form=parquet").streaming_content)
    table = pq.read_table(io.BytesIO(own_text))
    assert pa.types.is_decimal(table.schema.field("amount").type)
    assert table.column("amount").to_pylist() == expected
    text = b"".join(approver("GET", f"/releases/{release['id']}/data?form=csv").streaming_content).decode()
    assert [row["amount"] for row in csv.DictReader(io.StringIO(text))] == ["123456789012345678901.24", "-0.05", "7.4"]
    (row,) = approver("GET", f"/deliveries/{delivery}/quarantine/records", expect=200)["rows"]
    cells = approver("GET", f"/deliveries/{delivery}/records/{row['record']}/life", expect=200)["cells"]
    assert {cell["name"]: cell["current"] for cell in cells}["amount"] == "0.12345678901"
