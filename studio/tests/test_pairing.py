"""Pairing over HTTP: changes step by step, reasons, patterns, body plans, and what is kept for next time."""

import json
from importlib import import_module

from django.apps import apps
from django.core.files.uploadedfile import SimpleUploadedFile

from armuto.pairing import patterns as core
from armuto.tests.files import DEMO
from studio.cast.models import Character
from studio.fittings.models import FittingState
from studio.library.models import Clip
from studio.patterns.models import OwnPlan, Pattern
from studio.tests.figures import rigged_like
from studio.tests.test_api import Studio, bring_in

STRIKER = DEMO / "striker.glb"


class Pairing(Studio):
    def prepare(self):
        super().prepare()
        bring_in(self.client, STRIKER.read_bytes(), "striker.glb")
        self.fit(Clip.objects.get(name="walk"), Character.objects.get(name="striker"))

    def setUp(self):
        super().setUp()
        self.striker = Character.objects.get(name="striker")
        self.made = self.fit(self.walk, self.striker)

    def fit(self, clip: Clip, character: Character) -> dict:
        """The fitting, made where there is none."""
        return self.post("/api/fittings/", clip_id=clip.pk, character_id=character.pk).json()

    def edit(self, op: str, status: int = 200, **fields) -> dict:
        answer = self.post(f"/api/fittings/{self.made['id']}/edits", op=op, **fields)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def pair(self, fitting: dict, key: str) -> dict | None:
        return next((pair for pair in fitting["pairs"] if pair["key"] == key), None)


class Changes(Pairing):
    def test_a_number_named_character_is_paired_by_its_shape(self):
        self.assertEqual(
            (self.made["missing"], self.made["how"]), ([], "paired by the pattern “Museum hall” (100 of 100)")
        )
        self.assertEqual(self.pair(self.made, "left hand")["target"], ["010"])
        self.assertIn("mirror of the right", " ".join(self.pair(self.made, "left hand")["reasons"]))

    def test_from_nothing_by_threads(self):
        cleared = self.edit("clear")
        self.assertEqual((cleared["pairs"], len(cleared["missing"])), ([], 15))
        for source, target in (("Hips", "001"), ("Spine", "002"), ("Spine", "003"), ("LeftHand", "010")):
            now = self.edit("connect", source=[source], target=[target], mirror=True)
        self.assertEqual([p["key"] for p in now["pairs"]], ["hips", "spine", "left hand", "right hand"])
        self.assertEqual(self.pair(now, "spine")["target"], ["002", "003"])
        self.assertTrue(all(pair["confirmed"] for pair in now["pairs"]))
        self.assertEqual(self.edit("reset")["missing"], [])

    def test_left_out_and_taken_back_in(self):
        out = self.edit("leave out", keys=["left toes"], mirror=True)
        self.assertEqual((out["left_out"], out["missing"]), (["left toes", "right toes"], []))
        why = {row["bone"]: row for row in self.client.get(f"/api/fittings/{self.made['id']}/follows").json()}
        self.assertEqual(why["014"]["kind"], "left out")
        back = self.edit("bring back", keys=["left toes"], mirror=True)
        self.assertEqual((back["left_out"], self.pair(back, "right toes")["target"]), ([], ["022"]))

    def test_confirming(self):
        self.assertFalse(any(pair["confirmed"] for pair in self.made["pairs"]))
        made = self.edit("confirm", keys=["left hand"], mirror=True)
        self.assertEqual({p["key"] for p in made["pairs"] if p["confirmed"]}, {"left hand", "right hand"})
        sure = self.edit("confirm", above=0.9)
        self.assertEqual(
            {pair["key"] for pair in sure["pairs"] if not pair["confirmed"]},
            {
                pair["key"]
                for pair in self.made["pairs"]
                if pair["confidence"] < 0.9 and not pair["key"].endswith("hand")
            },
        )

    def test_what_changes_nothing_is_no_step(self):
        before = FittingState.objects.count()
        self.edit("confirm", above=1.0)
        self.edit("remove", keys=["jaw"])
        self.assertEqual(FittingState.objects.count(), before)

    def test_swapped_sides_cross_and_turn_nobody_round(self):
        swapped = self.edit("swap", keys=["left upper arm", "left lower arm", "left hand"])
        crossing = {pair["key"] for pair in swapped["pairs"] if pair["crosses"]}
        self.assertLessEqual({"left hand", "right hand", "left lower arm"}, crossing)
        self.assertEqual(swapped["measures"]["target_facing"], self.made["measures"]["target_facing"])
        every = self.edit("swap")
        self.assertNotIn("left hand", {pair["key"] for pair in every["pairs"] if pair["crosses"]})
        self.assertIn("left foot", {pair["key"] for pair in every["pairs"] if pair["crosses"]})

    def test_pairs_outside_the_plan_with_and_without_translation(self):
        now = self.edit("set", source=["LeftThumb1"], target=["022"])
        self.assertTrue(self.pair(now, "+022")["moves"])
        self.assertFalse(self.pair(self.edit("moves", keys=["+022"], moves=False), "+022")["moves"])
        self.assertIsNone(self.pair(self.edit("remove", keys=["+022"]), "+022"))
        self.edit("set", status=422, source=["LeftThumb1"], target=[])

    def test_trees_and_confirmed_pairs(self):
        self.edit("confirm", keys=["head"])
        now = self.edit("trees")
        self.assertTrue(self.pair(now, "head")["confirmed"])
        self.assertGreater(len([pair for pair in now["pairs"] if pair["part"] is None]), 8)
        self.assertEqual(self.post(f"/api/fittings/{self.made['id']}/undo").json()["how"], "confirmed head")

    def test_one_frame_of_the_preview_is_that_of_the_whole(self):
        path = f"/api/fittings/{self.made['id']}/preview/{self.walk.pk}"
        whole, frame = self.client.get(path), self.client.get(f"{path}?first=40&last=40")
        joints = int(frame["X-Armuto-Shape"].split(",")[1])
        self.assertEqual(frame["X-Armuto-Shape"], f"1,{joints},4;1,{joints},3")
        self.assertEqual(frame.content[: joints * 16], whole.content[40 * joints * 16 : 41 * joints * 16])

    def test_follows_says_what_has_no_motion(self):
        why = self.client.get(f"/api/fittings/{self.made['id']}/follows?clip_id={self.bow.pk}").json()
        self.assertEqual({row["kind"] for row in why}, {"paired", "resampled"})
        self.assertTrue(any(row["still"] for row in why))

    def test_a_confirmed_fitting_is_proposed_for_the_next_on_the_same_rig(self):
        self.edit("connect", source=["Neck"], target=["006"])
        self.edit("confirm", above=0.0)
        bring_in(self.client, rigged_like(STRIKER.read_bytes(), move=0.01), "second striker.glb")
        second = Character.objects.get(name="second striker")
        made = self.post("/api/fittings/", clip_id=self.bow.pk, character_id=second.pk).json()
        self.assertEqual(made["how"], "paired as for striker")
        self.assertEqual(self.pair(made, "neck")["target"], ["005", "006"])
        self.assertEqual((self.pair(made, "neck")["confidence"], self.pair(made, "neck")["confirmed"]), (1.0, False))

    def test_the_fitting_of_a_retired_character_is_no_example(self):
        self.edit("connect", source=["Neck"], target=["006"])
        self.edit("confirm", above=0.0)
        Character.objects.filter(name="striker").update(retired=True)
        bring_in(self.client, rigged_like(STRIKER.read_bytes(), move=0.01), "second striker.glb")
        second = Character.objects.get(name="second striker")
        made = self.post("/api/fittings/", clip_id=self.bow.pk, character_id=second.pk).json()
        self.assertNotIn("paired as for", made["how"])


