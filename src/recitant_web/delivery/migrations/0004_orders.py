"""Deliveries get names, and keep the specifications that they were made with."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("delivery", "0003_sheet")]

    operations = [
        migrations.AddField("delivery", "name", models.CharField(blank=True, default="", max_length=80)),
        migrations.AddField("delivery", "plan_key", models.CharField(blank=True, default="", max_length=64)),
        migrations.AddField("delivery", "made_by", models.CharField(blank=True, default="", max_length=150)),
        migrations.AddField("delivery", "chapters", models.JSONField(default=list)),
        migrations.AddField("delivery", "span", models.JSONField(null=True)),
        migrations.AddField("delivery", "talk", models.JSONField(default=dict)),
        migrations.AddField("delivery", "orders", models.JSONField(default=list)),
    ]
