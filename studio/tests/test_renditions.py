"""Renditions, runs and the board: made, judged, stopped, gone on with, and out of date exactly when they are."""

import json
from base64 import b64decode
from unittest import mock

import numpy as np
from django.test import TransactionTestCase

from armuto import formats
from armuto.errors import BadInput
from armuto.intake.detection import ImportOptions
from armuto.retarget.fitting import NothingToPair
from armuto.tests.files import BOW, DEMO, PORTER, WALK
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.steps import can_be_proposed, proposal
from studio.ingest.services.reading import take_in
from studio.library.models import Clip
from studio.patterns.models import Pattern
from studio.renditions import results, worker
from studio.renditions.models import Revision, RevisionMotion, Run, RunItem
from studio.renditions.tasks import work_off
from studio.tests.snapshots import restore_or_make

WAITING = {"default": {"BACKEND": "django_tasks.backends.dummy.DummyBackend"}}


class Studio(TransactionTestCase):
    """Two clips on one skeleton and one on another, the porter and the bellringer."""

    FILES = (WALK, BOW, DEMO / "gallery" / "greet.glb", PORTER, DEMO / "bellringer.glb")

    def setUp(self):
        restore_or_make(self.prepare, self.FILES)
        self.find()

    def prepare(self):
        """What is there when a test begins; made once for all that begin alike."""
        for path in self.FILES:
            found = next(DEMO.rglob(f"{path.stem}.*")) if not path.exists() else path
            take_in(found.read_bytes(), found.name)
        self.find()

    def find(self):
        self.walk, self.bow = Clip.objects.get(name="walk"), Clip.objects.get(name="bow")
        self.greet = Clip.objects.exclude(skeleton=self.walk.skeleton).get()
        self.porter, self.ringer = Character.objects.order_by("name").reverse()
        self.clips, self.cast = [self.walk, self.bow, self.greet], [self.porter, self.ringer]

    def send(self, method: str, path: str, status: int = 200, **body):
        answer = getattr(self.client, method)(f"/api/{path}", json.dumps(body), content_type="application/json")
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json() if answer.content else None

    def post(self, path: str, status: int = 200, **body):
        return self.send("post", path, status, **body)

    def get(self, path: str, status: int = 200):
        answer = self.client.get(f"/api/{path}")
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def cells(self, clips=None, cast=None) -> list[tuple[int, int]]:
        return [(clip.pk, character.pk) for clip in clips or self.clips for character in cast or self.cast]

    def transfer(self, *cells, **more):
        return self.post("board/transfer", 202, cells=list(cells) or self.cells(), **more)

    def cell(self, clip, character) -> dict | None:
        return self.get(f"renditions/cell?clip_id={clip.pk}&character_id={character.pk}")

    def states(self) -> dict[tuple[str, str], str]:
        """The board, by the names of clip and character."""
        board = self.get("board/")
        codes = np.frombuffer(b64decode(board["states"]), np.uint8).reshape(len(board["clips"]), -1)
        clips = dict(Clip.objects.values_list("pk", "name"))
        cast = dict(Character.objects.values_list("pk", "name"))
        return {
            (clips[clip], cast[character]): board["words"][codes[row, column] & 15]
            for row, clip in enumerate(board["clips"])
            for column, character in enumerate(board["characters"])
        }

    def plan(self, action: str, cells=None) -> dict:
        return {plan["action"]: plan for plan in self.post("board/plan", cells=cells or self.cells())}[action]


class TransferredStudio(Studio):
    """The same once everybody has performed everything."""

    def prepare(self):
        super().prepare()
        self.transfer()


