"""Intake through the API: combining, design changes, repaired lines, control totals, ways in."""

from __future__ import annotations

import os
import threading
import zipfile
from collections.abc import Callable
from contextlib import suppress
from datetime import timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer
from io import BytesIO
from typing import Any

import pytest
import xlsxwriter
from django.db import connection
from django.test import Client
from django.utils import timezone

from conftest import Browser, do_work
from pravin_server.activity.models import Event
from pravin_server.arrivals import drop_folder, fetching, uploads
from pravin_server.arrivals.models import FetchPlan, Upload
from pravin_server.common.errors import Conflict
from pravin_server.deliveries.models import Delivery
from pravin_server.feeds import folders
from pravin_server.feeds.models import Feed

NORTH = "Probe;Parameter;Wert;Datum\nWQ-1;Nitrat;1,5;2024-03-01\nWQ-2;Phosphat;0,25;2024-03-02\nWQ-3;Nitrat für Öl;2\n"
FIRST = (
    "sample,analyte,value,taken\nWQ-1,Nitrat,1.4,2024-02-01\nWQ-2,Phosphat,0.3,2024-02-02\nWQ-9,Nitrat,2.0,2024-02-03\n"
)


def workbook(rows: list[list[Any]], sheet: str = "March") -> bytes:
    out = BytesIO()
    book = xlsxwriter.Workbook(out)
    page = book.add_worksheet(sheet)
    for number, row in enumerate(rows):
        page.write_row(number, 0, row)
    book.close()
    return out.getvalue()


HARBOUR = workbook([
    ["sample", "analyte", "value", "taken"], ["WQ-4", "Nitrat", 2.5, "2024-03-03"], ["WQ-5", "Phosphat", 0.5, "2024-03-04"],
])  # fmt: skip


@pytest.fixture
def analyst(db: None) -> Browser:
    browser = Browser("ana")
    browser("POST", "/feeds", {"name": "Lab"}, expect=201)
    return browser


def read(analyst: Browser, **files: bytes) -> int:
    delivery: int = analyst.upload("lab", **files)["id"]
    do_work()
    return delivery


def run(analyst: Browser, delivery: int, expect: int = 201) -> Any:
    answer = analyst("POST", f"/deliveries/{delivery}/runs", expect=expect)
    do_work()
    return answer


def settle(analyst: Browser, delivery: int, **choices: tuple[str, str]) -> dict[str, Any]:
    design = analyst("GET", f"/deliveries/{delivery}/design")
    by_name = {change["name"]: change["id"] for change in design["changes"]}
    results = [
        {"change": by_name[name], "choice": choice, "target": target} for name, (choice, target) in choices.items()
    ]
    analyst("POST", f"/deliveries/{delivery}/design", {"choices": results}, expect=200)
    do_work()
    result: dict[str, Any] = analyst("GET", f"/deliveries/{delivery}/design")
    return result


def test_layouts_of_two_laboratories_become_one_table_and_are_remembered(analyst: Browser) -> None:
    february = read(analyst, **{"harbour-2024-02.csv": FIRST.encode()})
    run(analyst, february)
    march = read(analyst, **{"harbour-2024-03.xlsx": HARBOUR, "north-2024-03.csv": NORTH.encode("cp1252")})
    work = analyst("GET", f"/deliveries/{march}")
    assert (work["records"], work["balance"]["rejected"]) == (4, 1)
    assert work["changes_open"] == 4
    refused = run(analyst, march, expect=409)
    assert "4 design changes are not settled" in refused["detail"]
    design = analyst("GET", f"/deliveries/{march}/design")
    renamed = {change["name"]: change["column"] for change in design["changes"] if change["kind"] == "renamed"}
    assert renamed == {"Probe": "sample", "Parameter": "analyte", "Wert": "value", "Datum": "taken"}
    waiting = read(analyst, **{"north-2024-05.csv": NORTH.replace("-03-", "-05-").encode("cp1252")})
    done = settle(analyst, march, **{name: ("it is the column", column) for name, column in renamed.items()})
    assert analyst("GET", f"/deliveries/{waiting}")["changes_open"] == 0
    assert (done["open"], done["columns"]) == (0, ["sample", "analyte", "value", "taken"])
    page = analyst("GET", f"/deliveries/{march}/records")
    assert [row["cells"][:3] for row in page["rows"]] == [
        ["WQ-4", "Nitrat", "2.5"], ["WQ-5", "Phosphat", "0.5"], ["WQ-1", "Nitrat", "1,5"], ["WQ-2", "Phosphat", "0,25"],
    ]  # fmt: skip
    assert page["files"] == ["harbour-2024-03.xlsx", "north-2024-03.csv"]
    run(analyst, march)
    april = read(analyst, **{"north-2024-04.csv": NORTH.replace("-03-", "-04-").encode("cp1252")})
    work = analyst("GET", f"/deliveries/{april}")
    assert (work["changes_open"], work["columns"]) == (0, ["sample", "analyte", "value", "taken"])


