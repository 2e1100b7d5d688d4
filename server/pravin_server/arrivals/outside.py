"""The outside that may be asked: addresses taken apart once, checked, resolved once, and connected to as checked."""

from __future__ import annotations

import http.client
import re
import socket
import ssl
import time
import urllib.parse
from dataclasses import dataclass
from pathlib import PurePosixPath
from typing import IO, Any
from urllib.parse import unquote, urlsplit

from django.conf import settings
from psycopg import conninfo

from pravin_server.common.errors import Invalid, ServerError

PATIENCE = 30  # seconds without an answer
REDIRECTS = 5
_CHUNK = 2**20
_DATABASE_PARTS = ("host", "port", "user", "dbname", "sslmode", "application_name")


class CannotFetch(ServerError):
    """The outside did not answer as it should."""

    status, title = 422, "Nothing could be fetched"


@dataclass(frozen=True)
class Page:
    """The address of a page, taken apart."""

    scheme: str
    host: str
    port: int
    target: str  # path and query
    address: str


@dataclass(frozen=True)
class DatabasePlace:
    """Where a database is, and who asks; the only parts of a connection text that are used."""

    host: str
    port: int
    user: str
    dbname: str
    sslmode: str


def page_at(address: str) -> Page:
    """The address of a page. Raises Invalid when it may not be asked."""
    if re.search(r"[\s\\\x00-\x1f\x7f]", address):
        raise Invalid("The address holds a space, a backslash or a control character.", field="address")
    try:
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        raise Invalid("The address cannot be read.", field="address") from None
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise Invalid("Write the address with http:// or https:// and a host.", field="address")
    if parts.username is not None or parts.password is not None:
        raise Invalid("Leave names and passwords out of the address.", field="address")
    host = _allowed(parts.hostname)
    target = (parts.path or "/") + (f"?{parts.query}" if parts.query else "")
    return Page(parts.scheme, host, port or (443 if parts.scheme == "https" else 80), target, address)


def database_at(address: str) -> DatabasePlace:
    """The place of a database, read by the database's own parser. Raises Invalid when it may not be asked."""
    if not re.match(r"postgres(ql)?://", address):
        raise Invalid("Write the address with postgresql:// and a host.", field="address")
    try:
        parts: dict[str, Any] = conninfo.conninfo_to_dict(address)
    except Exception:  # whatever the parser does not understand
        raise Invalid("The address of the database cannot be read.", field="address") from None
    if "password" in parts:
        raise Invalid("Leave the password out of the address; there is a field for it.", field="address")
    if other := sorted(set(parts) - set(_DATABASE_PARTS)):
        raise Invalid(f"“{other[0]}” cannot stand in the address.", field="address")
    host = str(parts.get("host") or "")
    if not host or "," in host or host.startswith(("/", "@")):
        raise Invalid("The address names one host, no list of hosts and no socket.", field="address")
    port = str(parts.get("port") or "5432")
    if not re.fullmatch(r"\d{1,5}", port) or not 0 < int(port) < 65536:
        raise Invalid("The address names one port.", field="address")
    if parts.get("sslmode", "prefer") not in ("disable", "allow", "prefer", "require", "verify-ca", "verify-full"):
        raise Invalid("sslmode is not one that there is.", field="address")
    return DatabasePlace(
        _allowed(host), int(port), str(parts.get("user") or ""), str(parts.get("dbname") or ""), str(parts.get("sslmode") or "prefer"),
    )  # fmt: skip


def _allowed(host: str) -> str:
    """Only hosts that the settings name are asked, so that a plan cannot reach into the network."""
    plain = host.rstrip(".").lower()
    if plain not in settings.FETCH_HOSTS:
        raise Invalid(
            f"{host[:100]} is not among the hosts that may be asked ({', '.join(settings.FETCH_HOSTS)}).",
            field="address",
        )
    return plain


def resolved(host: str, port: int) -> str:
    """The address of a host, looked up once: what is connected to is what was looked up. Raises CannotFetch."""
    try:
        addresses = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except OSError as error:
        raise CannotFetch(f"The host {host} is not known.") from error
    return str(addresses[0][4][0])


class Deadline:
    """How long all of a fetch may take, and how much it may bring."""

    def __init__(self) -> None:
        self._until = time.monotonic() + settings.FETCH_SECONDS

    @property
    def left(self) -> float:
        """Seconds that are left. Raises CannotFetch when there are none."""
        left = self._until - time.monotonic()
        if left <= 0:
            raise CannotFetch(f"It took longer than {settings.FETCH_SECONDS:,} seconds, and was stopped.")
        return left

    def look(self, received: int) -> None:
        """Raises CannotFetch when the time is over or too much was received."""
        _ = self.left
        if received > settings.UPLOAD_LIMIT:
            raise CannotFetch(f"It brings more than {settings.UPLOAD_LIMIT:,} bytes, and was stopped.")


def fetch_page(address: str, out: IO[bytes]) -> str:
    """Write what a page holds to `out`; returns the name of the file. Raises CannotFetch or Invalid."""
    deadline, page = Deadline(), page_at(address)
    for _ in range(REDIRECTS + 1):
        try:
            with _asked(page, deadline) as answer:
                if answer.status in (301, 302, 303, 307, 308):
                    page = page_at(urllib.parse.urljoin(page.address, answer.headers.get("Location", "")))
                    continue
                if answer.status != 200:
                    raise CannotFetch(f"{address} cannot be fetched: {answer.reason or answer.status}.")
                while piece := answer.read1(_CHUNK):
                    deadline.look(out.tell() + len(piece))
                    out.write(piece)
        except (OSError, http.client.HTTPException, ssl.SSLError) as error:
            raise CannotFetch(f"{address} cannot be fetched: {_why(error)}.") from error
        return PurePosixPath(unquote(page.target.partition("?")[0])).name or "page.html"
    raise CannotFetch(f"{address} leads on to other addresses more than {REDIRECTS} times.")


def _why(error: Exception) -> str:
    if isinstance(error, TimeoutError):
        return f"it did not answer for {PATIENCE} seconds"
    if isinstance(error, ConnectionRefusedError):
        return "nothing answers there"
    return "the certificate is not valid" if isinstance(error, ssl.SSLError) else "the connection broke off"


def _asked(page: Page, deadline: Deadline) -> http.client.HTTPResponse:
    """The answer of a page, from the address that its host was resolved to."""
    pinned = resolved(page.host, page.port)
    connection: http.client.HTTPConnection = http.client.HTTPConnection(
        page.host, page.port, timeout=min(PATIENCE, deadline.left)
    )
    sock = socket.create_connection((pinned, page.port), timeout=min(PATIENCE, deadline.left))
    if page.scheme == "https":
        sock = ssl.create_default_context().wrap_socket(sock, server_hostname=page.host)
    connection.sock = sock
    connection.request("GET", page.target, headers={"User-Agent": "Pravin", "Accept-Encoding": "identity"})
    return connection.getresponse()