class Plans(Pairing):
    def test_copy_change_use_and_keep(self):
        made = self.post("/api/patterns/plans", copy_of="two-legged", name="with a fin").json()
        path = f"/api/patterns/plans/{made['id']}"

        def change(status=200, **fields):
            answer = self.client.patch(path, json.dumps(fields), content_type="application/json")
            self.assertEqual(answer.status_code, status, answer.content)
            return answer.json()

        limb = {"name": "fin", "follows": "chest", "sided": False, "parts": [{"name": "fin", "many": True}]}
        self.assertIn("fin", [row["name"] for row in change(add=limb)["limbs"]])
        self.assertNotIn("thumb", [limb["name"] for limb in change(remove="thumb")["limbs"]])
        self.assertIn("cannot be taken away", change(422, remove="trunk")["detail"])
        self.assertIn("same name", change(422, add=limb)["detail"])
        self.assertIn("without its side", change(422, add=limb | {"parts": [{"name": "left fin"}]})["detail"])
        now = self.edit("plan", plan="with a fin")
        self.assertEqual((now["plan"], now["missing"]), ("with a fin", []))
        self.assertIn("fin", [part["name"] for part in now["parts"]])
        OwnPlan.objects.all().delete()
        again = self.client.get(f"/api/fittings/{self.made['id']}").json()
        self.assertEqual(again["plan"], "with a fin")

    def test_names_that_are_taken(self):
        answer = self.post("/api/patterns/plans", copy_of="winged", name="two-legged")
        self.assertEqual(answer.status_code, 422)
        self.assertEqual(len(self.client.get("/api/patterns/plans").json()), 3)


