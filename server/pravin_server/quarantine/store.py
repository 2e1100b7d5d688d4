"""Copy the quarantined records of a result into the database, without a loop over records."""

from __future__ import annotations

from pathlib import Path

from django.db import connection
from django.db.models import Count, F, Func, IntegerField
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast
from sqlglot import exp

from pravin_core.engines.duckdb import connect, know_operations
from pravin_core.records.pages import Stage
from pravin_core.runs.runner import load_outcome, result_parts
from pravin_core.sql.statements import copy_to, read_parquet
from pravin_core.sql.trees import column, sql, template
from pravin_core.sql.written import written, written_or_unread
from pravin_core.tables import names
from pravin_core.tables.columns import FILE, LINE, RECORD
from pravin_server.common import cache
from pravin_server.deliveries import snapshots
from pravin_server.quarantine.models import QuarantinedRecord, ReasonCount
from pravin_server.runs.models import Run

_COPY = "COPY quarantine_quarantinedrecord (run_id, record, file, line, reasons, current, original) FROM STDIN CSV"


def set_apart(run: Run, folder: Path) -> None:
    """Keep the quarantined records of a run; those of earlier runs of the delivery give way."""
    QuarantinedRecord.objects.filter(run__delivery=run.delivery).delete()
    ReasonCount.objects.filter(run__delivery=run.delivery).delete()
    outcome = load_outcome(folder)
    assert outcome is not None
    snapshot = snapshots.make(run.delivery, run.snapshot_key)
    stage = Stage(snapshot, folder, outcome)
    with cache.scratch() as scratch, connect([folder, snapshot.folder], scratch, cache.limits()) as con:
        target = scratch / "apart.csv"
        know_operations(con)
        con.execute(sql(copy_to(_query(run.pk, stage, folder), target, format="csv", header=False)))
        with connection.cursor() as cursor, cursor.copy(_COPY) as copy, target.open("rb") as file:
            while piece := file.read(2**20):
                copy.write(piece)
    count_reasons(run.pk)


class _Each(Func):
    """One row for each item of a JSON list."""

    function = "jsonb_array_elements"
    set_returning = True


def count_reasons(run_id: int) -> None:
    """Keep how many records each reason of a run holds."""
    items = QuarantinedRecord.objects.filter(run_id=run_id).annotate(item=_Each(F("reasons"))).annotate(
        rule=Cast(KeyTextTransform("rule", "item"), IntegerField()),
        name=KeyTextTransform("name", "item"),
        phrase=KeyTextTransform("phrase", "item"),
    )  # fmt: skip
    grouped = items.values("rule", "name", "phrase").annotate(records=Count("record", distinct=True))
    ReasonCount.objects.bulk_create(ReasonCount(run_id=run_id, **row) for row in grouped)


def _query(run_id: int, stage: Stage, folder: Path) -> exp.Select:
    assert stage.outcome is not None
    lost, reasons = stage.outcome.lost, column(names.REASONS, "r")
    current = _object({
        name: written_or_unread(column(name, "r"), kind, reasons, name) if name in lost else written(column(name, "r"), kind)
        for name, kind in stage.types.items()
    })  # fmt: skip
    original = _object({name: column(name, "s") for name in stage.snapshot.columns})
    expression = template(":s = 'quarantined'", s=column(names.STATE))
    narrow = exp.select("*").from_(read_parquet(result_parts(folder))).where(expression)
    # a record that a rule made shows what the record it was made from held
    origin: exp.Expr = column(RECORD, "r")
    if stage.outcome.traced:
        origin = template("coalesce(:m, :r)", m=column(names.MADE_FROM, "r"), r=column(RECORD, "r"))
    known: exp.Expr = column(RECORD)
    if stage.outcome.traced:
        known = template("coalesce(:m, :r)", m=column(names.MADE_FROM), r=column(RECORD))
    records = exp.select(known).from_(read_parquet(result_parts(folder))).where(expression)
    source = exp.select("*").from_(read_parquet(stage.snapshot.parts))
    source = source.where(exp.In(this=column(RECORD), query=records.subquery()))
    return (
        exp.select(
            exp.Literal.number(run_id),
            column(RECORD, "r"),
            template("coalesce(:f, -1)", f=column(FILE, "r")),
            column(LINE, "r"),
            template("to_json(:r)", r=column(names.REASONS, "r")),
            current,
            original,
        )
        .from_(narrow.subquery("r"))
        .join(source.subquery("s"), on=exp.EQ(this=origin, expression=column(RECORD, "s")), join_type="left")
        .order_by(column(RECORD, "r"))
    )


def _object(cells: dict[str, exp.Expr]) -> exp.Expr:
    """A JSON object of texts by column name."""
    keys: list[exp.Expr] = [exp.Literal.string(name) for name in cells]
    pairs = [part for pair in zip(keys, cells.values(), strict=True) for part in pair]
    return exp.Anonymous(this="json_object", expressions=pairs)
