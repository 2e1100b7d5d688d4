import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

ID = ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID"))


class Migration(migrations.Migration):
    dependencies = [
        ("deliveries", "0001_initial"),
        ("feeds", "0002_design"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]
    operations = [
        migrations.AddField("delivery", "arrived", models.CharField(default="upload", max_length=200)),
        migrations.AddField("delivery", "totals", models.JSONField(default=list)),
        migrations.AddField("delivery", "compared", models.JSONField(default=list)),
        migrations.AddField("sourcefile", "companion", models.BooleanField(default=False)),
        migrations.CreateModel(
            name="Source",
            fields=[
                ID,
                ("position", models.IntegerField()),
                ("name", models.CharField(max_length=800)),
                ("member", models.CharField(blank=True, max_length=400)),
                ("table", models.CharField(blank=True, max_length=200)),
                ("left_out", models.BooleanField(default=False)),
                ("request", models.JSONField(default=dict)),
                ("settings", models.JSONField(default=dict)),
                ("guess", models.JSONField(null=True)),
                ("evidence", models.JSONField(default=dict)),
                ("notes", models.JSONField(default=list)),
                ("rivals", models.JSONField(default=dict)),
                ("doubts", models.JSONField(default=list)),
                ("sketch", models.JSONField(default=list)),
                ("counts", models.JSONField(null=True)),
                (
                    "delivery",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="sources", to="deliveries.delivery"
                    ),
                ),
                (
                    "file",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="sources", to="deliveries.sourcefile"
                    ),
                ),
            ],
            options={"ordering": ["position"]},
        ),
        migrations.AddConstraint(
            "source", models.UniqueConstraint(fields=("delivery", "position"), name="one_source_a_place")
        ),
        migrations.CreateModel(
            name="Repair",
            fields=[
                ID,
                ("line", models.BigIntegerField()),
                ("lines", models.IntegerField(default=1)),
                ("text", models.TextField()),
                ("original", models.TextField()),
                ("at", models.DateTimeField(auto_now_add=True)),
                (
                    "by",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.SET_NULL, to=settings.AUTH_USER_MODEL
                    ),
                ),
                (
                    "source",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="repairs", to="deliveries.source"
                    ),
                ),
            ],
            options={"ordering": ["id"]},
        ),
        migrations.AddConstraint(
            "repair", models.UniqueConstraint(fields=("source", "line"), name="one_repair_a_line")
        ),
        migrations.CreateModel(
            name="DesignChange",
            fields=[
                ID,
                ("kind", models.CharField(max_length=12)),
                ("name", models.CharField(max_length=1000)),
                ("column", models.CharField(blank=True, max_length=1000)),
                ("evidence", models.TextField(blank=True)),
                ("choices", models.JSONField(default=list)),
                ("choice", models.CharField(blank=True, max_length=40)),
                ("target", models.CharField(blank=True, max_length=1000)),
                ("settled_at", models.DateTimeField(null=True)),
                (
                    "delivery",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="changes", to="deliveries.delivery"
                    ),
                ),
                (
                    "settled_by",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.SET_NULL, to=settings.AUTH_USER_MODEL
                    ),
                ),
                (
                    "source",
                    models.ForeignKey(
                        null=True,
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="changes",
                        to="deliveries.source",
                    ),
                ),
            ],
            options={"ordering": ["id"]},
        ),
    ]
