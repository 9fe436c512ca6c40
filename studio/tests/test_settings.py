"""Settling over HTTP: settings, contacts and joint limits, each kept, undone and shown; what was made before is out of
date."""

import json
from base64 import b64decode

import numpy as np

from armuto import formats
from armuto.tests.files import DEMO
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.fittings.preview import contacts_of
from studio.fittings.schemas import FittingOut
from studio.fittings.services.steps import fitting_for, value_of
from studio.library.models import Clip
from studio.tests.test_api import bring_in
from studio.tests.test_pairing import Pairing


class Settling(Pairing):
    def settings(self, status: int = 200, **settings) -> dict:
        path = f"/api/fittings/{self.made['id']}/settings"
        answer = self.post(path, settings=settings, clip_id=self.walk.pk, frame=60)
        self.assertEqual(answer.status_code, status, answer.content)
        if status == 200:
            FittingOut(**answer.json())  # these answers are sent as they are, without being checked on the way
        return answer.json()

    def contacts(self) -> dict:
        return self.client.get(f"/api/fittings/{self.made['id']}/contacts/{self.walk.pk}").json()

    def put(self, path: str, body: dict):
        return self.client.put(path, data=json.dumps(body), content_type="application/json")

    def set_contacts(self, rows, status: int = 200) -> dict:
        answer = self.put(f"/api/fittings/{self.made['id']}/contacts/{self.walk.pk}", {"contacts": rows})
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def measures(self, **fields) -> dict:
        path = f"/api/fittings/{self.made['id']}/measures/{self.walk.pk}"
        return self.post(path, settings=fields or None).json()

    def pose(self, answer: dict) -> np.ndarray:
        return np.frombuffer(b64decode(answer["pose"]), "<f4")


class Choices(Settling):
    def test_a_new_fitting_has_the_defaults(self):
        settings = self.made["settings"]
        self.assertEqual(
            (settings["hold"], settings["limits"], settings["travel"]["mode"], settings["stride"]),
            (1.0, "off", "keep", None),
        )

    def test_a_choice_is_a_step_that_moves_the_figure_and_can_be_undone(self):
        before = self.settings(hold=0.5)
        self.assertEqual(before["settings"]["hold"], 0.5)
        self.assertEqual(before["how"], "how firmly feet hold: 50 %")
        spread = self.settings(spread=20, travel={"mode": "in place"})
        self.assertEqual(spread["settings"]["travel"]["mode"], "in place")
        self.assertGreater(np.abs(self.pose(spread) - self.pose(before)).max(), 0.05)
        back = self.client.post(f"/api/fittings/{self.made['id']}/undo").json()
        self.assertEqual((back["settings"]["spread"], back["settings"]["hold"]), (0.0, 0.5))
        self.assertEqual(self.client.post(f"/api/fittings/{self.made['id']}/redo").json()["settings"]["spread"], 20.0)

    def test_tables_are_changed_row_by_row_and_null_brings_back_the_default(self):
        self.settings(holds={"left leg": 0.2}, follow={"head": {"turn": 0.5}})
        now = self.settings(holds={"right leg": 0.4}, follow={"head": None})
        self.assertEqual(now["settings"]["holds"], {"left leg": 0.2, "right leg": 0.4})
        self.assertEqual(now["settings"]["follow"], {})
        self.assertEqual(self.settings(holds=None)["settings"]["holds"], {})

    def test_what_changes_nothing_is_no_step(self):
        self.assertEqual(self.settings(hold=1.0)["revision"], self.made["revision"])

    def test_a_trial_shows_and_keeps_nothing(self):
        path = f"/api/fittings/{self.made['id']}/settings/trial"
        half, two = (
            self.post(path, settings={"spread": degrees}, clip_id=self.walk.pk, frame=60).json() for degrees in (0, 30)
        )
        self.assertGreater(np.abs(self.pose(half) - self.pose(two)).max(), 0.05)
        self.assertEqual(self.client.get(f"/api/fittings/{self.made['id']}").json()["revision"], self.made["revision"])

    def test_a_frame_in_the_answer_is_a_frame_of_the_preview(self):
        for settings in ({"stride": 0.9}, {"travel": {"mode": "in place"}}, {"spread": 12}):
            answer = self.settings(**settings)
            preview = self.client.get(f"/api/fittings/{self.made['id']}/preview/{self.walk.pk}")
            shapes = [[int(n) for n in shape.split(",")] for shape in preview["X-Armuto-Shape"].split(";")]
            turns = np.frombuffer(preview.content, "<f4")[: int(np.prod(shapes[0]))].reshape(shapes[0])
            pose = self.pose(answer)[: shapes[0][1] * 4].reshape(-1, 4)
            apart = np.minimum(np.abs(pose - turns[60]), np.abs(pose + turns[60]))
            self.assertLess(apart.max(), 2e-3, settings)

    def test_refused_in_words(self):
        for settings, words in (
            ({"hold": 7}, "Hold: 7 is not from 0 to 1"),
            ({"pace": 1}, "There is no setting “pace”"),
            ({"travel": {"mode": "fly"}}, "“fly” is not one of"),
        ):
            self.assertIn(words, self.settings(422, **settings)["detail"])

    def test_pairs_and_stances_keep_what_was_chosen(self):
        self.settings(hold=0.3)
        answer = self.post(f"/api/fittings/{self.made['id']}/stance", op="make", kind="A", side="target")
        self.assertEqual(answer.json()["settings"]["hold"], 0.3)
        answer = self.post(f"/api/fittings/{self.made['id']}/edits", op="leave out", keys=["jaw"])
        self.assertEqual(answer.json()["settings"]["hold"], 0.3)

    def test_what_was_made_before_is_out_of_date(self):
        row = self.post("/api/renditions/", clip_id=self.walk.pk, character_id=self.striker.pk).json()
        path = f"/api/renditions/{row['id']}"
        self.assertEqual(self.client.get(path).json()["state"], "good")
        self.settings(hold=0.5)
        self.assertEqual(self.client.get(path).json()["state"], "out of date")
        self.client.post(f"/api/fittings/{self.made['id']}/undo")
        self.assertEqual(self.client.get(path).json()["state"], "good")


