import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('ingest', '0010_contents'),
    ]

    operations = [
        migrations.DeleteModel(
            name='ArrivalContent',
        ),
        migrations.DeleteModel(
            name='IntakeContent',
        ),
        migrations.RemoveField(
            model_name='intakesculpture',
            name='data',
        ),
        migrations.RemoveField(
            model_name='intakesculpture',
            name='mesh_data',
        ),
        migrations.AlterField(
            model_name='intakesculpture',
            name='original',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.AlterField(
            model_name='intakesculpture',
            name='mesh',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
    ]
