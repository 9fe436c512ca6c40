import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('rigs', '0003_mesh_contents'),
    ]

    operations = [
        migrations.RemoveField(
            model_name='rigmesh',
            name='data',
        ),
        migrations.RemoveField(
            model_name='rigmesh',
            name='standing_data',
        ),
        migrations.AlterField(
            model_name='rigmesh',
            name='bound',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
    ]
