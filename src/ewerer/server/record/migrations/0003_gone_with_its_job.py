"""What was recorded goes only with its job, when that one's time of grace is over."""

from django.db import migrations

TABLES = ("record_event", "record_photo", "record_handover")
KEPT = "SELECT RAISE(ABORT, 'what was recorded is only added to')"
DUE = "SELECT 1 FROM jobs_job WHERE id = OLD.job_id AND delete_after IS NOT NULL AND delete_after <= CURRENT_TIMESTAMP"


class Migration(migrations.Migration):
    dependencies = [("record", "0002_only_added"), ("jobs", "0003_delete_after")]

    operations = [
        migrations.RunSQL(
            [
                f"DROP TRIGGER {table}_not_deleted",
                f"CREATE TRIGGER {table}_not_deleted BEFORE DELETE ON {table} WHEN NOT EXISTS ({DUE}) BEGIN {KEPT}; END",
            ],
            [f"DROP TRIGGER {table}_not_deleted", f"CREATE TRIGGER {table}_not_deleted BEFORE DELETE ON {table} BEGIN {KEPT}; END"],
        )
        for table in TABLES
    ]
