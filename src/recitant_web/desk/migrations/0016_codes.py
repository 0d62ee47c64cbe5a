"""Labels of steps as codes and facts; those of earlier releases keep their sentence as a fact."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("desk", "0015_ties")]

    operations = [
        migrations.AddField("edit", "label_facts", models.JSONField(default=dict)),
        migrations.AddField("edit", "said_facts", models.JSONField(default=dict, blank=True)),
        migrations.RunSQL(
            "UPDATE desk_edit SET label_facts = JSON_OBJECT('code', 'as-written', 'text', label), "
            "said_facts = IF(said = '', JSON_OBJECT(), JSON_OBJECT('text', said))",
            migrations.RunSQL.noop,
        ),
        migrations.RemoveField("edit", "label"),
        migrations.RemoveField("edit", "said"),
        migrations.RenameField("edit", "label_facts", "label"),
        migrations.RenameField("edit", "said_facts", "said"),
        migrations.AlterField("edit", "label", models.JSONField()),
    ]
