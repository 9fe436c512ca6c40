"""What was read of a clip and a body, shown with its evidence, and overruled: rest poses, floors, soles, hinges,
axes."""

import json
from dataclasses import replace

import numpy as np
from django.test import Client

from armuto.formats import bvh
from armuto.tests import rests
from armuto.tests.files import BOW, DEMO, WALK, clip_of
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.fittings.preview import contacts_of
from studio.fittings.services.steps import value_of
from studio.ingest.models import IntakeFile
from studio.library.models import Clip, Skeleton
from studio.tests.test_intake import IntakeCase
from studio.tests.test_stances import Standing


def lying(kind: str = "one axis") -> bytes:
    """A walk whose zero pose is no posture."""
    return bvh.serialise(bvh.from_clip(rests.rested(clip_of(WALK), np.random.default_rng(3), kind), None, 1.0))


def fitting_of(client: Client, clip: Clip, figure: Character) -> dict:
    """The fitting that the studio proposes for the two, as it answers."""
    cell = {"clip_id": clip.pk, "character_id": figure.pk}
    return client.post("/api/fittings/", json.dumps(cell), content_type="application/json").json()


class RestPoses(IntakeCase):
    def test_a_rest_pose_that_is_none_is_said_and_stays_one_skeleton(self):
        data = lying()
        other = bvh.serialise(
            bvh.from_clip(rests.rested(clip_of(BOW), np.random.default_rng(3), "one axis"), None, 1.0)
        )
        self.lay(("night/walk.bvh", data), ("night/bow.bvh", other))
        first, _ = self.files()
        self.assertIn("all bones along one line", first["found"]["evidence"]["rest"])
        self.assertEqual(len({row["identity"] for row in self.rows()}), 1)
        self.send("post", "accept")
        self.assertEqual(Skeleton.objects.count(), 1)
        value = Skeleton.objects.get().value()
        self.assertIsNotNone(value.file_rest)
        self.assertGreater(float(np.ptp(value.rest.positions[:, 1])), 1.4)

    def test_it_is_performed_and_its_stance_is_offered(self):
        self.lay(("walk.bvh", lying()), ("porter.glb", (DEMO / "porter.glb").read_bytes()))
        self.send("post", "accept")
        clip, figure = Clip.objects.get(), Character.objects.get()
        made = fitting_of(self.client, clip, figure)
        # Whoever walks in the frame that stands for the rest pose is stood straight.
        self.assertIn(made["stances"]["source"]["name"], ("Posture from the motion", "T, made"))
        offers = self.client.get(f"/api/fittings/{made['id']}/offers").json()
        self.assertEqual(offers["source"]["offers"][0]["kind"], "rest")
        again = self.client.post(
            f"/api/fittings/{made['id']}/stance",
            json.dumps({"op": "make", "side": "source", "kind": "rest"}),
            content_type="application/json",
        ).json()
        self.assertEqual(again["stances"]["source"]["name"], "Posture from the motion")


