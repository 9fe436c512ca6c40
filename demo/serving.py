"""A studio in a folder of its own, served for as long as a script needs it."""

import os
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent


@contextmanager
def served(folder: str, port: int, *options: str) -> Iterator[subprocess.Popen]:
    """The process of ``manage.py serve``, once it is open; ended with whatever it started."""
    environment = {**os.environ, "ARMUTO_DATA": folder, "PYTHONUNBUFFERED": "1"}
    command = [sys.executable, "manage.py", "serve", "--port", str(port), *options]
    studio = subprocess.Popen(command, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True)
    try:
        assert studio.stdout
        for line in studio.stdout:
            if "is open at" in line:
                break
        yield studio
    finally:
        studio.send_signal(signal.SIGINT)
        studio.wait(20)


TOKEN = "0" * 32
#: What a script says with every change: any token, twice, since it has no browser that others could lead astray.
CSRF = {"Cookie": f"armuto_csrf={TOKEN}", "X-CSRFToken": TOKEN}
