"""What goes over the line, and what does not because it is there already."""

import gzip
import json
import tempfile
from pathlib import Path
from unittest import mock

import brotli
import numpy as np
from django.core.cache import caches
from django.test import Client, RequestFactory, TestCase, override_settings

from armuto import formats, isolation
from armuto.tests.files import DEMO, PORTER, WALK
from studio.cast.models import Character
from studio.ingest.services.reading import take_in
from studio.platform import reader
from studio.platform.array_response import DELTAS, PLAIN, DeltaEncoding, array_response

ZIPPED = {"Accept-Encoding": "gzip, deflate"}
ACCEPTED = {"Accept-Encoding": "gzip, deflate, br"}


def blocks(answer) -> list[np.ndarray]:
    """The arrays of an answer, whichever way it has them."""
    shapes = [tuple(int(n) for n in shape.split(",")) for shape in answer["X-Armuto-Shape"].split(";")]
    ends = np.cumsum([4 * int(np.prod(shape)) for shape in shapes])
    parts = [answer.content[start:end] for start, end in zip([0, *ends], ends, strict=False)]
    if answer["Content-Type"] == PLAIN:
        return [np.frombuffer(part, "<f4").reshape(shape) for part, shape in zip(parts, shapes, strict=True)]
    out = []
    for part, shape, step in zip(parts, shapes, answer["X-Armuto-Step"].split(";"), strict=True):
        zigzag = np.frombuffer(part, "u1").reshape(4, -1).T.copy().view("<u4")[:, 0].astype(np.int64)
        columns = ((zigzag >> 1) ^ -(zigzag & 1)).reshape(-1, shape[0]) if zigzag.size else np.zeros((0, shape[0]))
        out.append((columns.cumsum(axis=1).T * float(step)).reshape(shape))
    return out


