"""How much there is to read, told before it is read: a small archive may hold millions of records."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from pravin_core.intake.formats.base import Place
from pravin_core.intake.settings import FileSettings

_LOOKED_AT = 2**19  # bytes of the beginning, the middle and the end
_LINES = ("delimited", "fixed width")


def in_words(sources: Sequence[tuple[Place, FileSettings]], delivered: int) -> str:
    """What reading sources means, for people: "reading about 16,000,000 records (2.1 GB, out of 12.4 MB)".

    `delivered`: bytes of the files as they came; what they hold is named beside it where it is more.
    """
    sizes = {place.path: place.path.stat().st_size for place, _ in sources}
    total = sum(sizes.values())
    about = [estimated_records(place.path, settings, sizes[place.path]) for place, settings in sources]
    out_of = f", out of {size(delivered)}" if total > 1.5 * delivered else ""
    known = [item for item in about if item is not None]
    if len(known) < len(about):
        return f"reading records ({size(total)}{out_of})"
    return f"reading about {_rounded(sum(known)):,} records ({size(total)}{out_of})"


def estimated_records(path: Path, settings: FileSettings, length: int) -> int | None:
    """About how many records a file of lines holds, by the length of some of its lines; None for other files."""
    if settings.format not in _LINES:
        return None
    above = settings.skip_lines + settings.header_rows
    with path.open("rb") as file:
        if length <= _LOOKED_AT:
            text = file.read()
            return max(0, _lines(text) - above + (not text.endswith((b"\n", b"\r"))))
        seen = b""
        for place in (0, length // 2, length - _LOOKED_AT):  # numbers grow, and with them the lines
            file.seek(place)
            seen += file.read(_LOOKED_AT)
    lines = _lines(seen)
    return max(0, round(length / (len(seen) / lines)) - above) if lines else None


def _lines(text: bytes) -> int:
    return text.count(b"\n") or text.count(b"\r")


def size(count: int) -> str:
    """Bytes for people, in powers of a thousand: "2.1 GB"."""
    amount, unit = float(count), "bytes"
    for larger in ("kB", "MB", "GB", "TB"):
        if amount < 1000:
            break
        amount, unit = amount / 1000, larger
    return f"{count:,} bytes" if unit == "bytes" else f"{amount:.1f} {unit}"


def _rounded(count: int) -> int:
    """Two figures that count: more would pretend to know."""
    step = 10 ** max(0, len(str(count)) - 2)
    return round(count / step) * step