class Floors(IntakeCase):
    def test_a_floor_is_measured_and_said_at_intake(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        (row,) = self.rows()
        self.assertAlmostEqual(row["found"]["ground"]["floor"], 0.0, delta=0.002)
        self.assertAlmostEqual(row["found"]["ground"]["sole"], 0.025, delta=0.002)
        self.send("patch", "rows", ids=[row["id"]], floor=0.04)
        self.assertEqual(self.rows()[0]["floor"], 0.04)
        self.send("patch", "rows", ids=[row["id"]], floor=None)
        self.assertIsNone(self.rows()[0]["floor"])
        self.assertEqual(self.send("patch", "rows", ids=[row["id"]], floor=1e6).status_code, 422)
        self.send("patch", "rows", ids=[row["id"]], floor=0.03)
        self.send("post", "accept")
        self.assertEqual(Clip.objects.get().floor, 0.03)

    def test_a_floor_said_of_a_clip_is_the_floor_of_its_contacts_and_makes_results_out_of_date(self):
        self.lay(("walk.bvh", WALK.read_bytes()), ("porter.glb", (DEMO / "porter.glb").read_bytes()))
        self.send("post", "accept")
        clip, figure = Clip.objects.get(), Character.objects.get()
        made = fitting_of(self.client, clip, figure)
        fitting = value_of(Fitting.objects.get(pk=made["id"]))
        before, digest = contacts_of(fitting, clip), clip.digest
        self.patch(f"library/clips/{clip.pk}", floor=-0.06)
        clip.refresh_from_db()
        after = contacts_of(fitting, clip)
        self.assertEqual((after.floor, clip.revision), (-0.06, 2))
        self.assertNotEqual(clip.digest, digest)
        self.assertNotEqual(
            [contact for contact in before.contacts if not contact.to and not contact.height],
            [contact for contact in after.contacts if not contact.to and not contact.height],
        )
        self.patch(f"library/clips/{clip.pk}", floor="measured")
        clip.refresh_from_db()
        self.assertEqual((clip.floor, clip.digest), (None, digest))
        self.assertEqual(self.patch(f"library/clips/{clip.pk}", floor=4000).status_code, 422)

    def test_clips_of_a_skeleton_tell_its_soles_from_their_floors(self):
        walk, sweep = WALK.read_bytes(), (DEMO / "hall/sweep.bvh").read_bytes()
        raised = bvh.to_clip(bvh.parse(sweep, "sweep.bvh"), "sweep")
        raised = replace(raised, translations=raised.translations + [0.0, 5.0, 0.0])
        self.lay(("raised.bvh", bvh.serialise(bvh.from_clip(raised, None, 1.0))))
        (row,) = self.rows()
        self.assertEqual(row["found"]["ground"]["clips"], 1)
        self.send("post", "accept")
        self.lay(("walk.bvh", walk))
        self.send("post", "accept")
        skeleton = Skeleton.objects.get()
        self.assertEqual(skeleton.observed["sole_clips"], 2)
        grounds = {row["name"]: row["ground"] for row in self.client.get("/api/library/clips").json()}
        for name, floor in (("walk", 0.0), ("raised", 0.05)):
            self.assertAlmostEqual(grounds[name]["floor"], floor, delta=0.002)
            self.assertEqual(grounds[name]["clips"], 2)
        # The next file of this skeleton is told with what is known of it by then.
        self.lay(("bow.bvh", (DEMO / "hall/bow.bvh").read_bytes()))
        (row,) = self.rows()
        self.assertAlmostEqual(row["found"]["ground"]["floor"], 0.0, delta=0.002)
        self.assertEqual(row["found"]["ground"]["clips"], 2)

    def test_a_clip_cut_out_of_another_takes_its_floor_along(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        self.send("post", "accept")
        clip = Clip.objects.get()
        self.patch(f"library/clips/{clip.pk}", floor=0.04)
        made = self.client.post(
            f"/api/library/clips/{clip.pk}/segments",
            json.dumps({"first": 10, "last": 60, "name": "a few steps"}),
            content_type="application/json",
        ).json()
        self.assertEqual((made["floor"], made["first"]), (0.04, 10))

    def test_the_file_of_a_clip_is_read_again_with_another_axis(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        self.send("post", "accept")
        clip = Clip.objects.get()
        self.assertEqual(self.send("post", f"clips/{clip.pk}", up="+Z").status_code, 201)
        (file,) = self.files()
        self.assertEqual((file["found"]["up"], file["told"]["up"]), ("+Z", "+Z"))
        self.assertEqual(self.send("post", f"clips/{clip.pk}", up="sideways").status_code, 422)
        self.assertEqual((IntakeFile.objects.count(), Clip.objects.count()), (1, 1))


class Observed(Standing):
    def test_what_clips_show_is_kept_with_their_skeleton(self):
        row = Skeleton.objects.get(pk=self.walk.skeleton_id)
        self.assertIn("LeftUpperArm", row.observed["hinges"])
        self.assertAlmostEqual(row.observed["sole"], 0.025, delta=0.002)

    def test_soles_are_the_characters_own(self):
        self.assertTrue(self.striker.soles)
        self.assertTrue(self.striker.figure().observed.soles)
        self.assertFalse(self.striker.skeleton.value().observed.soles)

    def test_the_hinge_is_shown_and_can_be_set_aside(self):
        rows = self.rows(self.made)
        certainty, span = rows["left upper arm"]["hinge"]
        self.assertGreater(certainty, 0.5)
        self.assertGreater(span, 15)
        self.assertIsNone(rows["left hand"]["hinge"])
        now = self.stance("hinges", by="rest")
        self.assertFalse(now["measures"]["hinges"])
        self.assertTrue(self.post(f"/api/fittings/{self.made['id']}/undo").json()["measures"]["hinges"])
        self.stance("hinges", by="guess", status=422)

    def test_a_fitting_keeps_to_what_was_known_when_it_was_made(self):
        row = Fitting.objects.get(pk=self.made["id"])
        before = value_of(row).target_pose.rotations
        skeleton = Skeleton.objects.get(pk=self.walk.skeleton_id)
        skeleton.observed = {"sole": 0.2}
        skeleton.save()
        np.testing.assert_array_equal(value_of(Fitting.objects.get(pk=row.pk)).target_pose.rotations, before)
