"""What the studio does about its own processes when they end."""

import fcntl
import os
import signal
import sys
import tempfile
import time
from pathlib import Path
from unittest import TestCase, mock

from django.core.management.base import CommandError

from studio.management.commands import serve
from studio.platform import workers

SLEEPS = [sys.executable, "-c", "import time; time.sleep(60)"]
FAILS = [sys.executable, "-S", "-c", "raise SystemExit(1)"]


class Children(TestCase):
    def child(self, command: list[str]) -> serve.Child:
        child = serve.Child("worker", command, dict(os.environ))
        self.addCleanup(lambda: child.process.poll() is None and (child.process.kill(), child.process.wait()))
        return child

    def test_what_is_killed_from_outside_is_started_at_once_however_often(self):
        child = self.child(SLEEPS)
        for _ in range(serve.TRIES + 2):
            before = child.process
            before.send_signal(signal.SIGKILL)
            before.wait()
            self.assertTrue(child.look_after())
            self.assertIsNot(child.process, before)
            self.assertIsNone(child.process.poll())
            self.assertFalse(child.look_after())
        self.assertFalse(child.fails)

    def test_what_ends_by_itself_again_and_again_is_started_less_and_less_often(self):
        child = self.child(FAILS)
        for _ in range(serve.TRIES - 1):
            child.process.wait()
            self.assertTrue(child.look_after())
        self.assertFalse(child.fails)
        last = child.process
        last.wait()
        self.assertTrue(child.look_after())
        self.assertTrue(child.fails)
        self.assertEqual(child.pause(), 1)
        self.assertFalse(child.look_after())
        self.assertIs(child.process, last)
        later = time.monotonic() + 1.1
        with mock.patch.object(serve.time, "monotonic", lambda: later):
            self.assertFalse(child.look_after())
            child.process.wait()
            self.assertIsNot(child.process, last)
            self.assertTrue(child.look_after())
        self.assertEqual(child.pause(), 2)
        child.short_lives = 1000
        self.assertEqual(child.pause(), serve.LONGEST_PAUSE)

    def test_a_studio_of_which_a_part_fails_does_not_open(self):
        child = self.child(FAILS)
        with self.assertRaisesRegex(CommandError, "The worker ended by itself 5 times"):
            serve.Command()._wait_for(1, [child])


class Enlisting(TestCase):
    def test_who_is_looked_at_before_the_lock_is_there_is_enlisted_all_the_same(self):
        with tempfile.TemporaryDirectory() as folder:
            lock, looks = fcntl.flock, []

            def flock(handle, how):
                if how == fcntl.LOCK_EX and not looks:  # somebody looks between the file and its lock
                    with mock.patch.object(workers, "name", ""):  # from another process
                        looks.extend(path.name for path in Path(folder).iterdir() if workers.gone(path.name))
                return lock(handle, how)

            with (
                mock.patch.object(workers, "folder", lambda: Path(folder)),
                mock.patch.object(workers, "name", ""),
                mock.patch.object(workers, "_held", {}),
                mock.patch.object(workers.fcntl, "flock", flock),
            ):
                name = workers.enlist()
                handle = workers._held.pop(name)
                workers.name = ""
                self.assertEqual(looks, [name])
                self.assertEqual(list(workers.enlisted()), [name])
                os.close(handle)
                self.assertEqual(list(workers.enlisted()), [])
