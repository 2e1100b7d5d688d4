"""Requests are repeated while the server is away, carried out once, and files come whole."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import httpx
import pytest

from pravin_client.connection import Connection
from pravin_client.errors import Refused, Unreachable

Answer = Callable[[httpx.Request], httpx.Response]


class Server:
    """Answers requests one after the other as said, and notes them; an exception is a connection that breaks."""

    def __init__(self, *answers: httpx.Response | Exception | Answer) -> None:
        self.answers = list(answers)
        self.requests: list[httpx.Request] = []
        self.pauses: list[float] = []

    def __call__(self, request: httpx.Request) -> httpx.Response:
        self.requests.append(request)
        answer = self.answers.pop(0)
        if isinstance(answer, Exception):
            raise answer
        return answer(request) if callable(answer) else answer

    def connection(self, token: str = "t", patience: float = 60) -> Connection:
        return Connection("http://pravin", token, patience, httpx.MockTransport(self), self.pauses.append)


def test_a_request_is_sent_again_while_the_server_is_away_with_the_same_key() -> None:
    server = Server(httpx.ConnectError("refused"), httpx.Response(503), httpx.Response(200, json={"id": 7}))

    assert server.connection().ask("POST", "/api/feeds", body={"name": "Tanks"}) == {"id": 7}

    keys = {request.headers["Idempotency-Key"] for request in server.requests}
    assert (len(server.requests), len(keys)) == (3, 1)
    assert [request.content for request in server.requests] == [b'{"name":"Tanks"}'] * 3
    assert server.pauses == [0.25, 0.5]
    assert server.requests[0].headers["Authorization"] == "Bearer t"


def test_two_requests_have_two_keys_unless_the_caller_says_so_and_reading_has_none() -> None:
    server = Server(*(httpx.Response(204) for _ in range(4)))
    connection = server.connection()
    for key in ("", "", "mine"):
        assert connection.ask("POST", "/x", key=key) is None
    connection.ask("GET", "/x")
    first, second, third, reading = [request.headers.get("Idempotency-Key") for request in server.requests]
    assert first != second
    assert (third, reading) == ("mine", None)


def test_nobody_waits_longer_than_wanted() -> None:
    server = Server(*(httpx.Response(502) for _ in range(9)))
    with pytest.raises(Unreachable, match="http://pravin answers with status 502"):
        server.connection(patience=0).ask("GET", "/x")
    assert len(server.requests) == 1


@pytest.mark.parametrize(
    ("answer", "text"),
    [
        (httpx.Response(422, json={"title": "Not valid", "detail": "“Name” is missing."}), "“Name” is missing."),
        (
            httpx.Response(422, json={"detail": "Column ph.", "advice": "Convert it first."}),
            "Column ph. Convert it first.",
        ),
        (httpx.Response(409, json={"title": "Somebody was faster"}), "Somebody was faster"),
        (httpx.Response(418, text="tea"), "the server answered with status 418"),
        (httpx.Response(400, json=["odd"]), "the server answered with status 400"),
    ],
)
def test_what_is_refused_is_said_in_the_words_of_the_server_and_not_sent_again(
    answer: httpx.Response, text: str
) -> None:
    server = Server(answer)
    with pytest.raises(Refused) as refused:
        server.connection().ask("POST", "/x")
    assert (str(refused.value), refused.value.status) == (text, answer.status_code)
    assert len(server.requests) == 1


def test_an_upload_of_a_form_is_whole_when_it_is_sent_again(tmp_path: Path) -> None:
    file = tmp_path / "answer.csv"
    file.write_bytes(b"id\n1\n")
    server = Server(httpx.ReadError("gone"), httpx.Response(200, json={}))
    server.connection().ask("POST", "/x", file=file)
    assert all(b"id\n1\n" in request.content for request in server.requests)


class Breaking(httpx.SyncByteStream):
    """Sends a beginning, then the connection is gone."""

    def __init__(self, *pieces: bytes) -> None:
        self.pieces = pieces

    def __iter__(self) -> Iterator[bytes]:
        yield from self.pieces
        raise httpx.ReadError("gone")


def test_a_download_goes_on_where_it_broke_and_is_there_only_when_it_is_whole(tmp_path: Path) -> None:
    def _rest(request: httpx.Request) -> httpx.Response:
        assert not target.exists()
        assert (request.headers["Range"], request.headers["If-Range"]) == ("bytes=6-", '"a"')
        return httpx.Response(206, content=b"fghi", headers={"ETag": '"a"'})

    server = Server(httpx.Response(200, stream=Breaking(b"abc", b"def"), headers={"ETag": '"a"'}), _rest)
    target = tmp_path / "out.csv"
    server.connection().fetch("/x", target, {"form": "csv", "columns": None})
    assert target.read_bytes() == b"abcdeffghi"
    assert str(server.requests[0].url).endswith("/x?form=csv")
    assert [path.name for path in tmp_path.iterdir()] == ["out.csv"]


def test_a_download_that_changed_meanwhile_begins_anew(tmp_path: Path) -> None:
    broken = httpx.Response(200, stream=Breaking(b"old"), headers={"ETag": '"a"'})
    server = Server(broken, httpx.Response(200, content=b"new", headers={"ETag": '"b"'}))
    server.connection().fetch("/x", tmp_path / "out", {})
    assert (tmp_path / "out").read_bytes() == b"new"


def test_a_download_without_a_tag_begins_anew(tmp_path: Path) -> None:
    server = Server(httpx.Response(200, stream=Breaking(b"half")), httpx.Response(200, content=b"whole"))
    server.connection().fetch("/x", tmp_path / "out")
    assert "Range" not in server.requests[1].headers
    assert (tmp_path / "out").read_bytes() == b"whole"


def test_a_refused_download_leaves_nothing_and_keeps_what_was_there(tmp_path: Path) -> None:
    target = tmp_path / "out"
    target.write_text("of yesterday")
    server = Server(httpx.Response(404, json={"detail": "There is no release 9."}))
    with pytest.raises(Refused, match="no release 9"):
        server.connection().fetch("/x", target)
    assert [path.name for path in tmp_path.iterdir()] == ["out"]
    assert target.read_text() == "of yesterday"
