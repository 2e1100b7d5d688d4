"""What the client asks the server for, told by a server of its own that remembers as the real one does."""

from __future__ import annotations

import hashlib
import json
import zipfile
from pathlib import Path
from typing import Any
from urllib.parse import parse_qs

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from pravin_client import Client, Refused, WorkFailed, cli, uploads
from pravin_client.client import verified
from pravin_client.connection import Connection
from pravin_client.errors import Unreachable, WrongUse
from pravin_client.operations import operation_named, operations_of

DESCRIPTION: dict[str, Any] = {
    "paths": {
        "/api/feeds/{slug}/rows": {
            "parameters": [{"name": "slug", "in": "path"}],
            "get": {
                "operationId": "feeds.rows",
                "description": "The rows.\nIn pages.",
                "parameters": [{"name": "limit", "in": "query"}],
            },
            "post": {"operationId": "feeds.add_row", "summary": "Add Row", "requestBody": {}},
        }
    }
}


class Server:
    """Answers by method and path; pieces of uploads are kept as the real server keeps them."""

    def __init__(self, **answers: Any) -> None:
        self.answers = answers
        self.asked: list[tuple[str, str, Any, str]] = []
        self.bytes = b""
        self.lost_answers = 0

    def __call__(self, request: httpx.Request) -> httpx.Response:
        path, key = request.url.path, request.headers.get("Idempotency-Key", "")
        if request.method == "PUT" and path.startswith("/api/uploads/"):
            return self._piece(int(parse_qs(request.url.query.decode())["offset"][0]), request.content)
        body = json.loads(request.content) if request.content else None
        self.asked.append((request.method, path, body, key))
        answer = self.answers[f"{request.method} {path}"]
        if callable(answer):
            answer = answer(request)
        return answer if isinstance(answer, httpx.Response) else httpx.Response(200, json=answer)

    def _piece(self, offset: int, piece: bytes) -> httpx.Response:
        if offset != len(self.bytes):
            where = {"received": len(self.bytes)}
            return httpx.Response(409, json={"detail": "go on from there", "where": where})
        self.bytes += piece
        if self.lost_answers:
            self.lost_answers -= 1
            raise httpx.ReadError("the answer is lost")
        return httpx.Response(200, json={"received": len(self.bytes)})

    def client(self) -> Client:
        return Client("", connection=Connection("http://pravin", "t", 60, httpx.MockTransport(self), lambda _: None))


def of_uploads(received: int = 0, taken: Any = None) -> Server:
    return Server(**{
        "POST /api/feeds/tanks/uploads": {"key": "k1", "received": received},
        "POST /api/feeds/tanks/deliveries/of-uploads": taken or {"id": 5, "job": {}},
        "DELETE /api/uploads/k1": {},
    })  # fmt: skip


@given(content=st.binary(max_size=400), piece=st.integers(1, 60), begun=st.integers(0, 400), lost=st.integers(0, 3))
def test_files_arrive_byte_for_byte_wherever_they_broke_before(
    tmp_path_factory: pytest.TempPathFactory, content: bytes, piece: int, begun: int, lost: int
) -> None:
    path = tmp_path_factory.mktemp("sent") / "tanks.csv"
    path.write_bytes(content)
    begun = min(begun, len(content))
    server = of_uploads(begun)
    server.bytes, server.lost_answers = content[:begun], lost
    seen: list[int] = []
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(uploads, "PIECE", piece)
        assert server.client().deliver("tanks", [path], progress=lambda _, here, size: seen.append(here)) == 5
    assert server.bytes == content
    assert seen == sorted(seen)
    assert seen[-1] == len(content)
    said = server.asked[0][2]
    assert said == {"name": "tanks.csv", "size": len(content), "sha256": hashlib.sha256(content).hexdigest()}


def test_what_was_delivered_before_is_that_delivery_and_the_upload_is_given_up(tmp_path: Path) -> None:
    (tmp_path / "tanks.csv").write_text("a\n")
    before = {"title": "Delivered before", "where": {"delivery": 3, "repeated": True}}
    server = of_uploads(taken=httpx.Response(409, json=before))
    assert server.client().deliver("tanks", [tmp_path / "tanks.csv"]) == 3
    assert server.asked[-1][:2] == ("DELETE", "/api/uploads/k1")


def test_another_conflict_stays_one(tmp_path: Path) -> None:
    (tmp_path / "tanks.csv").write_text("a\n")
    server = of_uploads(taken=httpx.Response(409, json={"detail": "design changes wait", "where": {}}))
    with pytest.raises(Refused, match="design changes wait"):
        server.client().deliver("tanks", [tmp_path / "tanks.csv"])


def test_a_file_that_is_not_there_is_said_before_anything_is_sent(tmp_path: Path) -> None:
    server = of_uploads()
    with pytest.raises(WrongUse, match=r"no file .*gone\.csv"):
        server.client().deliver("tanks", [tmp_path / "gone.csv"])
    assert server.asked == []


def waiting(*states: Any) -> Server:
    left = list(states)
    return Server(
        **{"GET /api/deliveries/4": lambda _: httpx.Response(200, json=left.pop(0) if len(left) > 1 else left[0])}
    )


def job(state: str, error: Any = None) -> dict[str, Any]:
    return {"kind": "read", "state": state, "step": "counting", "error": error}


def test_waiting_ends_when_the_work_does() -> None:
    done = {"job": None, "last_job": job("done"), "records": 4}
    assert waiting({"job": job("working")}, done).client().wait(4)["records"] == 4


