"""Which encoding a file is in: by byte order mark, then strict UTF-8, then a fallback that says so."""

from __future__ import annotations

import codecs
from dataclasses import dataclass, field
from pathlib import Path

from charset_normalizer import from_bytes

from pravin_core.errors import IntakeError

CHUNK = 8 * 2**20
_SAMPLE = 2**18
_MARKS = (  # longer marks first: UTF-32 begins like UTF-16
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF8, "utf-8-sig"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
)
_SIGNATURES = (
    (b"PK\x03\x04", "a ZIP archive or a workbook"),
    (b"\x89PNG", "a picture"),
    (b"\xff\xd8\xff", "a picture"),
    (b"%PDF", "a PDF document"),
    (b"\x1f\x8b", "compressed with gzip"),
    (b"PAR1", "a Parquet file"),
    (b"\xd0\xcf\x11\xe0", "an old office document"),
)


@dataclass(frozen=True)
class EncodingGuess:
    """The encoding chosen, why, and which others could be meant."""

    name: str
    evidence: str
    rivals: tuple[str, ...] = field(default=())


def detect_encoding(path: Path) -> EncodingGuess:
    """Judge the whole file. Raises IntakeError when it is empty or not text."""
    with path.open("rb") as file:
        head = file.read(_SAMPLE)
    if not head.strip(b" \t\r\n\x00\xef\xbb\xbf"):
        raise IntakeError("The file is empty: it holds no line with text.", file=path.name, advice="Ask for it again.")
    for mark, name in _MARKS:
        if head.startswith(mark):
            return EncodingGuess(name, "a byte order mark stands at the beginning")
    for signature, what in _SIGNATURES:
        if head.startswith(signature):
            raise IntakeError(
                f"The file is {what}, not delimited text.", file=path.name, advice="Export the table as delimited text."
            )
    wide = _utf16_without_mark(head)
    if wide:
        return EncodingGuess(wide, "every second byte is zero, as in UTF-16")
    _refuse_binary(head, path)
    bad_at = _first_bad_byte(path)
    if bad_at is None:
        return EncodingGuess("utf-8", "all bytes are valid UTF-8")
    return _fallback(path, bad_at)


def _utf16_without_mark(head: bytes) -> str | None:
    even, odd = head[0::2], head[1::2]
    if len(head) >= 8 and odd and odd.count(0) > 0.7 * len(odd) and even.count(0) < 0.05 * len(even):
        return "utf-16-le"
    if len(head) >= 8 and even.count(0) > 0.7 * len(even) and odd.count(0) < 0.05 * len(odd):
        return "utf-16-be"
    return None


def _refuse_binary(head: bytes, path: Path) -> None:
    control = sum(head.count(byte) for byte in range(32) if byte not in (9, 10, 11, 12, 13, 26, 27))
    if control > 8 and control > 0.05 * len(head):
        share = control / len(head)
        raise IntakeError(
            f"The file is not text: {share:.0%} of its first bytes are control characters.",
            file=path.name,
            advice="Ask the supplier for an export as delimited text.",
        )


def _first_bad_byte(path: Path) -> int | None:
    decoder, seen = codecs.getincrementaldecoder("utf-8")(), 0
    with path.open("rb") as file:
        while chunk := file.read(CHUNK):
            try:
                decoder.decode(chunk)
            except UnicodeDecodeError as error:
                return seen + error.start
            seen += len(chunk)
    try:
        decoder.decode(b"", final=True)
    except UnicodeDecodeError:
        return max(0, seen - 1)
    return None


def _fallback(path: Path, bad_at: int) -> EncodingGuess:
    """Not valid UTF-8: damaged UTF-8 when most lines beyond ASCII are valid, else a one-byte encoding."""
    with path.open("rb") as file:
        sample = file.read(_SAMPLE)
        file.seek(max(0, bad_at - _SAMPLE // 2))
        sample += b"\n" + file.read(_SAMPLE)
    beyond = [line for line in sample.splitlines() if not line.isascii()]
    valid = sum(_is_utf8(line) for line in beyond)
    where = f"byte {bad_at + 1:,} is not valid UTF-8"
    if valid > 2 * (len(beyond) - valid):
        return EncodingGuess("utf-8", f"{where}, but most lines are: the others are rejected", ("cp1252",))
    best = from_bytes(b"\n".join(beyond[:2000])).best()
    rivals = tuple({best.encoding} - {"cp1252", "utf_8", "ascii"}) if best else ()
    return EncodingGuess("cp1252", f"{where}; read as the Western one-byte encoding", (*rivals, "latin-1"))


def _is_utf8(line: bytes) -> bool:
    try:
        line.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True
