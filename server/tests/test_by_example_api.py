"""By example through the API: wanted results, records chosen or searched for, code lists and tables of the library."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from conftest import Browser, do_work
from pravin_server.library.models import CodeList, CodeListVersion

Make = Callable[[str | None], Browser]
CODES = b"id|unit|site\n" + b"".join(
    f"{at}|{unit}|{site}\n".encode()
    for at, (unit, site) in enumerate(
        [("M", "n1"), ("K", "n2"), ("M", "n2"), ("K", "n1"), ("T", "n3"), ("-", "n9"), ("M", "n1")], start=1
    )
)


@pytest.fixture
def coded(db: None) -> int:
    """A delivery of units and sites, whose library knows what both mean."""
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Coded"}, expect=201)
    delivery = analyst.upload("coded", field=CODES)["id"]
    do_work()
    for name, codes in {
        "Units": [["M", "metre"], ["K", "kilometre"], ["T", "tonne"]],
        "Sizes": [["M", "medium"]],
    }.items():
        CodeListVersion.objects.create(list=CodeList.objects.create(name=name), number=1, codes=codes, change="first")
    table = SimpleUploadedFile("rivers.csv", b"code,river\nn1,Merrow\nn2,Alder\nn3,Tern\n")
    assert analyst.client.post("/api/library/references", {"name": "Rivers", "file": table}).status_code < 300
    do_work()
    return delivery


def ask(delivery: int, columns: list[str], wanted: dict[int, str | None], **more: Any) -> Any:
    body = {"rules": [], "columns": columns, "wanted": [{"record": r, "result": v} for r, v in wanted.items()], **more}
    return Browser("ana")("POST", f"/deliveries/{delivery}/examples", body, expect=200)


def test_the_library_is_looked_into(coded: int) -> None:
    (lookup,) = ask(coded, ["unit"], {1: "metre", 2: "kilometre"})["lookups"]
    assert (lookup["code_list"], lookup["table"], lookup["untreated"]) == ("Units", "", 1)  # "-" has no meaning
    assert {row["values"][0]: row["result"] for row in lookup["rows"]}["T"] == "tonne"
    (lookup,) = ask(coded, ["unit", "site"], {1: "Merrow", 2: "Alder"})["lookups"]
    assert (lookup["table"], lookup["column"], lookup["key"], lookup["take"]) == ("Rivers", "site", "code", "river")
    assert lookup["rows"][-1]["result"] is None  # n9 is no river
    assert ask(coded, ["unit"], {1: "metre", 2: "acre"})["lookups"] == []


def test_the_rule_of_a_lookup_gives_what_was_shown(coded: int) -> None:
    lookup = ask(coded, ["site"], {1: "Merrow", 2: "Alder"})["lookups"][0]
    rule = {
        "kind": "look-up", "id": "river", "reference": lookup["table"], "take": [lookup["take"]],
        "keys": [{"code": lookup["column"], "meaning": lookup["key"]}],
    }  # fmt: skip
    analyst = Browser("ana")
    analyst("PUT", "/feeds/coded/rulebook", {"based_on": 0, "change": "river", "rules": [rule]}, expect=200)
    analyst("POST", f"/deliveries/{coded}/runs", expect=201)
    do_work()
    run = analyst("GET", f"/deliveries/{coded}")["run"]["id"]
    records = analyst("GET", f"/deliveries/{coded}/records?limit=20&run={run}", expect=200)
    names = [column["name"] for column in records["columns"]]
    cells = [dict(zip(names, row["cells"], strict=True)) for row in records["rows"]]
    shown = {row["values"][0]: row["result"] for row in lookup["rows"]}
    assert len(cells) == 7
    assert [cell["river"] for cell in cells] == [shown[cell["site"]] for cell in cells]


def test_no_value_can_be_wanted(coded: int) -> None:
    answer = ask(coded, ["unit"], {1: "M", 6: None})
    results = {row["values"][0]: row["result"] for row in answer["candidates"][0]["rows"]}
    assert (results["M"], results["-"], results["K"]) == ("M", None, "K")
    assert ask(coded, ["unit"], {1: None})["candidates"] == []


def test_any_record_can_be_an_example(coded: int) -> None:
    shown = ask(coded, ["site"], {})["records"]
    assert {record["cells"][0] for record in shown} == {"n1", "n2", "n3", "n9"}  # one of each value
    found = ask(coded, ["site"], {}, search="N2")["records"]
    assert [(record["record"], record["cells"]) for record in found] == [(2, ["n2"])]
    assert [record["record"] for record in ask(coded, ["site"], {}, search="7")["records"]] == [7]
    assert ask(coded, ["site"], {}, search="nowhere")["records"] == []
    kept = ask(coded, ["site"], {4: "x"}, search="n9", records=[7])["records"]
    assert [record["record"] for record in kept] == [4, 7, 6]  # what was typed and chosen stays in sight


@pytest.mark.parametrize("search", ["\u00b2", "\u0663", "'", "%", "\x00", "\\", "9" * 200])
def test_whatever_is_searched_for_is_answered(coded: int, search: str) -> None:
    body = {"rules": [], "columns": ["site"], "wanted": [{"record": 1, "result": f"a{search}"}], "search": search}
    answer = Browser("ana")("POST", f"/deliveries/{coded}/examples", body)
    assert answer.get("status", 200) in (200, 422)


@pytest.mark.parametrize(
    "wrong", [{"wanted": [{"record": 0, "result": "x"}]}, {"records": list(range(1, 60))}, {"search": "x" * 300}, {"columns": ["nowhere"]}]
)  # fmt: skip
def test_what_cannot_be_asked_is_refused(coded: int, wrong: dict[str, Any]) -> None:
    body = {"rules": [], "columns": ["site"], "wanted": [], **wrong}
    assert Browser("ana")("POST", f"/deliveries/{coded}/examples", body)["status"] == 422
