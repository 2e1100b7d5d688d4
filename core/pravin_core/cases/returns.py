"""Records returned to the supplier as a file, and what comes back filled in.

The file has a line for each record: a reference that only this file has, the reasons, the cells as they were delivered, under the
names that the supplier knows, and beside them an empty cell "correct …" for each column that is complained of.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from sqlglot import exp

from pravin_core.cases.chosen import Waiting, delivered_as, is_chosen, know_chosen, with_delivered
from pravin_core.cases.files import FileFormat, write_file
from pravin_core.engines.base import Connection, Limits
from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.engines.kept import kept_engine
from pravin_core.errors import IntakeError, RunError
from pravin_core.intake.snapshot import Snapshot
from pravin_core.records.pages import Stage
from pravin_core.releases.workbook import MOST_ROWS
from pravin_core.releases.writers import defuse
from pravin_core.runs.decisions import Decision, amendments
from pravin_core.sql.statements import read_parquet, temporary_table
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import reasons_in_words
from pravin_core.tables import names
from pravin_core.tables.columns import LINE, RECORD

REFERENCE, REASONS, CORRECT = "return reference", "what is wrong", "correct "
NO_VALUE = "(no value)"  # what a supplier writes where there is none, since an empty cell corrects nothing


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
    form: FileFormat = "csv",
    limits: Limits = Limits(),
) -> None:
    """Write the file for a supplier. `known_as` are the supplier's names of columns by ours, `sent` names the file (before a
    colon, what it is recognised by) and must stay the same for it. Texts that a spreadsheet would run get an apostrophe in front; in a workbook, of which nothing runs, all
    cells but those to fill in are locked.

    Raises RunError when a column is called as one of the file's own.
    """
    stage = waiting.stage
    if form == "xlsx" and len(waiting.records) >= MOST_ROWS:  # what comes back is read from one sheet
        raise RunError(
            f"{len(waiting.records):,} records are more than one sheet of a workbook holds ({MOST_ROWS - 1:,}).",
            advice="Take the file as CSV.",
        )
    heads = [known_as.get(name, name) for name in stage.snapshot.columns]
    if own := {REFERENCE, REASONS} & set(heads):
        raise RunError(
            f"The delivery has a column {min(own)!r}, which the file for a supplier needs for itself.",
            advice="Call that column otherwise in Intake.",
        )
    with connect([*stage.folders, target.parent], target.parent, limits, in_order=True) as con:
        know_operations(con)
        know_chosen(con, waiting.records)
        said = [str(row[0]) for row in con.execute(sql(_names_wrong(stage))).fetchall()]
        wrong = {part for name in said for part in (name, *name.split(", "))}
        empty = [head for head, name in _corrections(stage, known_as).items() if name in wrong]
        safe = defuse if form in ("csv", "tsv") else _as_it_is
        query = with_delivered(stage).select(
            exp.alias_(_reference(sent), REFERENCE, quoted=True),
            exp.alias_(safe(reasons_in_words(column(names.REASONS, "r"))), REASONS, quoted=True),
            *(
                exp.alias_(safe(column(name, "s")), head, quoted=True)
                for name, head in zip(stage.snapshot.columns, heads, strict=True)
            ),
            *(exp.alias_(exp.Literal.string(""), head, quoted=True) for head in empty),
        )
        write_file(con, query.order_by(column(RECORD, "r")), target, form, empty)


def _as_it_is(cell: exp.Expr) -> exp.Expr:
    return cell


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
    heads = [head for head in answer.columns if head.startswith(CORRECT)]
    known = _corrections(stage, known_as)
    if strange := [head for head in heads if head not in known]:
        raise IntakeError(f"The file corrects a column that the table has not: {strange[0]!r}.", column=strange[0])
    with connect([*stage.folders, answer.folder], scratch, limits, in_order=True) as con:
        know_operations(con)
        know_chosen(con, waiting.records)
        con.execute(sql(temporary_table(_MATCHED, _matched(answer, stage, known_as, sent, heads))))
        unknown = _lines(con, "record IS NULL AND NOT is_blank")
        repeated = _lines(con, "record IS NOT NULL AND times > 1")
        changed = _lines(con, "record IS NOT NULL AND times = 1 AND NOT is_alike")
        good = _lines(con, _GOOD)
        amendment = _amendment(con, {head: known[head] for head in heads})
    records = len(amendment.records) if amendment else 0
    return Returned(amendment, records, len(good) - records, unknown, repeated, changed)


_MATCHED, _GOOD = "matched", "record IS NOT NULL AND times = 1 AND is_alike"


def _matched(
    answer: Snapshot, stage: Stage, known_as: Mapping[str, str], sent: str, heads: Sequence[str]
) -> exp.Select:
    """Each line of a file that came back: its record (missing: none of those sent), whether its delivered cells are as they were sent,
    how many lines have this record, whether its reference is empty, and the cells filled in, in the order of `heads`.
    """
    delivered = {name: known_as.get(name, name) for name in stage.snapshot.columns}
    alike = [
        template(
            "coalesce(:was, '') IN (coalesce(:now, ''), ltrim(coalesce(:now, ''), ''''))",
            was=column(name, "t"), now=column(head, "a"),
        )
        for name, head in delivered.items() if head in answer.columns
    ]  # fmt: skip
    sent_lines = with_delivered(stage).select(
        exp.alias_(_reference(sent), names.REASONS, quoted=True),
        column(RECORD, "r"),
        *(column(name, "s") for name in delivered),
    )
    return (
        exp.select(
            column(LINE, "a").as_("line"),
            column(RECORD, "t").as_("record"),
            exp.and_(exp.true(), *alike).as_("is_alike"),
            template("count(*) OVER (PARTITION BY :r)", r=column(RECORD, "t")).as_("times"),
            template("trim(coalesce(:x, '')) = ''", x=column(REFERENCE, "a")).as_("is_blank"),
            *(column(head, "a").as_(f"cell_{place}") for place, head in enumerate(heads)),
        )
        .from_(exp.select("*").from_(read_parquet(answer.parts)).subquery("a"))
        .join(
            sent_lines.subquery("t"),
            on=template("trim(:x) = :y", x=column(REFERENCE, "a"), y=column(names.REASONS, "t")),
            join_type="left",
        )
    )


def _lines(con: Connection, condition: str) -> tuple[int, ...]:
    """The numbers of the lines for which a condition holds."""
    query = exp.select("line").from_(_MATCHED).where(template(condition)).order_by("line")
    return tuple(int(row[0]) for row in con.execute(sql(query)).fetchall())


def _amendment(con: Connection, corrections: Mapping[str, str]) -> Decision | None:
    """What the good lines fill in, by the columns that their cells correct; None when that is nothing."""
    parts: list[exp.Select] = []
    for place, name in enumerate(corrections.values()):
        cell = exp.column(f"cell_{place}")
        value = template("nullif(:c, :none)", c=cell, none=exp.Literal.string(NO_VALUE))
        part = exp.select("record", exp.Literal.string(name).as_("name"), value.as_("value")).from_(_MATCHED)
        parts.append(part.where(template(_GOOD), template("coalesce(:c, '') <> ''", c=cell)))
    if not parts:
        return None
    every = exp.union(*parts, distinct=False) if len(parts) > 1 else parts[0]
    cells = con.sql(sql(every)).to_arrow_reader().read_all().cast(_CELLS)
    return Decision.of_cells(cells) if cells.num_rows else None


def _corrections(stage: Stage, known_as: Mapping[str, str]) -> dict[str, str]:
    """The columns of the table by the head of the cell that corrects each: under the name that the supplier knows, and where that is
    taken, or rules made the column, under our own.
    """
    result: dict[str, str] = {}
    for name in stage.types:
        source = delivered_as(stage, name)
        head = CORRECT + (known_as.get(source, source) if source else name)
        result[CORRECT + name if head in result else head] = name
    return result


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


def _names_wrong(stage: Stage) -> exp.Select:
    """The names in the reasons of the chosen records."""
    name = template("unnest(list_transform(:r, lambda __item: __item.name))", r=column(names.REASONS))
    return exp.select(name).distinct().from_(read_parquet(stage.files)).where(is_chosen())
