"""Reasons are counted as records are set apart; those that are set apart already are counted here, once."""

import django.db.models.deletion
from django.db import migrations, models
from django.db.models import Count, F, Func, IntegerField
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast


class _Each(Func):
    function = "jsonb_array_elements"
    set_returning = True


def count(apps, schema_editor):
    held, counts = apps.get_model("quarantine", "QuarantinedRecord"), apps.get_model("quarantine", "ReasonCount")
    items = held.objects.annotate(item=_Each(F("reasons"))).annotate(
        rule=Cast(KeyTextTransform("rule", "item"), IntegerField()),
        name=KeyTextTransform("name", "item"),
        phrase=KeyTextTransform("phrase", "item"),
    )
    grouped = items.values("run_id", "rule", "name", "phrase").annotate(records=Count("record", distinct=True))
    counts.objects.bulk_create((counts(**row) for row in grouped.order_by().iterator()), batch_size=1000)


class Migration(migrations.Migration):
    dependencies = [("quarantine", "0001_initial")]

    operations = [
        migrations.CreateModel(
            name="ReasonCount",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("rule", models.IntegerField()),
                ("name", models.TextField()),
                ("phrase", models.TextField()),
                ("records", models.BigIntegerField()),
                (
                    "run",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="reasons", to="runs.run"
                    ),
                ),
            ],
            options={"ordering": ["-records", "rule", "name", "phrase"]},
        ),
        migrations.RunPython(count, migrations.RunPython.noop),
    ]
