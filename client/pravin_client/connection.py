"""Requests to the server: with the token, repeated while the server is away, with errors as the server says them."""

from __future__ import annotations

import os
import time
import uuid
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import httpx

from pravin_client.errors import Refused, Unreachable

AWAY = {502, 503, 504}  # a server that starts, or has too much to do just now
READING = {"GET", "HEAD"}
PATIENCE = float(os.environ.get("PRAVIN_PATIENCE", "60"))  # seconds to go on trying while the server is away
FIRST_PAUSE, LONGEST_PAUSE = 0.25, 8.0  # seconds between two tries; each pause is twice the one before


class Connection:
    """A connection to the server at `address`, for the owner of `token`.

    Every request that changes something carries a key of its own, so that it is carried out once however often it is sent.
    """

    def __init__(
        self,
        address: str,
        token: str = "",
        patience: float = PATIENCE,
        transport: httpx.BaseTransport | None = None,
        pause: Callable[[float], None] = time.sleep,
    ) -> None:
        self.address = address.rstrip("/")
        self.patience = patience
        self._pause = pause
        headers = {"Authorization": f"Bearer {token}"} if token else {}
        self._http = httpx.Client(
            base_url=self.address, headers=headers, timeout=httpx.Timeout(30, read=300), transport=transport
        )

    def close(self) -> None:
        """Let go of the connection."""
        self._http.close()

    def ask(
        self,
        method: str,
        path: str,
        query: Mapping[str, Any] | None = None,
        body: Any = None,
        content: bytes | None = None,
        file: Path | None = None,
        key: str = "",
    ) -> Any:
        """The answer to a request: data of JSON, or text. `content` is sent as it is, `file` as one of a form.

        Raises Refused when the server does not want to, Unreachable when it does not answer.
        """
        headers = {} if method in READING else self._of_change(key)

        def _send() -> httpx.Response:
            files = {"file": (file.name, file.open("rb"))} if file else None
            try:
                return self._http.request(
                    method, path, params=_given(query), json=body, content=content, files=files, headers=headers
                )
            finally:
                if files:
                    files["file"][1].close()

        answer = self._patiently(_send)
        if not answer.content:
            return None
        return answer.json() if "json" in answer.headers.get("Content-Type", "") else answer.text

    def _of_change(self, key: str) -> dict[str, str]:
        """The headers of a request that changes something; with a session also what tells it from a forged one."""
        forged = self._http.cookies.get("csrftoken")
        against = {"X-CSRFToken": forged, "Referer": f"{self.address}/"} if forged else {}
        return {"Idempotency-Key": key or str(uuid.uuid4()), **against}

    def fetch(self, path: str, target: Path, query: Mapping[str, Any] | None = None) -> None:
        """Write what the server sends into a file, which is there only when it is complete; goes on after a break."""
        part = target.with_name(f"{target.name}.part")
        part.unlink(missing_ok=True)
        tag = ""

        def _send() -> httpx.Response:
            nonlocal tag
            here = part.stat().st_size if tag and part.exists() else 0
            headers = {"Range": f"bytes={here}-", "If-Range": tag} if here else {}
            with self._http.stream("GET", path, params=_given(query), headers=headers) as answer:
                if answer.status_code >= 400:
                    answer.read()
                    return answer
                tag = answer.headers.get("ETag", "")
                with part.open("ab" if answer.status_code == httpx.codes.PARTIAL_CONTENT else "wb") as out:
                    for piece in answer.iter_bytes():
                        out.write(piece)
            return answer

        try:
            self._patiently(_send)
        except BaseException:
            part.unlink(missing_ok=True)
            raise
        part.replace(target)

    def _patiently(self, send: Callable[[], httpx.Response]) -> httpx.Response:
        """Send until the server answers. Raises Refused, Unreachable."""
        ends = time.monotonic() + self.patience
        pause = FIRST_PAUSE
        while isinstance(answer := self._try(send), str):
            if time.monotonic() + pause > ends:
                raise Unreachable(f"The server at {self.address} {answer}. Is the address right, and does it run?")
            self._pause(pause)
            pause = min(2 * pause, LONGEST_PAUSE)
        if answer.status_code >= 400:
            raise Refused(answer.status_code, _problem(answer))
        return answer

    @staticmethod
    def _try(send: Callable[[], httpx.Response]) -> httpx.Response | str:
        """The answer, or why there is none yet."""
        try:
            answer = send()
        except httpx.TransportError as error:
            return f"does not answer ({str(error) or type(error).__name__})"
        return f"answers with status {answer.status_code}" if answer.status_code in AWAY else answer


def _given(query: Mapping[str, Any] | None) -> dict[str, Any]:
    return {name: value for name, value in (query or {}).items() if value is not None}


def _problem(answer: httpx.Response) -> dict[str, Any]:
    try:
        problem = answer.json()
    except ValueError:
        return {}
    return problem if isinstance(problem, dict) else {}
