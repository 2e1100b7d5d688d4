from django.db import migrations

GONE = ("request", "settings", "evidence", "notes", "rivals", "counts")


class Migration(migrations.Migration):
    dependencies = [("deliveries", "0003_files_to_sources")]
    operations = [migrations.RemoveField("sourcefile", name) for name in GONE]