class OverTheLine(TestCase):
    @classmethod
    def setUpTestData(cls):
        for path in (WALK, PORTER):
            take_in(path.read_bytes(), path.name)

    def test_answers_are_compressed_for_who_can_read_that(self):
        for path in ("/api/cast/", f"/api/cast/{Character.objects.get().pk}/display"):
            with self.subTest(path):
                plain, small = self.client.get(path), self.client.get(path, headers=ZIPPED)
                self.assertNotIn("Content-Encoding", plain.headers)
                self.assertEqual(small["Content-Encoding"], "gzip")
                self.assertLess(len(small.content), 0.8 * len(plain.content))
                self.assertEqual(gzip.decompress(small.content), plain.content)

    def test_the_stage_is_sent_a_lighter_copy_of_a_figure_and_the_whole_of_it_on_request(self):
        row = Character.objects.get()
        copy = self.client.get(f"/api/cast/{row.pk}/display").content
        self.assertLess(len(copy), 0.2 * PORTER.stat().st_size)
        self.assertEqual(formats.read(copy, "copy.glb").skeleton.names, row.skeleton.value().names)
        self.assertEqual(self.client.get(f"/api/cast/{row.pk}/display?whole=true").content, PORTER.read_bytes())
        self.assertEqual(self.client.get(f"/api/cast/{row.pk}/file").content, PORTER.read_bytes())
        # Made and compressed once: a second person has it without anything being read.
        packed = self.client.get(f"/api/cast/{row.pk}/display", headers=ACCEPTED)
        self.assertEqual((packed["Content-Encoding"], packed["Vary"]), ("br", "Accept-Encoding"))
        self.assertEqual(brotli.decompress(packed.content), copy)
        with mock.patch.object(reader, "_apart", side_effect=AssertionError("read again")):
            self.assertEqual(self.client.get(f"/api/cast/{row.pk}/display").content, copy)
            with mock.patch.object(brotli, "compress", side_effect=AssertionError("compressed again")):
                again = self.client.get(f"/api/cast/{row.pk}/display", headers=ACCEPTED)
        self.assertEqual(again.content, packed.content)

    def test_a_figure_of_which_no_copy_can_be_made_is_sent_as_it_is(self):
        self.addCleanup(caches["figures"].clear)
        for problem in (isolation.Crashed, isolation.OutOfMemory, isolation.OutOfTime):
            caches["figures"].clear()
            with (
                self.subTest(problem),
                mock.patch.object(isolation, "call", side_effect=problem),
                self.assertLogs("studio.platform.reader", "WARNING"),
            ):
                path = f"/api/cast/{Character.objects.get().pk}/display"
                self.assertEqual(self.client.get(path).content, PORTER.read_bytes())
                isolation.call.side_effect = AssertionError("tried again at once")
                self.assertEqual(self.client.get(path).content, PORTER.read_bytes())

    def test_motion_is_sent_as_differences_to_who_asks_for_that(self):
        clip = self.client.get("/api/library/clips").json()[0]["id"]
        for path in (f"/api/library/clips/{clip}/positions", f"/api/library/clips/{clip}/refined"):
            with self.subTest(path):
                plain = self.client.get(path)
                self.assertEqual(plain["Content-Type"], PLAIN)
                small = self.client.get(path, headers={"Accept": DELTAS})
                self.assertEqual(small["Content-Type"], DELTAS)
                self.assertIn("Accept", small["Vary"])
                self.assertEqual(small["X-Armuto-Shape"], plain["X-Armuto-Shape"])
                self.assertLess(len(gzip.compress(small.content)), 0.5 * len(gzip.compress(plain.content)))
                for was, now in zip(blocks(plain), blocks(small), strict=True):
                    self.assertLessEqual(np.abs(now - was).max(), np.abs(was).max() * 2**-20)

    def test_numbers_of_any_size_come_back(self):
        rng = np.random.default_rng(4)
        given = [rng.normal(size=(50, 7, 3)) * 1e6, -rng.random((1, 4)) * 1e-9, np.zeros((3, 2)), rng.random((0, 5))]
        asked = RequestFactory().get("/", headers={"Accept": DELTAS})
        answer = DeltaEncoding(lambda request: array_response(*given, fps=30))(asked)
        for was, now in zip(given, blocks(answer), strict=True):
            self.assertEqual(now.shape, was.shape)
            self.assertLessEqual(np.abs(now - was).max(initial=0), np.abs(was).max(initial=0) * 2**-20)
        broken = DeltaEncoding(lambda request: array_response(np.array([[np.nan, 1.0]])))(asked)
        self.assertEqual((broken["Content-Type"], len(broken.content)), (PLAIN, 8))

    def test_events_are_not_held_back(self):
        answer = self.client.get("/api/changes", headers=ZIPPED)
        self.assertTrue(answer.streaming)
        self.assertNotIn("Content-Encoding", answer.headers)

    def test_what_is_there_already_is_not_sent_again(self):
        pk = Character.objects.get().pk
        for path in (f"/api/cast/{pk}/display", f"/api/cast/{pk}/plate", "/api/library/clips"):
            with self.subTest(path):
                first = self.client.get(path, headers=ZIPPED)
                self.assertEqual(first["Cache-Control"], "no-cache")
                again = self.client.get(path, headers={**ZIPPED, "If-None-Match": first["ETag"]})
                self.assertEqual((again.status_code, again.content), (304, b""))
        known = self.client.get(f"/api/cast/{pk}/display")["ETag"]
        with (DEMO / "bellringer.glb").open("rb") as file:
            self.client.post(f"/api/cast/{pk}/version", {"file": file})
        self.assertEqual(self.client.get(f"/api/cast/{pk}/display", headers={"If-None-Match": known}).status_code, 200)

    def test_a_change_on_a_compressed_answer_is_on_its_revision(self):
        """Compression makes a strong ETag a weak one; it speaks of the same revision."""
        clip = self.client.get("/api/library/clips").json()[0]["id"]
        opened = self.client.post(
            "/api/fittings/",
            json.dumps({"clip_id": clip, "character_id": Character.objects.get().pk}),
            content_type="application/json",
        ).json()
        path = f"/api/fittings/{opened['id']}"
        tag = self.client.get(path, headers=ZIPPED)["ETag"]
        self.assertTrue(tag.startswith("W/"))
        edit = json.dumps({"op": "remove", "keys": ["left hand"]})
        kind = {"content_type": "application/json"}
        first = self.client.post(f"{path}/edits", edit, **kind, headers={"If-Match": tag, "Armuto-Session": "a"})
        self.assertEqual(first.status_code, 200, first.content)
        other = json.dumps({"op": "confirm", "keys": ["left hand"]})
        second = self.client.post(f"{path}/edits", other, **kind, headers={"If-Match": tag, "Armuto-Session": "b"})
        self.assertEqual(second.status_code, 409, second.content)


class Assets(TestCase):
    def test_what_is_named_by_its_content_is_kept_for_years_and_the_page_is_asked_for(self):
        with tempfile.TemporaryDirectory() as folder:
            web = Path(folder)
            (web / "assets").mkdir()
            (web / "index.html").write_text("<p>the page</p>")
            (web / "assets" / "stage-Ab3_x-9Z.js").write_text("0")
            (web / "mark.svg").write_text("<svg/>")
            with override_settings(WEB=web, WHITENOISE_ROOT=web):
                client = Client()
                kept = client.get("/assets/stage-Ab3_x-9Z.js")
                self.assertIn("immutable", kept["Cache-Control"])
                self.assertNotIn("immutable", client.get("/mark.svg")["Cache-Control"])
                self.assertEqual(client.get("/library")["Cache-Control"], "no-cache")
