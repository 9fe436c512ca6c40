"""Stances over HTTP: every way of making one, kept for the skeleton, undone, exported; what was made before is out of
date."""

import json
from base64 import b64decode

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from armuto import formats
from studio.cast.models import Character
from studio.fittings.schemas import FittingOut
from studio.library.models import Clip
from studio.stances import services
from studio.stances.models import Stance
from studio.tests.figures import rigged_like
from studio.tests.test_api import bring_in
from studio.tests.test_pairing import STRIKER, Pairing


class Standing(Pairing):
    def stance(self, op: str, status: int = 200, **fields) -> dict:
        answer = self.post(f"/api/fittings/{self.made['id']}/stance", op=op, **fields)
        self.assertEqual(answer.status_code, status, answer.content)
        if status == 200:
            FittingOut(**answer.json())  # these answers are sent as they are, without being checked on the way
        return answer.json()

    def rows(self, fitting: dict) -> dict[str, dict]:
        return {row["part"]: row for row in fitting["stance"]}

    def target_value(self):
        return services.Skeleton.objects.get(pk=self.striker.skeleton_id)


class Changes(Standing):
    def test_a_new_fitting_says_what_its_stances_were_made_of(self):
        stances = self.made["stances"]
        self.assertTrue(stances["target"]["aligned"])
        self.assertIn("rest pose stands in", stances["source"]["how"])
        aligned = [row for row in self.made["stance"] if not row["own"]]
        self.assertLess(max(row["left"] for row in aligned), 1.0)

    def test_every_maker(self):
        for kind, fields, name in (
            ("rest", {}, "Rest pose"),
            ("zero", {}, "All rotations zero"),
            ("T", {}, "T"),
            ("A", {"degrees": 40}, "A of 40°"),
            ("A", {"degrees": 0}, "A of 0°"),
            ("arms down", {}, "Arms down"),
            ("straight", {}, "Standing straight"),
            ("frames", {"clip_id": self.walk.pk, "first": 12}, "Frame 12 of"),
            ("frames", {"clip_id": self.walk.pk, "first": 3, "last": 9}, "Frames 3 to 9 of"),
        ):
            for side in ("source", "target"):
                with self.subTest(kind=kind, side=side, said=fields):
                    now = self.stance("make", side=side, kind=kind, **fields)
                    self.assertTrue(now["stances"][side]["name"].startswith(name), now["stances"][side])

    def test_arms_in_a_t_on_the_figure(self):
        now = self.stance("make", kind="T", show_clip_id=self.walk.pk, show_frame=0)
        self.assertFalse(now["stances"]["target"]["aligned"])
        value = services.value.from_json(
            Stance.objects.get(skeleton=self.striker.skeleton_id, last=True).data, self.striker.skeleton.value()
        )
        at = value.pose(self.striker.skeleton.value()).positions
        index = self.striker.skeleton.value().index
        arm = at[index["010"]] - at[index["008"]]
        self.assertLess(abs(float(arm[1])), 1e-6)
        self.assertTrue(now["pose"] and now["standing"])
        back = self.stance("align")
        self.assertTrue(back["stances"]["target"]["aligned"])

    def test_turning_by_hand_mirrored_reset_and_undone(self):
        before = self.rows(self.made)["left upper arm"]["left"]
        now = self.stance("turn", bone="008", axis=[0, 0, 1], degrees=20, mirror=True)
        self.assertEqual(len(now["stances"]["target"]["turned"]), 2)
        left, right = (self.rows(now)[f"{side} upper arm"]["left"] for side in ("left", "right"))
        self.assertAlmostEqual(left, right, delta=0.5)
        self.assertGreater(left, before + 15)
        made = self.stance("reset", bone="008")
        self.assertEqual(len(made["stances"]["target"]["turned"]), 1)
        none = self.stance("reset")
        self.assertEqual(none["stances"]["target"]["turned"], [])
        undone = self.post(f"/api/fittings/{self.made['id']}/undo").json()
        self.assertEqual(undone["stances"], made["stances"])

    def test_a_limb_alone_is_aligned(self):
        self.stance("make", kind="A", degrees=20)
        now = self.stance("align", limb="left arm")
        rows = self.rows(now)
        self.assertLess(rows["left upper arm"]["left"], 0.1)
        self.assertGreater(rows["right upper arm"]["left"], 10)
        both = self.stance("mirror", from_side="left")
        self.assertLess(self.rows(both)["right upper arm"]["left"], 2)

    def test_the_source_can_be_turned_to_the_character(self):
        self.stance("make", kind="A", degrees=35)
        now = self.stance("align", side="source")
        self.assertIn("striker", now["stances"]["source"]["name"])
        self.assertLess(self.rows(now)["left lower arm"]["left"], 0.1)

    def test_facing_floor_and_size(self):
        now = self.stance("facing", side="target", degrees=90)
        self.assertEqual(now["measures"]["target_facing"], 90)
        self.assertTrue(now["measures"]["target_facing_said"])
        now = self.stance("floor", side="target", height=0.05)
        self.assertAlmostEqual(now["measures"]["target_floor"], 0.05)
        now = self.stance("size", by="arms")
        self.assertAlmostEqual(now["measures"]["size"], now["measures"]["arms"])
        now = self.stance("size", ratio=0.5)
        self.assertEqual((now["measures"]["size"], now["measures"]["by"]), (0.5, None))
        now = self.stance("facing", side="target")
        self.assertFalse(now["measures"]["target_facing_said"])

    def test_a_trial_keeps_nothing(self):
        answer = self.post(
            f"/api/fittings/{self.made['id']}/stance/trial",
            op="turn",
            bone="008",
            axis=[0, 0, 1],
            degrees=30,
            show_clip_id=self.walk.pk,
            show_frame=4,
        ).json()
        self.assertEqual(len(answer["stance"]), len(self.made["stance"]))
        self.assertTrue(answer["pose"])
        now = self.client.get(f"/api/fittings/{self.made['id']}").json()
        self.assertEqual(now["revision"], self.made["revision"])
        self.assertFalse(Stance.objects.exists())

    def test_what_cannot_be_made_says_so(self):
        for fields, words in (
            ({"op": "make", "kind": "frames", "clip_id": self.walk.pk, "first": 9999}, "it has the frames 0 to"),
            ({"op": "make", "kind": "frames", "clip_id": 0}, "no longer there"),
            ({"op": "make", "kind": "calibration"}, "none of its clips begins"),
            ({"op": "make", "kind": "bind"}, "take the rest pose"),
            ({"op": "make", "kind": "A", "degrees": 400}, "from 0° to 180°"),
            ({"op": "make", "kind": "kept", "stance_id": 1}, "no longer there"),
            ({"op": "turn", "bone": "nobody", "axis": [0, 1, 0], "degrees": 3}, "no such bone"),
            ({"op": "turn", "bone": "008", "axis": [0, 0, 0], "degrees": 3}, "needs an axis"),
            ({"op": "align", "limb": "left ear"}, "no such limb"),
            ({"op": "size", "by": "tail"}, "choose one"),
            ({"op": "size", "ratio": 1000}, "a size is a share"),
            ({"op": "make", "kind": "handstand"}, "cannot be made of that"),
            ({"op": "size", "ratio": 0}, "a size is a share"),
            ({"op": "floor", "height": 90}, "give centimetres"),
            ({"op": "name", "name": "  "}, "needs a name"),
        ):
            with self.subTest(said=fields):
                self.assertIn(words, self.stance(fields.pop("op"), 422, **fields)["detail"])


