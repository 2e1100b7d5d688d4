"""A feed's columns as a schema file and back: Table Schema (Frictionless Standards, version 1) and CSV on the Web
metadata (W3C Recommendation of 2015)."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any

from pravin_core.errors import SettingsError
from pravin_core.intake.design import AgreedColumn
from pravin_core.refusals import first_in_words, of_json
from pravin_core.tables.columns import unique_names
from pravin_core.tables.types import DataType

_XSD_DECIMAL = "http://www.w3.org/2001/XMLSchema#decimal"
TABLE_SCHEMA, CSVW = "table-schema", "csvw"
_TO_TABLE_SCHEMA = {
    DataType.WHOLE: "integer", DataType.EXACT: "number", DataType.DECIMAL: "number", DataType.DATE: "date", DataType.DATETIME: "datetime",
    DataType.BOOLEAN: "boolean", DataType.TEXT: "string",
}  # fmt: skip
_FROM_TABLE_SCHEMA = {each_text: kind for kind, each_text in _TO_TABLE_SCHEMA.items()} | {
    "any": DataType.TEXT,
    "time": DataType.TEXT,
    "year": DataType.WHOLE,
}
_TO_CSVW = {**_TO_TABLE_SCHEMA, DataType.EXACT: "decimal", DataType.DECIMAL: "number", DataType.DATETIME: "dateTime"}
_FROM_CSVW = {each_text: kind for kind, each_text in _TO_CSVW.items()} | {
    "number": DataType.DECIMAL, "double": DataType.DECIMAL, "float": DataType.DECIMAL, "long": DataType.WHOLE,
    "int": DataType.WHOLE, "short": DataType.WHOLE, "nonNegativeInteger": DataType.WHOLE, "positiveInteger": DataType.WHOLE,
    "datetime": DataType.DATETIME, "dateTimeStamp": DataType.DATETIME,
}  # fmt: skip
_CODES = {
    "%Y": "yyyy",
    "%y": "yy",
    "%m": "MM",
    "%d": "dd",
    "%H": "HH",
    "%M": "mm",
    "%S": "ss",
    "%b": "MMM",
    "%B": "MMMM",
}


def schema_file(columns: Sequence[AgreedColumn], standard: str, title: str = "") -> dict[str, Any]:
    """The columns as the JSON of a standard (`table-schema` or `csvw`)."""
    return _table_schema(columns) if standard == TABLE_SCHEMA else _csvw(columns, title)


def read_schema_file(text: str) -> list[AgreedColumn]:
    """The columns of a schema file in either standard. Raises SettingsError when it is neither."""
    try:
        content = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise SettingsError(f"The schema file is not JSON: {of_json(error)}.") from error
    if isinstance(content, dict) and isinstance(content.get("fields"), list):
        columns = [_of_field(field, content) for field in content["fields"]]
    elif isinstance(content, dict) and (found_columns := _csvw_columns(content)) is not None:
        columns = [
            _of_csvw(entry, content)
            for entry in found_columns
            if not (isinstance(entry, dict) and entry.get("virtual"))
        ]
    else:
        raise SettingsError(
            "The schema file has neither `fields` nor `tableSchema`.",
            advice="Give a Table Schema or CSV on the Web metadata.",
        )
    _, notes = unique_names([column.name for column in columns])
    if notes or not columns:
        raise SettingsError(f"The schema file's columns cannot be used: {notes[0] if notes else 'there is none'}.")
    return columns


def _table_schema(columns: Sequence[AgreedColumn]) -> dict[str, Any]:
    fields = []
    for column in columns:
        field: dict[str, Any] = {"name": column.name}
        if column.type:
            field["type"] = _TO_TABLE_SCHEMA[column.type]
        if column.type is DataType.EXACT:
            field["rdfType"] = _XSD_DECIMAL  # a decimal of XML Schema has as many digits as it is written with
        if column.date_format:
            field["format"] = column.date_format
        if column.decimal and column.type in (DataType.DECIMAL, DataType.EXACT):
            field["decimalChar"] = column.decimal
        if column.thousands:
            field["groupChar"] = column.thousands
        if column.missing:
            field["missingValues"] = list(column.missing)
        if column.description:
            field["description"] = column.description
        fields.append(field)
    return {"$schema": "https://datapackage.org/profiles/2.0/tableschema.json", "fields": fields}


def _of_field(field: Any, schema: Mapping[str, Any]) -> AgreedColumn:
    if not isinstance(field, dict) or not isinstance(field.get("name"), str):
        raise SettingsError("A field of the schema file has no name.")
    kind = field.get("type")
    form = field.get("format")
    missing = field.get("missingValues", schema.get("missingValues", []))
    known = _FROM_TABLE_SCHEMA.get(str(kind)) if kind else None
    if known is DataType.DECIMAL and field.get("rdfType") == _XSD_DECIMAL:
        known = DataType.EXACT
    return _column(
        name=field["name"], type=known,
        date_format=form if isinstance(form, str) and "%" in form else "", decimal=field.get("decimalChar", ""),
        thousands=field.get("groupChar", ""), description=field.get("description", ""),
        missing=tuple(entry["value"] if isinstance(entry, dict) else entry for entry in missing if entry != ""),
    )  # fmt: skip


def _csvw(columns: Sequence[AgreedColumn], title: str) -> dict[str, Any]:
    results = []
    for column in columns:
        entry: dict[str, Any] = {"name": column.name, "titles": column.name}
        if column.type:
            entry["datatype"] = _datatype(column)
        if column.missing:
            entry["null"] = list(column.missing)
        if column.description:
            entry["dc:description"] = column.description
        results.append(entry)
    evidence: dict[str, Any] = {"@context": "http://www.w3.org/ns/csvw", "url": f"{title or 'table'}.csv"}
    return {**evidence, "tableSchema": {"columns": results}}


def _datatype(column: AgreedColumn) -> Any:
    base = _TO_CSVW[column.type or DataType.TEXT]
    if column.date_format:
        form = column.date_format
        for code, letters in _CODES.items():
            form = form.replace(code, letters)
        return {"base": base, "format": form}
    if column.decimal or column.thousands:
        marks = {"decimalChar": column.decimal or ".", **({"groupChar": column.thousands} if column.thousands else {})}
        return {"base": base, "format": marks}
    return base


def _csvw_columns(said: Mapping[str, Any]) -> list[Any] | None:
    tables = said.get("tables")
    if isinstance(tables, list) and tables and isinstance(tables[0], dict):
        said = tables[0]
    schema = said.get("tableSchema")
    columns = schema.get("columns") if isinstance(schema, dict) else None
    return columns if isinstance(columns, list) else None


def _of_csvw(one: Any, said: Mapping[str, Any]) -> AgreedColumn:
    if not isinstance(one, dict):
        raise SettingsError("A column of the schema file is not an object.")
    titles = one.get("titles", one.get("name"))
    if isinstance(titles, dict):
        titles = next(iter(titles.values()), None)
    name = titles[0] if isinstance(titles, list) and titles else titles
    if not isinstance(name, str):
        raise SettingsError("A column of the schema file has neither a title nor a name.")
    datatype = one.get("datatype", said.get("datatype"))
    form = datatype.get("format") if isinstance(datatype, dict) else None
    base = datatype.get("base", "string") if isinstance(datatype, dict) else datatype
    date_format = form if isinstance(form, str) and base in ("date", "dateTime", "datetime") else ""
    for code, letters in sorted(_CODES.items(), key=lambda pair: -len(pair[1])):
        date_format = date_format.replace(letters, code)
    marks = form if isinstance(form, dict) else {}
    null = one.get("null", said.get("null", []))
    return _column(
        name=name, type=_FROM_CSVW.get(str(base)) if base else None, date_format=date_format,
        decimal=marks.get("decimalChar", ""), thousands=marks.get("groupChar", ""),
        missing=tuple(text for text in ([null] if isinstance(null, str) else null) if text != ""),
        description=str(one.get("dc:description", "")),
    )  # fmt: skip


def _column(**entries: Any) -> AgreedColumn:
    try:
        return AgreedColumn(**entries)
    except ValueError as error:
        raise SettingsError(f"A column of the schema file cannot be used: {first_in_words(error)}.") from error
