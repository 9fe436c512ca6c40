"""The call sheet over HTTP: rows written, pasted, imported and exported, clips found and chosen, and how far it is."""

import json
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.test import TestCase
from django.test.utils import CaptureQueriesContext

from armuto.tests.files import DEMO, PORTER, WALK
from studio.callsheet import features
from studio.callsheet.models import ClipFeatures, WantedMotion
from studio.cast.models import Character
from studio.changes.models import Change
from studio.ingest.services.reading import take_in
from studio.library.models import Clip

TABLE = """Motion,Characters,Mood,Prop,Variants,Due,Note
walks through the hall,Porter,,,2,2026-12-04,by night
"takes a bow, stays in place","porter, Apprentice",,,,,
dances a waltz,porter,merry,,,next week,
gallops over the yard,fox,,,1,,
"""


class CallSheet(TestCase):
    @classmethod
    def setUpTestData(cls):
        for path in (WALK, DEMO / "hall" / "bow.bvh", DEMO / "yard", PORTER, DEMO / "fox.glb"):
            for file in sorted(path.glob("*")) if path.is_dir() else [path]:
                take_in(file.read_bytes(), file.name)
        cls.porter, cls.fox = (Character.objects.get(name=name) for name in ("porter", "fox"))
        cls.walk, cls.bow = (Clip.objects.get(name=name) for name in ("walk", "bow"))

    def send(self, method: str, path: str, status: int = 200, base: int | None = None, **body: object):
        headers = {"If-Match": f'"{base}"'} if base is not None else {}
        answer = self.client.generic(
            method, f"/api/callsheet/{path}", json.dumps(body), "application/json", headers=headers
        )
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json() if answer.content else None

    def sheet(self) -> dict[str, dict]:
        return {row["motion"]: row for row in self.client.get("/api/callsheet/").json()["rows"]}

    def write(self, motion: str, **fields: object) -> int:
        made = self.send("POST", "", 201, rows=[{"motion": motion, "character_ids": [self.porter.pk], **fields}])
        return made["steps"][0]["id"]

    def cell(self, motion: str, character: Character) -> dict:
        return next(cell for cell in self.sheet()[motion]["cells"] if cell["character_id"] == character.pk)


