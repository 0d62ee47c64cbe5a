"""Ambience becomes atmosphere: in rows, in every step of the log that names it, and in kept versions."""

from django.db import migrations
from django.db.models import TextField
from django.db.models.functions import Cast

_FIELDS = ("role", "stem")


def renamed(old, new):
    def in_values(values):
        return {name: new if name in _FIELDS and value == old else value for name, value in values.items()}

    def in_change(change):
        found = dict(change)
        if "set" in change:
            pairs = change["set"].items()
            found["set"] = {n: [new if n in _FIELDS and v == old else v for v in pair] for n, pair in pairs}
        for how in ("insert", "delete"):
            if how in change:
                found[how] = in_values(change[how])
        return found

    def in_rows(rows):
        return {table: {pk: in_values(values) for pk, values in kept.items()} for table, kept in rows.items()}

    def holding(model, field):
        named = model.objects.annotate(text=Cast(field, TextField())).filter(text__contains=f'"{old}"')
        # One at a time: a log of years does not fit into memory.
        for pk in list(named.values_list("pk", flat=True)):
            yield model.objects.get(pk=pk)

    def run(apps, _editor):
        for model, field in (("Track", "role"), ("Stem", "role"), ("Duck", "stem")):
            apps.get_model("desk", model).objects.filter(**{field: old}).update(**{field: new})
        for edit in holding(apps.get_model("desk", "Edit"), "changes"):
            edit.changes = [in_change(change) for change in edit.changes]
            edit.save(update_fields=["changes"])
        for version in holding(apps.get_model("desk", "Version"), "rows"):
            version.rows = in_rows(version.rows)
            version.save(update_fields=["rows"])

    return run


class Migration(migrations.Migration):

    dependencies = [
        ("desk", "0007_out_of_mix"),
        ("programme", "0008_atmosphere"),
    ]

    operations = [
        migrations.RunPython(renamed("ambience", "atmosphere"), renamed("atmosphere", "ambience")),
    ]
