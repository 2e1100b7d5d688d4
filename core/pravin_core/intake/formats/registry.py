"""Finds the readers: every module (or `reader` of a package) in this folder that defines READER, in the order of asking."""

from __future__ import annotations

import importlib
import pkgutil
from pathlib import Path

from pravin_core.errors import IntakeError
from pravin_core.intake import formats
from pravin_core.intake.formats.apart import Apart
from pravin_core.intake.formats.base import BY_HAND, Place, Reader
from pravin_core.intake.settings import FORMATS, SettingsRequest


def _find() -> list[Reader]:
    readers: list[Reader] = []
    for module in pkgutil.iter_modules(formats.__path__):
        place = f"{formats.__name__}.{module.name}{'.reader' if module.ispkg else ''}"
        reader: Reader | None = getattr(importlib.import_module(place), "READER", None)  # others help readers
        if reader is not None:
            readers.append(Apart(reader) if reader.apart else reader)
    return sorted(readers, key=lambda reader: reader.asked)


READERS = _find()
_BY_FORMAT = {reader.format: reader for reader in READERS}
FORMATS.update({reader.format: reader.label for reader in READERS})
_HEAD = 2**16


def reader_of(name: str) -> Reader:
    """The reader of a format."""
    return _BY_FORMAT[name]


def recognise(place: Place, request: SettingsRequest = SettingsRequest()) -> tuple[Reader, str]:
    """The reader of a file and the evidence for it. Raises IntakeError when the file is empty or cannot be read."""
    if request.format:
        return reader_of(request.format), BY_HAND
    head = _head(place.path)
    if not head:
        raise IntakeError("The file is empty: it has no bytes.", file=place.name, advice="Ask for it again.")
    for reader in READERS:
        if why := reader.recognises(place.path, place.name, head):
            return reader, why
    raise AssertionError("delimited text takes every file")


def tables_of(place: Place) -> tuple[str, ...]:
    """The names of the tables in a file: sheets, tables of a page; one empty name when the file is one table."""
    return recognise(place)[0].tables(place.path)


def _head(path: Path) -> bytes:
    with path.open("rb") as file:
        return file.read(_HEAD)
