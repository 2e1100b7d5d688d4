"""Combinations of values, each once with how often it occurs, where that is less work than all records."""

from __future__ import annotations

from collections.abc import Sequence

from sqlglot import exp

from pravin_core.compiler.corrections import same_record
from pravin_core.engines.base import Connection
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.base import (
    RecordCorrection,
)
from pravin_core.runs.dependencies import needed_by
from pravin_core.runs.effects.question import Question
from pravin_core.runs.repeating_columns import SAMPLE, VALUE, counted_different, values_of
from pravin_core.runs.runner import DELIVERED
from pravin_core.sql.statements import read_parquet, temporary_table, temporary_view
from pravin_core.sql.trees import column, sql, template
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD


def repeating(con: Connection, source: str, sets: Sequence[Sequence[str]]) -> list[bool]:
    """For each set of columns, whether their values repeat so much that to group them is worth it."""
    named = list(dict.fromkeys(name for some in sets for name in some))
    counts, _ = counted_different(con, exp.select(*map(column, named)).from_(source).limit(SAMPLE), sets)
    return [count < SAMPLE / 2 for count in counts]


def group(
    con: Connection,
    snapshot: Snapshot,
    source: str,
    wanted: Sequence[str],
    repeating: bool,
    called: Sequence[str] = (),
) -> str:
    """A table of each combination of values once: the first record with it, and how many have it. Where most are different, to
    look for those alike would cost more than it saves. Where the records came from is asked for those that are shown.
    """
    cells = [column(name) for name in wanted]
    shown = [exp.alias_(column(name), text, quoted=True) for name, text in zip(wanted, called or wanted, strict=True)]
    nowhere = [exp.alias_(exp.cast(exp.null(), kind), name) for name, kind in ((FILE, "SMALLINT"), (LINE, "BIGINT"))]
    if repeating and source == DELIVERED and len(wanted) == 1:
        kept = read_parquet([values_of(snapshot, wanted[0], DELIVERED, lambda statement: con.execute(sql(statement)))])
        value = exp.alias_(column(VALUE), shown[0].alias, quoted=True)
        alike = exp.select(column(RECORD), *nowhere, "__times", value)
        con.execute(sql(temporary_view("grouped", alike.from_(kept))))
        return "grouped"
    if repeating:
        alike = exp.select(template(f"min({RECORD}) AS {RECORD}"), *nowhere, template("count(*) AS __times"), *shown)
        con.execute(sql(temporary_table("grouped", alike.from_(source).group_by(*cells))))
        return "grouped"
    each = exp.select(column(RECORD), *nowhere, exp.alias_(exp.Literal.number(1), "__times"), *shown).from_(source)
    con.execute(sql(temporary_view("ungrouped", each)))
    return "ungrouped"


def remaining(question: Question) -> str:
    """The table of the delivered records that no rule above removed."""
    con, above = question.con, question.above
    last = max((at for at, (_, rule) in enumerate(above) if isinstance(rule, RecordCorrection)), default=None)
    if last is None:
        return DELIVERED
    needed = [*needed_by(above[last][1], above[:last]), above[last]]
    builder = question.compiled(needed, DELIVERED, question.snapshot.columns)
    gone = builder.query([column(RECORD)]).where(template(":g IS NOT NULL", g=column(names.GONE)))
    con.execute(sql(temporary_table("gone", gone)))
    remaining = exp.select(exp.Star()).from_(exp.to_table(DELIVERED).as_("t"))
    remaining = remaining.join(exp.to_table("gone").as_("g"), on=same_record("t", "g"), join_type="anti")
    con.execute(sql(exp.Create(this=exp.to_table("remaining"), kind="VIEW", expression=remaining, replace=True)))
    return "remaining"