def test_new_and_missing_and_retyped_columns_wait_for_a_person(analyst: Browser) -> None:
    run(analyst, read(analyst, **{"a.csv": FIRST.encode()}))
    data = "sample,analyte,value,remark,lab\nWQ-7,Nitrat,low,x,N\nWQ-8,Nitrat,high,y,N\n"
    delivery = read(analyst, **{"b.csv": data.encode()})
    design = analyst("GET", f"/deliveries/{delivery}/design")
    assert [(change["kind"], change["name"]) for change in design["changes"]] == [
        ("new", "remark"), ("new", "lab"), ("missing", "taken"), ("retyped", "value"),
    ]  # fmt: skip
    wrong = {"choices": [{"change": design["changes"][0]["id"], "choice": "accept it"}]}
    assert "cannot be settled by" in analyst("POST", f"/deliveries/{delivery}/design", wrong, expect=422)["detail"]
    done = settle(
        analyst, delivery, remark=("leave it out", ""), lab=("take it as a new column", ""), taken=("accept it", ""),
        value=("accept it", ""),
    )  # fmt: skip
    assert (done["open"], done["columns"]) == (0, ["sample", "analyte", "value", "taken", "lab"])
    columns = {column["name"]: column["type"] for column in analyst("GET", "/feeds/lab/columns")}
    assert columns == {"sample": "text", "analyte": "text", "value": "text", "taken": "date", "lab": None}
    run(analyst, delivery)


def test_a_rejected_line_is_mended_and_can_be_taken_back(analyst: Browser) -> None:
    delivery = read(analyst, **{"a.csv": NORTH.encode("cp1252")})
    lines = analyst("GET", f"/deliveries/{delivery}/rejected")["lines"]
    assert [(line["line"], line["text"]) for line in lines] == [(4, "WQ-3;Nitrat für Öl;2")]
    path = f"/deliveries/{delivery}/sources/{lines[0]['source']}/repairs"
    tried = analyst("POST", f"{path}/try", {"line": 4, "text": "WQ-3;x"}, expect=200)
    assert tried["reason"] == "the line has 2 fields, the table has 4"
    assert analyst("POST", path, {"line": 2, "text": "a;b;c;d"}, expect=422)["detail"].endswith("is not rejected.")
    analyst("POST", path, {"line": 4, "text": "WQ-3;Nitrat;2;2024-03-03"}, expect=200)
    do_work()
    work = analyst("GET", f"/deliveries/{delivery}")
    assert (work["records"], work["balance"]["rejected"], work["balance"]["delivered"]) == (3, 0, 3)
    result = analyst("GET", f"/deliveries/{delivery}/rejected")
    assert (result["total"], result["repairs"][0]["original"]) == (0, "WQ-3;Nitrat für Öl;2")
    assert analyst("GET", f"/deliveries/{delivery}/records")["rows"][-1]["record"] == 3
    assert Event.objects.filter(what__contains="repaired line 4").exists()
    analyst("DELETE", f"{path}/4", expect=200)
    do_work()
    assert analyst("GET", f"/deliveries/{delivery}")["balance"]["rejected"] == 1
    csv = b"".join(analyst.client.get(f"/api/deliveries/{delivery}/rejected.csv").streaming_content)
    assert csv.decode().splitlines()[1] == 'a.csv,4,WQ-3;Nitrat für Öl;2,"the line has 3 fields, the table has 4"'


