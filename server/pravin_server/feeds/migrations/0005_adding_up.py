from django.db import migrations, models


def keep_views_as_they_are(apps, schema_editor):
    apps.get_model("feeds", "Feed").objects.update(shows_origin=False)


class Migration(migrations.Migration):
    dependencies = [("feeds", "0004_key")]
    operations = [
        migrations.AddField(
            "feed",
            "adds_up",
            models.CharField(
                choices=[("replaces", "replaces"), ("adds", "adds"), ("newest", "newest")],
                default="replaces",
                max_length=10,
            ),
        ),
        migrations.AddField("feed", "shows_origin", models.BooleanField(default=True)),
        migrations.RunPython(keep_views_as_they_are, migrations.RunPython.noop),
    ]
