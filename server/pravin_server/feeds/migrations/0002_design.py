from django.db import migrations, models


def names_to_design(apps, schema_editor):
    for feed in apps.get_model("feeds", "Feed").objects.all():
        feed.design = [{"name": name} for name in feed.columns]
        feed.layouts = [{"names": feed.columns, "columns": feed.columns}] if feed.columns else []
        feed.save()


class Migration(migrations.Migration):
    dependencies = [("feeds", "0001_initial")]
    operations = [
        migrations.AddField("feed", "design", models.JSONField(default=list)),
        migrations.AddField("feed", "layouts", models.JSONField(default=list)),
        migrations.AddField("feed", "requests", models.JSONField(default=dict)),
        migrations.RunPython(names_to_design, migrations.RunPython.noop),
        migrations.RemoveField("feed", "columns"),
    ]
