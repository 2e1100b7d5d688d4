"""Files to the server in pieces; what was sent before a break is not sent again."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path

from pravin_client.connection import Connection
from pravin_client.errors import Refused, WrongUse

PIECE = 8 * 2**20  # bytes of one request
CONFLICT = 409

Progress = Callable[[str, int, int], None]  # name of the file, bytes that are there, bytes of the file


def send_file(connection: Connection, feed: str, path: Path, progress: Progress) -> str:
    """Send a file for a feed; returns the key of the upload. One that was begun before goes on where it ended."""
    if not path.is_file():
        raise WrongUse(f"There is no file {path}.")
    size = path.stat().st_size
    with path.open("rb") as file:
        digest = hashlib.file_digest(file, "sha256").hexdigest()
    about = {"name": path.name, "size": size, "sha256": digest}
    begun = connection.ask("POST", f"/api/feeds/{feed}/uploads", body=about)
    key, here = str(begun["key"]), int(begun["received"])
    with path.open("rb") as file:
        while here < size:
            progress(path.name, here, size)
            file.seek(here)
            here = _add(connection, key, here, file.read(PIECE))
    progress(path.name, size, size)
    return key


def _add(connection: Connection, key: str, offset: int, piece: bytes) -> int:
    """Add a piece; returns how many bytes are there. A piece whose answer was lost is there already, and the server says so."""
    try:
        said = connection.ask("PUT", f"/api/uploads/{key}", query={"offset": offset}, content=piece)
    except Refused as refused:
        there = refused.where.get("received")
        if refused.status != CONFLICT or not isinstance(there, int):
            raise
        return there
    return int(said["received"])
