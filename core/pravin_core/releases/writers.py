"""Write parts of a run's result as CSV, TSV, JSON Lines or Parquet."""

from __future__ import annotations

import re
from collections.abc import Sequence
from pathlib import Path
from typing import Literal, get_args

from sqlglot import exp

from pravin_core.engines.base import Connection
from pravin_core.intake.snapshot import Snapshot
from pravin_core.rules.rulebook import Rulebook
from pravin_core.runs.model import Outcome
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import reasons_in_words, written, written_or_unread
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD, unique_names
from pravin_core.tables.types import DataType

Format = Literal["csv", "tsv", "jsonl", "parquet"]
FORMATS: tuple[Format, ...] = get_args(Format)
DEFUSED = (
    "texts that begin with = + - @, a tab or a carriage return get an apostrophe in front in CSV and TSV, unless that is "
    "switched off for the download; texts of digits, spaces and + - . , ( ) / only never do"
)
_OPTIONS: dict[str, dict[str, str | bool]] = {
    "csv": {"format": "csv", "header": True},
    "tsv": {"format": "csv", "header": True, "delimiter": "\t"},
    "jsonl": {"format": "json"},
    "parquet": {"format": "parquet"},
}


def write(con: Connection, query: exp.Expr, target: Path, form: Format) -> None:
    """Write a query's rows, in its order, to a file."""
    con.execute(sql(copy_to(query, target, **_OPTIONS[form])))


def delimited(query: exp.Select, types: dict[str, DataType], defused: bool) -> exp.Select:
    """The same rows with the table's values as written text, for delimited files.

    `defused`: texts that a spreadsheet would run as a formula get an apostrophe, see DEFUSED.
    """
    texts: list[exp.Expr] = []
    for cell in query.expressions:
        kind = types.get(cell.name) if isinstance(cell, exp.Column) else None
        if isinstance(cell, exp.Alias) and cell.alias in types and defused:  # text that could not be read
            cell = exp.alias_(defuse(cell.this), cell.alias, quoted=True)
        if kind is None:
            texts.append(cell)
            continue
        text = written(cell, kind)
        texts.append(exp.alias_(defuse(text) if defused and kind is DataType.TEXT else text, cell.name, quoted=True))
    return query.select(*texts, append=False)


def ready(
    result: Sequence[Path], outcome: Outcome, delivery: int | None = None, lie_in_order: bool = False
) -> exp.Select:
    """The ready records in order; with the number of their delivery, columns that say which and the record's number there.

    `lie_in_order`: the files hold the records in their order already, so they are not sorted again.
    """
    cells: list[exp.Expr] = [column(name) for name, _ in outcome.columns]
    if delivery is not None:
        in_delivery, in_record = origin_columns([name for name, _ in outcome.columns])
        cells.append(exp.alias_(exp.cast(exp.convert(delivery), "INTEGER"), in_delivery, quoted=True))
        cells.append(exp.alias_(column(RECORD), in_record, quoted=True))
    keep = template(":s IN ('ready', 'corrected')", s=column(names.STATE))
    rows = exp.select(*cells).from_(read_parquet(result)).where(keep)
    return rows if lie_in_order else rows.order_by(_order(outcome))


def origin_columns(own: Sequence[str]) -> tuple[str, str]:
    """What the columns for delivery and record number are called beside a table's own."""
    named, _ = unique_names([*own, "pravin_delivery", "pravin_record"])
    return named[-2], named[-1]


def standard_text(query: exp.Select, types: dict[str, DataType]) -> exp.Select:
    """The same rows as text that the open standards read without being told how: date-times with a T between."""
    plain = delimited(query, types, defused=False)
    cells = [
        exp.alias_(template("replace(:t, ' ', 'T')", t=cell.this), cell.alias, quoted=True)
        if types.get(cell.alias) is DataType.DATETIME
        else cell
        for cell in plain.expressions
    ]
    return plain.select(*cells, append=False)


def reasons_counted(result: Sequence[Path]) -> exp.Expr:
    """Each reason of quarantined records: the rule's number, the columns, the words, and how many records have it."""
    return template(
        "SELECT r.rule AS rule, r.name AS name, r.phrase AS phrase, count(*) AS records"
        " FROM (SELECT unnest(:reasons) AS r FROM :files WHERE :state = 'quarantined') AS each_reason"
        " GROUP BY ALL ORDER BY records DESC, rule, name",
        reasons=column(names.REASONS), files=read_parquet(result), state=column(names.STATE),
    )  # fmt: skip