class Patterns(Pairing):
    def patterns(self) -> dict[str, dict]:
        return {row["name"]: row for row in self.client.get("/api/patterns/").json()}

    def test_what_ships_is_there_from_the_first_and_stays_away_when_removed(self):
        """A migration puts it in, so nobody's first question has to, and two at once cannot fail."""
        shipped = {value.name: value for value in core.shipped()}
        self.assertEqual({row.name: row.value() for row in Pattern.objects.filter(shipped=True)}, shipped)
        Pattern.objects.all().delete()
        self.assertEqual(self.client.get("/api/patterns/").json(), [])

    def test_a_studio_that_has_patterns_keeps_those_it_has(self):
        add = import_module("studio.patterns.migrations.0002_shipped").add_shipped_patterns
        Pattern.objects.exclude(name=Pattern.objects.first().name).delete()
        add(apps, None)
        self.assertEqual(Pattern.objects.count(), 1)
        Pattern.objects.all().delete()
        add(apps, None)
        self.assertEqual(Pattern.objects.count(), len(core.shipped()))

    def test_made_recognised_and_applied(self):
        made = self.post("/api/patterns/", name="numbers", fitting_id=self.made["id"]).json()
        self.assertEqual((made["plan"], made["bones"], made["parts"]["left hand"]), ("two-legged", 22, ["010"]))
        bring_in(self.client, rigged_like(STRIKER.read_bytes(), prefix="night:", move=0.01), "second.glb")
        second = Character.objects.get(name="second")
        (found,) = self.client.get(f"/api/patterns/recognised/{second.skeleton_id}").json()
        self.assertEqual((found["name"], found["score"]), ("numbers", 1.0))
        fitting = self.post("/api/fittings/", clip_id=self.bow.pk, character_id=second.pk).json()
        self.assertEqual(fitting["how"], "paired by the patterns “Museum hall” (100 of 100) and “numbers” (100 of 100)")
        self.assertTrue(all(pair["confidence"] == 1.0 for pair in fitting["pairs"]))

    def test_applied_to_many_at_once_leaves_what_was_confirmed(self):
        made = self.post("/api/patterns/", name="numbers", fitting_id=self.made["id"]).json()
        self.edit("connect", source=["LeftHand"], target=["009"])
        rows = self.post(f"/api/patterns/{made['id']}/apply", characters=[self.striker.pk, self.porter.pk]).json()
        by = {row["character"]: row for row in rows}
        self.assertEqual([by["striker"]["fits"], by["striker"]["fittings"], by["porter"]["fits"]], [True, 1, False])
        now = self.client.get(f"/api/fittings/{self.made['id']}").json()
        self.assertEqual(self.pair(now, "left hand")["target"], ["009"])
        self.assertEqual(self.pair(now, "right hand")["confidence"], 1.0)

    def test_renamed_edited_exported_and_imported(self):
        row = self.patterns()["Museum porter"]
        path = f"/api/patterns/{row['id']}"
        parts = row["parts"] | {"jaw": ["mandible"], "neck": []}
        changed = self.client.patch(
            path, json.dumps({"name": "porters", "parts": parts}), content_type="application/json"
        )
        self.assertEqual((changed.json()["parts"]["jaw"], "neck" in changed.json()["parts"]), (["mandible"], False))
        clash = self.client.patch(path, json.dumps({"name": "Museum hall"}), content_type="application/json")
        self.assertEqual(clash.status_code, 422)
        bad = self.client.patch(path, json.dumps({"parts": {"left fin": ["x"]}}), content_type="application/json")
        self.assertIn("no part “left fin”", bad.json()["detail"])
        file = self.client.get(f"{path}/file")
        self.assertIn('filename="porters.json"', file["Content-Disposition"])
        self.assertEqual(self.client.delete(path).status_code, 204)
        came = self.client.post(
            "/api/patterns/import", {"files": SimpleUploadedFile("porters.json", file.content)}
        ).json()
        self.assertEqual((came[0]["name"], came[0]["parts"]), ("porters", changed.json()["parts"]))
        twice = self.client.post(
            "/api/patterns/import", {"files": SimpleUploadedFile("porters.json", file.content)}
        ).json()
        self.assertEqual(twice[0]["name"], "porters 2")
        count = Pattern.objects.count()
        damaged = self.client.post("/api/patterns/import", {"files": SimpleUploadedFile("p.json", b"{")})
        self.assertEqual((damaged.status_code, Pattern.objects.count()), (422, count))

    def test_nothing_to_keep_is_refused(self):
        self.edit("clear")
        answer = self.post("/api/patterns/", name="empty", fitting_id=self.made["id"])
        self.assertIn("pair some bones first", answer.json()["detail"])
