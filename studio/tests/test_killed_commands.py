"""Backup, restore and migration killed in the middle: there is always a whole data file, and the next start goes on."""

import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Iterator
from pathlib import Path

from django.conf import settings
from django.test import tag

from studio.tests.test_backup import begin, fill, python
from studio.tests.test_upgrade import DataFile

BALLAST = 60_000_000  # bytes, so that copying takes long enough to be cut short
SHARES = (0.6, 0.9)  # of the time that the command takes, when it is killed


@tag("processes")
class KilledCommand(unittest.TestCase):
    folder: Path

    def kill(self, *arguments: object) -> Iterator[float]:
        """Run a command to its end once, then begin it again and again and kill it; yields after each kill."""
        begun = time.monotonic()
        python(self.folder, "manage.py", *map(str, arguments)).check_returncode()
        whole = time.monotonic() - begun
        yield 1.0
        for share in SHARES:
            process = subprocess.Popen(
                [sys.executable, "manage.py", *map(str, arguments)],
                env={**os.environ, "ARMUTO_DATA": str(self.folder)},
                cwd=settings.BASE,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
            time.sleep(whole * share)
            process.send_signal(signal.SIGKILL)
            process.wait()
            yield share

    def names(self, file: Path) -> list[str]:
        """Names of the clips in a data file, which is whole."""
        held = sqlite3.connect(file)
        self.assertEqual(held.execute("PRAGMA integrity_check").fetchone(), ("ok",))
        rows = held.execute("SELECT name FROM library_clip ORDER BY name").fetchall()
        held.close()
        return [name for (name,) in rows]


class KilledCopies(KilledCommand):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.file = self.folder / "armuto.sqlite3"
        begin(self.folder)

    def weigh_down(self) -> None:
        held = sqlite3.connect(self.file)
        held.execute("CREATE TABLE ballast (data BLOB)")
        for _ in range(6):
            held.execute("INSERT INTO ballast VALUES (zeroblob(?))", (BALLAST // 6,))
        held.commit()
        held.close()

    def test_a_backup_is_whole_or_is_none(self) -> None:
        self.weigh_down()
        for _ in self.kill("backup"):
            self.assertEqual(self.names(self.file), ["chore 1"])
            for copy in (self.folder / "backups").glob("*.sqlite3"):
                self.assertEqual(self.names(copy), ["chore 1"])
            time.sleep(1.0)  # the next has another name

    def test_a_restore_leaves_what_was_there_or_the_copy(self) -> None:
        copy = self.folder / "night.sqlite3"
        python(self.folder, "manage.py", "backup", str(copy)).check_returncode()
        fill(self.folder, 2)
        self.weigh_down()
        present = self.folder / "present.sqlite3"
        python(self.folder, "manage.py", "backup", str(present)).check_returncode()
        for share in self.kill("restore", copy):
            self.assertIn(self.names(self.file), (["chore 1"], ["chore 1", "chore 2"]), f"killed at {share}")
            for kept in self.folder.glob("armuto before *.sqlite3"):
                self.names(kept)
                kept.unlink()
            for suffix in ("-wal", "-shm"):
                self.file.with_name(self.file.name + suffix).unlink(missing_ok=True)
            shutil.copyfile(present, self.file)


class KilledMigration(DataFile, KilledCommand):
    made = "before_ingest"

    def test_the_next_start_goes_on(self) -> None:
        for share in self.kill("migrate", "-v", "0"):
            with self.subTest(killed_at=share):
                self.manage("migrate", "-v", "0")
                self.assertEqual(self.names(self.folder / "armuto.sqlite3"), ["stand up"])
                self.manage("verify")
            for left in self.folder.glob("armuto.sqlite3*"):
                left.unlink()
            self.put(self.made)
