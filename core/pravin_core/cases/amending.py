"""Amendments of many records at once, by a formula or by a rule."""

from __future__ import annotations

from pathlib import Path

import pyarrow as pa
from sqlglot import exp

from pravin_core.cases.chosen import is_chosen, know_chosen
from pravin_core.compiler.plan import RunContext
from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.errors import RulebookError, RunError
from pravin_core.formulas.language import parse, placed
from pravin_core.intake.snapshot import FileCounts, Snapshot
from pravin_core.records.pages import Stage, answered
from pravin_core.rules.base import Rule
from pravin_core.rules.rulebook import Rulebook, opened
from pravin_core.runs.decisions import Decision, amendments
from pravin_core.runs.runner import result_parts, run_rulebook
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written, written_or_unread
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD, Column
from pravin_core.tables.record_sets import Numbers
from pravin_core.tables.types import NUMBERS, DataType


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


def by_rule(
    stage: Stage,
    records: Numbers,
    name: str,
    rule: Rule,
    scratch: Path,
    limits: Limits = Limits(),
    context: RunContext = RunContext(),
) -> Decision:
    """The amendment that puts into column `name` of each record what a rule makes of its current values, where that differs; of a rule
    that adds columns (looks them up, say) it is the value of the first that it adds. Where it adds nothing to a record, the record
    keeps what it has.

    What could not be read stands there as its text; numbers are read first for a rule that needs them. Raises RulebookError when the
    rule does not fit, RunError when the column is not there or nothing would change.
    """
    if name not in stage.types:
        raise RunError(f"There is no column {name!r}.", column=name, advice="Choose one of the columns of the table.")
    chosen = _as_delivered(stage, records, scratch / "chosen", limits)
    folder, types = _ran(chosen, stage, rule, scratch, limits, context)
    source = next((each for each in types if each not in stage.types), name)
    if source not in types:
        raise RunError(f"The rule removes the column {name!r}.", column=name, advice="Choose another rule.")
    now, then = column(name, "s"), written(column(source, "r"), types[source])
    # a number that could not be read, or what was not found, says nothing; a text that is missing then was made so
    says = exp.true() if source == name and types[source] is DataType.TEXT else template(":t IS NOT NULL", t=then)
    query = (
        exp.select(column(RECORD, "r").as_("place"), exp.Literal.string(name).as_("name"), then.as_("value"))
        .from_(exp.select("*").from_(read_parquet(result_parts(folder))).subquery("r"))
        .join(
            exp.select("*").from_(read_parquet(chosen.parts)).subquery("s"),
            on=exp.EQ(this=column(RECORD, "s"), expression=column(RECORD, "r")),
        )
        .where(
            template(":s <> 'removed'", s=column(names.STATE, "r")),
            template(":t IS DISTINCT FROM :c", t=then, c=now),
            says,
        )
    )
    with connect([folder, chosen.folder], scratch, limits) as con:
        cells = con.sql(sql(query)).to_arrow_reader().read_all()
    if not cells.num_rows:
        raise RunError(
            "The rule changes nothing of these records.", column=name, advice="Choose another rule, or a value."
        )
    numbers = pa.array(records[cells.column("place").to_numpy() - 1], pa.int64())
    return Decision.of_cells(cells.set_column(0, "record", numbers).cast(_CELLS))


def _ran(
    chosen: Snapshot, stage: Stage, rule: Rule, scratch: Path, limits: Limits, context: RunContext
) -> tuple[Path, dict[str, DataType]]:
    """The result of a rule alone over chosen records, as texts or, where it needs numbers, with numbers read; with its columns."""
    numeric = [each for each, kind in stage.types.items() if kind in NUMBERS]
    reading = opened([{"kind": "to-number", "id": "read", "columns": numeric}]).rules
    try:
        folder = scratch / "plain"
        outcome = run_rulebook(chosen, Rulebook(rules=(rule,)), folder, (), limits, None, context)
    except RulebookError:
        if not numeric:
            raise
        folder = scratch / "read"
        outcome = run_rulebook(chosen, Rulebook(rules=(*reading, rule)), folder, (), limits, None, context)
    return folder, {each: DataType(kind) for each, kind in outcome.columns}


def _as_delivered(stage: Stage, records: Numbers, folder: Path, limits: Limits) -> Snapshot:
    """Chosen records (rising), as they are now, as if they were delivered so: all text, numbered from 1."""
    folder.mkdir(parents=True)
    reasons = column(names.REASONS)
    cells = [
        exp.alias_(
            template("nullif(:c, '')", c=written_or_unread(column(each), kind, reasons, each)), each, quoted=True
        )
        for each, kind in stage.types.items()
    ]
    number = template("row_number() OVER (ORDER BY :r)", r=column(RECORD))
    origin = [
        exp.alias_(number, RECORD, quoted=True),
        exp.alias_(template("CAST(0 AS SMALLINT)"), FILE, quoted=True),
        exp.alias_(number.copy(), LINE, quoted=True),
    ]
    query = exp.select(*origin, *cells).from_(read_parquet(stage.files)).where(is_chosen()).order_by(column(RECORD))
    counts = FileCounts(name="chosen", lines=len(records), record_lines=len(records), records=len(records), lane="")
    snapshot = Snapshot(folder, tuple(stage.types), (counts,))
    with connect([*stage.folders, folder], folder, limits) as con:
        know_operations(con)
        know_chosen(con, records)
        con.execute(sql(copy_to(query, snapshot.parts[0], format="parquet")))
    return snapshot


_CELLS = amendments(()).schema


def _cell(stage: Stage, name: str, kind: DataType) -> exp.Expr:
    if stage.outcome is not None and name in stage.outcome.lost and kind is DataType.TEXT:
        text = written_or_unread(column(name), stage.types[name], column(names.REASONS), name)
        return template("nullif(:c, '')", c=text)
    return template("nullif(:c, '')", c=column(name)) if kind is DataType.TEXT else column(name)
