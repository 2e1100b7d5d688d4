"""Which encoding a file is in: by byte order mark, then strict UTF-8, then a fallback that says so."""

from __future__ import annotations

import codecs
import io
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from pathlib import Path

from charset_normalizer import from_bytes

from pravin_core.errors import IntakeError
from pravin_core.stopping import go_on

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
    (b"GIF8", "a picture"),
    (b"%PDF", "a PDF document"),
    (b"\x1f\x8b", "compressed with gzip"),
    (b"BZh", "compressed with bzip2"),
    (b"\xfd7zXZ", "compressed with xz"),
    (b"(\xb5/\xfd", "compressed with zstd"),
    (b"7z\xbc\xaf", "a 7z archive"),
    (b"Rar!", "a RAR archive"),
    (b"PAR1", "a Parquet file"),
    (b"SQLite format 3", "a database file"),
    (b"\xd0\xcf\x11\xe0", "an old office document"),
)
KEPT_BYTES = "pravin-kept-bytes"


def _keep_bytes(error: UnicodeError) -> tuple[str, int]:
    """Each byte that cannot be decoded becomes a lone low surrogate, so that it is seen and can be shown."""
    if not isinstance(error, UnicodeDecodeError):
        raise error
    return "".join(chr(0xDC00 + byte) for byte in error.object[error.start : error.end]), error.end


codecs.register_error(KEPT_BYTES, _keep_bytes)
_MARKED = re.compile("[\udc00-\udcff]")


def holds_bad_bytes(text: str) -> bool:
    """Whether a text decoded with KEPT_BYTES holds bytes that are not valid in its encoding."""
    return not text.isascii() and _MARKED.search(text) is not None


def shown(text: str) -> str:
    """A text that can be kept and shown: bytes that could not be decoded written as \\xNN."""
    if text.isascii():
        return text
    text = _MARKED.sub(lambda match: f"\\x{ord(match[0]) - 0xDC00:02x}", text)
    return text.encode("utf-8", "backslashreplace").decode("utf-8")


def decoding(encoding: str) -> str:
    """The codec to read with: UTF-8 also without its byte order mark."""
    return "utf-8-sig" if encoding == "utf-8" else encoding


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
    if wide := _wide_without_mark(head):
        return EncodingGuess(wide, f"the zero bytes stand as in {wide.upper()}")
    _refuse_binary(head, path)
    state = path.stat()
    bad_at = _first_bad_byte(path, state.st_size, state.st_mtime_ns)
    if bad_at is None:
        return EncodingGuess("utf-8", "all bytes are valid UTF-8")
    return _fallback(path, bad_at)


def _wide_without_mark(head: bytes) -> str | None:
    """UTF-32 or UTF-16 of mostly Western text, by which bytes are zero."""
    if len(head) < 8:
        return None
    zeros = [head[at::4].count(0) / max(1, len(head[at::4])) for at in range(4)]
    for pattern, name in (("0111", "utf-32-le"), ("1110", "utf-32-be"), ("0101", "utf-16-le"), ("1010", "utf-16-be")):
        if all(share > 0.7 if zero == "1" else share < 0.05 for share, zero in zip(zeros, pattern, strict=True)):
            return name
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


