"""A running application to measure, and a client of its API as a browser is one."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
import urllib.error
import urllib.request
import uuid
from collections.abc import Iterator
from contextlib import contextmanager
from http.client import HTTPException
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent


class Refused(Exception):
    """An answer that is not a success: its status and body."""

    def __init__(self, status: int, body: str) -> None:
        super().__init__(f"{status}: {body[:400]}")
        self.status = status


class Client:
    """Signed in as one person. Raises Refused for answers of 400 and above, OSError when nobody answers."""

    def __init__(self, address: str, username: str) -> None:
        self.address = address.rstrip("/")
        self._cookies = CookieJar()
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self._cookies))
        self._opener.open(f"{self.address}/", timeout=60).close()  # which gives the token against forged requests
        self("POST", "/session", {"username": username, "password": f"merrow-{username}"})

    def __call__(self, method: str, path: str, body: Any = None, ok: tuple[int, ...] = ()) -> Any:
        sent = None if body is None else json.dumps(body).encode()
        return self._sent(method, path, sent, "application/json", ok)

    def get(self, path: str, ok: tuple[int, ...] = ()) -> Any:
        return self("GET", path, ok=ok)

    def upload(self, slug: str, name: str, data: bytes) -> Any:
        """Deliver one file."""
        mark = uuid.uuid4().hex
        head = f'--{mark}\r\nContent-Disposition: form-data; name="files"; filename="{name}"\r\nContent-Type: text/plain\r\n\r\n'
        form = head.encode() + data + f"\r\n--{mark}--\r\n".encode()
        return self._sent("POST", f"/feeds/{slug}/deliveries", form, f"multipart/form-data; boundary={mark}", ())

    def _sent(self, method: str, path: str, data: bytes | None, kind: str, ok: tuple[int, ...]) -> Any:
        request = urllib.request.Request(f"{self.address}/api{path}", data, method=method)
        request.add_header("Content-Type", kind)
        for cookie in self._cookies:
            if cookie.name.startswith("csrf") or cookie.name.endswith("csrftoken"):
                request.add_header("X-CSRFToken", str(cookie.value))
        try:
            with self._opener.open(request, timeout=120) as answer:
                result = answer.read()
                return json.loads(result) if "json" in answer.headers.get("Content-Type", "") and result else result
        except urllib.error.HTTPError as error:
            body = error.read().decode(errors="replace")
            if error.code in ok:
                return body
            raise Refused(error.code, body) from error
        except HTTPException as error:
            raise OSError(str(error)) from error


@contextmanager
def started(var: Path) -> Iterator[str]:
    """`./pravin start --no-demo` on data of its own, with the demo's people; gives the address."""
    environment = {**os.environ, "PRAVIN_VAR": str(var)}
    log = (var / "start.log").open("w+")
    command = [str(ROOT / "pravin"), "start", "--no-demo", "--port", "8790"]
    process = subprocess.Popen(command, env=environment, stdout=log, stderr=subprocess.STDOUT, start_new_session=True)
    try:
        deadline = time.monotonic() + 300
        while "Ctrl-C stops it" not in (text := (var / "start.log").read_text()):
            if time.monotonic() > deadline or process.poll() is not None:
                sys.exit(f"the application did not start:\n{text}")
            time.sleep(0.5)
        subprocess.run([str(ROOT / "pravin"), "people", "demo"], env=environment, check=True)
        yield text.split("Pravin is ready: ")[1].split()[0]
    finally:
        os.kill(process.pid, signal.SIGTERM)
        process.wait(timeout=60)
