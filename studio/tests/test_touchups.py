"""Touch-ups in the studio: steps of a fitting's history, part of what one cell depends on, carried elsewhere."""

import io
import json
import zipfile

import numpy as np

from armuto.kinematics import rotation
from armuto.retarget.context import context_of
from armuto.touchups import Layers, from_json
from armuto.touchups.resolving import joints_of_parts
from studio.fittings.models import Fitting, LayerRecord
from studio.fittings.services import layer_records
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.touchups import FittedClip
from studio.renditions.models import Revision
from studio.tests.test_renditions import TransferredStudio
from studio.verification import damages

HAND = {"op": "move", "by": [0.02, 0.06, 0.0], "frame": 40}


class TouchUpStudio(TransferredStudio):
    def setUp(self):
        super().setUp()
        self.fitting = Fitting.objects.get(skeleton=self.walk.skeleton, character=self.porter)
        self.path = f"fittings/{self.fitting.pk}"
        self.touchups = f"{self.path}/touchups/{self.walk.pk}"
        self.hand, self.arm, self.hips = (self.bone(part) for part in ("left hand", "left upper arm", "hips"))

    def fitted(self, clip=None) -> FittedClip:
        row = Fitting.objects.select_related("state", "skeleton", "character__skeleton").get(pk=self.fitting.pk)
        return FittedClip.of(row, clip or self.walk)

    def bone(self, part: str) -> str:
        context = self.fitted().context
        return context.fitting.target.names[joints_of_parts(context)[part][0]]

    def edit(self, status: int = 200, path: str = "", headers=None, **body):
        answer = self.client.post(
            f"/api/{path or self.touchups}", json.dumps(body), content_type="application/json", headers=headers
        )
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def out_of_date(self) -> set[tuple[str, str]]:
        return {cell for cell, state in self.states().items() if state == "out of date"}

    def preview(self, clip=None) -> np.ndarray:
        clip = clip or self.walk
        return np.frombuffer(self.client.get(f"/api/{self.path}/preview/{clip.pk}").content, "<f4")

    def layers(self) -> list:
        return self.get(self.touchups)["layers"]