class Contacts(Settling):
    def test_they_are_found_with_their_points(self):
        contacts = self.contacts()
        self.assertFalse(contacts["by_hand"])
        self.assertEqual({point["limb"] for point in contacts["points"] if point["foot"]}, {"left leg", "right leg"})
        toes = [contact for contact in contacts["contacts"] if contact["point"] == "left toes"]
        self.assertGreaterEqual(len(toes), 4)

    def test_set_by_hand_they_hold_for_everybody_and_undo_brings_back_the_found_ones(self):
        found = self.contacts()["contacts"]
        revision = Clip.objects.get(pk=self.walk.pk).revision
        self.set_contacts([{"point": "left toes", "first": 10, "last": 30}])
        now = self.contacts()
        self.assertTrue(now["by_hand"])
        self.assertEqual(now["contacts"], [{"point": "left toes", "first": 10, "last": 30, "to": ""}])
        self.assertGreater(Clip.objects.get(pk=self.walk.pk).revision, revision)
        row = fitting_for(self.walk.skeleton, Character.objects.get(name="porter"))
        clip = Clip.objects.select_related("skeleton").get(pk=self.walk.pk)
        self.assertEqual([contact.point for contact in contacts_of(value_of(row), clip).contacts], ["left toes"])
        self.client.post(f"/api/fittings/{self.made['id']}/undo")
        self.assertEqual(self.contacts()["contacts"], found)
        self.client.post(f"/api/fittings/{self.made['id']}/redo")
        self.assertTrue(self.contacts()["by_hand"])
        self.set_contacts(None)
        self.assertFalse(self.contacts()["by_hand"])

    def test_they_stay_with_the_motion_when_the_clip_is_trimmed(self):
        self.set_contacts([{"point": "left toes", "first": 10, "last": 30}])
        path = f"/api/library/clips/{self.walk.pk}"
        first, last = self.walk.first + 20, self.walk.last
        answer = self.client.patch(
            path, data=json.dumps({"first": first, "last": last}), content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        (contact,) = self.contacts()["contacts"]
        self.assertEqual((contact["first"], contact["last"]), (0, 10))

    def test_refused_in_words(self):
        for row, words in (
            ({"point": "tail", "first": 0, "last": 3}, "no point “tail”"),
            ({"point": "left toes", "first": 0, "last": 30000}, "outside the clip's frames"),
        ):
            self.assertIn(words, self.set_contacts([row], 422)["detail"])
        self.assertIsNone(Clip.objects.get(pk=self.walk.pk).contacts)

    def test_of_another_skeletons_clip_there_are_none(self):
        self.assertEqual(self.client.get(f"/api/fittings/{self.made['id']}/contacts/99999").status_code, 404)


class Measures(Settling):
    def setUp(self):
        super().setUp()
        # Its legs are short and its arms are far apart, so that there is something to settle.
        self.striker = Character.objects.get(name="porter")
        self.made = self.post("/api/fittings/", clip_id=self.walk.pk, character_id=self.striker.pk).json()

    def test_each_kind_beside_what_rotations_alone_leave(self):
        measures = self.measures()
        self.assertEqual((measures["grade"], measures["findings"]), ("good", []))
        kinds = {row["kind"]: row for row in measures["kinds"]}
        slide = kinds["foot slide"]
        self.assertLess(slide["after"], 0.5)
        self.assertGreater(slide["before"], slide["after"])
        self.assertEqual((slide["look"], slide["wrong"]), (3.0, 15.0))

    def test_with_other_settings_that_are_not_kept(self):
        loose = self.measures(hold=0.0, grades={"foot slide": [0.2, 0.5]})
        self.assertEqual(loose["grade"], "wrong")
        self.assertTrue(all(finding["mend"] and finding["spans"] for finding in loose["findings"]))
        self.assertEqual(self.measures()["grade"], "good")

    def test_a_rendition_is_graded_by_the_thresholds_that_were_chosen(self):
        self.settings(hold=0.0, grades={"foot slide": [0.2, 0.5]})
        row = self.post("/api/renditions/", clip_id=self.walk.pk, character_id=self.striker.pk).json()
        row = self.client.get(f"/api/renditions/{row['id']}").json()
        self.assertEqual((row["state"], row["sentence"]), ("wrong", ""))
        self.assertIn("foot slide", {finding["kind"] for finding in row["newest"]["findings"]})
        file = self.client.get(f"/api/renditions/{row['id']}/file")
        self.assertEqual(file.status_code, 200)

    def test_a_root_bone_is_made_in_the_file(self):
        self.settings(travel={"mode": "root"})
        row = self.post("/api/renditions/", clip_id=self.walk.pk, character_id=self.striker.pk).json()
        for kind in ("glb", "bvh"):
            data = self.client.get(f"/api/renditions/{row['id']}/file?format={kind}").content
            document = formats.read(data, f"x.{kind}")
            self.assertEqual(document.skeleton.names[0], "root")
            root = document.clips[0].world().positions[:, 0]
            self.assertGreater(np.ptp(root[:, 2]), 1.0)
            self.assertLess(np.ptp(root[:, 1]), 1e-3)


class Limits(Settling):
    def listed(self) -> dict[str, dict]:
        return {row["part"]: row for row in self.client.get(f"/api/cast/{self.striker.pk}/limits").json()}

    def change(self, status: int = 200, **body):
        answer = self.put(f"/api/cast/{self.striker.pk}/limits", body)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def test_the_plans_and_the_characters_own(self):
        self.assertEqual(self.listed()["left lower leg"]["usual"]["bend"], [-165.0, 20.0])
        tight = {"bend": [-15, 2], "side": [-5, 5], "twist": [-5, 5]}
        self.change(part="left lower leg", range=tight)
        self.assertEqual(self.listed()["right lower leg"]["own"]["bend"], [-15.0, 2.0])
        fitting = value_of(
            Fitting.objects.select_related("state", "skeleton", "character__skeleton").get(pk=self.made["id"])
        )
        self.assertEqual(fitting.ranges["left lower leg"].bend, (-15.0, 2.0))
        measures = self.measures()
        self.assertIn(
            "left lower leg",
            {finding["part"] for finding in measures["findings"] if finding["kind"] == "limit"} | {"left lower leg"},
        )
        hard = self.measures(limits="hard")
        self.assertGreater(hard["hits"]["left lower leg"], 10)
        self.change(part="left lower leg", range=None)
        self.assertIsNone(self.listed()["left lower leg"]["own"])

    def test_a_change_makes_renditions_out_of_date(self):
        row = self.post("/api/renditions/", clip_id=self.walk.pk, character_id=self.striker.pk).json()
        self.change(part="head", range={"bend": [-5, 5], "side": [-5, 5], "twist": [-5, 5]})
        now = self.client.get(f"/api/renditions/{row['id']}").json()
        self.assertEqual((now["state"], now["changed"]), ("out of date", ["the character"]))

    def test_a_part_bent_on_the_figure(self):
        path = f"/api/cast/{self.striker.pk}/bent"
        poses = [self.client.get(path, {"part": "left lower arm", "bend": degrees}) for degrees in (0, 60)]
        self.assertEqual(poses[0]["X-Armuto-Shape"].split(";")[0].split(",")[0], "1")
        turns = [np.frombuffer(pose.content, "<f4") for pose in poses]
        self.assertGreater(np.abs(turns[0] - turns[1]).max(), 0.3)

    def test_refused_in_words(self):
        wide = {"bend": [10, 20], "side": [-5, 5], "twist": [-5, 5]}
        self.assertIn("-180–0 to 0–180 degrees", self.change(422, part="head", range=wide)["detail"])
        self.assertIn("no such part", self.change(422, part="wheel", range=None)["detail"])
        answer = self.client.get(f"/api/cast/{self.striker.pk}/bent", {"part": "wheel"})
        self.assertEqual(answer.status_code, 422)


class Animals(Pairing):
    def test_paws_have_contacts_of_their_own(self):
        for path in (DEMO / "yard" / "pad.bvh", DEMO / "fox.glb"):
            bring_in(self.client, path.read_bytes(), path.name)
        clip, fox = Clip.objects.get(name__startswith="pad"), Character.objects.get(name="fox")
        made = self.post("/api/fittings/", clip_id=clip.pk, character_id=fox.pk).json()
        contacts = self.client.get(f"/api/fittings/{made['id']}/contacts/{clip.pk}").json()
        self.assertEqual(
            {point["name"] for point in contacts["points"]},
            {f"{s} {e} toes" for s in ("left", "right") for e in ("front", "hind")},
        )
        self.assertTrue(
            all(
                any(contact["point"] == point["name"] for contact in contacts["contacts"])
                for point in contacts["points"]
            )
        )
