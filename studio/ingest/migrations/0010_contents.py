from importlib import import_module

import django.db.models.deletion
from django.db import migrations, models

storing = import_module("studio.contents.migrations._storing")


def move(apps, _):
    for name, holder in (("ArrivalContent", "Arrival"), ("IntakeContent", "IntakeFile")):
        held = apps.get_model("ingest", name).objects
        holders = apps.get_model("ingest", holder)._base_manager
        storing.move(apps, held, "data", holders, "content")
    sculptures = apps.get_model("ingest", "IntakeSculpture").objects
    storing.move(apps, sculptures, "data", sculptures, "original")
    storing.move(apps, sculptures, "mesh_data", sculptures, "mesh")


class Migration(migrations.Migration):

    dependencies = [
        ('contents', '0001_initial'),
        ('ingest', '0009_sources'),
    ]

    operations = [
        migrations.AlterField(
            model_name='arrivalcontent',
            name='arrival',
            field=models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='+', serialize=False, to='ingest.arrival'),
        ),
        migrations.AlterField(
            model_name='intakecontent',
            name='file',
            field=models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, primary_key=True, related_name='+', serialize=False, to='ingest.intakefile'),
        ),
        migrations.AddField(
            model_name='arrival',
            name='content',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.AddField(
            model_name='intakefile',
            name='content',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.RenameField(
            model_name='intakesculpture',
            old_name='mesh',
            new_name='mesh_data',
        ),
        migrations.AddField(
            model_name='intakesculpture',
            name='original',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.AddField(
            model_name='intakesculpture',
            name='mesh',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.RunPython(move, migrations.RunPython.noop),
    ]
