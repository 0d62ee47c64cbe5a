"""Ids and files stand in the orders."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("delivery", "0005_kept_specs")]

    operations = [
        migrations.RemoveField("delivery", "spec_ids"),
        migrations.RemoveField("delivery", "files"),
    ]
