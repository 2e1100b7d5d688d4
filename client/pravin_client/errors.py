"""What can go wrong between a program and the server."""

from __future__ import annotations

from typing import Any


class ClientError(Exception):
    """Root of the client's errors; its text says what happened and what to do."""


class Unreachable(ClientError):
    """The server does not answer, also after waiting."""


class WrongUse(ClientError):
    """What was asked for cannot be asked: no such operation, a parameter too many or missing, a file that is not there."""


class WorkFailed(ClientError):
    """Work in the background failed or was cancelled, or took longer than one wanted to wait."""


class Refused(ClientError):
    """The server refused a request. `status` is that of HTTP, `problem` the problem details (RFC 9457)."""

    def __init__(self, status: int, problem: dict[str, Any]) -> None:
        self.status, self.problem = status, problem
        detail = str(problem.get("detail") or problem.get("title") or f"the server answered with status {status}")
        super().__init__(" ".join(part for part in (detail, str(problem.get("advice") or "")) if part))

    @property
    def where(self) -> dict[str, Any]:
        """What the problem is about."""
        where = self.problem.get("where")
        return where if isinstance(where, dict) else {}
