"""All readers, in the order in which they are asked whether a file is theirs."""

from __future__ import annotations

from pathlib import Path

from pravin_core.errors import IntakeError
from pravin_core.intake.formats.apart import Apart
from pravin_core.intake.formats.base import BY_HAND, Place, Reader
from pravin_core.intake.formats.delimited.reader import Delimited
from pravin_core.intake.formats.fixed_width import FixedWidth
from pravin_core.intake.formats.html_tables import HtmlTables
from pravin_core.intake.formats.json_records import JsonRecords
from pravin_core.intake.formats.parquet import ParquetFile
from pravin_core.intake.formats.workbook.reader import Workbook
from pravin_core.intake.settings import SettingsRequest

READERS: tuple[Reader, ...] = (
    ParquetFile(), Apart(Workbook()), Apart(HtmlTables()), JsonRecords(), FixedWidth(), Delimited(),
)  # fmt: skip
_BY_FORMAT = {reader.format: reader for reader in READERS}
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
