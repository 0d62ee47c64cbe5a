"""Which files a delivery holds."""

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("delivery", "0001_initial")]
    operations = [
        migrations.AddField(
            model_name="delivery", name="files", field=models.CharField(default="mix,stems", max_length=500)
        ),
        migrations.AddField(model_name="delivery", name="film", field=models.JSONField(null=True)),
    ]
