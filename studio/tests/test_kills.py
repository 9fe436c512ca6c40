"""Worker, server and the whole studio killed at random moments: nothing lost, nothing doubled, nothing half stored."""

import json
import os
import random
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
import uuid
from collections import Counter
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.db import connection, transaction
from django.db.models import Max
from django.test import TransactionTestCase, tag
from django_tasks_db.models import DBTaskResult

from armuto.tests.files import PORTER, WALK, random_bvh
from demo.serving import CSRF
from studio import recovery
from studio.cast.models import Character
from studio.contents.services import store
from studio.ingest.models import Arrival
from studio.ingest.services.reading import take_in
from studio.library.models import Clip, Motion, Plate
from studio.management.commands.work import Worker
from studio.platform import workers
from studio.renditions import results, worker
from studio.renditions.models import Rendition, Revision, RevisionMotion, Run, RunItem
from studio.renditions.services import runs
from studio.renditions.tasks import work_off

KILLS = int(os.environ.get("ARMUTO_TEST_KILLS", "12"))
PATIENCE = 120.0  # seconds


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@tag("processes")
class Kills(TransactionTestCase):
    def setUp(self):
        for number in range(9):
            take_in(random_bvh(240, number), f"chore {number}.bvh")
        take_in(WALK.read_bytes(), "walk.bvh")
        take_in(PORTER.read_bytes(), "porter.glb")
        (self.porter,) = take_in(PORTER.read_bytes(), "second porter.glb").characters or (None,)
        self.port = free_port()
        self.served: subprocess.Popen | None = None
        self.serve()
        self.addCleanup(self.end)
        self.random = random.Random(int.from_bytes(os.urandom(4), "big"))
        self.brought: list[str] = []

    def serve(self) -> None:
        environment = {
            **os.environ,
            "ARMUTO_DATABASE": str(connection.settings_dict["NAME"]),
            "ARMUTO_WORKERS": "2",
        }
        command = [sys.executable, "manage.py", "serve", "--port", str(self.port)]
        deadline = time.monotonic() + PATIENCE
        while True:
            self.served = subprocess.Popen(
                command,
                env=environment,
                cwd=settings.BASE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                text=True,
            )
            if self.served.stdout.readline().startswith("Armuto is open"):
                break
            # The server of a studio that was killed may still hold the port for a moment.
            self.assertLess(time.monotonic(), deadline, "the studio does not start again")
            self.served.wait()
            time.sleep(0.5)

    def end(self) -> None:
        self.served.terminate()
        self.served.communicate(timeout=30)

    def children(self, word: str) -> list[int]:
        out = []
        for pid in Path(f"/proc/{self.served.pid}/task/{self.served.pid}/children").read_text().split():
            try:
                if word.encode() in Path(f"/proc/{pid}/cmdline").read_bytes():
                    out.append(int(pid))
            except FileNotFoundError:
                continue
        return out

    def kill(self) -> str:
        what = self.random.choices(("work", "studio.server", "studio"), (14, 6, 2))[0]
        if what == "studio":
            self.served.kill()
            self.served.communicate()
            self.serve()
            return what
        found = self.children(what)
        if not found:
            return ""
        os.kill(self.random.choice(found), signal.SIGKILL)
        return what

    def bring_in(self, name: str, data: bytes) -> None:
        """Bring a clip in over HTTP, whatever becomes of the server meanwhile."""
        edge = uuid.uuid4().hex
        body = (
            f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}.bvh"\r\n\r\n'.encode()
            + data
            + f"\r\n--{edge}--\r\n".encode()
        )
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}/api/arrivals/",
            body,
            {"Content-Type": f"multipart/form-data; boundary={edge}", **CSRF},
        )
        try:
            with urllib.request.urlopen(request, timeout=20) as answer:
                if json.load(answer)["clips"]:
                    self.brought.append(name)
        except (OSError, urllib.error.URLError, ValueError):
            pass

    def start(self) -> None:
        if not Run.objects.filter(state=Run.State.RUNNING).exists():
            cells = [
                (clip, character)
                for clip in Clip.objects.filter(name__startswith="chore").values_list("pk", flat=True)
                for character in {row.pk for row in self.cast}
            ]
            runs.start([*cells, (Clip.objects.get(name="walk").pk, self.cast[0].pk)])

    def test_nothing_is_lost_doubled_or_half_stored(self):
        self.cast = list(Character.objects.all())
        killed: Counter[str] = Counter()
        number = 100
        with self.settings(TASKS={"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}}):
            while sum(killed.values()) < KILLS:
                self.start()
                number += 1
                name, data = f"late {number}", random_bvh(12, number)
                bringing = threading.Thread(target=self.bring_in, args=(name, data))
                bringing.start()
                time.sleep(self.random.uniform(0.05, 2.0))
                if what := self.kill():
                    killed[what] += 1
                bringing.join()
                self.check()
            deadline = time.monotonic() + PATIENCE
            while Run.objects.exclude(state=Run.State.FINISHED).exists():
                self.assertIsNone(self.served.poll(), f"after {dict(killed)} the studio has ended")
                self.assertLess(time.monotonic(), deadline, f"after {dict(killed)} a run does not come to its end")
                time.sleep(0.2)
        self.check()
        self.assertEqual(set(RunItem.objects.values_list("state", flat=True)), {"done"})
        self.assertFalse(Rendition.objects.exclude(work="").exists())
        self.assertFalse(Rendition.objects.filter(newest=None).exists())
        # Each result was stored once, in whatever run: results are numbered, and there is a number for each item.
        numbers = dict(Rendition.objects.annotate(most=Max("revisions__number")).values_list("pk", "most"))
        items = Counter(RunItem.objects.values_list("rendition_id", flat=True))
        self.assertEqual(numbers, dict(items))
        self.assertGreater(sum(items.values()), 10)
        self.assertGreater(killed["work"], 0)

    def test_what_a_worker_of_a_killed_studio_leaves_is_taken_up(self):
        """Such a worker ends a little later than its studio, when another may be there already."""
        name = f"{workers.HOST}.1.orphan"
        hold = (
            f"import fcntl, os, sys\nfcntl.flock(os.open({str(workers.folder() / name)!r}, os.O_CREAT | os.O_RDWR), "
            "fcntl.LOCK_EX)\nprint('held', flush=True)\nsys.stdin.read()"
        )
        with subprocess.Popen(
            [sys.executable, "-S", "-c", hold], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        ) as orphan:
            orphan.stdout.readline()
            row = Arrival.objects.create(
                name="late walk.bvh",
                content=store(random_bvh(12, 200)),
                goes_to="library",
                state="reading",
                attempts=1,
                worker=name,
            )
            time.sleep(2)
            row.refresh_from_db()
            self.assertEqual(row.state, "reading")
        deadline = time.monotonic() + PATIENCE
        while row.state != "accepted":
            self.assertLess(time.monotonic(), deadline, "nobody takes up what it left")
            time.sleep(0.2)
            row.refresh_from_db()

    def check(self) -> None:
        """What must hold at any moment."""
        with connection.cursor() as cursor:
            cursor.execute("PRAGMA quick_check")
            self.assertEqual(cursor.fetchall(), [("ok",)])
            cursor.execute("PRAGMA foreign_key_check")
            self.assertEqual(cursor.fetchall(), [])
        with transaction.atomic():  # the workers go on meanwhile; all of this is asked of one moment
            self.assertEqual(RevisionMotion.objects.count(), Revision.objects.count())
            self.assertFalse(RunItem.objects.filter(state="done", progress__lt=1).exists())
            names = list(Clip.objects.values_list("name", flat=True))
            self.assertEqual((Motion.objects.count(), Plate.objects.count()), (len(names), len(names)))
        self.assertLessEqual(set(self.brought), set(names))
        self.assertEqual(len(set(names)), len(names), "a clip was brought in twice")


class Outliving(TransactionTestCase):
    def test_a_worker_outlives_a_task_whose_row_went(self):
        body = {
            "queue_names": ["default"],
            "interval": 0.1,
            "batch": True,
            "backend_name": "default",
            "max_tasks": None,
        }
        worker = Worker(startup_delay=False, worker_id="here", excluded_queue_names=[], **body)
        with self.settings(TASKS={"default": {"BACKEND": "django_tasks_db.DatabaseBackend"}}):
            work_off.enqueue()
            row = DBTaskResult.objects.get()
            row.claim("here")
            DBTaskResult.objects.all().delete()
            worker.run_task(row)
        self.assertFalse(worker.running_task)


class TakingUp(TransactionTestCase):
    def test_only_what_the_gone_were_at(self):
        take_in(random_bvh(), "chore.bvh")
        take_in(random_bvh(30, 1), "other chore.bvh")
        take_in(PORTER.read_bytes(), "porter.glb")
        porter = Character.objects.get().pk
        with self.settings(TASKS={"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}):
            runs.start([(clip, porter) for clip in Clip.objects.values_list("pk", flat=True)])
        first, second = worker.take_next(), worker.take_next()
        self.assertIsNone(worker.take_next())
        RunItem.objects.filter(pk=first.pk).update(worker=f"{workers.HOST}.1.gone")
        RunItem.objects.filter(pk=second.pk).update(worker="elsewhere.1.abcdef")
        with self.settings(TASKS={"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}):
            self.assertEqual(recovery.of_the_gone(), 1)
        again = worker.take_next()
        self.assertEqual((again.pk, again.attempts), (first.pk, 2))
        # Whoever comes late with a claim that was given up stores nothing.
        worker.process(first)
        self.assertEqual(Revision.objects.count(), 0)
        worker.process(again)
        self.assertEqual(Revision.objects.count(), 1)

    def test_a_claim_that_is_lost_at_the_very_end_stores_nothing(self):
        """Given up after the last frame was computed, before the result is kept."""
        take_in(random_bvh(), "chore.bvh")
        take_in(PORTER.read_bytes(), "porter.glb")
        with self.settings(TASKS={"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}):
            runs.start([(Clip.objects.get().pk, Character.objects.get().pk)])
        item, compute = worker.take_next(), results.compute

        def computed(*given):
            made = compute(*given)
            RunItem.objects.filter(pk=item.pk).update(claim="another's")
            return made

        with mock.patch("studio.renditions.results.compute", computed):
            worker.process(item)
        self.assertEqual(Revision.objects.count(), 0)
        self.assertEqual(RunItem.objects.get().state, RunItem.State.RUNNING)

    def test_an_item_that_ends_every_worker_is_given_up(self):
        take_in(random_bvh(), "chore.bvh")
        take_in(PORTER.read_bytes(), "porter.glb")
        with self.settings(TASKS={"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}):
            run = runs.start([(Clip.objects.get().pk, Character.objects.get().pk)])
        for _ in range(worker.ATTEMPTS):
            item = worker.take_next()
            RunItem.objects.filter(pk=item.pk).update(worker=f"{workers.HOST}.1.gone")
            worker.take_up()
        self.assertIsNone(worker.take_next())
        run.refresh_from_db()
        self.assertEqual((run.state, run.items.get().state), ("finished", "failed"))
        self.assertIn("the worker ended 6 times", Rendition.objects.get().sentence)
