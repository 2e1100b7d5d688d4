"""Decisions on sets of records; cases that are told from the runs; no copies of the records any more."""

from __future__ import annotations

from typing import Any

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

from pravin_core.runs.decisions import Decision
from pravin_core.tables.record_sets import NOTHING, packed_numbers

KINDS = [
    ("amend", "Amend"),
    ("accept", "Accept"),
    ("discard", "Discard"),
    ("reopen", "Reopen"),
    ("assign", "Assign"),
    ("wait", "Wait"),
    ("comment", "Comment"),
    ("return", "Return"),
]
PERSON: models.ForeignKey[Any, Any] = models.ForeignKey(
    null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to=settings.AUTH_USER_MODEL
)


def pack_decisions(apps: Any, schema_editor: Any) -> None:
    """Every decision on one record becomes one on a set of one."""
    old, new = apps.get_model("quarantine", "RecordDecision"), apps.get_model("quarantine", "Decision")
    for decision in old.objects.select_related("delivery").order_by("at", "id").iterator():
        if decision.kind == "amend" and decision.values:
            kept = Decision.amending([decision.record], decision.values)
        else:
            kept = Decision.on("reopen" if decision.kind == "amend" else decision.kind, [decision.record])
        row = new.objects.create(
            delivery=decision.delivery, snapshot_key=decision.delivery.snapshot_key, kind=kept.kind, records=1,
            content=kept.content, details={"values": decision.values} if decision.values else {},
            justification=decision.justification, by=decision.by,
        )  # fmt: skip
        new.objects.filter(pk=row.pk).update(at=decision.at)


def point_runs(apps: Any, schema_editor: Any) -> None:
    """A run under just the decisions that hold names them; older ones keep what they were made under."""
    run_model, old = apps.get_model("runs", "Run"), apps.get_model("quarantine", "RecordDecision")
    new = apps.get_model("quarantine", "Decision")
    for run in run_model.objects.exclude(decisions=[]).only("pk", "delivery_id", "decisions").iterator():
        hold = old.objects.filter(delivery=run.delivery_id).order_by("record").values("record", "kind", "values")
        if [dict(decision) for decision in hold] == run.decisions:
            ids = new.objects.filter(delivery=run.delivery_id).order_by("id").values_list("id", flat=True)
            run_model.objects.filter(pk=run.pk).update(decisions=list(ids))


def open_cases(apps: Any, schema_editor: Any) -> None:
    """The records that the newest run of each delivery set apart are cases since that run."""
    run_model, held = apps.get_model("runs", "Run"), apps.get_model("quarantine", "QuarantinedRecord")
    steps = apps.get_model("quarantine", "CaseStep")
    counting = (
        run_model.objects.filter(purpose="run", state="done").order_by("delivery_id", "-id").distinct("delivery_id")
    )
    for run in counting.only("pk", "ended"):
        records = list(held.objects.filter(run=run.pk).order_by("record").values_list("record", flat=True))
        steps.objects.create(
            run=run, opened=packed_numbers(records or NOTHING), ended=packed_numbers(NOTHING),
            opened_count=len(records), ended_count=0, waiting=len(records),
            oldest=run.ended if records else None,
        )  # fmt: skip


class Migration(migrations.Migration):
    dependencies = [
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
        ("deliveries", "0006_treated_findings"),
        ("runs", "0004_tables_after"),
        ("quarantine", "0002_reason_counts"),
    ]

    operations = [
        migrations.RenameModel("Decision", "RecordDecision"),
        migrations.AlterField(
            "RecordDecision",
            "delivery",
            models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="+", to="deliveries.delivery"),
        ),
        migrations.CreateModel(
            name="Decision",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("snapshot_key", models.CharField(max_length=64)),
                ("kind", models.CharField(max_length=8, choices=KINDS)),
                ("records", models.BigIntegerField()),
                ("content", models.BinaryField()),
                ("filters", models.JSONField(default=list)),
                ("details", models.JSONField(default=dict)),
                ("justification", models.TextField(blank=True)),
                ("until", models.DateField(null=True)),
                ("at", models.DateTimeField(auto_now_add=True)),
                ("undone_at", models.DateTimeField(null=True)),
                (
                    "delivery",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="decisions", to="deliveries.delivery"
                    ),
                ),
                ("owner", PERSON),
                ("by", PERSON.clone()),
                ("undone_by", PERSON.clone()),
            ],
            options={
                "ordering": ["id"],
                "indexes": [models.Index(fields=["delivery", "undone_at"], name="decisions_that_hold")],
            },
        ),
        migrations.CreateModel(
            name="CaseStep",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("opened", models.BinaryField()),
                ("ended", models.BinaryField()),
                ("opened_count", models.BigIntegerField()),
                ("ended_count", models.BigIntegerField()),
                ("waiting", models.BigIntegerField()),
                ("settled", models.BigIntegerField(default=0)),
                ("again", models.BigIntegerField(default=0)),
                ("oldest", models.DateTimeField(null=True)),
                (
                    "run",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE, related_name="cases", to="runs.run"
                    ),
                ),
            ],
            options={"ordering": ["run_id"]},
        ),
        migrations.CreateModel(
            name="Match",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("settled", models.BigIntegerField()),
                ("again", models.BigIntegerField()),
                ("content", models.BinaryField()),
                (
                    "by_run",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="met_earlier", to="runs.run"
                    ),
                ),
                (
                    "case_run",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="met_later", to="runs.run"
                    ),
                ),
            ],
            options={
                "ordering": ["by_run_id"],
                "constraints": [models.UniqueConstraint(fields=["case_run", "by_run"], name="two_runs_met_once")],
            },
        ),
        migrations.RunPython(pack_decisions, migrations.RunPython.noop),
        migrations.RunPython(point_runs, migrations.RunPython.noop),
        migrations.RunPython(open_cases, migrations.RunPython.noop),
        migrations.DeleteModel("RecordDecision"),
        migrations.DeleteModel("QuarantinedRecord"),
    ]
