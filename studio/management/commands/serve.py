"""Run the studio: one server and one worker, until Ctrl-C."""

import os
import signal
import socket
import subprocess
import sys
import time

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandError

PATIENCE = 10.0  # seconds a child may take to finish


class Command(BaseCommand):
    help = "Start the server and a worker, print the address, and end both cleanly on Ctrl-C."

    def add_arguments(self, parser):
        parser.add_argument("--port", type=int, default=8123)
        parser.add_argument("--demo", action="store_true", help="load the demo data into an empty studio first")

    def handle(self, *args, port, demo, **options):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                raise CommandError(f"Port {port} is taken; choose another with PORT={port + 1}.") from None
        call_command("migrate", verbosity=0)
        if demo:
            call_command("load_demo", stdout=self.stdout)
        # A worker that was killed leaves work marked as begun; it is taken up again.
        call_command("take_up", stdout=self.stdout)
        environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "studio.settings"}
        server = [
            sys.executable,
            "-m",
            "uvicorn",
            "studio.asgi:application",
            "--port",
            str(port),
            "--log-level",
            "warning",
        ]
        worker = [
            sys.executable,
            "manage.py",
            "db_worker",
            "--interval",
            "0.2",
            "--no-startup-delay",
            "--no-reload",
            "-v",
            "0",
        ]
        # In sessions of their own, so that Ctrl-C reaches this process alone and it decides who stops when.
        children = [
            subprocess.Popen(command, env=environment, cwd=settings.BASE, start_new_session=True)
            for command in (server, worker)
        ]
        # Said outright, since a shell may have started us with Ctrl-C ignored.
        signal.signal(signal.SIGINT, signal.default_int_handler)
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        try:
            self._wait_for(port, children)
            self.stdout.write(f"Armuto is open at http://127.0.0.1:{port}/ — Ctrl-C ends it.")
            self.stdout.flush()
            while all(child.poll() is None for child in children):
                time.sleep(0.3)
            raise CommandError("The server or the worker ended by itself; its message is above.")
        except KeyboardInterrupt:
            self.stdout.write("")
        finally:
            self._end(children)

    def _wait_for(self, port: int, children: list[subprocess.Popen]) -> None:
        for _ in range(300):
            if any(child.poll() is not None for child in children):
                raise CommandError("The server or the worker did not start; its message is above.")
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", port)) == 0:
                    return
            time.sleep(0.1)
        raise CommandError("The server did not answer within 30 seconds.")

    def _end(self, children: list[subprocess.Popen]) -> None:
        for child in children:
            if child.poll() is None:
                child.send_signal(signal.SIGTERM)
        deadline = time.monotonic() + PATIENCE
        for child in children:
            try:
                child.wait(max(0.1, deadline - time.monotonic()))
            except subprocess.TimeoutExpired:
                child.kill()
