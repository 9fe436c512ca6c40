"""The one data file copied while the studio is used, and taken into use again."""

import fcntl
import os
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from functools import cache
from pathlib import Path

from django.conf import settings
from django.test import tag

from studio.platform import workers

FILL = """
import django; django.setup()
from armuto.tests.files import WALK, random_bvh
from studio.ingest.services.reading import take_in
take_in(random_bvh(30, {number}), "chore {number}.bvh")
"""


def python(folder: Path, *arguments: str) -> subprocess.CompletedProcess:
    """Another process that has its studio in a folder."""
    environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "studio.settings", "ARMUTO_DATA": str(folder)}
    command = [sys.executable, *arguments]
    return subprocess.run(command, env=environment, cwd=settings.BASE, capture_output=True, text=True, timeout=240)


def fill(folder: Path, number: int):
    python(folder, "-c", FILL.format(number=number)).check_returncode()


def begin(folder: Path) -> None:
    """A studio with one clip, which is made for the first test that begins with it."""
    (folder / "armuto.sqlite3").write_bytes(_with_a_clip())


@cache
def _with_a_clip() -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        python(Path(folder), "manage.py", "migrate", "-v", "0").check_returncode()
        fill(Path(folder), 1)
        file = Path(folder) / "armuto.sqlite3"
        held = sqlite3.connect(file)
        held.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        held.close()
        return file.read_bytes()


@tag("processes")
class Backup(unittest.TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        begin(self.folder)

    def manage(self, *arguments, status: int = 0) -> str:
        done = python(self.folder, "manage.py", *map(str, arguments))
        self.assertEqual(done.returncode, status, done.stderr[-1500:])
        self.assertNotIn("Traceback", done.stderr)
        return done.stdout + done.stderr

    def names(self) -> str:
        with sqlite3.connect(self.folder / "armuto.sqlite3") as held:
            return "|".join(name for (name,) in held.execute("SELECT name FROM library_clip ORDER BY name"))

    def test_there_and_back_while_somebody_holds_the_file_open(self):
        held = sqlite3.connect(self.folder / "armuto.sqlite3")
        held.execute("SELECT count(*) FROM library_clip").fetchone()
        copy = self.folder / "kept" / "night.sqlite3"
        self.assertIn("night.sqlite3", self.manage("backup", copy))
        self.assertIn("there is a file of this name", self.manage("backup", copy, status=1))
        held.close()
        fill(self.folder, 2)
        self.assertEqual(self.names(), "chore 1|chore 2")
        output = self.manage("restore", copy)
        self.assertIn("What was there is kept as", output)
        self.assertEqual(self.names(), "chore 1")
        # And back again: nothing was lost.
        (before,) = self.folder.glob("armuto before *.sqlite3")
        self.manage("restore", before)
        self.assertEqual(self.names(), "chore 1|chore 2")
        self.manage("backup")
        self.assertEqual(len(list((self.folder / "backups").glob("*.sqlite3"))), 1)

    def test_what_is_no_copy_of_a_studio_changes_nothing(self):
        (self.folder / "note.txt").write_text("closed on Mondays")
        sqlite3.connect(self.folder / "empty.sqlite3").close()
        for name, words in (
            ("nothing", "no such file"),
            ("note.txt", "no data file"),
            ("empty.sqlite3", "no whole data file"),
        ):
            self.assertIn(words, self.manage("restore", self.folder / name, status=1))
        self.assertEqual(self.names(), "chore 1")

    def test_what_a_later_program_made_is_not_touched(self):
        copy = self.folder / "tomorrow.sqlite3"
        self.manage("backup", copy)
        for path in (copy, self.folder / "armuto.sqlite3"):
            with sqlite3.connect(path) as held:
                held.execute("INSERT INTO django_migrations VALUES (NULL, 'fittings', '9999_tomorrow', '2027-01-01')")
            held.close()
        before = copy.read_bytes()
        for arguments in (("restore", copy), ("serve", "--port", "18999")):
            said = self.manage(*arguments, status=1)
            self.assertIn("does not know (fittings.9999_tomorrow)", said)
        self.assertEqual((self.names(), copy.read_bytes()), ("chore 1", before))

    def test_verify_finds_what_was_damaged(self):
        self.assertIn("everything is as it was put in", self.manage("verify"))
        with sqlite3.connect(self.folder / "armuto.sqlite3") as held:
            held.execute("UPDATE library_original SET size = size + 1")
            held.execute("UPDATE contents_chunk SET data = X'00'")
        held.close()
        self.assertIn("chore 1.bvh: its content is not what came in", self.manage("verify", status=1))

    def test_not_while_the_studio_works(self):
        copy = self.folder / "night.sqlite3"
        self.manage("backup", copy)
        path = self.folder / "armuto.sqlite3.workers" / f"{workers.HOST}.1.abcdef"
        path.parent.mkdir()
        with path.open("w") as held:
            fcntl.flock(held, fcntl.LOCK_EX)
            self.assertIn("The studio is running", self.manage("restore", copy, status=1))
        self.manage("restore", copy)