class Rows(CallSheet):
    def test_a_table_is_taken_in_and_given_out_the_same(self):
        made = self.send("POST", "table", 201, text=TABLE)
        self.assertEqual(len(made["steps"]), 4)
        self.assertTrue(any("row 4: “next week” is no day" in problem for problem in made["problems"]))
        self.assertTrue(any("Not in the cast yet: Apprentice" in problem for problem in made["problems"]))
        rows = self.sheet()
        self.assertEqual(rows["walks through the hall"]["due"], "2026-12-04")
        self.assertEqual(rows["walks through the hall"]["variants"], 2)
        self.assertEqual(rows["takes a bow, stays in place"]["character_ids"], [self.porter.pk])
        self.assertEqual(rows["takes a bow, stays in place"]["awaited"], ["Apprentice"])
        self.assertEqual(rows["dances a waltz"]["note"], "due: next week")
        out = self.client.get("/api/callsheet/file")
        self.assertIn("call sheet.csv", out["Content-Disposition"])
        WantedMotion.objects.all().delete()
        file = SimpleUploadedFile("call sheet.csv", out.content)
        again = self.client.post("/api/callsheet/file", {"file": file})
        self.assertEqual(again.status_code, 201, again.content)
        fields = ("motion", "character_ids", "awaited", "mood", "prop", "variants", "due", "note")
        self.assertEqual(
            [[row[name] for name in fields] for row in self.sheet().values()],
            [[row[name] for name in fields] for row in rows.values()],
        )

    def test_who_is_awaited_comes(self):
        self.send("POST", "table", 201, text="Motion,Characters\nwinds the watch,the Bell-Ringer\nwalks,bell ringer")
        take_in((DEMO / "bellringer.glb").read_bytes(), "bellringer.glb")
        self.send("POST", "measure", 202)
        ringer = Character.objects.get(name="bellringer")
        self.assertEqual(self.sheet()["walks"]["character_ids"], [ringer.pk])
        self.assertEqual(self.sheet()["winds the watch"]["awaited"], ["the Bell-Ringer"], "this may be another")

    def test_what_is_no_row_is_a_sentence_and_changes_nothing(self):
        pk = self.write("walks")
        for method, path, body, sentence in (
            ("POST", "", {"rows": [{"motion": " "}]}, "needs a motion"),
            ("POST", "", {"rows": [{"motion": "x" * 501}]}, "501 letters"),
            ("POST", "", {"rows": [{"motion": "walks", "variants": 0}]}, "1 to 99"),
            ("POST", "", {"rows": [{"motion": "walks", "clip_ids": [123456]}]}, "has been removed meanwhile"),
            ("PATCH", f"{pk}", {"motion": None}, "cannot be nothing"),
            ("PATCH", f"{pk}", {"character_ids": [123456]}, "has been removed meanwhile"),
            ("PATCH", f"{pk}", {"due": "tomorrow"}, "due"),
            ("POST", "table", {"text": "\n\n"}, "nothing in it"),
        ):
            with self.subTest(body):
                self.assertIn(sentence, str(self.send(method, path, 422, **body)["detail"]))
        self.assertEqual(list(self.sheet()), ["walks"])
        self.send("PATCH", "99999", 404, mood="tired")
        self.send("GET", "99999/candidates", 404)

    def test_changes_are_taken_back_and_made_again(self):
        pk = self.write("walks")
        steps = [self.send("PATCH", f"{pk}", mood="tired", due="2026-12-24", clip_ids=[self.walk.pk])]
        steps.append(self.send("PATCH", f"{pk}", mood="merry"))
        before = self.sheet()["walks"]
        removed = self.send("DELETE", f"{pk}")
        self.assertEqual(self.sheet(), {})
        [gone] = self.send("POST", "restore", steps=[removed])
        again = self.sheet()["walks"]
        for name in ("id", "mood", "due", "clip_ids", "character_ids", "cells"):
            self.assertEqual(again[name], before[name])
        for step, mood in zip(reversed(steps), ("tired", ""), strict=True):
            [back] = self.send("POST", "restore", steps=[step])
            self.assertEqual(self.sheet()["walks"]["mood"], mood)
        self.assertEqual(self.sheet()["walks"]["clip_ids"], [])
        self.send("POST", "restore", steps=[back])
        self.assertEqual(self.sheet()["walks"]["due"], "2026-12-24")
        # Somebody else has said something else meanwhile: that is not undone.
        self.assertIn("Somebody else", self.send("POST", "restore", 409, steps=[gone])["detail"])
        self.send("PATCH", f"{pk}", mood="proud")
        self.assertIn("Somebody else", self.send("POST", "restore", 409, steps=[steps[0]])["detail"])
        self.assertEqual(self.sheet()["walks"]["mood"], "proud")

    def test_a_row_that_never_was_does_not_come_back(self):
        step = {"id": 2**63 - 1, "was": {"motion": "walks"}, "now": None}
        self.assertIn("no such row", self.send("POST", "restore", 422, steps=[step])["detail"])
        self.assertIn("Somebody else", self.send("POST", "restore", 409, steps=[step | {"now": step["was"]}])["detail"])
        self.write("walks")

    def test_two_people_at_one_row(self):
        pk = self.write("walks")
        base = self.sheet()["walks"]["lock_version"]
        self.send("PATCH", f"{pk}", base=base, mood="tired")
        self.send("PATCH", f"{pk}", base=base, prop="lantern")
        refused = self.send("PATCH", f"{pk}", 409, base=base, mood="merry")
        self.assertIn("changed mood of “walks” to “tired” since", refused["detail"])
        self.send("DELETE", f"{pk}", 409, base=base)
        self.assertEqual((self.sheet()["walks"]["mood"], self.sheet()["walks"]["prop"]), ("tired", "lantern"))

    def test_what_was_chosen_may_go(self):
        pk = self.write("walks", clip_ids=[self.walk.pk])
        removed = self.send("DELETE", f"{pk}")
        Clip.objects.filter(pk=self.walk.pk).delete()
        self.send("POST", "restore", steps=[removed])
        self.assertEqual(self.sheet()["walks"]["clip_ids"], [])

    def test_other_pages_hear_of_it(self):
        self.write("walks")
        self.assertIn("callsheet", Change.objects.latest("pk").subjects)


