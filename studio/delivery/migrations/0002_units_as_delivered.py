"""COLLADA and USD used to go out in metres and +Y up whatever was chosen; what went out before is said as it went out."""

from django.db import migrations


def as_delivered(apps, schema_editor):
    deliveries = apps.get_model("delivery", "Delivery").objects
    for row in deliveries.iterator():
        if row.wanted.get("kind") in ("dae", "usd"):
            row.wanted = row.wanted | {"unit": "m", "up": "+Y"}
            row.save(update_fields=["wanted"])


class Migration(migrations.Migration):
    dependencies = [("delivery", "0001_initial")]
    operations = [migrations.RunPython(as_delivered, migrations.RunPython.noop)]
