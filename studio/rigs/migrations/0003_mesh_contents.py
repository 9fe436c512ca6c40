from importlib import import_module

import django.db.models.deletion
from django.db import migrations, models

storing = import_module("studio.contents.migrations._storing")


def move(apps, _):
    rows = apps.get_model("rigs", "RigMesh").objects
    storing.move(apps, rows, "data", rows, "bound")
    storing.move(apps, rows, "standing_data", rows, "standing")


class Migration(migrations.Migration):

    dependencies = [
        ('contents', '0001_initial'),
        ('rigs', '0002_mesh_standing'),
    ]

    operations = [
        migrations.RenameField(
            model_name='rigmesh',
            old_name='standing',
            new_name='standing_data',
        ),
        migrations.AddField(
            model_name='rigmesh',
            name='bound',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.AddField(
            model_name='rigmesh',
            name='standing',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.RunPython(move, migrations.RunPython.noop),
    ]
