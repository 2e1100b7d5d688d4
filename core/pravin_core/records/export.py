"""The records behind a filter as a file."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from sqlglot import exp

from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.records.filters import Filter
from pravin_core.records.pages import Stage, answered, fitting
from pravin_core.releases.writers import Format, delimited, write
from pravin_core.sql.trees import column
from pravin_core.sql.written import reasons_in_words, written_or_unread
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD, unique_names


def export_records(
    stage: Stage,
    filters: Sequence[Filter],
    target: Path,
    form: Format,
    sort: str | None = None,
    descending: bool = False,
    limits: Limits = Limits(),
) -> None:
    """Write all records that fit, in order, to a file: their numbers, after a run their states and reasons, and their cells in
    full. In text forms a cell that could not be read holds what stood there; texts that a spreadsheet would run are defused.

    Raises RunError as `fitting` does.
    """
    query = fitting(stage, filters, sort, descending)
    types = stage.types
    own, _ = unique_names([*types, "record", "state", "reasons"])
    record, state, reasons = own[len(types) :]
    said: list[exp.Expr] = [exp.alias_(column(RECORD), record, quoted=True)]
    if stage.result is not None:
        text = reasons_in_words(column(names.REASONS))
        said += [exp.alias_(column(names.STATE), state, quoted=True), exp.alias_(text, reasons, quoted=True)]
    lost = stage.outcome.lost if stage.outcome is not None and form != "parquet" else ()
    cells = [
        exp.alias_(written_or_unread(column(name), kind, column(names.REASONS), name), name, quoted=True)
        if name in lost
        else column(name)
        for name, kind in types.items()
    ]
    query = query.select(*said, *cells, append=False)
    with connect([*stage.folders, target.parent], target.parent, limits) as con, answered():
        know_operations(con)
        write(con, delimited(query, types, True) if form in ("csv", "tsv") else query, target, form)