class Renditions(Studio):
    def test_made_with_its_findings_and_what_it_was_made_from(self):
        row = self.post("renditions/", 202, clip_id=self.walk.pk, character_id=self.porter.pk)
        row = self.get(f"renditions/{row['id']}")
        made = row["newest"]
        self.assertEqual((row["state"], row["changed"], row["accepted_id"]), ("good", [], None))
        self.assertEqual((made["number"], made["grade"], made["frames"], made["clip_revision"]), (1, "good", 149, 1))
        motion = self.client.get(f"/api/renditions/{row['id']}/motion")
        self.assertEqual(motion["X-Armuto-Shape"], "149,38,4;149,38,3")
        fitting = self.client.get(f"/api/fittings/{row['fitting_id']}/preview/{self.walk.pk}")
        left, right = (np.frombuffer(answer.content, "<f4") for answer in (motion, fitting))
        np.testing.assert_allclose(left, right, atol=2e-6)

    def test_the_files_hold_the_motion_and_the_character(self):
        row = self.post("renditions/", 202, clip_id=self.walk.pk, character_id=self.porter.pk)
        made = self.client.get(f"/api/renditions/{row['id']}/file?format=glb")
        self.assertIn('filename="porter walk.glb"', made["Content-Disposition"])
        document = formats.read(made.content, "porter walk.glb")
        original = formats.read(PORTER.read_bytes(), "porter.glb")
        self.assertEqual(document.original.json["materials"], original.original.json["materials"])
        self.assertEqual((document.clips[0].name, document.clips[0].frames), ("walk", 149))
        motion = self.client.get(f"/api/renditions/{row['id']}/file?format=bvh")
        moved = formats.read(motion.content, "walk.bvh", ImportOptions("cm", "+Y")).clips[0]
        order = [moved.skeleton.index[name] for name in document.skeleton.names]
        off = document.clips[0].world().positions - moved.world().positions[:, order]
        self.assertLess(np.abs(off).max(), 1e-4)

    def test_a_missing_part_is_a_finding(self):
        made = self.post("fittings/", clip_id=self.walk.pk, character_id=self.porter.pk)
        self.post(f"fittings/{made['id']}/edits", op="remove", keys=["left hand"])
        self.transfer((self.walk.pk, self.porter.pk))
        row = self.cell(self.walk, self.porter)
        self.assertEqual(row["state"], "look")
        self.assertIn("left hand got no motion", row["newest"]["findings"][0]["text"])

    def test_nothing_to_fetch_yet(self):
        self.assertIsNone(self.cell(self.walk, self.porter))
        with self.settings(TASKS=WAITING):
            row = self.post("renditions/", 202, clip_id=self.walk.pk, character_id=self.porter.pk)
        self.assertEqual(row["state"], "waiting")
        self.assertIn("not been transferred", self.get(f"renditions/{row['id']}/file", 409)["detail"])

    def test_a_failure_says_what_happened_and_keeps_the_last_result(self):
        self.transfer((self.walk.pk, self.porter.pk))
        real = retarget

        def broken(row, fitting, clip, **more):
            if clip.pk == self.walk.pk:
                raise BadInput("walk: broken on purpose.")
            if clip.pk == self.bow.pk:
                raise RuntimeError("unforeseen")
            return real(row, fitting, clip, **more)

        with mock.patch.object(results, "retarget", broken), self.assertLogs("studio.renditions.tasks", "ERROR"):
            run = self.transfer()
        run = self.get(f"runs/{run['id']}")
        self.assertEqual((run["state"], run["done"], run["failed"], run["total"]), ("finished", 2, 4, 6))
        row = self.cell(self.walk, self.porter)
        self.assertEqual((row["state"], row["sentence"]), ("failed", "walk: broken on purpose."))
        self.assertEqual(row["newest"]["number"], 1)
        self.assertIn("what was made before is kept", self.cell(self.bow, self.porter)["sentence"])
        failed = self.get(f"runs/{run['id']}/items?state=failed")
        self.assertEqual(len(failed), 4)
        self.post(f"runs/{run['id']}/retry")
        run = self.get(f"runs/{run['id']}")
        self.assertEqual((run["state"], run["done"], run["failed"]), ("finished", 6, 0))
        self.assertEqual(
            (self.cell(self.walk, self.porter)["state"], self.cell(self.walk, self.porter)["sentence"]), ("good", "")
        )

    def test_an_accepted_result_stays_beside_newer_ones(self):
        self.transfer()
        self.post("board/accept", cells=self.cells())
        self.assertEqual(set(self.states().values()), {"accepted"})
        first = self.cell(self.walk, self.porter)["accepted_id"]
        self.client.patch(
            f"/api/library/clips/{self.walk.pk}", json.dumps({"last": 90}), content_type="application/json"
        )
        self.assertEqual(self.cell(self.walk, self.porter)["state"], "out of date")
        self.assertEqual(self.plan("update")["accepted"], 2)
        for number in (2, 3, 4):
            self.transfer((self.walk.pk, self.porter.pk))
            row = self.cell(self.walk, self.porter)
            self.assertEqual((row["state"], row["accepted_id"], row["newest"]["number"]), ("good", first, number))
        # The accepted one, the one before, and the newest.
        self.assertEqual([revision["number"] for revision in row["revisions"]], [1, 3, 4])
        apart = self.get(f"renditions/{row['id']}/difference?a={first}&b={row['newest']['id']}")
        self.assertEqual(len(apart), 89)
        old = self.client.get(f"/api/renditions/{row['id']}/motion?revision={first}")
        self.assertEqual(old["X-Armuto-Shape"], "149,38,4;149,38,3")
        self.post("board/accept", cells=[(self.walk.pk, self.porter.pk)])
        self.assertEqual(self.cell(self.walk, self.porter)["accepted_id"], row["newest"]["id"])

    def test_the_same_result_once_more_is_as_accepted_as_before(self):
        cell = (self.walk.pk, self.porter.pk)
        self.transfer(cell)
        self.post("board/accept", cells=[cell])
        self.transfer(cell)
        row = self.cell(self.walk, self.porter)
        self.assertEqual((row["state"], row["newest"]["number"]), ("accepted", 2))
        self.post(f"fittings/{row['fitting_id']}/settings", settings={"hold": 0.2})
        self.transfer(cell)
        self.assertEqual(self.cell(self.walk, self.porter)["state"], "good")

    def test_sent_back_retired_accepted_and_all_of_it_taken_back(self):
        self.transfer()
        row = self.cell(self.walk, self.porter)
        self.post("board/accept", cells=[(self.walk.pk, self.porter.pk)])
        before = self.post(f"renditions/{row['id']}/send-back", note=" left hand \n in the door ")
        back = self.cell(self.walk, self.porter)
        self.assertEqual((back["note"], back["accepted_id"], back["state"]), ("left hand in the door", None, "good"))
        self.post(f"renditions/{row['id']}/send-back", 422, note="  ")
        again = self.post("board/restore", rows=before)
        self.assertEqual(self.cell(self.walk, self.porter)["state"], "accepted")
        self.post("board/restore", rows=again)
        self.assertEqual(self.cell(self.walk, self.porter)["note"], "left hand in the door")
        before = self.post("board/retire", cells=self.cells(cast=[self.porter]))
        self.assertEqual(
            (len(before), self.states()["walk", "porter"], self.states()["walk", "bellringer"]), (3, "not yet", "good")
        )
        self.assertEqual(self.plan("review")["count"], 3)
        self.post("board/restore", rows=before)
        self.assertEqual(self.states()["walk", "porter"], "good")

    def test_the_queue_has_the_worst_first(self):
        self.transfer()
        Revision.objects.filter(rendition__clip=self.bow, rendition__character=self.porter).update(rank=200)
        Revision.objects.filter(rendition__clip=self.greet, rendition__character=self.porter).update(rank=100)
        rows = [(row["clip"], row["character"]) for row in self.post("renditions/queue")]
        self.assertEqual((rows[:2], len(rows)), ([("bow", "porter"), (self.greet.name, "porter")], 6))
        self.post("board/accept", cells=[(self.bow.pk, self.porter.pk)])
        self.assertEqual(len(self.post("renditions/queue")), 5)
        self.assertEqual(len(self.post("renditions/queue", cells=self.cells([self.bow]))), 2)


