"""What is in progress has somebody who is at it; when that one is gone, or nothing can be written, it is given back."""

import subprocess
import sys
import tempfile
import threading
from pathlib import Path
from unittest import mock

import numpy as np
from django.conf import settings
from django.db import OperationalError, connection
from django.test import Client, TransactionTestCase, override_settings
from django_tasks_db.models import DBTaskResult

from armuto import isolation
from armuto.errors import BadInput
from armuto.intake.detection import ImportOptions
from armuto.tests.files import BOW, PORTER, WALK, random_bvh
from studio import recovery
from studio.cast.models import Character
from studio.contents.services import store
from studio.ingest.models import Arrival, IntakeFile
from studio.ingest.services.acceptance import begin
from studio.ingest.services.reading import take_in
from studio.ingest.services.staging import lay_out
from studio.ingest.tasks import read_arrival
from studio.library.models import Clip
from studio.management.commands.work import Worker
from studio.platform import leases, reader, workers
from studio.platform.scratch import scratch as scratch_folder
from studio.renditions import worker
from studio.renditions.models import Revision, RunItem
from studio.renditions.services import runs

GONE = f"{workers.HOST}.1.gone"
NOBODY = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}
QUEUE = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}}


def left(model, **values):
    """A row that a worker who is gone has left in progress."""
    return model.objects.create(worker=GONE, content=store(WALK.read_bytes()), **values)


class Files(TransactionTestCase):
    def test_an_arrival_whose_worker_is_gone_is_read(self) -> None:
        row = left(Arrival, name="walk.bvh", state="reading", attempts=1)
        recovery.of_the_gone()
        row.refresh_from_db()
        self.assertEqual((row.state, row.worker, row.attempts), ("accepted", "", 0))
        self.assertEqual(Clip.objects.count(), 1)
        self.assertIsNone(row.content)

    def test_one_that_somebody_is_at_is_left_to_him(self) -> None:
        row = left(Arrival, name="walk.bvh", state="reading", attempts=1)
        Arrival.objects.update(worker=workers.name)
        recovery.of_the_gone()
        row.refresh_from_db()
        self.assertEqual((row.state, row.worker), ("reading", workers.name))
        # At a start of the whole studio nobody is at anything.
        recovery.everything()
        row.refresh_from_db()
        self.assertEqual(row.state, "accepted")

    def test_one_that_ends_every_worker_is_set_aside(self) -> None:
        row = left(Arrival, name="walk.bvh", state="reading", attempts=leases.ATTEMPTS)
        recovery.everything()
        row.refresh_from_db()
        self.assertEqual((row.state, Clip.objects.count()), ("refused", 0))
        self.assertRegex(row.sentence, r"^walk\.bvh: 3 workers ended in the middle of it, so it was set aside; ")

    def test_reading_into_the_intake(self) -> None:
        row = left(IntakeFile, path="walk.bvh", state="reading", attempts=2)
        other = left(IntakeFile, path="hall/bow.bvh", state="reading", attempts=leases.ATTEMPTS)
        recovery.of_the_gone()
        row.refresh_from_db(), other.refresh_from_db()
        self.assertEqual((row.state, row.worker, row.rows.count()), ("ready", "", 1))
        self.assertEqual(other.state, "refused")
        self.assertIn("hall/bow.bvh: 3 workers ended", other.sentence)
        # Another decision about it is another beginning.
        self.client.post("/api/intake/tell", {"files": [other.pk], "unit": "cm"}, content_type="application/json")
        other.refresh_from_db()
        self.assertEqual((other.state, other.attempts), ("ready", 0))

    def test_accepting(self) -> None:
        row = left(IntakeFile, path="walk.bvh")
        lay_out(row)
        with self.settings(TASKS=NOBODY):
            begin(IntakeFile.objects.all())
            IntakeFile.objects.update(worker=GONE, attempts=1)
        recovery.of_the_gone()
        self.assertEqual((IntakeFile.objects.count(), Clip.objects.count()), (0, 1))

    def test_whoever_comes_second_does_nothing(self) -> None:
        row = left(Arrival, name="walk.bvh", state="reading")
        read_arrival.call(row.pk)
        row.refresh_from_db()
        self.assertEqual((row.state, Clip.objects.count()), ("reading", 0))

    def test_the_task_of_a_worker_who_is_gone_is_not_done_twice(self) -> None:
        row = left(Arrival, name="walk.bvh", state="reading", attempts=1)
        with self.settings(TASKS=QUEUE):
            read_arrival.enqueue(row.pk)
            DBTaskResult.objects.get().claim(GONE)
            recovery.of_the_gone()
            self.assertEqual([task.status for task in DBTaskResult.objects.all()], ["READY"])


