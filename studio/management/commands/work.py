"""A worker, known by a name of its own, that ends with whoever started it."""

import logging
import os
import sys
import time
from typing import Any

from django.conf import settings
from django.db import DatabaseError, OperationalError, close_old_connections, connection
from django_tasks_db.management.commands import db_worker

from armuto.lazy import COMPILED, load
from studio.changes.recording import forget_tasks
from studio.management.base import StudioCommand
from studio.platform import workers

UNWRITABLE = f"{OperationalError.__module__}.{OperationalError.__qualname__}"
PAUSE = 1.0  # seconds before asking again a database that could not be written
CONNECTION_SECONDS = 60
NICE = 5  # people at the server come first

logger = logging.getLogger(__name__)


class Worker(db_worker.Worker):
    def run_task(self, db_task_result: Any) -> None:
        try:
            with workers.time_limit(settings.TASK_SECONDS, db_task_result.task_path):
                super().run_task(db_task_result)
            if db_task_result.exception_class_path == UNWRITABLE:
                raise OperationalError(db_task_result.traceback)
        except OperationalError:
            # Its outcome could not be written: on a full disk, or behind a long lock. The lock of this worker's name
            # goes with it, so all that it holds is given back, as soon as that can be written.
            logger.exception("This worker ends, and what it was at is given back.")
            sys.exit(1)
        except DatabaseError:
            # Its row went while it was at it: everything was queued anew, or the studio was emptied. There is more to
            # do.
            close_old_connections()
        finally:
            forget_tasks()
        if workers.memory() > settings.WORKER_MEMORY:
            logger.warning("This worker has grown beyond its limit; another takes its place.")
            self.running = False

    def run(self) -> None:
        while True:
            try:
                return super().run()
            except OperationalError:
                # The database was locked for longer than its timeout, or the disk is full; nothing was claimed, so try
                # again.
                close_old_connections()
                time.sleep(PAUSE)


class Command(StudioCommand, db_worker.Command):
    help = "Work off what is queued, until told to end."

    def add_arguments(self, parser: Any) -> None:
        super().add_arguments(parser)
        parser.add_argument(
            "--with-parent", type=int, metavar="PID", help="end soon after this process, which started it"
        )
        parser.set_defaults(interval=0.2, startup_delay=False, reload=False)

    def handle(self, *, with_parent: Any = None, **options: Any) -> None:
        if with_parent:
            workers.end_with(with_parent)
        os.nice(NICE)
        load(*COMPILED, "scipy.ndimage")
        # Each look at the queue would open the data file anew, which takes longer than the look.
        connection.settings_dict["CONN_MAX_AGE"] = CONNECTION_SECONDS
        options["worker_id"] = workers.enlist()
        db_worker.Worker = Worker  # type: ignore[misc]
        self.stdout.write(f"{workers.name} works.")
        self.stdout.flush()
        super().handle(**options)