def test_control_totals_that_differ_shut_the_gate(analyst: Browser) -> None:
    totals = b"records;4\nsum of value;3,7\n"
    delivery = read(analyst, **{"a.csv": FIRST.encode(), "a.totals.csv": totals})
    result = analyst("GET", f"/deliveries/{delivery}/totals")
    assert result["totals"][0]["source"] == "a.totals.csv"
    assert [(item["what"], item["agrees"], item["difference"]) for item in result["compared"]] == [
        ("records", False, "-1"), ("sum of value", True, "0"),
    ]  # fmt: skip
    run(analyst, delivery)
    done = analyst("GET", f"/deliveries/{delivery}")["run"]["id"]
    approver = Browser("app")
    refused = approver("POST", f"/deliveries/{delivery}/release", {"run": done})
    assert refused["status"] in (409, 422)
    assert "4 stated, 3 loaded" in str(refused)
    analyst("PUT", f"/deliveries/{delivery}/totals", {"totals": {"records": 3}}, expect=200)
    do_work()
    assert all(item["agrees"] for item in analyst("GET", f"/deliveries/{delivery}/totals")["compared"])
    approver("POST", f"/deliveries/{delivery}/release", {"run": done}, expect=201)
    do_work()
    assert approver("GET", f"/deliveries/{delivery}")["release"] == "published"


def test_a_companion_may_hold_records_after_all(analyst: Browser) -> None:
    delivery = read(analyst, **{"a.totals.csv": FIRST.encode(), "b.csv": FIRST.replace("WQ", "XQ").encode()})
    assert analyst("GET", f"/deliveries/{delivery}")["state"] == "failed"  # it holds no total
    file = analyst("GET", f"/deliveries/{delivery}/files")[0]["id"]
    analyst("PUT", f"/deliveries/{delivery}/files/{file}/companion?companion=false", expect=200)
    do_work()
    assert analyst("GET", f"/deliveries/{delivery}")["records"] == 6


def test_the_same_bytes_are_noticed(analyst: Browser) -> None:
    read(analyst, **{"a.csv": FIRST.encode()})
    refused = analyst.upload("lab", expect=409, **{"other-name.csv": FIRST.encode()})
    assert "delivery 1" in refused["detail"]
    assert Delivery.objects.count() == 1
    body = {"files": BytesIO(FIRST.encode())}
    assert analyst.client.post("/api/feeds/lab/deliveries?again=true", body).status_code == 201


def test_an_archive_holds_several_sources_and_one_is_left_out(analyst: Browser) -> None:
    packed = BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("readme.txt", "Dear colleague,\nthis is our delivery.\nGreetings\n")
        archive.writestr("data/a.csv", FIRST)
    delivery = read(analyst, **{"march.zip": packed.getvalue()})
    sources = analyst("GET", f"/deliveries/{delivery}/sources")
    assert [source["name"] for source in sources] == ["march.zip › readme.txt", "march.zip › data/a.csv"]
    path = f"/deliveries/{delivery}/sources/{sources[0]['id']}/settings"
    analyst("PUT", path, {"request": {}, "left_out": True}, expect=200)
    do_work()
    work = analyst("GET", f"/deliveries/{delivery}")
    assert (work["records"], work["columns"], work["changes_open"]) == (3, ["sample", "analyte", "value", "taken"], 0)


