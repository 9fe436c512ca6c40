"""Put a copy of the data file in the place of the present one, which is kept beside it."""

import os
import shutil
import sqlite3
from pathlib import Path
from typing import Any

from django.core.management.base import CommandError
from django.db import connection
from django.utils import timezone

from studio.management.base import StudioCommand
from studio.platform import schema, workers


class Command(StudioCommand):
    help = "Take a backup into use. The studio has to be stopped; its present data file is kept beside it."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("source", type=Path, metavar="FROM", help="a copy that “backup” made")

    def handle(self, *args: Any, source: Any, **options: Any) -> None:
        if connection.vendor != "sqlite":
            raise CommandError("The data lies on a database server; use its own means, such as pg_restore.")
        self._check(source)
        if any(workers.enlisted()):
            raise CommandError("The studio is running; stop it first, so that nothing is written in between.")
        present = Path(connection.settings_dict["NAME"])
        connection.close()
        part = present.with_name(f".{present.name}.part")
        shutil.copyfile(source, part)
        # Whenever this is cut short, there is a whole data file in its place: the present one, or the copy.
        if present.exists():
            set_aside = present.with_name(
                f"{present.stem} before {timezone.localtime():%Y-%m-%d %H.%M.%S}{present.suffix}"
            )
            with sqlite3.connect(present) as held:
                held.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            held.close()
            os.link(present, set_aside)
            self.stdout.write(f"What was there is kept as {set_aside}.")
        for suffix in ("-wal", "-shm"):
            present.with_name(present.name + suffix).unlink(missing_ok=True)
        part.replace(present)
        try:
            schema.update()
        except ValueError as problem:
            raise CommandError(str(problem)) from None
        self.stdout.write(f"{source} is in use.")

    def _check(self, source: Path) -> None:
        if not source.is_file():
            raise CommandError(f"{source}: there is no such file; name a copy that “make backup” wrote.")
        try:
            held = sqlite3.connect(f"file:{source}?mode=ro", uri=True)
            whole = held.execute("PRAGMA quick_check").fetchone() == ("ok",)
            tables = {name for (name,) in held.execute("SELECT name FROM sqlite_master")}
            held.close()
        except sqlite3.Error as problem:
            raise CommandError(f"{source}: it is no data file of a studio ({problem}); name another copy.") from None
        if not whole or not {"library_clip", "cast_character", "django_migrations"} <= tables:
            raise CommandError(f"{source}: it is no whole data file of a studio; name another copy.")
        if later := schema.later_migrations(schema.applied_in(source)):
            raise CommandError(
                f"{source}: it is of an Armuto that this one does not know ({later[0]}), most likely a later one; "
                "restore it with that."
            )
