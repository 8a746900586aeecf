"""Revisions are kept compressed, most of them as patches; those of before stay whole."""

import json
import zlib

from django.db import migrations, models


def packed(data):
    return zlib.compress(json.dumps(data, separators=(",", ":")).encode(), 6)


def keep(apps, schema_editor):
    Revision = apps.get_model("jobs", "Revision")
    for revision in Revision.objects.order_by("pk").iterator(chunk_size=50):
        revision.whole = packed({"document": revision.document, "series": {}})
        revision.patch = packed([{**op, "path": "/document" + op["path"]} for op in revision.changes])
        revision.save(update_fields=["whole", "patch"])


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial"), ("record", "0002_only_added")]

    operations = [
        migrations.CreateModel(
            name="Series",
            fields=[("key", models.CharField(max_length=64, primary_key=True, serialize=False)), ("body", models.BinaryField())],
        ),
        migrations.AddField("revision", "whole", models.BinaryField(null=True)),
        migrations.AddField("revision", "patch", models.BinaryField(default=bytes)),
        migrations.RunPython(keep, migrations.RunPython.noop),
        migrations.RemoveField("revision", "document"),
        migrations.RemoveField("revision", "changes"),
    ]