class Read(Studio):
    def test_another_figure_under_the_same_number_is_read_anew(self):
        """As after a studio was restored: the server goes on, and the number stands for somebody else."""
        self.assertEqual(len(self.porter.document().skeleton), 38)
        proposal(self.walk.skeleton, self.porter)
        other = Character.objects.get(pk=self.ringer.pk)
        Character.objects.filter(pk=self.porter.pk).update(original=other.original, skeleton=other.skeleton)
        now = Character.objects.get(pk=self.porter.pk)
        self.assertEqual(now.document().skeleton.names, other.skeleton.value().names)
        value, _ = proposal(self.walk.skeleton, now)
        self.assertGreater(len(value.pairs), 10)


class Plans(Studio):
    def test_what_an_action_means_is_said_before(self):
        plan = self.plan("transfer")
        self.assertEqual((plan["count"], plan["proposed"], len(plan["unfitted"]), plan["impossible"]), (6, 6, 4, []))
        self.transfer(*self.cells([self.walk, self.bow]))
        self.post("board/accept", cells=self.cells([self.walk]))
        plan = self.plan("transfer")
        self.assertEqual((plan["count"], plan["accepted"], len(plan["unfitted"])), (6, 2, 2))
        self.assertEqual(
            [self.plan(action)["count"] for action in ("update", "review", "accept", "deliver")], [0, 4, 2, 4]
        )
        Revision.objects.filter(rendition__clip=self.bow).update(grade="wrong")
        self.assertEqual(self.plan("accept")["wrong"], 2)
        with self.settings(TASKS=WAITING):
            self.transfer((self.walk.pk, self.porter.pk))
        self.assertEqual((self.plan("transfer")["count"], self.plan("transfer")["busy"]), (5, 1))

    def test_another_body_is_left_out_with_the_reason(self):
        fox = next(DEMO.glob("fox.*"))
        take_in(fox.read_bytes(), fox.name)
        fox = Character.objects.get(name="fox")
        plan = self.plan("transfer", self.cells(cast=[fox]))
        self.assertEqual((plan["count"], len(plan["impossible"])), (0, 2))
        self.assertIn("four-legged", plan["impossible"][0]["sentence"])
        self.assertIsNone(self.post("board/transfer", 204, cells=self.cells(cast=[fox])))
        self.assertEqual((Fitting.objects.count(), Run.objects.count()), (0, 0))

    def test_what_cannot_be_proposed_is_asked_again_once_there_are_other_patterns(self):
        cells = self.cells([self.walk], [self.porter])
        proposed = mock.patch.dict("studio.renditions.services.board._proposed", clear=True)
        with proposed, mock.patch("studio.renditions.services.board.can_be_proposed", return_value=False) as asked:
            self.assertEqual(len(self.plan("transfer", cells)["impossible"]), 1)
            self.assertEqual(len(self.plan("transfer", cells)["impossible"]), 1)
            self.assertEqual(asked.call_count, 1)
            Pattern.objects.create(name="night shift", plan="two-legged", parts={"hips": ["clockwork"]})
            self.assertEqual(len(self.plan("transfer", cells)["impossible"]), 1)
            self.assertEqual(asked.call_count, 2)

    def test_what_can_be_proposed_is_told_as_the_proposal_has_it(self):
        skeleton = self.walk.skeleton
        self.assertTrue(can_be_proposed(skeleton, self.porter))
        self.assertTrue(proposal(skeleton, self.porter)[0].pairs)
        with mock.patch("armuto.pairing.pair", return_value=((), ())), mock.patch("armuto.pairing.trees") as trees:
            trees.return_value = ()
            self.assertFalse(can_be_proposed(skeleton, self.porter))
            with self.assertRaises(NothingToPair):
                proposal(skeleton, self.porter)

    def test_a_fitting_without_pairs_is_opened_to_be_paired_and_used_by_no_transfer(self):
        with mock.patch("studio.fittings.services.steps.proposal", side_effect=NothingToPair):
            self.post("renditions/", 422, clip_id=self.walk.pk, character_id=self.porter.pk)
            made = self.post("fittings/", clip_id=self.walk.pk, character_id=self.porter.pk)
        self.assertEqual(made["pairs"], [])
        plan = self.plan("transfer", self.cells([self.walk], [self.porter]))
        self.assertEqual(plan["count"], 0)
        self.assertIn("has no pairs; pair them there.", plan["impossible"][0]["sentence"])
        refused = self.post("renditions/", 422, clip_id=self.walk.pk, character_id=self.porter.pk)
        self.assertIn("porter: no bone is paired with one of", refused["detail"])
        self.assertEqual(RunItem.objects.count(), 0)


