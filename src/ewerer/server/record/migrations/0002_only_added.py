"""The database refuses to change or delete what was recorded; marks that stood in job documents become events."""

from django.db import migrations

from ewerer.core.record.imports import marks_as_events

TABLES = ("record_event", "record_photo", "record_handover")


def marks(apps, schema_editor):
    Job, Event = apps.get_model("jobs", "Job"), apps.get_model("record", "Event")
    for job in Job.objects.select_related("saved_by").iterator():
        latest = job.revisions.filter(number=job.revision).first()
        if latest is None:
            continue
        at = latest.saved_at.strftime("%Y-%m-%dT%H:%M:%S.") + f"{latest.saved_at.microsecond // 1000:03d}Z"
        events = marks_as_events(latest.document, at, job.saved_by.username)
        Event.objects.bulk_create([Event(job=job, key=e["id"], data=e, added_by=job.saved_by) for e in events])


class Migration(migrations.Migration):
    dependencies = [("record", "0001_initial"), ("jobs", "0001_initial")]

    operations = [
        migrations.RunPython(marks, migrations.RunPython.noop),
        *(
            migrations.RunSQL(
                f"CREATE TRIGGER {table}_not_{verb.lower()}d BEFORE {verb} ON {table} BEGIN SELECT RAISE(ABORT, 'what was recorded is only added to'); END",
                f"DROP TRIGGER {table}_not_{verb.lower()}d",
            )
            for table in TABLES
            for verb in ("UPDATE", "DELETE")
        ),
    ]
