"""The tables of two former apps, arrivals and intake, whose place this one takes.

A studio of any earlier state keeps the tables it has, under their names until the next migration; a new one gets them.
"""

import django.db.models.deletion
from django.db import migrations, models


MODELS = ("Arrival", "ArrivalContent", "IntakeFile", "NamingRule", "IntakeContent", "IntakeRow")


def adopt(apps, schema_editor):
    """Make the tables that are not there, and the column that an earlier state of one did not have."""
    connection = schema_editor.connection
    with connection.cursor() as cursor:
        tables = set(connection.introspection.table_names(cursor))
        rows = "intake_intakerow"
        columns = (
            {column.name for column in connection.introspection.get_table_description(cursor, rows)}
            if rows in tables
            else {"floor"}
        )
    for name in MODELS:
        model = apps.get_model("ingest", name)
        if model._meta.db_table not in tables:
            schema_editor.create_model(model)
    if "floor" not in columns:
        model = apps.get_model("ingest", "IntakeRow")
        schema_editor.add_field(model, model._meta.get_field("floor"))


class Migration(migrations.Migration):
    initial = True
    dependencies = [("cast", "0001_initial"), ("library", "0001_initial")]
    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name="Arrival",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("name", models.CharField(max_length=255)),
                        ("goes_to", models.CharField(default="auto", max_length=16)),
                        (
                            "state",
                            models.CharField(
                                choices=[
                                    ("waiting", "Waiting"),
                                    ("reading", "Reading"),
                                    ("accepted", "Accepted"),
                                    ("refused", "Refused"),
                                ],
                                default="waiting",
                                max_length=16,
                            ),
                        ),
                        ("sentence", models.TextField(default="")),
                        ("refused", models.JSONField(default=list)),
                        ("done", models.PositiveIntegerField(default=0)),
                        ("total", models.PositiveIntegerField(default=1)),
                        ("clips", models.JSONField(default=list)),
                        ("characters", models.JSONField(default=list)),
                        ("created", models.DateTimeField(auto_now_add=True)),
                    ],
                    options={"db_table": "arrivals_arrival"},
                ),
                migrations.CreateModel(
                    name="ArrivalContent",
                    fields=[
                        (
                            "arrival",
                            models.OneToOneField(
                                on_delete=django.db.models.deletion.CASCADE,
                                primary_key=True,
                                related_name="content",
                                serialize=False,
                                to="ingest.arrival",
                            ),
                        ),
                        ("data", models.BinaryField()),
                    ],
                    options={"db_table": "arrivals_arrivalcontent"},
                ),
                migrations.CreateModel(
                    name="IntakeFile",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("path", models.CharField(max_length=255)),
                        ("goes_to", models.CharField(default="auto", max_length=16)),
                        (
                            "kind",
                            models.CharField(
                                choices=[("motion", "Motion"), ("character", "Character")], default="motion", max_length=16
                            ),
                        ),
                        (
                            "state",
                            models.CharField(
                                choices=[
                                    ("waiting", "Waiting"),
                                    ("reading", "Reading"),
                                    ("ready", "Ready"),
                                    ("accepting", "Accepting"),
                                    ("refused", "Refused"),
                                ],
                                default="waiting",
                                max_length=16,
                            ),
                        ),
                        ("sentence", models.TextField(default="")),
                        ("told", models.JSONField(default=dict)),
                        ("found", models.JSONField(default=dict)),
                        ("name", models.CharField(default="", max_length=255)),
                        ("created", models.DateTimeField(auto_now_add=True)),
                        (
                            "becomes",
                            models.ForeignKey(
                                null=True,
                                on_delete=django.db.models.deletion.SET_NULL,
                                related_name="+",
                                to="cast.character",
                            ),
                        ),
                    ],
                    options={"ordering": ["id"], "db_table": "intake_intakefile"},
                ),
                migrations.CreateModel(
                    name="NamingRule",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("place", models.CharField(max_length=32, unique=True)),
                        ("rule", models.JSONField()),
                    ],
                    options={"db_table": "intake_namingrule"},
                ),
                migrations.CreateModel(
                    name="IntakeContent",
                    fields=[
                        (
                            "file",
                            models.OneToOneField(
                                on_delete=django.db.models.deletion.CASCADE,
                                primary_key=True,
                                related_name="content",
                                serialize=False,
                                to="ingest.intakefile",
                            ),
                        ),
                        ("data", models.BinaryField()),
                    ],
                    options={"db_table": "intake_intakecontent"},
                ),
                migrations.CreateModel(
                    name="IntakeRow",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("number", models.PositiveIntegerField()),
                        ("clip", models.CharField(max_length=255)),
                        ("ticked", models.BooleanField(default=True)),
                        ("name", models.CharField(default="", max_length=255)),
                        ("fields", models.JSONField(default=dict)),
                        ("frames", models.PositiveIntegerField()),
                        ("fps", models.FloatField()),
                        ("first", models.PositiveIntegerField(default=0)),
                        ("last", models.PositiveIntegerField()),
                        ("found", models.JSONField(default=dict)),
                        ("plate", models.JSONField(default=dict)),
                        ("content", models.CharField(db_index=True, max_length=64)),
                        ("identity", models.CharField(max_length=64)),
                        ("revision", models.PositiveIntegerField(default=1)),
                        ("final", models.CharField(default="", max_length=255)),
                        (
                            "becomes",
                            models.ForeignKey(
                                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="library.clip"
                            ),
                        ),
                        (
                            "file",
                            models.ForeignKey(
                                on_delete=django.db.models.deletion.CASCADE, related_name="rows", to="ingest.intakefile"
                            ),
                        ),
                        ("floor", models.FloatField(default=None, null=True)),
                    ],
                    options={
                        "ordering": ["file_id", "number"],
                        "constraints": [
                            models.UniqueConstraint(fields=("file", "number"), name="one_row_per_clip_of_a_file")
                        ],
                        "db_table": "intake_intakerow",
                    },
                ),
            ]
        ),
        migrations.RunPython(adopt, migrations.RunPython.noop),
    ]
