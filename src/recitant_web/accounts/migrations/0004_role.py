"""A role on each membership; everybody is an owner so far."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("accounts", "0003_words")]

    operations = [
        migrations.AddField("membership", "role", models.CharField(default="owner", max_length=20)),
    ]