class FullDisk(TransactionTestCase):
    """SQLite's own limit on the pages of a database stands for a disk without room: the error is the same."""

    def fill(self) -> None:
        with connection.cursor() as cursor:
            cursor.execute("VACUUM")  # or what was deleted before would make room
            cursor.execute("PRAGMA page_count")
            cursor.execute(f"PRAGMA max_page_count = {cursor.fetchone()[0]}")

    def make_room(self) -> None:
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA max_page_count = 1073741823")

    def setUp(self) -> None:
        self.addCleanup(self.make_room)

    def test_is_said_in_a_sentence_and_changes_nothing(self) -> None:
        strangers = Client(raise_request_exception=False)
        self.fill()
        with WALK.open("rb") as file, self.assertLogs("django.request", "WARNING"):
            answer = strangers.post("/api/arrivals/", {"file": file})
        self.assertEqual(answer.status_code, 507, answer.content)
        self.assertIn("disk is full", answer.json()["detail"])
        self.assertEqual(Clip.objects.count(), 0)
        self.make_room()
        with WALK.open("rb") as file:
            self.assertEqual(strangers.post("/api/arrivals/", {"file": file}).status_code, 201)

    def test_a_database_that_does_not_answer_is_told_from_a_locked_one(self) -> None:
        for problem, words in (
            ("disk I/O error", "does not answer (disk I/O error)"),
            ("attempt to write a readonly database", "does not answer (attempt to write a readonly database)"),
            ("could not read block 12\nCONTEXT: a table", "does not answer (could not read block 12 CONTEXT: a table)"),
            ("canceling statement due to lock timeout", "saving something else"),
        ):
            away = mock.patch("studio.api.counted", side_effect=OperationalError(problem))
            with self.subTest(problem), away, self.assertLogs("django.request", "WARNING"):
                answer = Client(raise_request_exception=False).get("/api/counts")
                self.assertEqual(answer.status_code, 503)
                self.assertIn(words, answer.json()["detail"])

    def test_a_lock_that_lasts_is_said_too(self) -> None:
        with (
            mock.patch("studio.ingest.api.arrivals.take_in", side_effect=OperationalError("database is locked")),
            WALK.open("rb") as file,
            self.assertLogs("django.request", "WARNING"),
        ):
            answer = Client(raise_request_exception=False).post("/api/arrivals/", {"file": file})
        self.assertEqual((answer.status_code, "try again" in answer.json()["detail"]), (503, True))

    def test_a_run_goes_on_by_itself_when_there_is_room(self) -> None:
        take_in(WALK.read_bytes(), "walk.bvh")
        take_in(PORTER.read_bytes(), "porter.glb")
        with self.settings(TASKS=NOBODY):
            runs.start([(Clip.objects.get().pk, Character.objects.get().pk)])
        item = worker.take_next()
        self.fill()
        with self.assertRaises(OperationalError):
            worker.process(item)
        self.make_room()
        self.assertEqual(RunItem.objects.get().state, "running")  # neither failed nor lost: somebody is still at it
        RunItem.objects.update(worker=GONE)
        recovery.of_the_gone()
        self.assertEqual((RunItem.objects.get().state, Revision.objects.count()), ("done", 1))


