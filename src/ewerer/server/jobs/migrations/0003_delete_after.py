"""A job may be marked to go for good, after a time of grace."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0002_kept_small")]

    operations = [migrations.AddField("job", "delete_after", models.DateTimeField(null=True))]
