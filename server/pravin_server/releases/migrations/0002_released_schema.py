"""The schema of released tables, and the role that may only read its views."""

from django.db import migrations

MAKE = """
CREATE SCHEMA IF NOT EXISTS released;
DO $$ BEGIN
  CREATE ROLE pravin_reader NOLOGIN;
EXCEPTION WHEN duplicate_object OR unique_violation THEN NULL;
END $$;
GRANT USAGE ON SCHEMA released TO pravin_reader;
"""


class Migration(migrations.Migration):
    dependencies = [("releases", "0001_initial")]
    operations = [migrations.RunSQL(MAKE, migrations.RunSQL.noop)]
