"""Data files of earlier states of the program are taken into use as they are."""

import hashlib
import json
import lzma
import os
import sqlite3
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path

from django.test import tag

DATA = Path(__file__).parent / "data"
ROOT = Path(__file__).parents[2]
# Everything below is asked in a process of its own, as a studio does that was updated and started again.
ASK = """
import json
from django.test import Client
from django_tasks_db.models import DBTaskResult
client = Client(headers={"host": "localhost", "sec-fetch-site": "same-origin"})
def ask(path):
    answer = client.get(f"/api/{path}")
    assert answer.status_code == 200, (path, answer.status_code, answer.content[:200])
    return answer.json() if "json" in answer["Content-Type"] else len(answer.content)
(clip,), (figure,), (fitting,) = ask("library/clips"), ask("cast/"), ask("fittings/")
cell = ask(f"renditions/cell?clip_id={clip['id']}&character_id={figure['id']}")
(delivery,) = ask("deliveries/")
print(json.dumps({
    "counts": ask("counts"), "clip": clip["name"], "figure": figure["name"], "state": cell["state"],
    "motion": ask(f"renditions/{cell['id']}/motion"), "pairs": len(ask(f"fittings/{fitting['id']}")["pairs"]),
    "files": [[row["path"], row["state"]] for row in ask("intake/files")], "rows": len(ask("intake/rows")),
    "rule": ask("intake/rule")["pieces"], "delivered": len(ask(f"deliveries/{delivery['id']}/items")),
    "plate": ask("intake/rows/1/plate"), "arrival": ask("arrivals/1")["state"],
    "tasks": sorted(DBTaskResult.objects.values_list("task_path", flat=True)),
}))
"""


@tag("processes")
class DataFile(unittest.TestCase):
    """A data file of an earlier state in a folder of its own."""

    made = ""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.put(self.made)

    def put(self, name: str) -> None:
        if name:
            data = lzma.decompress((DATA / f"{name}.sqlite3.xz").read_bytes())
            (self.folder / "armuto.sqlite3").write_bytes(data)

    def manage(self, *arguments: str) -> str:
        environment = {**os.environ, "ARMUTO_DATA": str(self.folder)}
        done = subprocess.run(
            [sys.executable, "manage.py", *arguments],
            cwd=ROOT,
            env=environment,
            capture_output=True,
            text=True,
            timeout=180,
        )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        return done.stdout


class BeforeIngest(DataFile):
    """The state before arrivals and intake became one app: its tables and its waiting tasks are found under new
    names."""

    made = "before_ingest"

    def test_it_is_taken_into_use_with_all_that_was_in_it(self):
        self.manage("migrate", "--verbosity", "0")
        found = json.loads(self.manage("shell", "--no-imports", "-c", ASK).splitlines()[-1])
        counts = {key: found["counts"][key] for key in ("clips", "characters", "fittings", "accepted", "arriving")}
        self.assertEqual(counts, {"clips": 1, "characters": 1, "fittings": 1, "accepted": 1, "arriving": 1})
        self.assertEqual((found["clip"], found["figure"], found["state"]), ("stand up", "striker", "accepted"))
        self.assertGreater(found["motion"], 10_000)
        self.assertGreater(found["pairs"], 15)
        states = [["hall_bow_02.bvh", "waiting"], ["hall_sit_02.bvh", "ready"], ["later.bvh", "waiting"]]
        self.assertEqual((found["files"], found["rows"], found["arrival"]), (states, 1, "waiting"))
        self.assertEqual((found["delivered"], len(found["rule"])), (1, 1))
        waiting = ["studio.ingest.tasks.read_file"] * 2 + ["studio.renditions.tasks.work_off"] * 2
        self.assertEqual(found["tasks"], waiting)

    def test_so_is_one_from_before_floors_were_said(self):
        with sqlite3.connect(self.folder / "armuto.sqlite3") as data:
            data.execute("ALTER TABLE intake_intakerow DROP COLUMN floor")
            data.execute("DELETE FROM django_migrations WHERE app = 'intake' AND name = '0002_floor'")
        data.close()
        self.manage("migrate", "--verbosity", "0")
        with sqlite3.connect(self.folder / "armuto.sqlite3") as data:
            self.assertEqual(
                data.execute("SELECT clip, floor FROM ingest_intakerow").fetchall(), [("hall_sit_02", None)]
            )
        data.close()

    def test_it_is_migrated_once(self):
        self.manage("migrate", "--verbosity", "0")
        self.assertIn("No migrations to apply", self.manage("migrate"))


