import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='Content',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('sha256', models.CharField(max_length=64, unique=True)),
                ('size', models.PositiveBigIntegerField()),
                ('whole', models.BooleanField(default=False)),
                ('stored', models.DateTimeField()),
            ],
        ),
        migrations.CreateModel(
            name='Chunk',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('data', models.BinaryField()),
                ('content', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='chunks', to='contents.content')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('content', 'number'), name='chunk_once_per_content')],
            },
        ),
    ]
