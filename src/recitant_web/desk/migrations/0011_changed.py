"""When each programme was changed last, from its log."""

from django.db import migrations
from django.db.models import Max


def from_the_log(apps, _editor):
    programmes = apps.get_model("programme", "Programme").objects
    for programme in programmes.annotate(newest=Max("edits__made_at")):
        programmes.filter(pk=programme.pk).update(changed_at=programme.newest or programme.created_at)


class Migration(migrations.Migration):

    dependencies = [
        ("desk", "0010_squashed"),
        ("programme", "0010_house"),
    ]

    operations = [
        migrations.RunPython(from_the_log, migrations.RunPython.noop),
    ]