def test_settings_are_remembered_and_facts_are_added(analyst: Browser) -> None:
    delivery = read(analyst, **{"north-2024-03.csv": NORTH.encode("cp1252")})
    source = analyst("GET", f"/deliveries/{delivery}/sources")[0]
    assert source["doubts"][0]["readings"]["cp1252"] == "WQ-3;Nitrat für Öl;2"
    request = {"columns": {"Datum": None, "Wert": "value"}, "facts": {"laboratory": "North"}, "source_column": "from"}
    path = f"/deliveries/{delivery}/sources/{source['id']}/settings"
    analyst("PUT", path, {"request": request}, expect=200)
    do_work()
    expected = ["Probe", "Parameter", "value", "laboratory", "from"]
    assert analyst("GET", f"/deliveries/{delivery}")["columns"] == expected
    row = analyst("GET", f"/deliveries/{delivery}/records")["rows"][0]["cells"]
    assert row == ["WQ-1", "Nitrat", "1,5", "North", "north-2024-03.csv"]
    later = read(analyst, **{"north-2024-04.csv": NORTH.replace("-03-", "-04-").encode("cp1252")})
    assert analyst("GET", f"/deliveries/{later}")["columns"] == expected


def test_columns_are_described_by_hand_and_by_schema_file(analyst: Browser) -> None:
    run(analyst, read(analyst, **{"a.csv": FIRST.encode()}))
    described = [{"name": "value", "type": "decimal", "decimal": ",", "missing": ["n/a"]}]
    analyst("PUT", "/feeds/lab/columns", {"columns": described}, expect=200)
    schema = analyst("GET", "/feeds/lab/schema?standard=table-schema")
    assert {"name": "value", "type": "number", "decimalChar": ",", "missingValues": ["n/a"]} in schema["fields"]
    result = analyst("POST", "/feeds/lab/columns/rules", expect=200)
    rules = analyst("GET", "/feeds/lab/rulebook")["rules"]
    assert result["revision"] == 1
    assert [(rule["rule"]["kind"], rule["rule"]["columns"]) for rule in rules] == [
        ("missing-tokens", ["value"]),
        ("to-number", ["value"]),
    ]
    csvw = analyst("GET", "/feeds/lab/schema?standard=csvw")
    csvw["tableSchema"]["columns"][0]["datatype"] = "string"
    assert analyst("PUT", "/feeds/lab/schema", {"text": str(csvw).replace("'", '"')}, expect=200)[0]["by_hand"]
    assert "no column 'x'" in analyst("PUT", "/feeds/lab/columns", {"columns": [{"name": "x"}]}, expect=422)["detail"]


def test_a_large_file_is_sent_in_pieces_and_goes_on_where_it_ended(analyst: Browser) -> None:
    data = FIRST.encode()
    begun = analyst("POST", "/feeds/lab/uploads", {"name": "a.csv", "size": len(data)}, expect=201)
    path = f"/api/uploads/{begun['key']}"
    assert analyst.client.put(f"{path}?offset=0", data[:40]).json()["received"] == 40
    again = analyst("POST", "/feeds/lab/uploads", {"name": "a.csv", "size": len(data)}, expect=201)
    assert (again["key"], again["received"]) == (begun["key"], 40)
    wrong = analyst.client.put(f"{path}?offset=10", data[10:])
    assert (wrong.status_code, wrong.json()["where"]["received"]) == (409, 40)
    take = {"uploads": [begun["key"]]}
    assert "40 of" in analyst("POST", "/feeds/lab/deliveries/of-uploads", take, expect=422)["detail"]
    analyst.client.put(f"{path}?offset=40", data[40:])
    delivery = analyst("POST", "/feeds/lab/deliveries/of-uploads", take, expect=201)["id"]
    do_work()
    assert analyst("GET", f"/deliveries/{delivery}")["records"] == 3
    assert b"".join(analyst.client.get(f"/api/deliveries/{delivery}/files/"
                                       f"{analyst('GET', f'/deliveries/{delivery}/files')[0]['id']}/bytes")) == data  # fmt: skip


