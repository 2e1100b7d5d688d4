"""What a released table is, in open standards: Data Package with Table Schema (Frictionless Standards, version 1), CSV on the Web
metadata (W3C Recommendation of 2015), and a table for PostgreSQL.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from pravin_core.releases.contract import ContractColumn
from pravin_core.tables.types import DataType

_TABLE_SCHEMA = {
    DataType.WHOLE: "integer", DataType.EXACT: "number", DataType.DECIMAL: "number", DataType.DATE: "date",
    DataType.DATETIME: "datetime", DataType.BOOLEAN: "boolean", DataType.TEXT: "string",
}  # fmt: skip
_CSVW = {**_TABLE_SCHEMA, DataType.EXACT: "decimal", DataType.DECIMAL: "double", DataType.DATETIME: "dateTime"}


@dataclass(frozen=True)
class DescribedColumn:
    """A column as it goes out: its name, its type, what it is called in the database and its type there, what is agreed of it."""

    name: str
    type: DataType
    database_name: str
    database_type: str
    agreed: ContractColumn | None = None
    about: str = ""

    @property
    def required(self) -> bool:
        """Whether no value may be missing."""
        return self.agreed is not None and (self.agreed.required or self.agreed.key)

    @property
    def description(self) -> str:
        """What is said of it, with its unit."""
        told = (self.agreed.description if self.agreed else "") or self.about
        unit = self.agreed.unit if self.agreed else ""
        return f"{told} [{unit}]".strip() if unit else told


@dataclass(frozen=True)
class Described:
    """A released table: what it is called (short, of a-z, 0-9 and -), its title, its version, the path of its data, when it was
    released (ISO 8601), its columns; the size of its data in bytes and the SHA-256 of it.
    """

    name: str
    title: str
    version: str
    path: str
    created: str
    columns: tuple[DescribedColumn, ...]
    size: int
    sha256: str

    @property
    def key(self) -> list[str]:
        """The columns that tell records apart."""
        return [each.name for each in self.columns if each.agreed is not None and each.agreed.key]


def data_package(table: Described) -> dict[str, Any]:
    """The descriptor `datapackage.json`."""
    schema: dict[str, Any] = {"fields": [_field(each) for each in table.columns], "missingValues": [""]}
    if table.key:
        schema["primaryKey"] = table.key
    resource = {
        "name": table.name, "path": table.path, "profile": "tabular-data-resource", "format": "csv", "mediatype": "text/csv",
        "encoding": "utf-8", "bytes": table.size, "hash": f"sha256:{table.sha256}", "schema": schema,
    }  # fmt: skip
    return {
        "name": table.name, "title": table.title, "version": table.version, "created": table.created,
        "profile": "tabular-data-package", "resources": [resource],
    }  # fmt: skip


def _field(column: DescribedColumn) -> dict[str, Any]:
    field: dict[str, Any] = {"name": column.name, "type": _TABLE_SCHEMA[column.type]}
    agreed = column.agreed
    constraints: dict[str, Any] = {}
    if column.description:
        field["description"] = column.description
    if agreed is not None and agreed.label:
        field["title"] = agreed.label
    if agreed is not None and agreed.example and not agreed.masked:  # it may have been one before it was masked
        field["example"] = agreed.example
    if column.required:
        constraints["required"] = True
    if agreed is not None and agreed.length is not None:
        constraints["maxLength"] = agreed.length
    if agreed is not None and agreed.allowed and column.type is DataType.TEXT:
        constraints["enum"] = list(agreed.allowed)
    return {**field, "constraints": constraints} if constraints else field


def csv_metadata(table: Described) -> dict[str, Any]:
    """The metadata `….csv-metadata.json` beside the data; the address of the data is its file name."""
    schema: dict[str, Any] = {
        "columns": [_csvw_column(place, each) for place, each in enumerate(table.columns, start=1)]
    }
    if table.key:
        places = {each.name: f"c{place}" for place, each in enumerate(table.columns, start=1)}
        schema["primaryKey"] = [places[name] for name in table.key]
    return {
        "@context": ["http://www.w3.org/ns/csvw", {"@language": "und"}],
        "url": table.path.rsplit("/", 1)[-1],
        "dc:title": table.title,
        "dc:created": table.created,
        "dialect": {"header": True, "encoding": "utf-8", "delimiter": ",", "quoteChar": '"', "doubleQuote": True},
        "tableSchema": schema,
    }


def _csvw_column(place: int, column: DescribedColumn) -> dict[str, Any]:
    """The title is the name in the file; the name of the standard may not hold all characters, so it is the place."""
    agreed = column.agreed
    datatype: dict[str, Any] = {"base": _CSVW[column.type]}
    if agreed is not None and agreed.length is not None:
        datatype["maxLength"] = agreed.length
    if agreed is not None and agreed.allowed and column.type is DataType.TEXT:
        datatype["format"] = "|".join(re.escape(value) for value in agreed.allowed)
    told: dict[str, Any] = {
        "name": f"c{place}",
        "titles": [column.name],
        "datatype": datatype if len(datatype) > 1 else datatype["base"],
    }
    if column.required:
        told["required"] = True
    if column.description:
        told["dc:description"] = column.description
    return told


def postgres_table(table: Described, name: str) -> str:
    """SQL that makes a table as the released one, and loads the data into it (psql, from the folder of the package)."""
    lines = [
        f"    {_quoted(each.database_name)} {each.database_type}{' NOT NULL' if each.required else ''}"
        for each in table.columns
    ]
    if table.key:
        in_database = {each.name: each.database_name for each in table.columns}
        lines.append(f"    PRIMARY KEY ({', '.join(_quoted(in_database[key]) for key in table.key)})")
    statements = [f"CREATE TABLE {_quoted(name)} (\n" + ",\n".join(lines) + "\n);"]
    statements += [
        f"COMMENT ON COLUMN {_quoted(name)}.{_quoted(each.database_name)} IS {_literal(told)};"
        for each in table.columns
        if (told := ": ".join(text for text in (each.agreed.label if each.agreed else "", each.description) if text))
    ]
    path = table.path.replace("'", "''")
    statements.append(f"\\copy {_quoted(name)} FROM '{path}' WITH (FORMAT csv, HEADER true, ENCODING 'UTF8')")
    return "\n".join(statements) + "\n"


def _quoted(name: str) -> str:
    return '"' + name.replace('"', '""') + '"'


def _literal(text: str) -> str:
    return "'" + text.replace("'", "''") + "'"
