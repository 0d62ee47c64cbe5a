"""The specifications of deliveries from before they kept them."""

from django.db import migrations

from recitant_core.delivery.specification.catalogue import spec_by_id
from recitant_core.delivery.specification.spec_json import spec_to_data


def keep_specs(apps, _schema):
    for delivery in apps.get_model("delivery", "Delivery").objects.all():
        delivery.orders = [
            {"spec": spec_to_data(spec_by_id(spec_id)), "files": delivery.files} for spec_id in delivery.spec_ids
        ]
        if delivery.film:
            delivery.chapters = delivery.film.pop("chapters", [])
        delivery.save(update_fields=["orders", "film", "chapters"])


class Migration(migrations.Migration):
    dependencies = [("delivery", "0004_orders")]

    operations = [
        migrations.RunPython(keep_specs, migrations.RunPython.noop),
    ]