def _order(outcome: Outcome) -> exp.Column:
    """The column that tells the order of the records."""
    return column(names.PLACE if outcome.ordered else RECORD)


def defuse(cell: exp.Expr) -> exp.Expr:
    """OWASP's advice on CSV injection: an apostrophe before = + - @, tab and carriage return. What consists of digits and the
    marks of numbers, dates and telephone numbers only names nothing that a spreadsheet could run, and stays as it is.
    """
    runs = r"regexp_matches(:c, '^[=+\-@\t\r]') AND NOT regexp_full_match(:c, '[-0-9 +.,()/]*')"
    return template(f"CASE WHEN {runs} THEN concat('''', :c) ELSE :c END", c=cell)


def defused(text: str) -> str:
    """The same of one text, for what is not written by the engine."""
    runs = re.match(r"[=+\-@\t\r]", text) and not re.fullmatch(r"[-0-9 +.,()/]*", text)
    return f"'{text}" if runs else text


def quarantined(result: Sequence[Path], outcome: Outcome) -> exp.Select:
    """The quarantined records with their reasons as one text, record number, file and line."""
    expression = reasons_in_words(column(names.REASONS))
    return _with_origin(result, outcome, "quarantined", expression, "reasons")


def removed(result: Sequence[Path], outcome: Outcome, rulebook: Rulebook) -> exp.Select:
    """The removed records with the rule that removed them; those discarded by hand say so."""
    whens = exp.Case(default=exp.Literal.string("discarded by decision"))
    for number, rule in enumerate(rulebook.rules, start=1):
        words = "".join(part.text for part in rule.describe())
        condition = exp.EQ(this=column(names.GONE), expression=exp.Literal.number(number))
        whens = whens.when(condition, exp.Literal.string(f"{number}. {words}"))
    reason = whens if whens.args.get("ifs") else exp.Literal.string("discarded by decision")
    return _with_origin(result, outcome, "removed", reason, "rule")


def rejected(snapshot: Snapshot) -> exp.Select:
    """The rejected lines: file, line, raw text, reason."""
    return (
        exp.select(exp.alias_(file_name(snapshot, exp.column("file")), "file"), "line", "text", "reason")
        .from_(exp.select(exp.alias_("file", "place"), "*").from_(read_parquet([snapshot.rejected_path])).subquery("r"))
        .order_by("place", "line")
    )


def file_name(snapshot: Snapshot, number: exp.Expr) -> exp.Expr:
    """The name of the source file at a place (from 0) of a snapshot; missing where there is none."""
    files = exp.Array(expressions=[exp.Literal.string(file.name) for file in snapshot.files])
    return template("list_extract(:files, CAST(:n AS INTEGER) + 1)", files=files, n=number)


def _cell(name: str, kind: str, state: str, outcome: Outcome) -> exp.Expr:
    """A cell as it is; in quarantine, where a column may hold what could not be read, as text with that text."""
    if state != "quarantined" or name not in outcome.lost:
        return column(name)
    return exp.alias_(written_or_unread(column(name), DataType(kind), column(names.REASONS), name), name, quoted=True)


def _with_origin(result: Sequence[Path], outcome: Outcome, state: str, expression: exp.Expr, name: str) -> exp.Select:
    """Records of a state with what is said of them; added columns keep clear of the table's own names."""
    own = [column_name for column_name, _ in outcome.columns]
    added, _ = unique_names([*own, "record", "file_number", "line", name])
    record, file, line, words = added[len(own) :]
    return (
        exp.select(
            exp.alias_(column(RECORD), record, quoted=True),
            exp.alias_(template(":f + 1", f=column(FILE)), file, quoted=True),
            exp.alias_(column(LINE), line, quoted=True),
            *(_cell(column_name, kind, state, outcome) for column_name, kind in outcome.columns),
            exp.alias_(expression, words, quoted=True),
        )
        .from_(read_parquet(result))
        .where(template(":s = :v", s=column(names.STATE), v=exp.Literal.string(state)))
        .order_by(_order(outcome))
    )
