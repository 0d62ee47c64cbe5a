"""Sounds of films that lie in sync with their picture are tied to it."""

from django.db import migrations
from django.db.models import F


def tie(apps, _schema):
    """Done twice it ties the same."""
    Clip = apps.get_model("desk", "Clip")
    own = Clip.objects.filter(
        source__has_picture=True,
        source__original_file=F("track__programme__picture__original_file"),
        start_sample=F("in_sample") + F("track__programme__picture_offset_samples"),
    )
    Clip.objects.filter(pk__in=list(own.values_list("pk", flat=True))).update(sync_sample=0)


class Migration(migrations.Migration):
    dependencies = [("desk", "0014_sync"), ("programme", "0014_words")]
    operations = [migrations.RunPython(tie, migrations.RunPython.noop)]
