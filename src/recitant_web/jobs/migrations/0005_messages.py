"""Messages as codes and facts; those of earlier releases keep their sentence as a fact."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0004_line")]

    operations = [
        migrations.AddField("job", "message", models.JSONField(blank=True, default=dict)),
        migrations.RunSQL(
            "UPDATE jobs_job SET message = IF(sentence = '', JSON_OBJECT(), JSON_OBJECT('text', sentence))",
            migrations.RunSQL.noop,
        ),
        migrations.RemoveField("job", "sentence"),
    ]
