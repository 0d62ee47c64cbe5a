"""When an attempt at a job began."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial")]

    operations = [migrations.AddField("job", "started_at", models.DateTimeField(null=True))]
