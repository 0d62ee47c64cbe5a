"""Recordings and uploads of ambience become atmosphere."""

from django.db import migrations


def renamed(old, new):
    def run(apps, _editor):
        for model in ("Source", "Upload"):
            apps.get_model("programme", model).objects.filter(role=old).update(role=new)

    return run


class Migration(migrations.Migration):

    dependencies = [
        ("programme", "0007_roles"),
    ]

    operations = [
        migrations.RunPython(renamed("ambience", "atmosphere"), renamed("atmosphere", "ambience")),
    ]
