"""The verdict of a list as facts: the figure that its words held."""

import re

from django.db import migrations

_FIGURE = re.compile(r"[+\u2212-]?\d+(?:\.\d+)?")


def as_facts(apps, _schema):
    """Words such as "passes with +2.0 dB" and "\u221220.4 LUFS" become their state and figure."""
    Programme = apps.get_model("programme", "Programme")
    for programme in Programme.objects.exclude(judged={}).only("pk", "judged").iterator(200):
        judged = programme.judged
        found = _FIGURE.search(judged.pop("words", ""))
        figure = float(found[0].replace("\u2212", "-")) if found else None
        is_level = judged["state"] == "fails"
        judged |= {"gain_db": 0.0 if is_level else figure or 0.0, "integrated_lufs": figure if is_level else None}
        Programme.objects.filter(pk=programme.pk).update(judged=judged)


class Migration(migrations.Migration):
    dependencies = [("programme", "0015_messages")]

    operations = [migrations.RunPython(as_facts, migrations.RunPython.noop)]