def test_the_drop_folder_takes_what_is_complete(analyst: Browser) -> None:
    folder = folders.drop_folder(Feed.objects.get(slug="lab"))
    (folder / "a.csv.part").write_bytes(b"sample")
    os.symlink("/etc/passwd", folder / "link.csv")
    assert drop_folder.look() == 0
    (folder / "a.csv").write_bytes(FIRST.encode()[:50])
    assert drop_folder.look() == 0
    (folder / "a.csv").write_bytes(FIRST.encode())
    assert drop_folder.look() == 0  # it grew since the last look
    assert drop_folder.look() == 1
    do_work()
    delivery = Delivery.objects.get()
    assert (delivery.arrived, delivery.records) == ("drop folder", 3)
    assert (folder / "taken" / "a.csv").exists()
    assert sorted(path.name for path in folder.iterdir()) == ["a.csv.part", "link.csv", "taken"]
    (folder / "b.csv").write_bytes(FIRST.encode())
    assert [drop_folder.look(), drop_folder.look()] == [0, 0]
    assert (folder / "refused" / "b.csv").exists()
    assert Event.objects.filter(what__contains="same bytes").exists()


class _Site(BaseHTTPRequestHandler):
    def do_GET(self) -> None:
        page = b"<table><tr><th>site<th>region</tr><tr><td>0042<td>&nbsp;Upper</tr></table>"
        self.send_response(200 if self.path == "/sites.html" else 404)
        self.end_headers()
        self.wfile.write(page if self.path == "/sites.html" else b"")

    def log_message(self, format: str, *args: Any) -> None:
        pass


def test_deliveries_are_fetched_from_a_page_on_a_schedule(analyst: Browser) -> None:
    site = HTTPServer(("127.0.0.1", 0), _Site)
    threading.Thread(target=site.serve_forever, daemon=True).start()
    address = f"http://127.0.0.1:{site.server_port}"
    plan = {"kind": "page", "address": f"{address}/sites.html", "minutes": 60}
    try:
        outside = {**plan, "address": "http://example.org/"}
        assert "may be asked" in analyst("PUT", "/feeds/lab/fetch-plan", outside, expect=422)["detail"]
        analyst("PUT", "/feeds/lab/fetch-plan", plan, expect=200)
        fetching.ask_due(timezone.now())
        assert not Delivery.objects.exists()
        fetching.ask_due(timezone.now() + timedelta(minutes=61))
        do_work()
        delivery = Delivery.objects.get()
        assert analyst("GET", f"/deliveries/{delivery.pk}/records")["rows"][0]["cells"] == ["0042", "\u00a0Upper"]
        analyst("POST", "/feeds/lab/fetch", expect=200)
        do_work()
        assert "same bytes" in analyst("GET", "/feeds/lab/ways-in")["plan"]["last_said"]
        analyst("PUT", "/feeds/lab/fetch-plan", {**plan, "address": f"{address}/gone"}, expect=200)
        job = analyst("POST", "/feeds/lab/fetch", expect=200)
        do_work()
        assert "cannot be fetched: Not Found" in analyst("GET", f"/jobs/{job['id']}")["error"]["detail"]
    finally:
        site.shutdown()


@pytest.mark.django_db(transaction=True)
def test_a_query_of_a_database_is_fetched() -> None:
    analyst = Browser("ana")
    analyst("POST", "/feeds", {"name": "Lab"}, expect=201)
    with connection.cursor() as cursor:
        cursor.execute("CREATE TABLE IF NOT EXISTS outside_results (sample text, note text, value numeric)")
        cursor.execute("INSERT INTO outside_results VALUES ('WQ-1', '', 1.50), ('WQ-2', NULL, NULL)")
    where = connection.settings_dict
    address = f"postgresql://{where['USER']}@127.0.0.1:{where['PORT']}/{where['NAME']}"
    plan = {"kind": "database", "address": address, "password": where["PASSWORD"], "query": "outside_results"}
    try:
        assert "password" not in analyst("PUT", "/feeds/lab/fetch-plan", plan, expect=200)
        analyst("POST", "/feeds/lab/fetch", expect=200)
        do_work()
        delivery = Delivery.objects.get()
        assert delivery.files.get().bytes.read() == b'sample,note,value\n"WQ-1","","1.50"\n"WQ-2",,\n'
        harmful = {
            **plan,
            "password": "",
            "query": "WITH x AS (DELETE FROM outside_results RETURNING 1) SELECT * FROM x",
        }
        analyst("PUT", "/feeds/lab/fetch-plan", harmful, expect=200)
        analyst("POST", "/feeds/lab/fetch", expect=200)
        do_work()
        assert "read-only" in FetchPlan.objects.get().last_said
    finally:
        with connection.cursor() as cursor:
            cursor.execute("DROP TABLE outside_results")


