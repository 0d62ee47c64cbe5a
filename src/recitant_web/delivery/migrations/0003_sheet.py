"""A delivery sheet for each programme."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("delivery", "0002_files"), ("programme", "0013_roles")]

    operations = [
        migrations.CreateModel(
            name="SheetLine",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("spec_id", models.CharField(max_length=40)),
                ("files", models.CharField(max_length=500)),
                (
                    "programme",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="sheet", to="programme.programme"
                    ),
                ),
            ],
            options={"ordering": ["pk"]},
        ),
        migrations.AddConstraint(
            model_name="sheetline",
            constraint=models.UniqueConstraint(fields=("programme", "spec_id"), name="one_line_a_spec"),
        ),
    ]
