"""Quarantined records as a file: with their reasons, as they are and as they were delivered."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from pathlib import Path
from typing import Literal

from sqlglot import exp

from pravin_core.cases.chosen import Waiting, delivered_as, know_chosen, with_delivered
from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.records.pages import Stage
from pravin_core.releases.workbook import write_workbook
from pravin_core.releases.writers import Format, defuse, file_name, write
from pravin_core.sql.trees import column, template
from pravin_core.sql.written import reasons_in_words, written_or_unread
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD, unique_names

FileFormat = Literal[Format, "xlsx"]
OWN = ("delivery", "record", "file", "line", "reasons")


def write_cases(
    waiting: Sequence[Waiting], target: Path, form: FileFormat, defused: bool = True, limits: Limits = Limits()
) -> None:
    """Write quarantined records of one or several deliveries to a file, in order: where each was delivered, its reasons in words,
    its cells as they are (what could not be read as it stood there) and, under "… (delivered)", as they were delivered. All cells
    are text; columns that a delivery has not are missing there. `defused`: in CSV and TSV texts that a spreadsheet would run get
    an apostrophe in front; in a workbook all is text, of which nothing runs.
    """
    folders = [folder for some in waiting for folder in some.stage.folders]
    with connect([*folders, target.parent], target.parent, limits, in_order=True) as con:
        know_operations(con)
        heads = _heads([name for some in waiting for name in _columns(some.stage)])
        parts = []
        for at, some in enumerate(waiting):
            know_chosen(con, some.records, f"chosen_{at}")
            parts.append(_cells(some, heads, f"chosen_{at}", defused and form in ("csv", "tsv")))
        query: exp.Expr = parts[0]
        for part in parts[1:]:
            query = exp.Union(this=query, expression=part, distinct=False, by_name=True)
        write_file(con, template("SELECT * FROM :all ORDER BY 1, 2", all=exp.paren(query)), target, form)


def write_file(
    con: Connection, query: exp.Expr, target: Path, form: FileFormat, to_fill_in: Collection[str] | None = None
) -> None:
    """Write the rows of a query; in a workbook all cells but those of columns `to_fill_in` (None: all) are locked."""
    if form == "xlsx":
        write_workbook(con, query, target, to_fill_in)
    else:
        write(con, query, target, form)


def _columns(stage: Stage) -> list[str]:
    """The columns of a table, and those of them that were delivered."""
    return [*stage.types, *(f"{name} (delivered)" for name in stage.types if delivered_as(stage, name))]


def _heads(columns: Sequence[str]) -> list[str]:
    """What the file's own columns are called, so that they keep clear of the table's."""
    different = list(dict.fromkeys(columns))
    return unique_names([*different, *OWN])[0][len(different) :]


def _cells(waiting: Waiting, heads: Sequence[str], chosen: str, defused: bool) -> exp.Select:
    stage = waiting.stage
    reasons = column(names.REASONS, "r")

    def text(cell: exp.Expr, head: str) -> exp.Expr:
        return exp.alias_(defuse(cell) if defused else cell, head, quoted=True)

    delivery_head, record_head, file_head, line_head, reasons_head = heads

    file = template("coalesce(:f, -1)", f=column(FILE, "r"))
    own = [
        exp.alias_(exp.convert(waiting.delivery), delivery_head, quoted=True),
        exp.alias_(column(RECORD, "r"), record_head, quoted=True),
        text(file_name(stage.snapshot, file), file_head),
        exp.alias_(column(LINE, "r"), line_head, quoted=True),
        text(reasons_in_words(reasons), reasons_head),
    ]
    now = [text(written_or_unread(column(name, "r"), kind, reasons, name), name) for name, kind in stage.types.items()]
    before = [
        text(column(delivered, "s"), f"{name} (delivered)")
        for name in stage.types
        if (delivered := delivered_as(stage, name)) is not None
    ]
    return with_delivered(stage, chosen).select(*own, *now, *before)
