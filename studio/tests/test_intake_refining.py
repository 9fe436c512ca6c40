"""What clips could be refined by, said at intake: measured when nothing else waits, taken by a tick, and done when they
are taken in."""

import itertools
from unittest import mock

import numpy as np

from armuto.tests.files import DEMO, WALK
from studio.ingest import tasks
from studio.ingest.models import IntakeFile, IntakeRow
from studio.ingest.services import staging
from studio.library.models import Clip
from studio.tests.test_intake import IntakeCase

SHAKY = DEMO / "camera" / "late_sweep.glb"


class Proposals(IntakeCase):
    def test_what_is_proposed_is_done_when_it_is_taken_in_and_the_take_stays(self):
        self.lay(("late_sweep.glb", SHAKY.read_bytes()))
        (row,) = self.rows()
        kinds = [found["step"]["kind"] for found in row["proposals"]]
        self.assertEqual(kinds, ["spikes", "smooth", "steady", "ground", "loop"])
        self.assertIn("the floor leans by", row["proposals"][3]["sentence"].lower())
        self.assertEqual(row["recipe"]["steps"], [])
        steps = [found["step"] for found in row["proposals"][:4]]
        (row,) = self.send("patch", "rows", ids=[row["id"]], recipe={"steps": steps}).json()
        self.assertEqual([step["kind"] for step in row["recipe"]["steps"]], kinds[:4])
        self.send("post", "accept")
        clip = Clip.objects.get()
        self.assertEqual([step["kind"] for step in clip.recipe["steps"]], kinds[:4])
        # It is as it would be had the recipe been given to it in the library.
        made = clip.refined_value()
        again = clip.steps.refine(clip.cut(), clip.skeleton.assignment(), clip.first)
        np.testing.assert_allclose(made.clip.world().positions, again.clip.world().positions, atol=1e-5)
        moved = np.abs(made.clip.world().positions - clip.cut().world().positions).max()
        self.assertGreater(moved, 0.05)
        found = self.client.get(f"/api/library/clips/{clip.pk}/refining").json()
        self.assertEqual([found["step"]["kind"] for found in found["proposals"]], ["loop"])

    def test_nothing_is_done_unasked(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        (row,) = self.rows()
        self.assertEqual({found["step"]["kind"] for found in row["proposals"]} - {"loop"}, set())
        self.send("post", "accept")
        clip = Clip.objects.get()
        self.assertEqual((clip.recipe["steps"], clip.refined_frames), ([], None))

    def test_told_anew_it_is_measured_anew_and_keeps_what_was_taken(self):
        (pk,) = self.lay(("late_sweep.glb", SHAKY.read_bytes()))
        (row,) = self.rows()
        step = {"kind": "smooth"}
        self.send("patch", "rows", ids=[row["id"]], recipe={"steps": [step]})
        with mock.patch.object(tasks, "measure", side_effect=RuntimeError), self.assertLogs(level="ERROR"):
            self.send("post", "tell", files=[pk], height=0.8)
        (row,) = self.rows()
        # What cannot be measured keeps nobody waiting, and can be taken in.
        self.assertEqual((row["proposals"], row["recipe"]["steps"][0]["kind"]), ([], "smooth"))
        self.assertEqual(self.client.get("/api/intake/").json()["measuring"], 0)
        self.send("post", "tell", files=[pk], unit="detect")
        self.assertGreater(len(self.rows()[0]["proposals"]), 3)

    def test_measuring_that_was_cut_short_is_taken_up(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        IntakeRow.objects.update(proposals=None)
        self.assertEqual(self.client.get("/api/intake/").json()["measuring"], 1)
        tasks.take_up()
        self.assertEqual(self.client.get("/api/intake/").json()["measuring"], 0)
        tasks.propose_refining.enqueue(10**9)  # dismissed before its turn

    def test_a_file_of_many_clips_is_measured_in_portions(self):
        with mock.patch.object(staging, "PORTION", -1.0), mock.patch.object(tasks, "propose_refining") as again:
            (pk,) = self.lay(("birds.glb", (DEMO / "roof" / "birds.glb").read_bytes()))
            again.enqueue.assert_called_once_with(pk)
            self.assertFalse(staging.measure(IntakeFile.objects.get(pk=pk)))
        self.assertEqual({row["proposals"] is None for row in self.rows()}, {True})
        portions = 0
        with mock.patch.object(staging.time, "monotonic", side_effect=itertools.count(0, 3).__next__):
            while not staging.measure(IntakeFile.objects.get(pk=pk)):
                portions += 1
        self.assertGreater(portions, 1)
        self.assertEqual({row["proposals"] is None for row in self.rows()}, {False})

    def test_a_recipe_that_is_none_changes_nothing(self):
        self.lay(("walk.bvh", WALK.read_bytes()))
        (row,) = self.rows()
        for steps in ([{"kind": "polish"}], [{"kind": "pace", "percent": 9000}]):
            answer = self.send("patch", "rows", ids=[row["id"]], recipe={"steps": steps})
            self.assertEqual(answer.status_code, 422)
            self.assertIsInstance(answer.json()["detail"], str)
        self.assertEqual(self.rows()[0]["recipe"]["steps"], [])
        # One that cannot be followed in this clip is said when it is taken in, and the clip waits on.
        self.send("patch", "rows", ids=[row["id"]], first=20, last=21, recipe={"steps": [{"kind": "ground"}]})
        self.send("post", "accept")
        (file,) = self.files()
        self.assertEqual((file["state"], Clip.objects.count()), ("refused", 0))
        self.assertIn("walk", file["sentence"])
