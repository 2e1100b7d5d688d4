"""The text of a source file where a record stands in it."""

from __future__ import annotations

from itertools import islice

from pravin_core.intake.settings import FileSettings
from pravin_server.deliveries.models import Delivery
from pravin_server.deliveries.snapshots import place_of, sources_of

MOST_LINES = 50
LONGEST = 20_000  # characters


def source_text(delivery: Delivery, place: int, first: int, last: int) -> str:
    """The lines `first` to `last` (from 1) of the source at a place, as they stand in the file; empty where a record is no text
    of its own lines, as in workbooks.
    """
    sources = sources_of(delivery)
    if not 0 <= place < len(sources) or first < 1:
        return ""
    settings = FileSettings(**sources[place].settings)
    if settings.format not in ("delimited", "fixed width"):
        return ""
    last = min(max(first, last), first + MOST_LINES - 1)
    ends = "" if settings.line_end == "any" else settings.line_end
    with place_of(sources[place]).path.open(encoding=settings.encoding, errors="replace", newline=ends) as file:
        return "".join(islice(file, first - 1, last))[:LONGEST].rstrip("\r\n")
