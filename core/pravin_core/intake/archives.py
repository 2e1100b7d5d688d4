"""Archives: opened within limits, so that a small file cannot become a large one, and nothing leaves its folder."""

from __future__ import annotations

import gzip
import stat
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import IO

from pravin_core.errors import IntakeError, PravinError
from pravin_core.stopping import go_on

CHUNK = 2**20
_XML_PARTS = (".xml", ".rels")
_IGNORED = ("__MACOSX/", ".DS_Store", "Thumbs.db")


@dataclass(frozen=True)
class OpeningLimits:
    """How much an archive may hold: members, bytes of all of them, and how many times its own size.

    The ratio counts only above `small` bytes: short tables compress well.
    """

    members: int = 200
    size: int = 8 * 2**30
    ratio: int = 120
    small: int = 64 * 2**20


@dataclass(frozen=True)
class Member:
    """One file out of an archive: its name in the archive ("" for a file that is none), and its bytes."""

    name: str
    path: Path


def is_archive(path: Path) -> str:
    """`gzip`, `zip` (not a workbook), or an empty text."""
    with path.open("rb") as file:
        head = file.read(4)
    if head.startswith(b"\x1f\x8b"):
        return "gzip"
    if head not in (b"PK\x03\x04", b"PK\x05\x06"):
        return ""
    try:
        with zipfile.ZipFile(path) as archive:
            names = set(archive.namelist())
    except zipfile.BadZipFile:
        return "zip"
    return "" if "xl/workbook.xml" in names or {"content.xml", "mimetype"} <= names else "zip"


def member_names(path: Path, name: str, limits: OpeningLimits = OpeningLimits()) -> tuple[str, ...]:
    """The names of the files in an archive, in its order; one empty name for gzip and for files that are none.

    Raises IntakeError for an archive that is refused.
    """
    kind = is_archive(path)
    if kind != "zip":
        return ("",)
    with _zip(path, name) as archive:
        _check(archive, path, name, limits)
        names = tuple(member.filename for member in archive.infolist() if _wanted(member))
    if not names:
        raise IntakeError("The archive holds no file.", file=name, advice="Ask for it again.")
    return names


def unpack(path: Path, name: str, member: str, out: Path, limits: OpeningLimits = OpeningLimits()) -> Path:
    """The bytes of a member of an archive, written to `out`; the file itself when it is no archive.

    Raises IntakeError when the archive is refused or damaged; `out` is not left behind then.
    """
    kind = is_archive(path)
    if not kind:
        return path
    try:
        if kind == "gzip":
            with gzip.open(path) as packed:
                _copy(packed, path, out, name, limits)
        else:
            with _zip(path, name) as archive:
                _check(archive, path, name, limits)
                with archive.open(member) as packed:
                    _copy(packed, path, out, f"{name}, {member}", limits)
        if is_archive(out):
            raise IntakeError(
                "The archive holds another archive, which is not opened.", file=f"{name}, {member}".rstrip(", "),
                advice="Unpack it and deliver the files.",
            )  # fmt: skip
    except (OSError, EOFError, zlib.error, zipfile.BadZipFile, KeyError, RuntimeError, NotImplementedError) as error:
        out.unlink(missing_ok=True)
        raise IntakeError(
            "The archive is damaged: a part of it cannot be unpacked.", file=name, advice="Ask for it again."
        ) from error
    except PravinError:
        out.unlink(missing_ok=True)
        raise
    return out


def checked_zip(path: Path, xml: bool = False, limits: OpeningLimits = OpeningLimits(members=10_000)) -> None:
    """Refuse a zip file (a workbook) whose members are too large or, with `xml`, declare a document type.

    A document type in a part is what entity bombs are made of; workbook programs never write one.
    """
    with _zip(path, path.name) as archive:
        _check(archive, path, path.name, limits)
        for member in archive.infolist() if xml else ():
            if member.filename.lower().endswith(_XML_PARTS):
                _refuse_document_type(archive, member, path.name)


def _refuse_document_type(archive: zipfile.ZipFile, member: zipfile.ZipInfo, name: str) -> None:
    rest, seen = b"", 0
    with archive.open(member) as part:
        while chunk := part.read(CHUNK):
            seen += len(chunk)
            data = rest + chunk
            if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
                raise IntakeError(
                    f"The part {member.filename} declares a document type or entities, which no workbook program does.",
                    file=name,
                    advice="Do not trust it; ask for the table as delimited text.",
                )
            if seen > member.file_size:
                raise IntakeError("The archive is damaged: a member is larger than it says.", file=name)
            rest = data[-16:]


@contextmanager
def _zip(path: Path, name: str) -> Iterator[zipfile.ZipFile]:
    try:
        with zipfile.ZipFile(path) as archive:
            yield archive
    except (zipfile.BadZipFile, OSError) as error:
        raise IntakeError(
            "The archive cannot be opened: its list of files is missing or damaged.",
            file=name,
            advice="Ask for it again.",
        ) from error


def _wanted(member: zipfile.ZipInfo) -> bool:
    return not member.is_dir() and not any(part in member.filename for part in _IGNORED)


def _check(archive: zipfile.ZipFile, path: Path, name: str, limits: OpeningLimits) -> None:
    members = archive.infolist()
    if len(members) > limits.members:
        _refuse(name, f"holds {len(members):,} files; at most {limits.members:,} are taken")
    declared = sum(member.file_size for member in members)
    if declared > limits.size:
        _refuse(name, f"would unpack to {declared:,} bytes; at most {limits.size:,} are taken")
    if declared > limits.small and declared > limits.ratio * path.stat().st_size:
        _refuse(name, f"would unpack to {declared:,} bytes, {declared // path.stat().st_size:,} times its size")
    for member in members:
        inner, mode = member.filename, member.external_attr >> 16
        parts = inner.replace("\\", "/").split("/")
        if ".." in parts or inner.startswith(("/", "\\")) or (len(inner) > 1 and inner[1] == ":") or "\x00" in inner:
            _refuse(name, f"holds a file named {inner!r}, which leads out of its folder")
        if stat.S_ISLNK(mode):
            _refuse(name, f"holds a link, {inner!r}, which is not followed")
        if mode and stat.S_IFMT(mode) not in (0, stat.S_IFREG, stat.S_IFDIR):
            _refuse(name, f"holds {inner!r}, which is not an ordinary file")
        if member.flag_bits & 0x1:
            _refuse(name, f"holds {inner!r}, which is encrypted")


def _refuse(name: str, said: str) -> None:
    raise IntakeError(f"The archive {said}.", file=name, advice="Nothing was unpacked. Ask for the files themselves.")


def _copy(packed: IO[bytes] | gzip.GzipFile, path: Path, out: Path, name: str, limits: OpeningLimits) -> None:
    """Copy what is unpacked, counting: what an archive says of its sizes need not be true."""
    written, packed_size = 0, path.stat().st_size
    with out.open("wb") as target:
        while chunk := packed.read(CHUNK):
            go_on()
            written += len(chunk)
            if written > limits.size or (written > limits.small and written > limits.ratio * packed_size):
                _refuse(name, f"unpacks to more than {written:,} bytes, out of {packed_size:,}")
            target.write(chunk)
