"""A fit as facts; those of earlier releases keep their sentence as a fact."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("desk", "0016_codes")]

    operations = [
        migrations.AddField("fitresult", "facts", models.JSONField(default=dict)),
        migrations.RunSQL("UPDATE desk_fitresult SET facts = JSON_OBJECT('text', sentence)", migrations.RunSQL.noop),
        migrations.RemoveField("fitresult", "sentence"),
        migrations.AlterField("marker", "kind", models.CharField(max_length=8)),
    ]
