from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0003_delete_after")]

    operations = [migrations.AddField(model_name="job", name="summary_due", field=models.BigIntegerField(default=0))]
