"""Entries of the activity record cannot be changed or deleted."""

from django.db import migrations

MAKE = """
CREATE FUNCTION activity_refuse() RETURNS trigger LANGUAGE plpgsql AS
$$ BEGIN RAISE EXCEPTION 'the activity record is append-only'; END $$;
CREATE TRIGGER activity_no_change BEFORE UPDATE OR DELETE ON activity_event
FOR EACH ROW EXECUTE FUNCTION activity_refuse();
CREATE TRIGGER activity_no_truncate BEFORE TRUNCATE ON activity_event
FOR EACH STATEMENT EXECUTE FUNCTION activity_refuse();
"""
UNDO = """
DROP TRIGGER activity_no_change ON activity_event;
DROP TRIGGER activity_no_truncate ON activity_event;
DROP FUNCTION activity_refuse();
"""


class Migration(migrations.Migration):
    dependencies = [("activity", "0001_initial")]
    operations = [migrations.RunSQL(MAKE, UNDO)]