@lru_cache(maxsize=64)  # several readers ask in turn; `size` and `changed` (ns) tell the file from an earlier one
def _first_bad_byte(path: Path, size: int, changed: int) -> int | None:
    decoder, seen = codecs.getincrementaldecoder("utf-8")(), 0
    with path.open("rb") as file:
        while chunk := file.read(CHUNK):
            go_on()
            try:
                if not chunk.isascii() or decoder.getstate()[0]:
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
    guessed = [] if best is None else [codecs.lookup(best.encoding).name]
    rivals = dict.fromkeys(
        n for n in (*guessed, "iso8859-1", "iso8859-15", "cp1250", "mac-roman") if n not in _NO_RIVAL
    )
    controls = sum(sample.count(byte) for byte in range(0x80, 0xA0))
    undefined = sum(sample.count(byte) for byte in (0x81, 0x8D, 0x8F, 0x90, 0x9D))
    name = "iso8859-1" if undefined and undefined == controls else "cp1252"
    sentence = f"read as the Western one-byte encoding {name}"
    high = [[byte > 127 for byte in line] for line in beyond]
    count = sum(map(sum, high))
    beside = sum(one and other for line in high for one, other in pairwise(line))
    if guessed and guessed[0] not in _NO_RIVAL and count >= 20 and beside > 0.5 * count:
        rivals, name = {"cp1252": None, **rivals}, guessed[0]
        sentence = f"too many letters beyond ASCII in a row for a Western text: {name} fits best"
    return EncodingGuess(name, f"{where}; {sentence}", tuple(r for r in rivals if r != name)[:4])


_NO_RIVAL = {"cp1252", "utf-8", "ascii", "utf_8", "latin-1"}


def differing_lines(path: Path, names: Sequence[str], limit: int = 12) -> list[tuple[int, tuple[tuple[str, str], ...]]]:
    """Lines of the beginning of a file that read differently under the encodings, one for each kind of difference.

    Returns line number and (encoding, text) pairs; a text is cut to the part that differs and what is around it.
    """
    with path.open("rb") as file:
        data = file.read(4 * _SAMPLE)
    lines = data.splitlines() if len(data) < 4 * _SAMPLE else data.splitlines()[:-1]
    results: list[tuple[int, tuple[tuple[str, str], ...]]] = []
    seen: set[bytes] = set()
    for number, line in enumerate(lines, start=1):
        beyond = bytes(byte for byte in line if byte > 127)
        if line.isascii() or set(beyond) <= set(b"".join(seen)):
            continue
        at = next(i for i, byte in enumerate(line) if byte > 127)
        part = line[max(0, at - 30) : at + 50]
        readings = tuple((name, shown(part.decode(name, KEPT_BYTES))) for name in names)
        if len({text for _, text in readings}) > 1:
            seen.add(beyond)
            results.append((number, readings))
        if len(results) == limit:
            break
    return results


def text_head(path: Path, encoding: str, size: int = _SAMPLE) -> tuple[str, bool]:
    """The decoded beginning of a file without its byte order mark, and whether that is all of it."""
    with path.open("rb") as file:
        data = file.read(size)
        whole = not file.read(1)
    decoder = codecs.getincrementaldecoder(decoding(encoding))(KEPT_BYTES)
    text = decoder.decode(data, final=whole)
    return text.removeprefix("\ufeff"), whole


def text_tail(path: Path, encoding: str, size: int = 2**16) -> str:
    """The decoded end of a file: its last whole lines."""
    length = path.stat().st_size
    start = max(0, length - size) // 4 * 4
    with path.open("rb") as file:
        file.seek(start)
        data = file.read()
    name = {"utf-16": "utf-16-le", "utf-32": "utf-32-le"}.get(encoding, encoding)
    if start and name != encoding:
        with path.open("rb") as file:
            name = encoding + ("-be" if file.read(2) in (b"\xfe\xff", b"\x00\x00") else "-le")
    elif not start:
        name = decoding(encoding)
    text = data.decode(name, KEPT_BYTES).removeprefix("\ufeff")
    return text if not start else text[re.search(r"\r\n|\r|\n|$", text).end() :]  # type: ignore[union-attr]


def split_lines(text: str, line_end: str = "any") -> list[str]:
    """Physical lines with their ends. Unlike str.splitlines, only carriage return and line feed end a line."""
    if line_end == "any":
        return io.StringIO(text, newline="").readlines()
    parts = text.split(line_end)
    return [part + line_end for part in parts[:-1]] + ([parts[-1]] if parts[-1] else [])


def _is_utf8(line: bytes) -> bool:
    try:
        line.decode("utf-8")
    except UnicodeDecodeError:
        return False
    return True
