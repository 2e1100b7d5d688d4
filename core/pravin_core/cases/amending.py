"""Amendments of many records at once by a formula."""

from __future__ import annotations

from pathlib import Path

from sqlglot import exp

from pravin_core.cases.chosen import is_chosen, know_chosen
from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.errors import RunError
from pravin_core.formulas.language import parse, placed
from pravin_core.records.pages import Stage, answered
from pravin_core.runs.decisions import Decision, amendments
from pravin_core.sql.statements import read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written, written_or_unread
from pravin_core.tables import names
from pravin_core.tables.columns import RECORD, Column
from pravin_core.tables.record_sets import Numbers
from pravin_core.tables.types import DataType


def by_formula(
    stage: Stage, records: Numbers, name: str, formula: str, scratch: Path, limits: Limits = Limits()
) -> Decision:
    """The amendment that puts into column `name` of each record what a formula gives over its current values.

    Where the column holds values that could not be read, the formula sees it as text, as it stood there. Raises FormulaError
    with the place of what is wrong, RunError when the column is not there.
    """
    types = stage.types
    if name not in types:
        raise RunError(f"There is no column {name!r}.", column=name, advice="Choose one of the columns of the table.")
    assert stage.outcome is not None
    if name in stage.outcome.lost:
        types = {**types, name: DataType.TEXT}
    read = parse(formula, [Column(each, kind) for each, kind in types.items()])
    cells = {each: _cell(stage, each, types[each]) for each in read.reads}
    result = written(placed(read.expression, cells), read.type)
    query = (
        exp.select(column(RECORD).as_("record"), exp.Literal.string(name).as_("name"), result.as_("value"))
        .from_(read_parquet(stage.files))
        .where(is_chosen())
    )
    with connect(stage.folders, scratch, limits) as con, answered():
        know_operations(con)
        know_chosen(con, records)
        cells_amended = con.sql(sql(query)).to_arrow_reader().read_all().cast(_CELLS)
    return Decision.of_cells(cells_amended)


_CELLS = amendments(()).schema


def _cell(stage: Stage, name: str, kind: DataType) -> exp.Expr:
    if stage.outcome is not None and name in stage.outcome.lost and kind is DataType.TEXT:
        text = written_or_unread(column(name), stage.types[name], column(names.REASONS), name)
        return template("nullif(:c, '')", c=text)
    return template("nullif(:c, '')", c=column(name)) if kind is DataType.TEXT else column(name)
