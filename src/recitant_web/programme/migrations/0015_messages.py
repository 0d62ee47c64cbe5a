"""Messages as codes and facts; those of earlier releases keep their sentence as a fact."""

from django.db import migrations, models


def without_words(apps, _schema):
    """Findings keep code, figures, places and remedies; a sentence stays where its figures were not kept."""
    Source = apps.get_model("programme", "Source")
    for source in Source.objects.exclude(findings=[]).only("pk", "findings").iterator(200):
        for finding in source.findings:
            finding.pop("title", None)
            if "facts" in finding:
                finding.pop("sentence", None)
            for remedy in finding["remedies"]:
                remedy.pop("words", None)
        Source.objects.filter(pk=source.pk).update(findings=source.findings)


class Migration(migrations.Migration):
    dependencies = [("programme", "0014_words")]

    operations = [
        migrations.AddField("source", "message", models.JSONField(blank=True, default=dict)),
        migrations.RunSQL(
            "UPDATE programme_source SET message = IF(sentence = '', JSON_OBJECT(), JSON_OBJECT('text', sentence))",
            migrations.RunSQL.noop,
        ),
        migrations.RemoveField("source", "sentence"),
        migrations.RunPython(without_words, migrations.RunPython.noop),
    ]
