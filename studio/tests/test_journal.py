"""What the log says of requests and tasks, and whether all is well."""

import json
import logging
import shutil
from typing import Any
from unittest import mock

from django.db import OperationalError
from django.test import Client, TransactionTestCase

from armuto.tests.files import PORTER, WALK
from studio.cast.models import Character
from studio.contents.services import store
from studio.ingest.models import Arrival
from studio.ingest.services.reading import take_in
from studio.ingest.tasks import read_arrival
from studio.library.models import Clip
from studio.platform.journal import JsonFormatter, TextFormatter
from studio.platform.timing import span
from studio.renditions.services import runs


def lines(log: Any) -> list[dict[str, Any]]:
    return [json.loads(JsonFormatter().format(record)) for record in log.records]


class Journal(TransactionTestCase):
    def test_a_line_for_each_request(self) -> None:
        with self.assertLogs("armuto.journal", "INFO") as log:
            answer = self.client.get("/api/library/clips?x=1", headers={"Armuto-Session": "night shift"})
            self.client.post("/api/intake/tell", "{", content_type="application/json")
            self.client.get("/nowhere.png")
        first, second, third = lines(log)
        self.assertEqual(first["message"], "GET /api/library/clips?x=1")
        self.assertEqual((first["status"], first["session"], first["kind"]), (200, "night shift", "request"))
        self.assertEqual(first["id"], answer["X-Request-ID"])
        self.assertGreaterEqual(first["milliseconds"], 0)
        self.assertGreaterEqual(second["status"], 400)
        self.assertEqual(third["status"], 404)
        self.assertEqual(len({row["id"] for row in (first, second, third)}), 3)

    def test_an_answer_says_what_it_spent_its_time_on(self) -> None:
        entries = dict(entry.split(";dur=") for entry in self.client.get("/api/counts")["Server-Timing"].split(", "))
        self.assertGreater(float(entries["total"]), 0)
        self.assertLessEqual(float(entries["database"]), float(entries["total"]))
        with span("outside"):  # of any request, it is counted nowhere
            pass
        self.assertNotIn("outside", self.client.get("/api/counts")["Server-Timing"])

    def test_a_failure_is_found_by_the_id_in_its_sentence(self) -> None:
        broken = mock.patch("studio.api.counted", side_effect=RuntimeError("a cog is loose"))
        with broken, self.assertLogs("django.request", "ERROR") as log:
            answer = Client(raise_request_exception=False).get("/api/counts")
        self.assertEqual(answer.status_code, 500)
        self.assertIn(f"at request {answer['X-Request-ID']};", answer.json()["detail"])
        self.assertIn("a cog is loose", str(log.records[0].exc_info))

    def test_what_goes_while_it_is_worked_on_is_no_failure_of_the_studio(self) -> None:
        removed = mock.patch("studio.api.counted", side_effect=Arrival.DoesNotExist)
        with removed, self.assertLogs("django.request", "WARNING"):
            answer = self.client.get("/api/counts")
        self.assertEqual(answer.status_code, 404)
        self.assertIn("removed meanwhile", answer.json()["detail"])

    def test_a_record_within_a_request_carries_its_id(self) -> None:
        text = []

        class Keeping(logging.Handler):
            def emit(self, record: logging.LogRecord) -> None:
                text.extend((JsonFormatter().format(record), TextFormatter().format(record)))

        handler = Keeping()
        logging.getLogger("django.request").addHandler(handler)
        self.addCleanup(logging.getLogger("django.request").removeHandler, handler)
        with mock.patch("studio.api.counted", side_effect=RuntimeError("a cog is loose")):
            answer = Client(raise_request_exception=False).get("/api/counts")
        row = json.loads(text[0])
        self.assertEqual((row["id"], row["level"]), (answer["X-Request-ID"], "error"))
        self.assertIn("RuntimeError: a cog is loose", row["exception"])
        self.assertIn(f"ERROR {row['id']} Failed: GET /api/counts", text[1])
        self.assertIn("RuntimeError: a cog is loose", text[1])

    def test_a_line_for_each_task(self) -> None:
        row = Arrival.objects.create(name="walk.bvh", content=store(WALK.read_bytes()))
        with self.assertLogs("armuto.journal", "INFO") as log:
            read_arrival.enqueue(row.pk)
        (line,) = lines(log)
        self.assertEqual(line["message"], f"studio.ingest.tasks.read_arrival({row.pk},)")
        self.assertEqual((line["kind"], line["status"]), ("task", "successful"))


class Health(TransactionTestCase):
    def health(self) -> tuple[int, dict[str, Any]]:
        answer = self.client.get("/api/health")
        return answer.status_code, answer.json()

    def test_well(self) -> None:
        status, row = self.health()
        self.assertEqual((status, row["status"], row["sentence"]), (200, "ok", ""))
        self.assertRegex(row["version"], r"^\d+\.\d+")

    def test_without_room(self) -> None:
        usage = shutil.disk_usage("/")
        with mock.patch("shutil.disk_usage", return_value=usage._replace(free=1000)):
            status, row = self.health()
        self.assertEqual((status, row["status"], row["free"]), (503, "failing", 1000))
        self.assertIn("disk", row["sentence"])

    def test_without_a_database(self) -> None:
        with mock.patch("studio.api.transaction.atomic", side_effect=OperationalError("unable to open database file")):
            status, row = self.health()
        self.assertEqual(status, 503)
        self.assertIn("unable to open", row["sentence"])

    def test_without_workers(self) -> None:
        take_in(WALK.read_bytes(), "walk.bvh")
        take_in(PORTER.read_bytes(), "porter.glb")
        with self.settings(TASKS={"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}):
            runs.start([(Clip.objects.get().pk, Character.objects.get().pk)])
        with mock.patch("studio.platform.workers.enlisted", return_value=iter(())):
            status, row = self.health()
        self.assertEqual((status, row["workers"]), (503, 0))
        self.assertIn("Nobody works", row["sentence"])