class Kept(Standing):
    def test_the_next_fitting_begins_with_what_was_set(self):
        self.stance("make", side="source", kind="frames", clip_id=self.walk.pk, first=5)
        self.stance("turn", bone="008", axis=[0, 0, 1], degrees=12)
        bring_in(self.client, rigged_like(STRIKER.read_bytes(), move=0.6), "striker tall.glb")
        other = Character.objects.get(name="striker tall")
        made = self.post("/api/fittings/", clip_id=self.walk.pk, character_id=other.pk).json()
        self.assertTrue(made["stances"]["source"]["name"].startswith("Frame 5"))
        self.assertIn("as set in the fitting of", made["stances"]["source"]["how"])
        self.assertEqual(made["stances"]["target"]["turned"], ["008"])
        self.assertIn("on the same rig", made["stances"]["target"]["how"])

    def test_pairs_may_change_without_losing_the_stance(self):
        self.stance("turn", bone="008", axis=[0, 0, 1], degrees=12)
        now = self.edit("remove", keys=["left hand"])
        self.assertEqual(now["stances"]["target"]["turned"], ["008"])

    def test_named_renamed_duplicated_taken_and_removed(self):
        self.stance("make", kind="A", degrees=30)
        path = f"/api/fittings/{self.made['id']}"
        stance = self.post(f"{path}/stances", side="target", name="Before the strike").json()
        self.assertEqual(self.post(f"{path}/stances", side="target", name="Before the strike").status_code, 422)
        copy = self.post(f"/api/stances/{stance['id']}/duplicate").json()
        self.assertEqual(copy["name"], "Before the strike 2")
        renamed = self.client.patch(
            f"/api/stances/{copy['id']}", json.dumps({"name": "At rest"}), content_type="application/json"
        ).json()
        self.assertEqual(renamed["name"], "At rest")
        self.stance("make", kind="rest")
        now = self.stance("make", kind="kept", stance_id=stance["id"])
        self.assertEqual(now["stances"]["target"]["name"], "Before the strike")
        self.assertEqual(self.client.delete(f"/api/stances/{renamed['id']}").status_code, 204)
        offers = self.client.get(f"{path}/offers").json()["target"]
        self.assertEqual([offer["name"] for offer in offers["kept"]], ["Before the strike"])
        self.assertEqual(offers["offers"][0]["kind"], "rest")

    def test_a_result_is_out_of_date_after_a_change_and_current_again_after_undo(self):
        row = self.post("/api/renditions/", clip_id=self.walk.pk, character_id=self.striker.pk).json()

        def state():
            return self.client.get(f"/api/renditions/{row['id']}").json()["state"]

        self.assertEqual(state(), "good")
        self.stance("turn", bone="008", axis=[0, 0, 1], degrees=12)
        self.assertEqual(state(), "out of date")
        self.post(f"/api/fittings/{self.made['id']}/undo")
        self.assertEqual(state(), "good")

    def test_out_and_in_again_as_a_file(self):
        self.stance("make", side="source", kind="A", degrees=33)
        turned = self.stance("turn", bone="008", axis=[0, 0, 1], degrees=12)
        data = self.client.get(f"/api/fittings/{self.made['id']}/file")
        self.assertIn("fitting.json", data["Content-Disposition"])
        self.stance("make", side="source", kind="rest")
        self.stance("reset")
        path = f"/api/fittings/{self.made['id']}/file"
        back = self.client.post(path, {"file": SimpleUploadedFile("a.json", data.content)}).json()
        self.assertEqual(back["stances"], turned["stances"])
        self.assertEqual(back["how"], "taken from a.json")
        broken = self.client.post(path, {"file": SimpleUploadedFile("b.json", data.content[:400])})
        self.assertIn("b.json: not a fitting", broken.json()["detail"])

    def test_standing_comes_as_arrays(self):
        answer = self.client.get(f"/api/fittings/{self.made['id']}/standing")
        shapes = [tuple(map(int, shape.split(","))) for shape in answer["X-Armuto-Shape"].split(";")]
        joints, bones = self.walk.skeleton.joints, self.striker.skeleton.joints
        self.assertEqual(shapes[1:], [(joints, 4), (joints, 3), (bones, 4), (bones, 3), (bones, 3)])
        values = np.frombuffer(answer.content, "<f4")
        now = self.stance("turn", bone="008", axis=[0, 0, 1], degrees=12, show_clip_id=self.walk.pk, show_frame=0)
        turned = np.frombuffer(b64decode(now["standing"]), "<f4")
        self.assertEqual(len(turned), len(values))
        self.assertGreater(float(np.abs(turned - values).max()), 0.05)
        before = self.client.get(f"/api/fittings/{self.made['id']}/standing?before=true")
        self.assertLess(float(np.abs(np.frombuffer(before.content, "<f4") - values).max()), 1e-5)


