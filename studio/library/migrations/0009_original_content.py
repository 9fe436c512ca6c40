import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('library', '0008_contents'),
    ]

    operations = [
        migrations.AlterField(
            model_name='original',
            name='content',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='contents.content'),
        ),
        migrations.DeleteModel(
            name='OriginalContent',
        ),
    ]
