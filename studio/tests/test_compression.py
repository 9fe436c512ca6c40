"""What goes over the line, and what does not because it is there already."""

import gzip
import json
import tempfile
from pathlib import Path

from django.test import Client, TestCase, override_settings

from armuto.tests.files import DEMO, PORTER, WALK
from studio.cast.models import Character
from studio.ingest.services.reading import take_in

ZIPPED = {"Accept-Encoding": "gzip, deflate, br"}


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
