from importlib import import_module

import django.db.models.deletion
from django.db import migrations, models

storing = import_module("studio.contents.migrations._storing")


def move(apps, _):
    characters = apps.get_model("cast", "Character").objects
    held = apps.get_model("cast", "CharacterDisplay").objects
    storing.move(apps, held, "data", characters, "display_file")


class Migration(migrations.Migration):

    dependencies = [
        ('cast', '0004_lock_version'),
        ('contents', '0001_initial'),
    ]

    operations = [
        migrations.AlterField(
            model_name='characterdisplay',
            name='character',
            field=models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='+', serialize=False, to='cast.character'),
        ),
        migrations.AddField(
            model_name='character',
            name='display_file',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.RunPython(move, migrations.RunPython.noop),
        migrations.DeleteModel(
            name='CharacterDisplay',
        ),
    ]