class InOneCell(TouchUpStudio):
    def test_one_cell_alone_changes_and_a_transfer_applies_them(self):
        before = {clip.pk: self.preview(clip) for clip in (self.walk, self.bow)}
        made = self.edit(**HAND, bone=self.hand, show=40)
        self.assertIn("touch-ups of walk: “Touch-up”: left hand at frame 40", made["fitting"]["undo"])
        self.assertEqual(made["revision"], made["fitting"]["revision"])
        (row,) = made["touchups"]["layers"][0]["touchups"]
        self.assertEqual((row["channel"], row["part"], row["bone"]), ("place", "left hand", self.hand))
        self.assertEqual([key["frame"] for key in row["keys"]], [40.0])
        self.assertTrue(row["first"] < 40 < row["last"])
        self.assertEqual(self.out_of_date(), {("walk", "porter")})
        self.assertGreater(np.abs(self.preview() - before[self.walk.pk]).max(), 0.01)
        np.testing.assert_array_equal(self.preview(self.bow), before[self.bow.pk])
        self.assertIn("its touch-ups", self.cell(self.walk, self.porter)["changed"])
        for _ in range(2):
            self.transfer((self.walk.pk, self.porter.pk))
            self.assertEqual(self.out_of_date(), set())
            cell = self.cell(self.walk, self.porter)
            motion = self.client.get(f"/api/renditions/{cell['id']}/motion").content
            np.testing.assert_allclose(np.frombuffer(motion, "<f4"), self.preview(), atol=2e-6)
        revision = Revision.objects.get(pk=cell["newest"]["id"])
        self.assertEqual(from_json(revision.touchups).digest, revision.touchups_digest)

    def test_the_hand_is_where_it_was_drawn_to(self):
        fitted = self.fitted()
        joint = fitted.joint(self.hand)
        before = fitted.motion(fitted.layers, 40).positions[joint, 0]
        self.edit(**HAND, bone=self.hand)
        fitted = self.fitted()
        after = fitted.motion(fitted.layers, 40).positions[joint, 0]
        np.testing.assert_allclose(after - before, HAND["by"], atol=0.001)

    def test_undone_and_made_again_also_by_two_people(self):
        one, other = {"Armuto-Session": "one"}, {"Armuto-Session": "other"}
        self.edit(**HAND, bone=self.hand, layer="Mine", headers=one)
        self.edit(op="turn", axis=[0, 1, 0], degrees=20, bone=self.arm, frame=20, layer="Yours", headers=other)
        self.edit(path=f"{self.path}/undo", headers=one)
        self.assertEqual([layer["name"] for layer in self.layers()], ["Yours"])
        self.assertEqual(self.fitted().layers.digest, self.states_digest())
        self.edit(path=f"{self.path}/redo", headers=one)
        self.assertEqual({layer["name"] for layer in self.layers()}, {"Yours", "Mine"})
        self.assertEqual(self.fitted().layers.digest, self.states_digest())
        self.edit(path=f"{self.path}/undo", headers=one)
        self.edit(path=f"{self.path}/undo", headers=other)
        self.assertEqual(self.layers(), [])
        self.assertEqual(self.out_of_date(), set())

    def states_digest(self) -> str:
        state = Fitting.objects.get(pk=self.fitting.pk).state
        return state.data["touchups"][str(self.walk.pk)]["digest"]

    def test_who_changes_what_another_has_changed_is_told(self):
        self.edit(op="add", layer="Ours")
        base = {"If-Match": f'"{self.get(self.path)["revision"]}"'}
        self.edit(
            op="key", bone=self.arm, frame=10, value=[0, 0, 5], layer="Ours", headers={"Armuto-Session": "a"} | base
        )
        self.edit(op="add", layer="Other", headers={"Armuto-Session": "b"} | base)
        refused = self.edit(
            409,
            op="key",
            bone=self.arm,
            frame=30,
            value=[0, 0, 9],
            layer="Ours",
            headers={"Armuto-Session": "b"} | base,
        )
        self.assertIn("the touch-ups “Ours”", refused["detail"])
        self.assertEqual({layer["name"] for layer in self.layers()}, {"Ours", "Other"})

    def test_layers_and_keys(self):
        for name in ("First", "Second"):
            self.edit(op="add", layer=name)
        self.edit(op="order", names=["Second", "First"])
        self.edit(op="layer", layer="First", changes={"name": "Elbow", "weight": 0.5, "hold": False, "on": True})
        self.assertEqual([(row["name"], row["weight"]) for row in self.layers()], [("Second", 1.0), ("Elbow", 0.5)])
        for frame, value in ((10, 5), (20, 10)):
            self.edit(op="key", layer="Elbow", bone=self.arm, frame=frame, value=[0, 0, value])
        curve = self.get(f"{self.touchups}/curve?layer=Elbow&touchup=0")
        at = dict(zip(curve["frames"], curve["values"], strict=True))
        np.testing.assert_allclose([at[10][2], at[20][2]], [2.5, 5.0])
        self.edit(op="shift", layer="Elbow", keys=[[0, 0], [0, 1]], frames=5)
        self.edit(op="copy", layer="Elbow", keys=[[0, 0]], frame=40)
        self.edit(op="interpolate", layer="Elbow", keys=[[0, 0]], to_next="linear")
        self.edit(op="ease", layer="Elbow", touchup=0, ease_in=None, ease_out=0.5)
        (touchup,) = self.layers()[1]["touchups"]
        self.assertEqual(
            [(key["frame"], key["to_next"]) for key in touchup["keys"]][:2], [(15.0, "linear"), (25.0, "smooth")]
        )
        self.assertEqual((touchup["ease_in"], touchup["ease_out"], touchup["first"]), (None, 0.5, 0.0))
        self.edit(op="weight", layer="Elbow", frame=10, weight=0.5)
        self.edit(op="weight", layer="Elbow", frame=60, weight=1.0)
        self.assertEqual([key["frame"] for key in self.layers()[1]["weight"]], [10.0, 60.0])
        # Keys of the weight go along with those of touch-ups.
        self.edit(op="shift", layer="Elbow", keys=[[0, 0]], weight_keys=[0], frames=2)
        self.edit(op="copy", layer="Elbow", weight_keys=[0, 1], frame=70)
        self.assertEqual(
            [(key["frame"], key["value"]) for key in self.layers()[1]["weight"]],
            [(12.0, 0.5), (60.0, 1.0), (70.0, 0.5), (118.0, 1.0)],
        )
        self.assertEqual(self.layers()[1]["touchups"][0]["keys"][0]["frame"], 17.0)
        self.edit(op="delete", layer="Elbow", weight_keys=[2, 3])
        self.edit(op="shift", layer="Elbow", keys=[[0, 0]], frames=-2)
        self.edit(422, op="delete", layer="Elbow", weight_keys=[7])
        self.edit(op="mirror", layer="Elbow", keys=[[0, 0]], frame=15)
        self.assertEqual([row["part"] for row in self.layers()[1]["touchups"]], ["left upper arm", "right upper arm"])
        self.edit(op="delete", layer="Elbow", keys=[[1, 0]])
        self.assertEqual(len(self.layers()[1]["touchups"]), 1)
        self.edit(op="remove", layer="Elbow")
        self.assertEqual([row["name"] for row in self.layers()], ["Second"])

    def test_a_trial_keeps_nothing(self):
        revision = self.get(self.path)["revision"]
        poses = {
            self.edit(path=f"{self.touchups}/trial", **HAND | {"by": by}, bone=self.hand, show=40)["pose"]
            for by in ([0, 0, 0], [0, 0.05, 0])
        }
        self.assertEqual(len(poses), 2)
        self.assertEqual((self.get(self.path)["revision"], self.layers()), (revision, []))
        self.assertFalse(LayerRecord.objects.exists())

    def test_a_trial_shows_what_the_whole_clip_will_be(self):
        """A frame that is laid over what is known without layers, and the same of the clip through the pipeline."""
        self.post(f"{self.path}/settings", settings={"limits": "hard", "clear": 0.5})
        self.edit(**HAND, bone=self.hand, layer="Mine")
        self.edit(op="turn", axis=[0, 0, 1], degrees=70, bone=self.arm, frame=42, layer="Wild")
        self.edit(op="move", by=[0, -0.05, 0], bone=self.hips, frame=38, layer="Mine")
        fitted = self.fitted()
        whole = retarget(fitted.row, fitted.value, self.walk, touchups=fitted.touchups(fitted.layers)).clip.world()
        for frame in (0, 34, 40, 45, 100):
            posed = fitted.pose(fitted.layers, frame).world()
            np.testing.assert_allclose(posed.positions[0], whole.positions[frame], atol=1e-8)

    def test_what_cannot_be_done_is_one_sentence(self):
        for status, words, body in (
            (422, "no bone “Nobody”", HAND | {"bone": "Nobody"}),
            (422, "has no frame 100000", HAND | {"bone": self.hand, "frame": 100000}),
            (422, "no layer “Gone”", {"op": "remove", "layer": "Gone"}),
            (422, "cannot be moved to a place", HAND | {"bone": self.arm}),
            (422, "has no direction", {"op": "turn", "bone": self.arm, "axis": [0, 0, 0], "degrees": 3}),
            (422, "needs a name", {"op": "add", "layer": "  \n "}),
            (422, "op", {"op": "scale"}),
        ):
            with self.subTest(words=words):
                self.assertIn(words, self.edit(status, **body)["detail"])
        self.assertEqual(self.layers(), [])

    def test_changed_under_a_key_is_a_finding_until_somebody_has_looked(self):
        self.edit(**HAND, bone=self.hand, layer="Mine")
        self.transfer((self.walk.pk, self.porter.pk))
        self.assertEqual(self.cell(self.walk, self.porter)["state"], "good")
        offset = {"left upper arm": {"offset": [0, 0, 30]}}
        self.post(f"{self.path}/settings", settings={"follow": offset})
        self.transfer((self.walk.pk, self.porter.pk))
        cell = self.cell(self.walk, self.porter)
        texts = [row["text"] for row in cell["newest"]["findings"] if row["kind"] == "touch-up"]
        self.assertIn("made on an earlier result", texts[0])
        key = self.layers()[0]["touchups"][0]["keys"][0]
        self.assertGreater(key["moved"]["far"], 3.0)
        self.assertGreater(len(key["limb_then"]), 2)
        self.transfer(*self.cells([self.bow], [self.porter]))
        self.assertEqual(self.out_of_date(), set())
        self.edit(op="confirm", layer="Mine")
        self.assertIsNone(self.layers()[0]["touchups"][0]["keys"][0]["moved"])
        self.assertEqual(self.out_of_date(), {("walk", "porter")})

    def test_a_recipe_keeps_keys_where_they_mean_the_same(self):
        self.edit(op="key", layer="Mine", bone=self.arm, frame=40, value=[0, 0, 25])
        time = self.layers()[0]["touchups"][0]["keys"][0]["time"]
        self.client.patch(
            f"/api/library/clips/{self.walk.pk}",
            json.dumps({"recipe": {"steps": [{"kind": "pace", "percent": 50.0}]}}),
            content_type="application/json",
        )
        (touchup,) = self.layers()[0]["touchups"]
        self.assertAlmostEqual(touchup["keys"][0]["frame"], 80.0, delta=1.0)
        self.assertEqual(touchup["keys"][0]["time"], time)

    def test_a_key_is_found_again_where_frames_of_the_take_are_left_out(self):
        self.edit(op="key", layer="Mine", bone=self.arm, frame=41, value=[0, 0, 25])
        self.client.patch(
            f"/api/library/clips/{self.walk.pk}",
            json.dumps({"recipe": {"steps": [{"kind": "pace", "percent": 300.0}]}}),
            content_type="application/json",
        )
        frame = self.layers()[0]["touchups"][0]["keys"][0]["frame"]
        self.edit(op="key", layer="Mine", bone=self.arm, frame=round(frame), value=[0, 0, 9])
        (key,) = self.layers()[0]["touchups"][0]["keys"]
        self.assertEqual(key["value"], [0.0, 0.0, 9.0])

    def test_an_ease_of_which_nothing_is_said_stays(self):
        self.edit(op="key", layer="Mine", bone=self.arm, frame=41, value=[0, 0, 25])
        self.edit(op="ease", layer="Mine", touchup=0, ease_in=0.5)
        (touchup,) = self.layers()[0]["touchups"]
        self.assertEqual((touchup["ease_in"], touchup["ease_out"]), (0.5, 0.25))

    def test_files_there_and_back(self):
        self.edit(**HAND, bone=self.hand, layer="Mine")
        response = self.client.get(f"/api/{self.touchups}/file")
        self.assertIn("walk on porter.touchups.json", response["Content-Disposition"])
        content = response.content
        self.edit(op="remove", layer="Mine")
        self.edit(op="add", layer="Other")
        made = self.upload(self.touchups + "/file", "mine.json", content)
        self.assertEqual([row["name"] for row in made["touchups"]["layers"]], ["Other", "Mine"])
        refused = self.upload(self.touchups + "/file", "bad.json", b'{"layers": [{"name": 3}]}', 422)
        self.assertIn("bad.json", refused["detail"])

    def upload(self, path, name, content, status=200):
        from django.core.files.uploadedfile import SimpleUploadedFile

        response = self.client.post(f"/api/{path}", {"file": SimpleUploadedFile(name, content)})
        self.assertEqual(response.status_code, status, response.content)
        return response.json()

    def test_a_new_version_of_a_character_keeps_them(self):
        self.edit(**HAND, bone=self.hand, layer="Mine")
        from studio.fittings.services.steps import fit_again

        row = self.fitted().row
        fit_again(row, "fitted again", row.character.figure())
        self.assertEqual([layer["name"] for layer in self.layers()], ["Mine"])

    def test_a_damaged_layer_is_found(self):
        self.edit(**HAND, bone=self.hand, layer="Mine")
        self.assertEqual(list(damages()), [])
        LayerRecord.objects.update(data={"name": "Mine", "touchups": []})
        self.assertIn("touch-ups in it are not whole", next(iter(damages())))

    def test_layers_that_nobody_names_are_swept_when_the_studio_starts(self):
        self.edit(**HAND, bone=self.hand, layer="Mine")
        state, mine = self.fitted().row.state, LayerRecord.objects.get()
        layer_records.store(from_json({"layers": [{"name": "Of a fitting that is gone", "touchups": []}]}))
        self.assertEqual(layer_records.sweep(), 1)
        self.assertEqual(list(LayerRecord.objects.all()), [mine])
        self.assertEqual(layer_records.of_clip(state, self.walk.pk).layers[0].name, "Mine")

    def test_they_go_out_with_what_they_made(self):
        self.edit(**HAND, bone=self.hand, layer="Mine")
        self.transfer()
        cells = [[self.walk.pk, self.porter.pk], [self.bow.pk, self.porter.pk]]
        packed = {}
        for touchups in (True, False):
            made = self.send("post", "deliveries/", 201, cells=cells, name="night", wanted={"touchups": touchups})
            content = b"".join(self.client.get(f"/api/deliveries/{made['id']}/archive").streaming_content)
            packed[touchups] = zipfile.ZipFile(io.BytesIO(content))
        manifest = json.loads(packed[True].read("manifest.json"))
        rows = {row["clip_name"]: row["touchups"] for row in manifest["results"]}
        self.assertIsNone(rows["bow"])
        self.assertEqual((rows["walk"]["layers"], rows["walk"]["keys"]), (1, 1))
        taken = from_json(json.loads(packed[True].read(rows["walk"]["file"])))
        self.assertEqual(taken.digest, self.fitted().layers.digest)
        self.assertFalse([name for name in packed[False].namelist() if name.startswith("touchups/")])


