"""Each feed has a view of its own: where two were made from one name, the later feed gets another."""

from django.db import migrations, models


def name_views(apps, schema_editor):
    Feed = apps.get_model("feeds", "Feed")
    taken = set()
    for feed in Feed.objects.order_by("id"):
        base, number = feed.slug.replace("-", "_")[:60], 1
        view = base
        while view in taken:
            number += 1
            view = f"{base[:56]}_{number}"
        taken.add(view)
        feed.view = view
        feed.save(update_fields=["view"])


class Migration(migrations.Migration):
    dependencies = [("feeds", "0002_design")]
    operations = [
        migrations.AddField("feed", "view", models.CharField(max_length=63, null=True)),
        migrations.RunPython(name_views, migrations.RunPython.noop),
        migrations.AlterField("feed", "view", models.CharField(max_length=63, unique=True)),
    ]