class Choosing(CallSheet):
    def setUp(self):
        features.measure()

    def test_what_fits_is_to_choose_and_what_nothing_fits_is_missing(self):
        self.send("POST", "table", 201, text=TABLE)
        rows = self.sheet()
        self.assertEqual(
            {motion: row["state"] for motion, row in rows.items()},
            {
                "walks through the hall": "to choose",
                "takes a bow, stays in place": "to choose",
                "dances a waltz": "missing",
                "gallops over the yard": "to choose",
            },
        )
        self.assertEqual(rows["gallops over the yard"]["words"], ["gallops", "yard"])
        self.assertEqual(rows["takes a bow, stays in place"]["motions"], ["stays in place"])

    def test_only_bodies_that_are_asked_for(self):
        both = self.write("takes steps, travels", character_ids=[self.porter.pk, self.fox.pk])
        names = {row["clip_id"] for row in self.send("GET", f"{both}/candidates") if row["fits"]}
        self.assertIn(self.walk.pk, names)
        self.assertIn(Clip.objects.get(name="trot").pk, names)
        alone = self.write("takes steps", character_ids=[self.fox.pk])
        plans = {Clip.objects.get(pk=row["clip_id"]).skeleton.plan for row in self.send("GET", f"{alone}/candidates")}
        self.assertEqual(plans, {"four-legged"})
        self.send("PATCH", f"{both}", clip_ids=[self.walk.pk])
        self.assertEqual(self.cell("takes steps, travels", self.porter)["state"], "in work")
        self.assertEqual(self.cell("takes steps, travels", self.fox)["state"], "to choose")

    def test_why_a_clip_fits(self):
        pk = self.write("takes a bow, stays in place, does not loop")
        best = self.send("GET", f"{pk}/candidates")[0]
        self.assertEqual(best["clip_id"], self.bow.pk)
        told = {match["asked"]: match for match in best["matches"]}
        self.assertEqual(told["bow"]["found"], "in its name")
        self.assertIn("hips stay within", told["stays in place"]["found"])
        self.assertEqual(told["not: loops"]["degree"], 0.0 if self.bow.loop else 1.0)

    def test_from_missing_to_done(self):
        pk = self.write("bows", variants=1)
        self.assertEqual(self.cell("bows", self.porter)["state"], "to choose")
        self.send("PATCH", f"{pk}", clip_ids=[self.bow.pk])
        self.assertEqual(self.cell("bows", self.porter)["state"], "in work")
        cells = {"cells": [[self.bow.pk, self.porter.pk]]}
        self.client.post("/api/board/transfer", json.dumps(cells), content_type="application/json")
        cell = self.cell("bows", self.porter)
        self.assertEqual((cell["state"], cell["made"], cell["accepted"]), ("in work", 1, 0))
        self.client.post("/api/board/accept", json.dumps(cells), content_type="application/json")
        self.assertEqual(self.cell("bows", self.porter)["state"], "done")
        self.send("PATCH", f"{pk}", variants=2)
        self.assertEqual(self.cell("bows", self.porter)["state"], "in work", "one of two")
        self.send("PATCH", f"{pk}", variants=1)
        # Another motion of the same clip: what was accepted is of what it was.
        change = {"first": 10, "last": 60}
        answer = self.client.patch(
            f"/api/library/clips/{self.bow.pk}", json.dumps(change), content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(self.cell("bows", self.porter)["state"], "in work")

    def test_who_and_what_is_retired_counts_for_nothing(self):
        pk = self.write("bows", clip_ids=[self.bow.pk], character_ids=[self.porter.pk, self.fox.pk])
        Character.objects.filter(pk=self.fox.pk).update(retired=True)
        self.assertEqual([cell["character_id"] for cell in self.sheet()["bows"]["cells"]], [self.porter.pk])
        Clip.objects.filter(pk=self.bow.pk).update(retired=True)
        self.assertEqual(self.sheet()["bows"]["state"], "missing")
        self.assertNotIn(self.bow.pk, {row["clip_id"] for row in self.send("GET", f"{pk}/candidates")})


class Measuring(CallSheet):
    def test_every_clip_is_measured_once_and_again_when_its_motion_changes(self):
        self.assertEqual(self.client.get("/api/callsheet/").json()["unmeasured"], Clip.objects.count())
        self.send("POST", "measure", 202)
        self.assertEqual(self.client.get("/api/callsheet/").json()["unmeasured"], 0)
        with mock.patch("studio.callsheet.features.features_of") as measured:
            self.send("POST", "measure", 202)
        measured.assert_not_called()
        before = ClipFeatures.objects.get(clip=self.walk).measured
        self.client.patch(
            f"/api/library/clips/{self.walk.pk}",
            json.dumps({"first": 0, "last": 30}),
            content_type="application/json",
        )
        self.assertEqual(self.client.get("/api/callsheet/").json()["unmeasured"], 1)
        self.send("POST", "measure", 202)
        self.assertNotEqual(ClipFeatures.objects.get(clip=self.walk).measured, before)

    def test_a_clip_that_cannot_be_measured_is_known_by_its_name(self):
        with mock.patch("studio.callsheet.features.features_of", side_effect=FloatingPointError("nan")):
            self.send("POST", "measure", 202)
        self.assertEqual(self.client.get("/api/callsheet/").json()["unmeasured"], 0)
        pk = self.write("walks")
        self.assertEqual(self.send("GET", f"{pk}/candidates")[0]["clip_id"], self.walk.pk)

    def test_a_longer_sheet_takes_no_more_queries(self):
        features.measure()
        self.write("walks", clip_ids=[self.walk.pk])
        with CaptureQueriesContext(connection) as few:
            self.sheet()
        for n in range(30):
            self.write(f"walks {n}", clip_ids=[self.walk.pk], character_ids=[self.porter.pk, self.fox.pk])
        with CaptureQueriesContext(connection) as many:
            self.assertEqual(len(self.sheet()), 31)
        self.assertLessEqual(len(many), len(few) + 1)