def test_a_program_delivers_with_a_token(analyst: Browser, browser: Callable[[str | None], Browser]) -> None:
    result = analyst("POST", "/tokens", {"name": "nightly"}, expect=201)
    program = Client(enforce_csrf_checks=True)
    head = {"HTTP_AUTHORIZATION": f"Bearer {result['text']}"}
    answer = program.post("/api/feeds/lab/deliveries", {"files": BytesIO(FIRST.encode())}, **head)
    assert answer.status_code == 201
    assert "text" not in analyst("GET", "/tokens")[0]
    assert browser("app")("DELETE", f"/tokens/{result['id']}", expect=404)
    analyst("DELETE", f"/tokens/{result['id']}", expect=204)
    assert program.get("/api/feeds", **head).status_code == 401


def test_a_missing_column_that_is_accepted_stays_agreed_and_empty(
    browser: Callable[[str | None], Browser], delivered: int
) -> None:
    analyst = browser("ana")
    analyst("POST", f"/deliveries/{delivered}/runs", expect=201)
    do_work()
    before = [(item["name"], item["type"]) for item in Feed.objects.get(slug="samples").design]
    second = analyst.upload("samples", later=b"id|site\n7|A\n8|B\n")["id"]
    do_work()
    changes = analyst("GET", f"/deliveries/{second}/design", expect=200)["changes"]
    assert [(change["kind"], change["name"], change["choices"]) for change in changes] == [
        ("missing", "ph", ["accept it"])
    ]
    settle = {"choices": [{"change": changes[0]["id"], "choice": "accept it"}]}
    analyst("POST", f"/deliveries/{second}/design", settle, expect=200)
    do_work()
    run = analyst("POST", f"/deliveries/{second}/runs", expect=201)
    do_work()
    assert analyst("GET", f"/jobs/{run['job']['id']}")["state"] == "done", analyst("GET", f"/jobs/{run['job']['id']}")
    agreed = Feed.objects.get(slug="samples").design
    assert [(item["name"], item["type"]) for item in agreed] == before
    page = analyst("GET", f"/deliveries/{second}/records", expect=200)
    assert [column["name"] for column in page["columns"]] == ["id", "site", "ph"]
    assert [row["cells"] for row in page["rows"]] == [["7", "A", None], ["8", "B", None]]
    third = analyst.upload("samples", again=b"id|site|ph\n9|C|7.1\n")["id"]
    do_work()
    assert analyst("GET", f"/deliveries/{third}/design")["changes"] == []
    page = analyst("GET", f"/deliveries/{third}/records", expect=200)
    assert [row["cells"] for row in page["rows"]] == [["9", "C", "7.1"]]


def test_two_pieces_at_the_same_place_are_never_both_kept(analyst: Browser, monkeypatch: pytest.MonkeyPatch) -> None:
    key = analyst("POST", "/feeds/lab/uploads", {"name": "x.csv", "size": 40}, expect=201)["key"]
    upload = Upload.objects.get(key=key)
    for _ in range(4):
        offset, kept = upload.received, []
        begin = threading.Barrier(4)

        def send(letter: bytes, at: int = offset, into: list[bytes] = kept, gate: threading.Barrier = begin) -> None:
            gate.wait()
            with suppress(Conflict):
                uploads.add(upload, at, letter * 10)
                into.append(letter)

        senders = [threading.Thread(target=send, args=(letter,)) for letter in (b"a", b"b", b"c", b"d")]
        for sender in senders:
            sender.start()
        for each_sender in senders:
            each_sender.join()
        assert len(kept) == 1
        assert upload.path.read_bytes()[offset:] == kept[0] * 10
    assert upload.received == 40
