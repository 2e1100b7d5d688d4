"""What rules refer to, from files: code lists, parameters and reference tables for the command line."""

from __future__ import annotations

import csv
import re
from collections.abc import Sequence
from pathlib import Path

from pravin_core.engines.base import Limits
from pravin_core.errors import SettingsError
from pravin_core.intake.settings import SettingsRequest
from pravin_core.intake.snapshot import SourceFile, make_snapshot, settle
from pravin_core.rules.reshaping import Reference
from pravin_core.rules.resolving import LibrarySnapshot, Parameter
from pravin_core.sql.statements import read_parquet
from pravin_core.tables.columns import Column


def shelf_of(code_lists: Sequence[str], parameters: Sequence[str]) -> LibrarySnapshot:
    """Code lists (`NAME=FILE`, delimited text of two columns) and parameters (`NAME=VALUE`). Raises SettingsError."""
    lists = {name: codes_of(Path(file)) for name, file in map(_pair, code_lists)}
    return LibrarySnapshot(lists, {name: parameter_of(name, value) for name, value in map(_pair, parameters)})


def _pair(text: str) -> tuple[str, str]:
    name, mark, value = text.partition("=")
    if not mark or not name.strip():
        raise SettingsError(f"“{text}” is not written as NAME=VALUE.", advice="As in top=14 or sites=sites.csv.")
    return name.strip(), value


def parameter_of(name: str, value: str) -> Parameter:
    """A parameter; a number or an ISO date is one, `text:` before it makes it a text."""
    if not re.fullmatch(r"[a-z][a-z0-9_]{0,59}", name):
        raise SettingsError(
            f"“{name}” is not a name for a parameter.", advice="Lower-case letters, digits and underscores."
        )
    if value.startswith("text:"):
        return Parameter(value.removeprefix("text:"))
    if re.fullmatch(r"-?(\d+(\.\d+)?|\.\d+)", value):
        return Parameter(value, "number")
    return Parameter(value, "date" if re.fullmatch(r"\d{4}-\d\d-\d\d", value) else "text")


def codes_of(path: Path) -> list[tuple[str, str]]:
    """The codes and meanings of a delimited file; a first line "code, meaning" is its header."""
    settings = settle(path.resolve(), path.name, SettingsRequest(header_rows=0)).settings
    if len(settings.names) < 2:
        raise SettingsError("A code list has two columns: code and meaning.", file=path.name)
    text = path.read_text(encoding=settings.encoding)
    rows = [row for row in csv.reader(text.splitlines(), delimiter=settings.delimiter) if row]
    if rows and [cell.strip().lower() for cell in rows[0][:2]] == ["code", "meaning"]:
        rows = rows[1:]
    if wrong := next((at for at, row in enumerate(rows, start=1) if len(row) < 2), None):
        raise SettingsError("A line has one column; a code list has two.", file=path.name, line=wrong)
    seen: dict[str, str] = {}
    for row in rows:
        if seen.setdefault(row[0], row[1]) != row[1]:
            raise SettingsError(f"The code “{row[0]}” has two meanings.", file=path.name)
    return list(seen.items())


def references_of(tables: Sequence[str], work: Path, limits: Limits) -> dict[str, Reference]:
    """Reference tables (`NAME=FILE`, any format that deliveries may have), read into `work`."""
    references: dict[str, Reference] = {}
    for at, (name, file) in enumerate(map(_pair, tables)):
        path = Path(file).resolve()
        settings = settle(path, path.name, SettingsRequest()).settings
        snapshot = make_snapshot([SourceFile(path.name, path, settings)], work / f"reference-{at}", limits)
        columns = tuple(Column(column) for column in snapshot.columns)
        references[name] = Reference(read_parquet(snapshot.parts), columns, str(at), snapshot.folder)
    return references
