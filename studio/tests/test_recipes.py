"""Recipes of clips: what everything downstream sees of them, and what they depend on."""

import json
from unittest import mock

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from armuto import refining
from armuto.tests.files import DEMO
from studio.fittings.models import Fitting
from studio.library import api, tasks
from studio.library import refining as refining_of_clips
from studio.library.models import Clip, KeptRecipe, RefinedMotion
from studio.renditions.models import Rendition
from studio.tests.test_renditions import Studio
from studio.verification import damages

SLOWER_AND_MIRRORED = [{"kind": "pace", "percent": 50}, {"kind": "mirror"}]


class Recipes(Studio):
    def refine(self, steps, clip=None, status: int = 200, **more):
        path = f"library/clips/{(clip or self.walk).pk}"
        return self.send("patch", path, status, recipe={"steps": steps}, **more)

    def positions(self, clip=None) -> np.ndarray:
        answer = self.client.get(f"/api/library/clips/{(clip or self.walk).pk}/positions")
        shape = [int(number) for number in answer["X-Armuto-Shape"].split(",")]
        return np.frombuffer(answer.content, "<f4").reshape(shape)

    def refined(self, clip, recipe=None) -> tuple[np.ndarray, np.ndarray]:
        path, kind = f"/api/library/clips/{clip.pk}/refined", "application/json"
        answer = self.client.get(path) if recipe is None else self.client.post(path, {"recipe": recipe}, kind)
        shapes = [[int(n) for n in part.split(",")] for part in answer["X-Armuto-Shape"].split(";")]
        values = np.frombuffer(answer.content, "<f4")
        count = int(np.prod(shapes[0]))
        return values[:count].reshape(shapes[0]), values[count:]

    def test_the_clip_that_everything_sees_is_the_refined_take(self):
        take, before = self.walk.whole(), self.positions()
        made = self.refine(SLOWER_AND_MIRRORED)
        self.assertEqual((made["frames"], made["take_frames"], made["revision"]), (297, 151, 2))
        self.assertEqual([step["kind"] for step in made["recipe"]["steps"]], ["pace", "mirror"])
        self.assertEqual(made["recipe"]["steps"][0]["length"], None, "values that were not said are answered")
        recipe = refining.from_json({"steps": SLOWER_AND_MIRRORED})
        row = Clip.objects.get(pk=self.walk.pk)
        wanted = recipe.refine(take.cut(2, 150), row.skeleton.assignment(), 2)
        np.testing.assert_allclose(self.positions()[:, :41], wanted.clip.world().positions, atol=1e-5)
        places, frames = self.refined(row)
        np.testing.assert_array_equal(places, self.positions())
        np.testing.assert_allclose(frames, 2 + np.arange(297) / 2)
        self.assertEqual(self.get(f"library/clips/{row.pk}/plate")["frames"][-1] // 10, 29)
        self.transfer((row.pk, self.porter.pk))
        self.assertEqual(self.cell(row, self.porter)["newest"]["frames"], 297)
        self.assertEqual(row.whole().frames, 151)
        self.assertEqual(list(damages()), [])
        self.refine([])
        np.testing.assert_array_equal(self.positions(), before)
        self.assertFalse(RefinedMotion.objects.exists())

    def test_a_change_marks_what_depends_on_it_and_taking_it_back_makes_it_current(self):
        self.transfer()
        before = {cell for cell, state in self.states().items() if state == "out of date"}
        of_walk = {("walk", self.porter.name), ("walk", self.ringer.name)}
        for steps, wanted in (
            (SLOWER_AND_MIRRORED, of_walk),
            ([{"kind": "mirror", "on": False}], set()),
            ([{"kind": "mirror"}, {"kind": "backwards", "on": False}], of_walk),
            ([], set()),
        ):
            self.refine(steps)
            marked = {cell for cell, state in self.states().items() if state == "out of date"}
            self.assertEqual((before, marked), (set(), wanted), steps)

    def test_a_step_that_is_off_is_kept_and_is_no_revision(self):
        made = self.refine([{"kind": "mirror", "on": False}])
        self.assertEqual((made["revision"], made["frames"], len(made["recipe"]["steps"])), (1, 149, 1))
        self.assertFalse(RefinedMotion.objects.exists())

    def test_a_trim_and_another_take_go_through_the_recipe(self):
        self.refine([{"kind": "pace", "percent": 200}])
        made = self.send("patch", f"library/clips/{self.walk.pk}", first=50, last=90)
        self.assertEqual(made["frames"], 21)
        with next((DEMO / "hall").glob("creep.bvh")).open("rb") as file:
            made = self.client.post(f"/api/library/clips/{self.walk.pk}/version", {"file": file}).json()
        row = Clip.objects.get(pk=self.walk.pk)
        self.assertEqual(made["recipe"]["steps"][0]["percent"], 200)
        self.assertEqual(row.length, round((row.last - row.first) / 2) + 1)
        self.assertEqual(len(self.positions()), row.length)
        self.assertEqual(list(damages()), [])

    def test_what_is_cut_from_the_take_keeps_the_recipe(self):
        self.refine(SLOWER_AND_MIRRORED)
        made = self.post(f"library/clips/{self.walk.pk}/segments", first=20, last=60, name="some steps")
        self.assertEqual((made["frames"], len(made["recipe"]["steps"])), (81, 2))
        self.assertEqual(len(self.positions(Clip.objects.get(pk=made["id"]))), 81)

    def test_contacts_that_were_set_keep_their_place_in_the_take(self):
        self.transfer((self.walk.pk, self.porter.pk))
        path = f"fittings/{Fitting.objects.get(skeleton=self.walk.skeleton, character=self.porter).pk}"
        contacts = f"{path}/contacts/{self.walk.pk}"
        self.send("put", contacts, contacts=[{"point": "left heel", "first": 20, "last": 29, "to": ""}])
        self.assertEqual(Clip.objects.get(pk=self.walk.pk).contacts[0]["first"], 22)
        self.refine(SLOWER_AND_MIRRORED)
        shown = self.get(contacts)["contacts"]
        self.assertEqual([(row["point"], row["first"], row["last"]) for row in shown], [("right heel", 40, 58)])
        self.send("put", contacts, contacts=[{"point": "right heel", "first": 41, "last": 60, "to": ""}])
        kept = Clip.objects.get(pk=self.walk.pk).contacts
        self.assertEqual([(row["point"], row["first"], row["last"]) for row in kept], [("left heel", 22.5, 32)])
        self.assertEqual(self.get(contacts)["contacts"][0]["last"], 60)
        self.refine([])
        shown = self.get(contacts)["contacts"]
        self.assertEqual([(row["point"], row["first"], row["last"]) for row in shown], [("left heel", 21, 30)])

    def test_bad_recipes_get_a_sentence_and_change_nothing(self):
        before = self.get(f"library/clips/{self.walk.pk}")
        for steps, sentence in (
            ([{"kind": "wobble"}], "step 1: “wobble” is not one of"),
            ([{"kind": "mirror"}, {"kind": "pace", "percent": 3}], "step 2: pace, percent: 3 is not from 25 to 400"),
            ([{"kind": "hold", "frames": 1_000}] * 5, "walk: It would have 5,149 frames"),
            ("mirror", "a recipe is a table with one list"),
        ):
            with mock.patch("armuto.refining.refined.LONGEST", 5_000):
                answer = self.client.patch(
                    f"/api/library/clips/{self.walk.pk}", {"recipe": {"steps": steps}}, content_type="application/json"
                )
            self.assertEqual(answer.status_code, 422, answer.content)
            self.assertIn(sentence, answer.json()["detail"])
            self.assertTrue(answer.json()["detail"].startswith("walk: "))
        self.assertEqual(self.get(f"library/clips/{self.walk.pk}"), before)

    def test_a_clip_whose_parts_are_not_known_is_not_mirrored(self):
        skeleton = self.walk.skeleton
        skeleton.keep_parts({})
        answer = self.refine([{"kind": "mirror"}], status=422)
        self.assertIn("left, right and hips have to be known", answer["detail"])

    def test_two_people_change_the_recipe_and_something_else(self):
        version = self.get(f"library/clips/{self.walk.pk}")["lock_version"]
        self.refine([{"kind": "mirror"}])
        path, kind = f"/api/library/clips/{self.walk.pk}", "application/json"
        on_the_old = {"If-Match": f'"{version}"'}
        named = self.client.patch(path, {"name": "stroll"}, kind, headers=on_the_old)
        self.assertEqual((named.status_code, len(named.json()["recipe"]["steps"])), (200, 1))
        refused = self.client.patch(path, {"recipe": {"steps": []}}, kind, headers=on_the_old)
        self.assertEqual(refused.status_code, 409)
        self.assertIn("Somebody else has changed the recipe of “stroll”", refused.json()["detail"])

    def test_a_recipe_is_tried_without_being_kept(self):
        before = self.get(f"library/clips/{self.walk.pk}")
        places, frames = self.refined(self.walk, {"steps": SLOWER_AND_MIRRORED})
        self.assertEqual((len(places), frames[-1]), (297, 150))
        self.assertEqual(self.get(f"library/clips/{self.walk.pk}"), before)
        self.refine(SLOWER_AND_MIRRORED)
        np.testing.assert_allclose(self.refined(self.walk)[0], places, atol=1e-5)
        answer = self.post(
            f"library/clips/{self.walk.pk}/refined", 422, recipe={"steps": [{"kind": "loop", "first": 149}]}
        )
        self.assertIn("walk: A loop has at least 4 frames between its ends", answer["detail"])

    def test_what_steps_change_and_what_could_be_done(self):
        path = f"library/clips/{self.walk.pk}/refining"
        found = self.get(path)
        self.assertEqual([row["step"]["kind"] for row in found["proposals"]], ["loop"])
        self.assertEqual(found["effects"], [])
        best = found["loops"][0]
        self.assertGreaterEqual(best["first"], 2)
        self.assertLess(best["pose"], 2)
        self.refine([found["proposals"][0]["step"], {"kind": "mirror", "on": False}, {"kind": "pace", "percent": 50}])
        effects = self.get(path)["effects"]
        self.assertEqual([[row["name"] for row in rows] for rows in effects], [["seam", "length"], [], ["length"]])
        seam, length = effects[0]
        self.assertLess(seam["after"], 0.01)
        self.assertGreater(seam["before"], 1)
        self.assertAlmostEqual(effects[2][0]["after"], 2 * length["after"], delta=0.05)

    def test_a_long_clip_is_measured_by_the_worker(self):
        path = f"library/clips/{self.walk.pk}/refining"
        at_once = self.get(path)
        with mock.patch.object(api, "LONG", 100):
            with mock.patch.object(api, "measure_clip") as queued:
                self.assertEqual(self.get(path, 202), {"frames": 149})
                self.assertEqual(self.get(path, 202), {"frames": 149})
            queued.enqueue.assert_called_once_with(self.walk.pk)
            tasks.take_up()  # a worker that was killed at it
            self.assertEqual(self.get(path), at_once)
            # Another recipe is measured anew, and taken back again as well.
            self.refine([{"kind": "mirror"}])
            self.assertEqual(self.get(path, 202), {"frames": 149})
            self.assertEqual(len(self.get(path)["effects"]), 1)
            with (
                mock.patch.object(refining_of_clips, "analysis", side_effect=RuntimeError),
                self.assertLogs(level="ERROR"),
            ):
                self.refine([])
                self.get(path, 202)
            self.assertEqual(self.get(path)["effects"], [], "what fails keeps nobody waiting")

    def test_what_a_cutoff_would_take_off_and_the_plate_of_a_stretch(self):
        path = f"library/clips/{self.walk.pk}"
        before = self.get(f"{path}/residual?bone=12")
        self.assertEqual((len(before["cutoffs"]), len(before["degrees"]), len(before["noise"])), (40, 40, 2))
        # It is asked of what comes to be smoothed, so that the step itself does not change it.
        self.refine([{"kind": "smooth", "cutoff": 3.0}])
        self.assertEqual(self.get(f"{path}/residual?bone=12"), before)
        self.refine([{"kind": "pace", "percent": 50}, {"kind": "smooth", "cutoff": 3.0}])
        self.assertNotEqual(self.get(f"{path}/residual?bone=12"), before)
        self.assertIn("it has no bone 99", self.get(f"{path}/residual?bone=99", 422)["detail"])
        plate = self.get(f"{path}/take/plate?first=20&last=60")
        self.assertEqual((plate["frames"][0], plate["frames"][-1]), (0, 40))
        self.assertIn("not a range", self.get(f"{path}/take/plate?first=20&last=151", 422)["detail"])

    def test_renditions_are_kept_from_before(self):
        self.transfer((self.walk.pk, self.porter.pk))
        self.refine([{"kind": "backwards"}])
        self.assertEqual(Rendition.objects.get().newest.frames, 149)


class Kept(TestCase):
    """Recipes under a name, out into a file and in again."""

    def send(self, status: int = 200, **body):
        answer = self.client.post("/api/library/recipes", body, content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def test_kept_listed_replaced_and_removed(self):
        made = self.send(name=" slow  and other side ", recipe={"steps": SLOWER_AND_MIRRORED})
        self.assertEqual((made["name"], made["recipe"]["steps"][0]["percent"]), ("slow and other side", 50))
        self.assertIn("another recipe is kept", self.send(422, name=made["name"], recipe=made["recipe"])["detail"])
        again = self.send(name=made["name"], recipe={"steps": [{"kind": "mirror"}]}, replace=True)
        self.assertEqual(again["id"], made["id"])
        self.assertEqual([row["name"] for row in self.client.get("/api/library/recipes").json()], [made["name"]])
        self.assertEqual(self.client.delete(f"/api/library/recipes/{made['id']}").status_code, 204)
        self.assertEqual(self.client.get("/api/library/recipes").json(), [])

    def test_a_file_and_back(self):
        made = self.send(name="clean", recipe={"steps": [{"kind": "smooth", "cutoff": 6}, {"kind": "ground"}]})
        file = self.client.get(f"/api/library/recipes/{made['id']}/file")
        self.assertIn('filename="clean.json"', file["Content-Disposition"])
        self.assertEqual(json.loads(file.content), {"steps": [{"kind": "smooth", "cutoff": 6.0}, {"kind": "ground"}]})
        back = {"file": SimpleUploadedFile("clean.json", file.content)}
        again = self.client.post("/api/library/recipes/file", back).json()
        self.assertEqual((again["name"], again["recipe"]), ("clean 2", made["recipe"]))

    def test_what_is_no_recipe_is_said(self):
        self.assertIn("needs a name", self.send(422, name=" ", recipe={"steps": SLOWER_AND_MIRRORED})["detail"])
        self.assertIn("no step in it", self.send(422, name="x", recipe={"steps": []})["detail"])
        self.assertIn(
            "“wobble” is not one of", self.send(422, name="x", recipe={"steps": [{"kind": "wobble"}]})["detail"]
        )
        for content, sentence in ((b"BVH", "it is no JSON"), (b'{"steps": 3}', "a table with one list")):
            answer = self.client.post("/api/library/recipes/file", {"file": SimpleUploadedFile("r.json", content)})
            self.assertEqual(answer.status_code, 422)
            self.assertIn(f"r.json: {sentence}" if b"BVH" in content else sentence, answer.json()["detail"])
        self.assertFalse(KeptRecipe.objects.exists())
