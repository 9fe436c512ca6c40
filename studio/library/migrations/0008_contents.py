from importlib import import_module

import django.db.models.deletion
from django.db import migrations, models
from django.utils.timezone import now

storing = import_module("studio.contents.migrations._storing")


def move(apps, _):
    originals = apps.get_model("library", "Original").objects
    held = apps.get_model("library", "OriginalContent").objects
    storing.move(apps, held, "data", originals, "content")
    for row in originals.filter(content=None):
        # Bytes that somebody has taken away are missed by “manage.py verify”, as they were before.
        row.content, _ = apps.get_model("contents", "Content").objects.get_or_create(
            sha256=row.sha256, defaults={"size": row.size, "whole": True, "stored": now()}
        )
        row.save(update_fields=["content"])


class Migration(migrations.Migration):

    dependencies = [
        ('contents', '0001_initial'),
        ('library', '0007_analysis'),
    ]

    operations = [
        migrations.AlterField(
            model_name='originalcontent',
            name='original',
            field=models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='+', serialize=False, to='library.original'),
        ),
        migrations.AddField(
            model_name='original',
            name='content',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.RunPython(move, migrations.RunPython.noop),
    ]
