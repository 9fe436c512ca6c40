"""The patterns that come with Armuto, put in once; where patterns are there already, a studio keeps those it has."""

from django.db import migrations

from armuto.pairing import patterns as core


def add_shipped_patterns(apps, schema_editor):
    model = apps.get_model("patterns", "Pattern")
    if model.objects.exists():
        return
    model.objects.bulk_create(
        model(
            name=value.name,
            plan=value.plan,
            about=value.about,
            parts={part: list(names) for part, names in value.parts.items()},
            left_out=list(value.left_out),
            shipped=True,
        )
        for value in core.shipped()
    )


class Migration(migrations.Migration):
    dependencies = [("patterns", "0001_initial")]

    operations = [migrations.RunPython(add_shipped_patterns, migrations.RunPython.noop)]
