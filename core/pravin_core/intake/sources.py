"""What a delivered file holds: the sources in it, which are tables to read one by one."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from pathlib import Path

from pravin_core.intake.archives import is_archive, member_names, unpack
from pravin_core.intake.formats.base import Place
from pravin_core.intake.formats.registry import tables_of

SEPARATOR = " › "


@dataclass(frozen=True)
class FoundSource:
    """One table in a delivered file. `name` for people; `member` of an archive and `table` of a workbook or page,
    empty where there is only one; `path` its bytes, unpacked."""

    name: str
    path: Path
    member: str = ""
    table: str = ""


def unpacked(path: Path, name: str, member: str, folder: Path) -> Path:
    """The bytes of a member of an archive in `folder`, unpacked if they are not there; of other files the file."""
    if not is_archive(path):
        return path
    place = folder / f"{path.name}-{hashlib.sha256(member.encode()).hexdigest()[:16]}"
    if not place.exists():
        folder.mkdir(parents=True, exist_ok=True)
        unpack(path, name, member, place.with_suffix(".part")).rename(place)
    return place


def find_sources(path: Path, name: str, folder: Path) -> list[FoundSource]:
    """All sources in a delivered file, archives unpacked into `folder`. Raises IntakeError for what is refused."""
    sources = []
    for member in member_names(path, name):
        place = unpacked(path, name, member, folder)
        inner = SEPARATOR.join(part for part in (name, member) if part)
        tables = tables_of(Place(inner, place))
        for table in tables:
            text = SEPARATOR.join((inner, table)) if len(tables) > 1 else inner
            sources.append(FoundSource(text, place, member, table))
    return sources