class Postures(Standing):
    def test_the_pose_a_mesh_was_bound_in(self):
        document = formats.read(STRIKER.read_bytes(), "striker.glb")
        held = document.original
        joint = next(n for n, node in enumerate(held.json["nodes"]) if node.get("name") == "008")
        held.json["nodes"][joint]["rotation"] = [0.0, 0.0, 0.5, 0.75**0.5]
        from armuto.formats.gltf.container import to_glb

        bring_in(self.client, to_glb(held.json, held.buffers[0]), "striker raised.glb")
        raised = Character.objects.get(name="striker raised")
        found = services.bind_pose(raised.skeleton)
        self.assertIsNotNone(found)
        bound = services.value.posed(raised.skeleton.value(), found).positions
        rest = self.striker.skeleton.value().rest.positions
        self.assertLess(float(np.abs((bound - bound[0]) - (rest - rest[0])).max()), 1e-4)

    def test_calibration_frames_of_a_clip(self):
        clip = Clip.objects.filter(calibration__gt=0).first()
        if clip is None:
            clip = self.walk
            Clip.objects.filter(pk=clip.pk).update(calibration=4)
            clip.refresh_from_db()
        found = services.postures_of(clip.skeleton)["Calibration frames"]
        self.assertEqual(found.shape, (clip.skeleton.joints, 4))
