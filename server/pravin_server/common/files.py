"""Files as answers: whole, or from where a broken download stopped (range requests, RFC 9110, section 14)."""

from __future__ import annotations

import hashlib
import os
import re
from collections.abc import Iterator
from pathlib import Path
from typing import IO

from django.http import FileResponse, HttpRequest, HttpResponseBase, StreamingHttpResponse
from django.utils.http import content_disposition_header

from pravin_server.common.errors import Unsatisfiable

_PIECE = 2**20


def file_response(request: HttpRequest, place: Path, name: str) -> HttpResponseBase:
    """A file to keep under a name. One range is answered with that part, if the file is still the one that was begun (If-Range).

    Raises Unsatisfiable when the range lies behind the end.
    """
    file = place.open("rb")
    mark = (
        f'"{hashlib.file_digest(file, "sha256").hexdigest()}"'  # what is made again may differ, so its content decides
    )
    size = file.seek(0, os.SEEK_END)
    file.seek(0)
    part = _part(request, size, mark)
    response: HttpResponseBase
    if part is None:
        response = FileResponse(file, as_attachment=True, filename=name)
    else:
        start, end = part
        response = StreamingHttpResponse(_pieces(file, start, end), status=206, content_type="application/octet-stream")
        response["Content-Range"] = f"bytes {start}-{end - 1}/{size}"
        response["Content-Length"] = str(end - start)
        response["Content-Disposition"] = content_disposition_header(True, name) or ""
    response["Accept-Ranges"], response["ETag"] = "bytes", mark
    return response


def _part(request: HttpRequest, size: int, mark: str) -> tuple[int, int] | None:
    """The bytes that are asked for, from and up to; None for all. Several ranges at once are answered with the whole."""
    asked = re.fullmatch(r"bytes=(\d{0,18})-(\d{0,18})", request.headers.get("Range", "").strip())
    if asked is None or asked.group(0) == "bytes=-" or request.headers.get("If-Range", mark) != mark:
        return None
    first, last = asked.groups()
    if not first:
        start, end = max(0, size - int(last)), size
    else:
        start, end = int(first), min(size, int(last) + 1) if last else size
        if last and int(last) < start:
            return None
    if start >= end:
        raise Unsatisfiable(f"The file has {size:,} bytes; what was asked for lies behind its end. Begin it again.")
    return start, end


def _pieces(file: IO[bytes], start: int, end: int) -> Iterator[bytes]:
    with file:
        file.seek(start)
        left = end - start
        while left and (piece := file.read(min(left, _PIECE))):
            left -= len(piece)
            yield piece