class Elsewhere(TouchUpStudio):
    def test_carried_to_another_body_and_another_clip(self):
        self.edit(**HAND, bone=self.hand, layer="Hand")
        self.edit(op="turn", axis=[0, 1, 0], degrees=20, bone=self.arm, frame=40, layer="Arm")
        others = [who for who in self.cast if who.pk != self.porter.pk]
        cells = [[self.walk.pk, others[0].pk], [self.bow.pk, self.porter.pk]]
        body = {"layers": ["Hand", "Arm"], "to": cells}
        tried = self.post(f"{self.touchups}/carry", **body, trial=True)
        self.assertEqual([row["names"] for row in tried], [["Hand", "Arm"]] * 2)
        for row in tried:
            self.assertEqual(row["preview"]["frame"], 40)
            self.assertNotEqual(row["preview"]["before"]["poses"], row["preview"]["after"]["poses"])
        self.assertEqual(self.get(f"{self.path}/touchups/{self.bow.pk}")["layers"], [])
        done = self.post(f"{self.touchups}/carry", **body)
        for (clip, who), row in zip(cells, done, strict=True):
            self.assertEqual((row["clip_id"], row["character_id"], row["lost"]), (clip, who, []))
            there = self.get(f"fittings/{row['fitting_id']}/touchups/{clip}")
            self.assertEqual([layer["name"] for layer in there["layers"]], ["Hand", "Arm"])
            self.assertEqual([key["frame"] for key in there["layers"][0]["touchups"][0]["keys"]], [40.0])
        # Once more they take their own place.
        again = self.post(f"{self.touchups}/carry", **body)
        there = self.get(f"fittings/{again[0]['fitting_id']}/touchups/{self.walk.pk}")
        self.assertEqual(len(there["layers"]), 2)

    def test_to_a_mirrored_clip_it_goes_as_it_is_seen(self):
        self.client.patch(
            f"/api/library/clips/{self.bow.pk}",
            json.dumps({"recipe": {"steps": [{"kind": "mirror"}]}}),
            content_type="application/json",
        )
        self.edit(op="key", layer="Mine", bone=self.arm, frame=40, value=[0, 0, 25])
        self.post(f"{self.touchups}/carry", layers=["Mine"], to=[[self.bow.pk, self.porter.pk]])
        (layer,) = self.get(f"{self.path}/touchups/{self.bow.pk}")["layers"]
        self.assertEqual(layer["touchups"][0]["part"], "left upper arm")
        bow = self.bow
        bow.refresh_from_db()
        fitted = self.fitted(bow)
        joint = fitted.joint(self.arm)
        before, after = (fitted.motion(layers, 40).rotations[joint, 0] for layers in (Layers(), fitted.layers))
        self.assertAlmostEqual(float(np.degrees(rotation.angle_apart(before[None], after[None])[0])), 25.0, places=1)

    def test_by_the_phase_of_steps_where_there_are_none_is_said(self):
        self.edit(**HAND, bone=self.hand, layer="Hand")
        body = {"layers": ["Hand"], "to": [[self.bow.pk, self.porter.pk]], "by": "phase"}
        (row,) = self.post(f"{self.touchups}/carry", **body)
        self.assertTrue((row["names"] == [] and "no such step" in row["lost"][0]) or row["names"] == ["Hand"])

    def test_a_finding_is_ended_by_the_smallest_offset(self):
        inward = {"op": "key", "bone": self.arm, "frame": 40, "layer": "In"}
        fitted = self.fitted()
        arm = context_of(fitted.value)
        self.assertIsNotNone(arm)
        worst = None
        for value in ([0, 0, 30], [0, 0, -30], [30, 0, 0], [-30, 0, 0]):
            self.edit(**inward, value=value)
            measured = self.post(f"{self.path}/measures/{self.walk.pk}")
            clipping = [row for row in measured["findings"] if row["kind"] == "clipping" and row["part"] == "left arm"]
            if clipping:
                worst = clipping[0]
                break
        self.assertIsNotNone(worst, "an arm turned into the body clips")
        found = self.post(f"{self.touchups}/proposal", kind="clipping", part="left arm", frame=worst["frames"][0])
        self.assertIn("turned by", found["sentence"])
        edit = {key: value for key, value in found["edit"].items() if value is not None}
        self.edit(**edit, **{} if "layer" in edit else {"layer": "Mended"})
        measured = self.post(f"{self.path}/measures/{self.walk.pk}")
        left = [row for row in measured["findings"] if row["kind"] == "clipping" and row["part"] == "left arm"]
        self.assertTrue(not left or left[0]["size"] < 0.5 * worst["size"], (worst, left))
        nothing = self.post(f"{self.touchups}/proposal", kind="limit", part="left arm", frame=0)
        self.assertIsNone(nothing)
