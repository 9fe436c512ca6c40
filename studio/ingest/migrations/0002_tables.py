"""The tables are called as their app is; tasks that wait in the queue are found where they are now."""

from django.db import migrations

TASKS = {
    "studio.arrivals.tasks.read_arrival": "studio.ingest.tasks.read_arrival",
    "studio.intake.tasks.read_file": "studio.ingest.tasks.read_file",
    "studio.intake.tasks.accept_file": "studio.ingest.tasks.accept_file",
}
MODELS = ("Arrival", "ArrivalContent", "IntakeFile", "NamingRule", "IntakeContent", "IntakeRow")


def move_tasks(apps, schema_editor):
    tasks = apps.get_model("django_tasks_database", "DBTaskResult").objects
    for before, now in TASKS.items():
        tasks.filter(task_path=before).update(task_path=now)


class Migration(migrations.Migration):
    dependencies = [("ingest", "0001_initial"), ("django_tasks_database", "__first__")]
    operations = [
        *(migrations.AlterModelTable(name=name.lower(), table=None) for name in MODELS),
        migrations.RunPython(move_tasks, migrations.RunPython.noop),
    ]