class Limits(TransactionTestCase):
    def setUp(self) -> None:
        super().setUp()
        # Nothing that another test has read is at hand.
        scratch = tempfile.TemporaryDirectory()
        self.addCleanup(scratch.cleanup)
        self.enterContext(override_settings(FILE_UPLOAD_TEMP_DIR=scratch.name))

    def worker(self) -> Worker:
        return Worker(
            queue_names=["default"],
            interval=0.1,
            batch=True,
            backend_name="default",
            max_tasks=None,
            startup_delay=False,
            worker_id="here",
            excluded_queue_names=[],
        )

    def task(self) -> DBTaskResult:
        row = left(Arrival, name="walk.bvh", state="waiting")
        read_arrival.enqueue(row.pk)
        task = DBTaskResult.objects.get()
        task.claim("here")
        return task

    def test_a_worker_that_has_grown_ends_after_its_task(self) -> None:
        with self.settings(TASKS=QUEUE):
            working, task = self.worker(), self.task()
            with self.settings(WORKER_MEMORY=1), self.assertLogs("studio.management.commands.work", "WARNING"):
                working.run_task(task)
            self.assertFalse(working.running)
        self.assertEqual(Clip.objects.count(), 1)

    def test_a_worker_whose_task_could_not_write_ends(self) -> None:
        with self.settings(TASKS=QUEUE):
            working, task = self.worker(), self.task()
            full = mock.patch("studio.ingest.tasks.take_in", side_effect=OperationalError("database or disk is full"))
            with full, self.assertLogs("studio.management.commands.work", "ERROR"), self.assertRaises(SystemExit):
                working.run_task(task)
        self.assertEqual(Arrival.objects.get().state, "reading")

    def test_a_task_that_takes_too_long_ends_its_worker(self) -> None:
        code = (
            "import django, time; django.setup(); from studio.platform.workers import time_limit\n"
            "with time_limit(60, 'quick'): pass\n"
            "with time_limit(0.3, 'slow'): time.sleep(60)"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False, timeout=50)
        self.assertEqual(done.returncode, -9)
        self.assertIn("slow took longer than 0.3 s", done.stderr)

    def test_a_file_that_needs_too_much_memory(self) -> None:
        """A small one passes within the same limit."""
        with override_settings(READER_MEMORY=400 * settings.MB):
            reader.read(WALK.read_bytes(), "walk.bvh")
            with self.assertRaisesRegex(BadInput, r"^walk\.bvh: reading it takes more "):
                reader.read(WALK.read_bytes() + b"0 " * 25_000_000, "walk.bvh")

    def test_what_was_read_is_at_hand_for_a_while_and_never_in_the_way(self) -> None:
        first = reader.read(WALK.read_bytes(), "walk.bvh")
        kept = list((scratch_folder() / "read").iterdir())
        self.assertEqual(len(kept), 1)
        with mock.patch("armuto.isolation.call", side_effect=AssertionError):
            again = reader.read(WALK.read_bytes(), "walk.bvh")
        np.testing.assert_array_equal(again.clips[0].rotations, first.clips[0].rotations)
        # Under another name, told otherwise, or changed, it is another file.
        with mock.patch("armuto.isolation.call", wraps=isolation.call) as call:
            reader.read(WALK.read_bytes(), "night.bvh")
            self.assertEqual(
                reader.read(WALK.read_bytes(), "walk.bvh", ImportOptions("m")).skeleton.file_frame.unit, 1.0
            )
            reader.read(WALK.read_bytes() + b"\n", "walk.bvh")
            self.assertEqual(call.call_count, 3)
            # What cannot be made out is read anew, and the oldest gives way.
            kept[0].write_bytes(b"half of it")
            reader.read(WALK.read_bytes(), "walk.bvh")
            self.assertEqual(call.call_count, 4)
        folder, usual = kept[0].parent, max(row.stat().st_size for row in kept[0].parent.iterdir())
        oldest = min(folder.iterdir(), key=lambda row: row.stat().st_mtime)
        with mock.patch.object(reader, "KEPT", int(4.5 * usual)):
            reader.read(BOW.read_bytes(), "bow.bvh")
        self.assertEqual((len(list(folder.iterdir())), oldest.exists()), (4, False))
        # Large ones are not kept.
        for name, value in (("LARGEST_KEPT", 10), ("KEPT", 10)):
            with mock.patch.object(reader, name, value):
                reader.read(BOW.read_bytes(), f"bow {name}.bvh")
            self.assertEqual(len(list(folder.iterdir())), 4)

    def test_what_is_read_may_not_be_larger_than_the_limit(self) -> None:
        with self.assertRaises(isolation.OutOfMemory):
            isolation.call(bytes, 3_000_000, limits=isolation.Limits(memory=300 * settings.MB, result=1_000_000))

    def test_a_file_that_takes_too_long(self) -> None:
        for problem, sentence in {
            isolation.OutOfTime: "takes longer than 60 s",
            isolation.OutOfMemory: "more than 1536 MB",
            isolation.Crashed: "its reader ended",
        }.items():
            with (
                mock.patch("armuto.isolation.call", side_effect=problem),
                self.assertRaisesRegex(BadInput, rf"^walk\.bvh: .*{sentence}.*\.$"),
            ):
                reader.read(WALK.read_bytes(), "walk.bvh")

    def test_no_more_are_read_at_once_than_there_are_places(self) -> None:
        at_once, most, lock = 0, 0, threading.Lock()
        begun = threading.Barrier(2, timeout=20)

        def slow(*args, **kwargs):
            nonlocal at_once, most
            with lock:
                at_once += 1
                most = max(most, at_once)
            begun.wait()  # two are read at once, or this breaks
            with lock:
                at_once -= 1

        with override_settings(READERS=2), mock.patch("armuto.isolation.call", slow):
            # Each reads another file: what was read before would be taken from what is kept.
            threads = [threading.Thread(target=reader.read, args=(b"%d" % n, "x.bvh")) for n in range(6)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
        self.assertEqual(most, 2)
        self.assertFalse(begun.broken)

    @override_settings(READERS=1, READER_SECONDS=0.2)
    def test_whoever_waits_for_too_long_is_told(self) -> None:
        held, done = threading.Event(), threading.Event()

        def slow(*args, **kwargs):
            held.set()
            done.wait(20)

        with mock.patch("armuto.isolation.call", slow):
            thread = threading.Thread(target=reader.read, args=(b"x", "x.bvh"))
            thread.start()
            held.wait(20)
            with self.assertRaisesRegex(BadInput, "^y.bvh: too much is being read"):
                reader.read(b"x", "y.bvh")
            done.set()
            thread.join()


class Leftovers(TransactionTestCase):
    def test_random_motion_is_read_as_it_is_here(self) -> None:
        data = random_bvh(12)
        self.assertEqual(len(reader.read(data, "x.bvh").clips), 1)
        self.assertEqual(reader.contents(data, "x.bvh"), [("x.bvh", data, {})])
        with tempfile.TemporaryDirectory() as folder:
            self.assertEqual(list(Path(folder).iterdir()), [])
