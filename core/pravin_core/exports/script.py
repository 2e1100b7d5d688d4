"""Write the stand-alone script of a rulebook: `standalone.py` with the rulebook put in."""

from __future__ import annotations

import inspect
import pprint
import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

from sqlglot import exp

from pravin_core.compiler.plan import RunContext
from pravin_core.engines.duckdb import connect
from pravin_core.exports import standalone
from pravin_core.exports.sql import RESULT, Compiled, compiled, sentence_of, used_operations
from pravin_core.intake.settings import FileSettings
from pravin_core.releases.writers import delimited
from pravin_core.rules.base import Check
from pravin_core.rules.rulebook import Rulebook
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import reasons_in_words
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD
from pravin_core.tables.types import SQL_TYPES, DataType

_PLACE = re.compile(r"^BOOK: .*$", re.MULTILINE)


@dataclass(frozen=True)
class SourceSettings:
    """How a source file is read: its name, the table in it, its settings."""

    name: str
    settings: FileSettings
    table: str = ""


def script(
    title: str,
    rulebook: Rulebook,
    delivered: Sequence[str],
    sources: Sequence[SourceSettings],
    context: RunContext,
) -> str:
    """The script that reads such files and writes what a run of the rulebook writes."""
    compiled_ = compiled(rulebook, delivered, context)
    return _filled(title, compiled_, delivered, sources, context, checks_only=False)


def checking_script(
    title: str,
    rulebook: Rulebook,
    columns: Sequence[tuple[str, str]],
    sources: Sequence[SourceSettings],
    context: RunContext,
) -> str:
    """The script that only checks a table with the `columns` (name, type) of the result: nothing is corrected."""
    reading = [rule for kind, of in _READERS.items() if (rule := _reader(kind, of, columns))]
    checks = [rule.model_dump() for rule in rulebook.rules if rule.is_check]
    only = Rulebook.model_validate({"rules": [*reading, *checks]})
    names_ = [name for name, _ in columns]
    return _filled(f"{title}, checks only", compiled(only, names_, context), names_, sources, context, checks_only=True)


_READERS: dict[str, tuple[DataType, dict[str, Any]]] = {
    "whole": (DataType.WHOLE, {"kind": "to-number", "whole": True}),
    "decimal": (DataType.DECIMAL, {"kind": "to-number"}),
    "date": (DataType.DATE, {"kind": "to-date", "formats": ["%Y-%m-%d"]}),
    "moment": (DataType.DATETIME, {"kind": "to-date", "formats": ["%Y-%m-%d %H:%M:%S"]}),
    "truth": (DataType.BOOLEAN, {"kind": "to-truth"}),
}


def _reader(
    kind: str, of: tuple[DataType, dict[str, Any]], columns: Sequence[tuple[str, str]]
) -> dict[str, Any] | None:
    names_ = [name for name, type_ in columns if type_ == of[0].value]
    return {**of[1], "id": f"read-{kind}", "columns": names_} if names_ else None


def _filled(
    title: str,
    compiled_: Compiled,
    delivered: Sequence[str],
    sources: Sequence[SourceSettings],
    context: RunContext,
    checks_only: bool,
) -> str:
    types = {column.name: column.type for column in compiled_.plan.columns}
    reasons = reasons_in_words(column(names.REASONS))
    parts: dict[str, exp.Select] = {
        "ready": compiled_.ready,
        "quarantined": compiled_.quarantined,
        "removed": compiled_.removed,
    }
    book: dict[str, Any] = {
        "title": title,
        "checks_only": checks_only,
        "rules": [f"{number}. {sentence_of(rule)}{'' if rule.enabled else ' (off)'}" for number, rule in compiled_.plan.rules],
        "columns": list(delivered),
        "sources": [{"name": source.name, "table": source.table, "settings": source.settings.model_dump(mode="json")} for source in sources],
        "operations": [operation.statement for operation in used_operations(compiled_)],
        "references": [_reference(name, reference.columns, reference.source, [reference.folder] if reference.folder else []) for name, reference in context.references.items()],
        "result": sql(_with_tables(compiled_.plan.query, context)),
        "verdicts": [
            {"rule": verdict.rule, "says": verdict.says, "reason": verdict.reason, "stops": verdict.stops, "query": sql(verdict.query)} for verdict in compiled_.verdicts
        ],
        "stopping": [
            {"rule": number, "says": sentence_of(rule), "query": sql(exp.select(template("count_if(:b) > 0", b=column(names.broken(number)))).from_(RESULT))}
            for number, rule in compiled_.plan.rules
            if isinstance(rule, Check) and rule.enabled and rule.consequence == "stop"
        ],
    }  # fmt: skip
    for name, query in parts.items():
        book[name] = sql(query)
        text = delimited(query, types, False)
        if name == "quarantined":
            cells = [
                exp.alias_(reasons, "reasons") if expression.name == names.REASONS else expression
                for expression in text.expressions
            ]
            text = text.select(*cells, append=False)
        book[f"{name}_text"] = sql(text)
    source = inspect.getsource(standalone)
    rules_text = pprint.pformat(book, width=110, sort_dicts=False)
    return _PLACE.sub(lambda _: f"BOOK: dict[str, Any] = {rules_text}", source, count=1)


def _reference(name: str, columns: Sequence[Any], source: exp.Expr, folders: Sequence[Path]) -> dict[str, Any]:
    """A reference table with its rows, to be put in before the rules run."""
    cells = [column(RECORD), *(column(each_column.name) for each_column in columns)]
    with TemporaryDirectory(prefix="pravin-") as scratch, connect(folders, Path(scratch)) as con:
        rows = con.execute(sql(exp.select(*cells).from_(source).order_by(column(RECORD)))).fetchall()
    kinds = [
        f"{column(RECORD).sql()} BIGINT",
        *(f"{column(each_column.name).sql(dialect='duckdb')} {SQL_TYPES[each_column.type]}" for each_column in columns),
    ]
    table = exp.to_table(_table(name)).sql(dialect="duckdb")
    marks = ", ".join("?" for _ in cells)
    return {
        "create": f"CREATE TABLE {table} ({', '.join(kinds)})",
        "insert": " ".join(("INSERT INTO", table, "VALUES", f"({marks})")),
        "rows": [
            [cell if isinstance(cell, int | float | str | bool | None) else str(cell) for cell in row] for row in rows
        ],
    }


def _table(name: str) -> str:
    return f"table_of_{names.reference(name)}"


def _with_tables(query: exp.Select, context: RunContext) -> exp.Select:
    """The query with reference tables read from tables of the script's own."""
    own = {sql(reference.source): _table(name) for name, reference in context.references.items()}

    def put(node: exp.Expr) -> exp.Expr:
        if isinstance(node, exp.Table | exp.Anonymous) and (name := own.get(sql(node))):
            return exp.to_table(name)
        return node

    new_query: exp.Select = query.transform(put)
    return new_query
