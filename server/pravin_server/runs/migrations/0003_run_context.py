from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [
        ("runs", "0002_surroundings"),
    ]

    operations = [
        migrations.RenameField(model_name="run", old_name="surroundings", new_name="context"),
    ]
