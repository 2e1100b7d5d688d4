"""Records returned to the supplier as a file, and what comes back filled in.

The file has a line for each record: a reference that only this file has, the reasons, the cells as they were delivered, under the
names that the supplier knows, and beside them an empty cell "correct …" for each column that is complained of.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import pyarrow as pa
from sqlglot import exp

from pravin_core.cases.files import Waiting
from pravin_core.engines.base import Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.engines.kept import kept_engine
from pravin_core.errors import IntakeError, RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.releases.writers import Format, defuse, write
from pravin_core.runs.decisions import Decision, amendments
from pravin_core.sql.statements import read_parquet, temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import reasons_in_words
from pravin_core.tables import names
from pravin_core.tables.columns import LINE, RECORD

REFERENCE, REASONS, CORRECT = "return reference", "what is wrong", "correct "
NO_VALUE = "(no value)"  # what a supplier writes where there is none, since an empty cell corrects nothing
EXAMPLES = 5


@dataclass(frozen=True)
class Returned:
    """What came back: the amendment (None: no cell was filled in), how many records it is about, of how many lines nothing was
    filled in; the numbers of lines of which nothing is taken: their reference is not of this file, stands there more than once, or
    their delivered cells were changed.
    """

    amendment: Decision | None
    records: int
    untouched: int
    unknown: tuple[int, ...]
    repeated: tuple[int, ...]
    changed: tuple[int, ...]


def write_return(
    waiting: Waiting,
    known_as: Mapping[str, str],
    sent: str,
    target: Path,
    form: Format = "csv",
    limits: Limits = Limits(),
) -> None:
    """Write the file for a supplier. `known_as` are the supplier's names of columns by ours, `sent` names the file (before a
    colon, what it is recognised by) and must stay the same for it. Texts that a spreadsheet would run get an apostrophe in front.

    Raises RunError when a column is called as one of the file's own.
    """
    stage = waiting.stage
    heads = [known_as.get(name, name) for name in stage.snapshot.columns]
    if own := {REFERENCE, REASONS} & set(heads):
        raise RunError(
            f"The delivery has a column {min(own)!r}, which the file for a supplier needs for itself.",
            advice="Call that column otherwise in Intake.",
        )
    with connect([*stage.folders, target.parent], target.parent, limits, in_order=True) as con:
        know_operations(con)
        con.register("chosen", pa.table({"record": pa.array(waiting.records, pa.int64())}))
        wrong = _complained_of([row[0] for row in con.execute(sql(_names_wrong(waiting))).fetchall()], waiting)
        delivered = [
            exp.alias_(defuse(column(name, "s")), known_as.get(name, name), quoted=True)
            for name in stage.snapshot.columns
        ]
        empty = [exp.alias_(exp.Literal.string(""), CORRECT + known_as.get(name, name), quoted=True) for name in wrong]
        query = (
            exp.select(
                exp.alias_(_reference(sent), REFERENCE, quoted=True),
                exp.alias_(defuse(reasons_in_words(column(names.REASONS, "r"))), REASONS, quoted=True),
                *delivered,
                *empty,
            )
            .from_(exp.select("*").from_(read_parquet(stage.files)).subquery("r"))
            .join(exp.to_table("chosen").as_("c"), on=template("c.record = :r", r=column(RECORD, "r")))
            .join(
                exp.select("*").from_(read_parquet(stage.snapshot.parts)).subquery("s"),
                on=exp.EQ(this=column(RECORD, "r"), expression=column(RECORD, "s")),
            )
            .order_by(column(RECORD, "r"))
        )
        write(con, query, target, form)


def read_return(
    answer: Snapshot,
    waiting: Waiting,
    known_as: Mapping[str, str],
    sent: str,
    scratch: Path,
    limits: Limits = Limits(),
) -> Returned:
    """What a file that came back says of the records that it was made of. Raises IntakeError when it is no such file."""
    stage = waiting.stage
    if REFERENCE not in answer.columns:
        raise IntakeError(
            f"The file has no column “{REFERENCE}”, so its lines cannot be told to records.",
            advice="Send back the file that was made for the supplier, with its columns as they were.",
        )
    ours = {theirs: name for name, theirs in known_as.items()}
    corrects = {
        head: ours.get(head.removeprefix(CORRECT), head.removeprefix(CORRECT))
        for head in answer.columns
        if head.startswith(CORRECT)
    }
    types = {name for name, _ in (stage.outcome.columns if stage.outcome else ())}
    if unknown := [head for head, name in corrects.items() if name not in types]:
        raise IntakeError(f"The file corrects a column that the table has not: {unknown[0]!r}.", column=unknown[0])
    with connect([*stage.folders, answer.folder], scratch, limits, in_order=True) as con:
        know_operations(con)
        con.register("chosen", pa.table({"record": pa.array(waiting.records, pa.int64())}))
        references = (
            exp.select(exp.alias_(_reference(sent), "reference"), column(RECORD, "r").as_("record"))
            .from_(exp.select(column(RECORD)).from_(read_parquet(stage.files)).subquery("r"))
            .join(exp.to_table("chosen").as_("c"), on=template("c.record = :r", r=column(RECORD, "r")))
        )
        there = [name for name in stage.snapshot.columns if known_as.get(name, name) in answer.columns]
        alike = exp.and_(
            exp.true(),
            *(
                template("coalesce(:was, '') IN (coalesce(:now, ''), ltrim(coalesce(:now, ''), ''''))",
                         was=column(name, "s"), now=column(known_as.get(name, name), "a"))
                for name in there
            ),
        )  # fmt: skip
        matched = (
            exp.select(
                column(LINE, "a").as_("line"),
                exp.column("record", table="t").as_("record"),
                alike.as_("alike"),
                template("count(*) OVER (PARTITION BY t.record)").as_("times"),
                template("trim(coalesce(:x, '')) = ''", x=column(REFERENCE, "a")).as_("blank"),
                *(exp.alias_(column(head, "a"), head, quoted=True) for head in corrects),
            )
            .from_(exp.select("*").from_(read_parquet(answer.parts)).subquery("a"))
            .join(
                references.subquery("t"),
                on=template("trim(:x) = t.reference", x=column(REFERENCE, "a")),
                join_type="left",
            )
            .join(
                exp.select("*").from_(read_parquet(stage.snapshot.parts)).subquery("s"),
                on=template("t.record = :r", r=column(RECORD, "s")),
                join_type="left",
            )
        )
        con.execute(sql(temporary_table("matched", matched)))
        con.execute("DELETE FROM matched WHERE record IS NULL AND blank")  # lines that hold nothing
        strange = con.execute("SELECT line FROM matched WHERE record IS NULL ORDER BY line").fetchall()
        twice = con.execute("SELECT line FROM matched WHERE record IS NOT NULL AND times > 1 ORDER BY line").fetchall()
        changed = con.execute(
            "SELECT line FROM matched WHERE record IS NOT NULL AND times = 1 AND NOT alike ORDER BY line"
        ).fetchall()
        cells = [
            exp.select(
                exp.column("record"), exp.Literal.string(name).as_("name"),
                template("nullif(:c, :none)", c=column(head), none=exp.Literal.string(NO_VALUE)).as_("value"),
            ).from_("matched").where(template("alike AND times = 1 AND record IS NOT NULL AND coalesce(:c, '') <> ''", c=column(head)))
            for head, name in corrects.items()
        ]  # fmt: skip
        amended: pa.Table | None = None
        if cells:
            every: exp.Expr = cells[0]
            for part in cells[1:]:
                every = exp.Union(this=every, expression=part, distinct=False)
            amended = con.sql(sql(every)).to_arrow_reader().read_all()
        good = con.execute(
            "SELECT count(*) FROM matched WHERE record IS NOT NULL AND times = 1 AND alike"
        ).fetchone() or (0,)
    amendment = Decision.of_cells(amended.cast(_CELLS)) if amended is not None and amended.num_rows else None
    records = len(amendment.records) if amendment else 0
    lines_of = [tuple(int(row[0]) for row in rows) for rows in (strange, twice, changed)]
    return Returned(amendment, records, int(good[0]) - records, *lines_of)


def recognised(answer: Snapshot, spills: Path, limits: Limits = Limits()) -> str:
    """What the file was called that came back, told from the references of most of its lines; empty where there are none."""
    if REFERENCE not in answer.columns or not answer.records:
        return ""
    called = template("split_part(trim(coalesce(:x, '')), '-', 1)", x=column(REFERENCE))
    lines = exp.select(called.as_("called")).from_(read_parquet(answer.parts)).subquery("lines")
    query = template("SELECT called FROM :lines GROUP BY called ORDER BY count(*) DESC, called LIMIT 1", lines=lines)
    with kept_engine([answer.folder], spills, limits) as con:
        row = con.execute(sql(query)).fetchone()
    return str(row[0]) if row else ""


_CELLS = amendments(()).schema


def _reference(sent: str) -> exp.Expr:
    """What tells a record of this file: what the file is called, its number, and a check, so that no other line is taken for it."""
    return template(
        "concat(split_part(:sent, ':', 1), '-', CAST(:r AS VARCHAR), '-',"
        " left(sha256(concat(:sent, ':', CAST(:r AS VARCHAR))), 10))",
        r=column(RECORD, "r"), sent=exp.Literal.string(sent),
    )  # fmt: skip


def _names_wrong(waiting: Waiting) -> exp.Select:
    """The names in the reasons of the records."""
    return (
        exp.select(template("unnest(list_transform(:r, lambda __item: __item.name))", r=column(names.REASONS)))
        .distinct()
        .from_(read_parquet(waiting.stage.files))
        .where(exp.In(this=column(RECORD), query=exp.select("record").from_("chosen").subquery()))
    )


def _complained_of(named: Sequence[str], waiting: Waiting) -> list[str]:
    """The columns of the table that reasons name, in its order."""
    said = {part for name in named for part in (name, *name.split(", "))}
    return [name for name in waiting.stage.types if name in said]
