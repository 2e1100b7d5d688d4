"""Passwords of other databases are kept sealed."""

from django.db import migrations, models

from pravin_server.common.secrets import MARK, sealed


def seal(apps, schema_editor):
    for plan in apps.get_model("arrivals", "FetchPlan").objects.exclude(password=""):
        if not plan.password.startswith(MARK):
            plan.password = sealed(plan.password)
            plan.save(update_fields=["password"])


class Migration(migrations.Migration):
    dependencies = [("arrivals", "0001_initial")]
    operations = [
        migrations.AlterField("fetchplan", "password", models.CharField(blank=True, max_length=1000)),
        migrations.RunPython(seal, migrations.RunPython.noop),
    ]