@pytest.mark.parametrize(
    ("last", "said"),
    [(job("failed", {"detail": "no delimiter"}), "no delimiter"), (job("cancelled"), "it was cancelled")],
)
def test_work_that_failed_is_an_error_with_its_reason(last: Any, said: str) -> None:
    with pytest.raises(WorkFailed, match=said):
        waiting({"job": None, "last_job": last}).client().wait(4)


def test_waiting_gives_up_after_some_time_and_says_what_goes_on() -> None:
    with pytest.raises(WorkFailed, match="not done after 0 seconds: counting"):
        waiting({"job": job("working")}).client().wait(4, seconds=0)


def test_the_same_decisions_again_carry_the_same_keys_and_others_do_not() -> None:
    def _keys(*decisions: Any) -> list[str]:
        server = Server(**{
            "POST /api/deliveries/4/decisions": {}, "POST /api/deliveries/4/decisions/apply": {},
            "GET /api/deliveries/4": {"job": None, "last_job": None},
        })  # fmt: skip
        server.client().decide(4, decisions)
        assert all(body["apply"] is False for method, path, body, _ in server.asked if path.endswith("/decisions"))
        return [key for method, _, _, key in server.asked if method == "POST"]

    first, second = {"kind": "discard", "records": [1]}, {"kind": "discard", "records": [2]}
    assert _keys(first, second) == _keys(first, second)
    assert len(set(_keys(first, first))) == 3  # two equal decisions of one list are two
    assert not set(_keys(first)) & set(_keys(second))


def test_all_pages_of_the_quarantine_are_read() -> None:
    held = [{"record": number} for number in range(1203)]

    def _page(request: httpx.Request) -> httpx.Response:
        offset, limit = (int(request.url.params[name]) for name in ("offset", "limit"))
        return httpx.Response(200, json={"rows": held[offset : offset + limit], "total": len(held)})

    client = Server(**{"GET /api/deliveries/4/quarantine/records": _page}).client()
    assert list(client.quarantine(4)) == held


def test_operations_are_called_by_name_with_their_parameters_in_their_places() -> None:
    operations = operations_of(DESCRIPTION)
    rows, add = operations["feeds.rows"], operations["feeds.add_row"]
    assert rows.place({"slug": "a b/c", "limit": 3}) == ("/api/feeds/a%20b%2Fc/rows", {"limit": 3})
    assert (rows.says, rows.takes_body, add.takes_body, add.method) == ("The rows.", False, True, "POST")
    with pytest.raises(WrongUse, match=r"feeds\.rows needs slug"):
        rows.place({"limit": 3})
    with pytest.raises(WrongUse, match="no parameter page; it has limit, slug"):
        rows.place({"slug": "x", "page": 1})
    with pytest.raises(WrongUse, match=r"Do you mean feeds\.rows"):
        operation_named(operations, "feeds.row")


def test_a_body_goes_only_where_one_is_taken() -> None:
    server = Server(**{"GET /api/openapi.json": DESCRIPTION, "POST /api/feeds/x/rows": {"ok": True}})
    client = server.client()
    assert client.call("feeds.add_row", {"a": 1}, key="once", slug="x") == {"ok": True}
    assert server.asked[-1] == ("POST", "/api/feeds/x/rows", {"a": 1}, "once")
    with pytest.raises(WrongUse, match="takes no body"):
        client.call("feeds.rows", {"a": 1}, slug="x")


def test_a_package_is_verified_file_by_file(tmp_path: Path) -> None:
    def _sum(text: str) -> str:
        return hashlib.sha256(text.encode()).hexdigest()

    path = tmp_path / "package.zip"
    with zipfile.ZipFile(path, "w") as package:
        package.writestr("data.csv", "a\n1\n")
        package.writestr("notes of it.html", "changed later")
        sums = {"data.csv": _sum("a\n1\n"), "notes of it.html": _sum("as it was"), "gone.sql": _sum("")}
        package.writestr("SHA256SUMS", "".join(f"{digest}  {name}\n" for name, digest in sums.items()))
    assert verified(path) == {"data.csv": True, "notes of it.html": False, "gone.sql": False}


def test_a_release_goes_out_in_forms_that_are_known(tmp_path: Path) -> None:
    with pytest.raises(WrongUse, match="does not go out as pdf"):
        Server().client().download(1, tmp_path / "x", "pdf")


@pytest.mark.parametrize(
    ("error", "code"),
    [
        (Unreachable("x"), 3), (Refused(401, {}), 3), (Refused(403, {}), 3), (Refused(409, {}), 1), (Refused(422, {}), 2),
        (Refused(404, {}), 2), (WorkFailed("x"), 1), (WrongUse("x"), 2),
    ],
)  # fmt: skip
def test_a_scheduler_is_told_by_the_exit_code_what_to_do(
    error: Exception, code: int, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    def _fails(_: Client) -> None:
        raise error

    monkeypatch.setattr(Client, "feeds", _fails)
    assert cli.main(["--address", "http://pravin", "feeds"]) == code
    assert capsys.readouterr().out == ""


def test_a_checksum_that_differs_is_an_answer_and_an_exit_code(
    monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    for sums, code in (({"a": True}, 0), ({"a": True, "b": False}, 1)):
        monkeypatch.setattr(Client, "verify", lambda self, release, sums=sums: sums)
        assert cli.main(["verify", "1"]) == code
        assert json.loads(capsys.readouterr().out) == sums
