"""Which states of the data file this program can take into use: its own and earlier ones, never a later one's."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable
from pathlib import Path

from django.apps import apps
from django.core.management import call_command
from django.db import OperationalError, connection
from django.db.migrations.loader import MigrationLoader

LACKING = "no such "


def later_migrations(applied: Iterable[tuple[str, str]]) -> list[str]:
    """Of the migrations of a data file, those that this program does not have: most likely a later one made them."""
    loader = MigrationLoader(None)
    replaced = {key for migration in loader.disk_migrations.values() for key in migration.replaces}
    known = set(loader.disk_migrations) | replaced
    return [f"{app}.{name}" for app, name in applied if (app, name) not in known and app in loader.migrated_apps]


def applied_in(file: Path) -> list[tuple[str, str]]:
    """The migrations of a data file that is not in use."""
    with sqlite3.connect(f"file:{file}?mode=ro", uri=True) as held:
        rows = held.execute("SELECT app, name FROM django_migrations").fetchall()
    held.close()
    return rows


def applied_here() -> list[tuple[str, str]]:
    """The migrations of the data in use."""
    return list(MigrationLoader(connection).applied_migrations)


def missing_columns() -> list[str]:
    """What this program needs of the data in use and does not find there, although its migrations say they were made.

    The data of the first days was made by migrations that were changed afterwards; what they say of a file is not to be
    trusted.
    """
    missing = []
    with connection.cursor() as cursor:
        tables = set(connection.introspection.table_names(cursor))
        for model in apps.get_models():
            if not model._meta.managed:
                continue
            table = model._meta.db_table
            if table not in tables:
                missing.append(table)
                continue
            present = {column.name for column in connection.introspection.get_table_description(cursor, table)}
            missing += [
                f"{table}.{field.column}"
                for field in model._meta.local_concrete_fields
                if field.column and field.column not in present
            ]
    return missing


def update() -> None:
    """Bring the data in use into this program's state. Raises ValueError with a sentence where that is not possible;
    then the data is as it was, or a copy of it lies beside it."""
    name = connection.settings_dict["NAME"]
    if later := later_migrations(applied_here()):
        raise ValueError(
            f"{name}: it is of an Armuto that this one does not know ({later[0]}), most likely a later one; start "
            "that, or restore a backup from before."
        )
    lacking = None
    try:
        call_command("migrate", verbosity=0)
    except OperationalError as problem:
        # As SQLite puts it, the only one that was used in those days.
        if not str(problem).startswith(LACKING):
            raise
        lacking = str(problem).removeprefix(LACKING)
    if lacking or (lacking := next(iter(missing_columns()), None)):
        raise ValueError(
            f"{name}: it is of one of the first days of Armuto and lacks what was added to its tables later "
            f"({lacking}); open it with the program of that day and export from there, or start with other data."
        )
