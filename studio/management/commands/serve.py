"""Run the studio: one server and its workers, until Ctrl-C."""

import math
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import CommandError
from django.db import OperationalError

from studio import recovery
from studio.contents.tasks import sweep as sweep_contents
from studio.management.base import StudioCommand
from studio.platform import schema, workers
from studio.sources.watching import watch

PATIENCE = 10.0  # seconds a child may take to finish
LOOK = 0.3  # seconds between two looks at the children
LEAST = 5.0  # seconds: a child that ends by itself sooner than this, again and again, is started less and less often
TRIES = 5
LONGEST_PAUSE = 60.0  # seconds
FROM_OUTSIDE = (-signal.SIGKILL, -signal.SIGTERM)  # as by the system when memory is short
SWEEP = 900.0  # seconds between two sweeps of contents that nothing refers to
LARGEST_LOG = 20_000_000  # bytes; a larger one is set aside at the next start


class Child:
    """A process that is started again when it has ended."""

    def __init__(self, word: str, command: list[str], environment: dict[str, str]):
        self.word, self.command, self.environment = word, command, environment
        self.short_lives = 0  # in a row, and not ended from outside
        self.start()

    def start(self) -> None:
        # In a session of its own, so that Ctrl-C reaches the parent alone and it decides who stops when.
        self.started, self.ended = time.monotonic(), 0.0
        self.process = subprocess.Popen(
            self.command, env=self.environment, cwd=settings.BASE, start_new_session=True, stdout=subprocess.DEVNULL
        )

    @property
    def fails(self) -> bool:
        return self.short_lives >= TRIES

    def pause(self) -> float:
        """Seconds before it is started again: none, until it has ended by itself again and again."""
        return min(LONGEST_PAUSE, 2.0 ** (self.short_lives - TRIES)) if self.fails else 0.0

    def look_after(self) -> bool:
        """Start it again if it has ended, and its pause is over. Returns whether it has ended since the last look."""
        code, now = self.process.poll(), time.monotonic()
        if code is None:
            return False
        noticed = not self.ended
        if noticed:
            self.ended = now
            short = now - self.started < LEAST and code not in FROM_OUTSIDE
            self.short_lives = self.short_lives + 1 if short else 0
        if now >= self.ended + self.pause():
            self.start()
        return noticed


class Command(StudioCommand):
    help = "Start the server and the workers, print the address, look after them, and end all cleanly on Ctrl-C."

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--port", type=int, default=8123)
        parser.add_argument("--demo", action="store_true", help="load the demo data into an empty studio first")

    def handle(self, *args: Any, port: Any, demo: Any, **options: Any) -> None:
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                raise CommandError(f"Port {port} is taken; choose another with PORT={port + 1}.") from None
        try:
            schema.update()
        except ValueError as problem:
            raise CommandError(str(problem)) from None
        if demo:
            call_command("load_demo", stdout=self.stdout)
        recovery.everything()
        log = settings.DATA / "studio.log"
        if log.is_file() and log.stat().st_size > LARGEST_LOG:
            log.replace(log.with_name("studio.log.1"))
        environment = {"ARMUTO_LOG_FILE": str(log), **os.environ, "DJANGO_SETTINGS_MODULE": "studio.settings"}
        server = [sys.executable, "-m", "studio.server", str(port)]
        worker = [sys.executable, "manage.py", "work", "--with-parent", str(os.getpid()), "-v", "0"]
        # Said outright, since a shell may have started us with Ctrl-C ignored.
        signal.signal(signal.SIGINT, signal.default_int_handler)
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        children: list[Child] = []
        ending = threading.Event()
        # It waits for disks and networks, and computes nothing: what it finds is read by the workers.
        watching = threading.Thread(target=watch, args=(ending,), name="sources", daemon=True)
        try:
            children.append(Child("server", server, environment | {"ARMUTO_WITH_PARENT": str(os.getpid())}))
            if recovery.uses_the_database():
                children += [Child("worker", worker, environment) for _ in range(settings.WORKERS)]
            self._wait_for(port, children)
            watching.start()
            self.stdout.write(f"Armuto is open at http://127.0.0.1:{port}/ — Ctrl-C ends it.")
            self.stdout.flush()
            due, enlisted, swept = False, set(workers.enlisted()), -math.inf
            while True:
                time.sleep(LOOK)
                if time.monotonic() - swept > SWEEP and self._succeeds(sweep_contents.enqueue):
                    swept = time.monotonic()
                for child in children:
                    if child.look_after():
                        due = True
                        if child.fails:
                            again = f"it is started again in {child.pause():.0f} s"
                            self.stderr.write(f"The {child.word} ended by itself again; {again}. Its message is above.")
                # Workers of a studio that was killed end a little later than it, and are nobody's children.
                before, enlisted = enlisted, set(workers.enlisted())
                due = due or bool(before - enlisted)
                if due:
                    due = not self._succeeds(recovery.of_the_gone)
        except KeyboardInterrupt:
            self.stdout.write("")
        finally:
            ending.set()
            self._end([child.process for child in children])

    def _succeeds(self, write: Callable[[], object]) -> bool:
        try:
            write()
        except OperationalError:
            return False  # the database was locked for long; at the next look
        return True

    def _wait_for(self, port: int, children: list[Child]) -> None:
        for _ in range(600):
            for child in children:
                child.look_after()
                if child.fails:
                    raise CommandError(f"The {child.word} ended by itself {TRIES} times; its message is above.")
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", port)) == 0:
                    return
            time.sleep(0.1)
        raise CommandError("The server did not answer within a minute.")

    def _end(self, children: list[subprocess.Popen[bytes]]) -> None:
        for child in children:
            if child.poll() is None:
                child.send_signal(signal.SIGTERM)
        deadline = time.monotonic() + PATIENCE
        for child in children:
            try:
                child.wait(max(0.1, deadline - time.monotonic()))
            except subprocess.TimeoutExpired:
                child.kill()