class BeforeLeases(DataFile):
    """The state before files on their way in named who was at them, and clips the import that brings them."""

    made = "before_leases"

    def test_it_is_taken_into_use_with_all_that_was_in_it(self):
        self.manage("migrate", "--verbosity", "0")
        ask = ASK.replace('ask("arrivals/1")["state"]', '"none"')
        found = json.loads(self.manage("shell", "--no-imports", "-c", ask).splitlines()[-1])
        counts = {key: found["counts"][key] for key in ("clips", "characters", "fittings", "accepted", "arriving")}
        self.assertEqual(counts, {"clips": 1, "characters": 1, "fittings": 1, "accepted": 1, "arriving": 0})
        self.assertEqual((found["clip"], found["figure"], found["state"]), ("walk", "fox", "accepted"))
        self.assertEqual((found["files"], found["rows"], found["delivered"]), ([["late.bvh", "ready"]], 1, 1))
        self.assertIn("everything is as it was put in", self.manage("verify"))


class BeforeContents(DataFile):
    """The state in which bytes lay whole in rows of whoever held them: an arrival, two files of the intake of which
    one got bones, a figure made of another format, two meshes without their bones."""

    made = "before_contents"
    HELD = (
        ("SELECT name, data FROM {0}arrival JOIN {0}arrivalcontent ON arrival_id = id", "ingest_"),
        ("SELECT path, data FROM {0}intakefile JOIN {0}intakecontent ON file_id = id", "ingest_"),
        ("SELECT path, data FROM {0}intakesculpture", "ingest_"),
        ("SELECT path, mesh FROM {0}intakesculpture", "ingest_"),
        ("SELECT sha256, data FROM {0}original JOIN {0}originalcontent ON original_id = id", "library_"),
        ("SELECT name, data FROM {0}character JOIN {0}characterdisplay ON character_id = id", "cast_"),
        ("SELECT rig_id, data FROM {0}rigmesh", "rigs_"),
        ("SELECT rig_id, standing FROM {0}rigmesh", "rigs_"),
    )
    ASK = """
import hashlib, json
from studio.cast.models import Character
from studio.ingest.models import Arrival, IntakeFile, IntakeSculpture
from studio.library.models import Original
from studio.rigs.models import RigMesh
def held(model, name, field):
    rows = model._base_manager.select_related(field)
    pairs = ((getattr(row, name), getattr(row, field)) for row in rows)
    return [[key, content and hashlib.sha256(content.data).hexdigest()] for key, content in pairs]
print(json.dumps([
    held(Arrival, "name", "content"), held(IntakeFile, "path", "content"), held(IntakeSculpture, "path", "original"),
    held(IntakeSculpture, "path", "mesh"), held(Original, "sha256", "content"), held(Character, "name", "display_file"),
    held(RigMesh, "rig_id", "bound"), held(RigMesh, "rig_id", "standing"),
]))
"""

    def test_every_byte_is_where_it_was(self):
        with sqlite3.connect(self.folder / "armuto.sqlite3") as data:
            before = [data.execute(query.format(app)).fetchall() for query, app in self.HELD]
        data.close()
        hashed = [sorted([key, held and hashlib.sha256(held).hexdigest()] for key, held in rows) for rows in before]
        self.assertEqual([len(rows) for rows in hashed], [1, 2, 1, 1, 3, 1, 2, 2])
        self.manage("migrate", "--verbosity", "0")
        after = json.loads(self.manage("shell", "--no-imports", "-c", self.ASK).splitlines()[-1])
        # Of the characters one has the figure that it came as.
        after[5] = [[name, held] for name, held in after[5] if held]
        self.assertEqual([sorted(rows) for rows in after], hashed)
        self.assertIn("everything is as it was put in", self.manage("verify"))


class BeforeFloors(DataFile):
    """An empty studio of the state in which deliveries were new."""

    made = "before_floors"

    def test_everything_that_is_needed_is_there_afterwards(self):
        code = "from studio.platform import schema; schema.update(); print(schema.missing_columns())"
        self.assertEqual(self.manage("shell", "--no-imports", "-c", code).split("\n")[-2], "[]")
        self.assertIn("No migrations to apply", self.manage("migrate"))


class OfTheFirstDays(DataFile):
    """Their migrations were changed after they had been made, so that they seem to be what they are not."""

    def test_they_are_refused_in_a_sentence(self):
        for name in ("of_the_first_day", "of_the_second_day"):
            self.put(name)
            done = subprocess.run(
                [sys.executable, "manage.py", "serve", "--port", "0"],
                cwd=ROOT,
                env={**os.environ, "ARMUTO_DATA": str(self.folder)},
                capture_output=True,
                text=True,
                timeout=180,
                check=False,
            )
            with self.subTest(name):
                self.assertEqual(done.returncode, 1, done.stdout)
                self.assertIn("it is of one of the first days of Armuto and lacks", done.stderr)
                self.assertNotIn("Traceback", done.stderr)