class Runs(Studio):
    def test_stopped_gone_on_with_and_counted(self):
        with self.settings(TASKS=WAITING):
            run = self.transfer()
            for _ in range(2):
                worker.process(worker.take_next())
            begun = worker.take_next()
            stopped = self.post(f"runs/{run['id']}/stop")
            self.assertEqual((stopped["state"], stopped["through"], stopped["waiting"]), ("stopped", 2, 4))
            # What was being computed is given up: its claim does not hold any more.
            worker.process(begun)
            self.assertEqual(Revision.objects.count(), 2)
            self.assertIsNone(worker.take_next())
            self.assertEqual(sorted(self.states().values()), ["good"] * 2 + ["not yet"] * 4)
            # Meanwhile another run takes one of them on.
            self.transfer((self.greet.pk, self.porter.pk))
            went = self.post(f"runs/{run['id']}/continue")
            self.assertEqual((went["state"], went["total"], went["waiting"]), ("running", 5, 3))
        work_off.call()
        self.assertEqual(set(Run.objects.values_list("state", flat=True)), {"finished"})
        self.assertEqual(set(self.states().values()), {"good"})
        self.assertEqual((RunItem.objects.count(), Revision.objects.count()), (6, 6))
        counts = self.get("counts")
        self.assertEqual((counts["renditions"], counts["runs"], counts["finished"]["state"]), (6, [], "finished"))

    def test_what_is_looked_at_comes_first(self):
        with self.settings(TASKS=WAITING):
            self.transfer()
            self.post("runs/first", 204, cells=[(self.greet.pk, self.ringer.pk)])
            self.assertEqual(worker.take_next().rendition.clip_id, self.greet.pk)
            self.post("runs/first", 204, cells=[(self.bow.pk, self.ringer.pk)])
            item = worker.take_next()
            self.assertEqual((item.rendition.clip_id, item.rendition.character_id), (self.bow.pk, self.ringer.pk))
            self.post("runs/first", 204, cells=[])
            self.assertEqual(worker.take_next().position, 0)

    def test_one_is_taken_out_of_its_run(self):
        self.transfer((self.walk.pk, self.porter.pk))
        before = bytes(RevisionMotion.objects.get().rotations)
        with self.settings(TASKS=WAITING):
            row = self.post("renditions/", 202, clip_id=self.walk.pk, character_id=self.porter.pk)
            begun = worker.take_next()
            self.assertEqual(self.post(f"renditions/{row['id']}/stop")["state"], "good")
        worker.process(begun)
        self.assertEqual(bytes(RevisionMotion.objects.get().rotations), before)
        self.assertEqual(Run.objects.filter(state="finished").count(), 2)

    def test_a_cell_is_under_way_once(self):
        with self.settings(TASKS=WAITING):
            self.transfer()
            self.assertIsNone(self.post("board/transfer", 204, cells=self.cells()))
        self.assertEqual(RunItem.objects.count(), 6)
