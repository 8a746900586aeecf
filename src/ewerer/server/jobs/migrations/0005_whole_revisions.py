"""Each revision holds its whole document: those that were kept as patches of the one before are put together."""

import json
import zlib

import jsonpatch
import jsonpointer
from django.db import migrations, models


def unpacked(held):
    return json.loads(zlib.decompress(bytes(held)))


def put_together(apps, schema_editor):
    Job, Revision = apps.get_model("jobs", "Job"), apps.get_model("jobs", "Revision")
    for job in Job.objects.only("pk").iterator():
        rows = Revision.objects.filter(job=job).order_by("number").only("pk", "number", "whole", "patch")
        envelope = None
        for row in rows.iterator(chunk_size=100):
            try:
                if row.whole is not None:
                    envelope = unpacked(row.whole)
                    continue
                envelope = jsonpatch.apply_patch(envelope, unpacked(row.patch))
            except (
                zlib.error,
                ValueError,
                TypeError,
                KeyError,
                IndexError,
                AttributeError,
                jsonpatch.JsonPatchException,
                jsonpointer.JsonPointerException,
            ):
                envelope = None  # damaged before: it says so when it is opened, and an older one can be taken back
            text = json.dumps(envelope, separators=(",", ":")).encode() if envelope is not None else b"damaged"
            Revision.objects.filter(pk=row.pk).update(whole=zlib.compress(text, 6))


class Migration(migrations.Migration):
    dependencies = [("jobs", "0004_summary_due")]

    operations = [
        migrations.RunPython(put_together, migrations.RunPython.noop),
        migrations.RemoveField("revision", "patch"),
        migrations.AlterField("revision", "whole", models.BinaryField()),
    ]
