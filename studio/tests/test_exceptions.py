"""Settings that are said otherwise for one cell: what they change, what depends on them, how they are taken back."""

from base64 import b64decode

import numpy as np

from studio.fittings.models import Fitting
from studio.renditions import results
from studio.renditions.models import Rendition, Revision
from studio.renditions.queries import EXCEPTION
from studio.tests.test_renditions import TransferredStudio


class Exceptions(TransferredStudio):
    def setUp(self):
        super().setUp()
        fitting = Fitting.objects.get(skeleton=self.walk.skeleton, character=self.porter)
        self.path = f"fittings/{fitting.pk}"

    def out_of_date(self) -> set[tuple[str, str]]:
        return {cell for cell, state in self.states().items() if state == "out of date"}

    def say(self, status: int = 200, clip=None, **settings):
        body = {"settings": settings, "clip_id": (clip or self.walk).pk, "frame": 40, "alone": True}
        return self.post(f"{self.path}/settings", status, **body)

    def preview(self, clip) -> np.ndarray:
        return np.frombuffer(self.client.get(f"/api/{self.path}/preview/{clip.pk}").content, "<f4")

    def test_one_cell_alone_changes(self):
        before = {clip.pk: self.preview(clip) for clip in (self.walk, self.bow)}
        made = self.say(spread=8.0)
        own = made["exceptions"][str(self.walk.pk)]
        self.assertEqual((own["names"], own["settings"]["spread"], made["settings"]["spread"]), (["spread"], 8.0, 0.0))
        self.assertIn("for walk alone: arms spread: 8°", made["undo"])
        self.assertEqual(self.out_of_date(), {("walk", "porter")})
        self.assertGreater(np.abs(self.preview(self.walk) - before[self.walk.pk]).max(), 0.01)
        np.testing.assert_array_equal(self.preview(self.bow), before[self.bow.pk])
        self.transfer((self.walk.pk, self.porter.pk), update=True)
        self.assertEqual(self.out_of_date(), set())
        row = self.cell(self.walk, self.porter)
        motion = self.client.get(f"/api/renditions/{row['id']}/motion").content
        np.testing.assert_allclose(np.frombuffer(motion, "<f4"), self.preview(self.walk), atol=2e-6)
        revision = Revision.objects.get(pk=row["newest"]["id"])
        self.assertEqual(results.fitting_of(revision).settings.spread, 8.0)

    def test_taken_back_it_is_as_it_was(self):
        self.say(spread=8.0)
        self.post(f"{self.path}/undo")
        self.assertEqual(self.out_of_date(), set())
        self.post(f"{self.path}/redo")
        self.assertEqual(self.out_of_date(), {("walk", "porter")})
        removed = self.say(spread=None)
        self.assertEqual(removed["exceptions"], {})
        self.assertEqual(self.out_of_date(), set())

    def test_a_cell_that_is_not_transferred_yet_shows_them_too(self):
        clip = self.clips[-1] if self.clips[-1].skeleton_id == self.walk.skeleton_id else self.bow
        Rendition.objects.filter(clip=clip).delete()
        board = self.get("board/")
        at = board["clips"].index(clip.pk), board["characters"].index(self.porter.pk)
        states = np.frombuffer(b64decode(board["states"]), np.uint8).reshape(len(board["clips"]), -1)
        self.assertFalse(states[at] & EXCEPTION)
        self.say(clip=clip, spread=8.0)
        states = np.frombuffer(b64decode(self.get("board/")["states"]), np.uint8).reshape(len(board["clips"]), -1)
        self.assertTrue(states[at] & EXCEPTION)
        self.assertEqual(int((states & EXCEPTION > 0).sum()), 1)

    def test_of_many_cells_at_once(self):
        for clip in (self.walk, self.bow):
            self.say(clip=clip, spread=8.0)
        made = self.post(f"{self.path}/exceptions/take-back", clips=[self.walk.pk, 10**6])
        self.assertEqual(made["exceptions"], [self.bow.pk])
        self.assertEqual(self.out_of_date(), {("bow", "porter")})
        self.assertEqual(self.get(self.path)["undo"], "walk as every clip")
        self.post(f"{self.path}/undo")
        self.assertEqual(self.out_of_date(), {("walk", "porter"), ("bow", "porter")})
        self.post(f"{self.path}/exceptions/take-back", clips=[self.walk.pk, self.bow.pk])
        self.assertEqual(self.out_of_date(), set())
        revision = self.get(self.path)["revision"]
        again = self.post(f"{self.path}/exceptions/take-back", clips=[self.walk.pk])
        self.assertEqual(again, {"revision": revision, "exceptions": []}, "nothing to take back is no step")

    def test_the_rest_follows_the_fitting(self):
        self.say(holds={"left leg": 0.6})
        made = self.post(f"{self.path}/settings", settings={"hold": 0.3, "holds": {"right leg": 0.2}})
        own = made["exceptions"][str(self.walk.pk)]["settings"]
        self.assertEqual((own["hold"], own["holds"]), (0.3, {"left leg": 0.6, "right leg": 0.2}))
        self.assertEqual(made["settings"]["holds"], {"right leg": 0.2})
        self.say(holds={"left leg": None})
        self.assertEqual(self.get(self.path)["exceptions"], {})

    def test_it_is_tried_before_it_is_kept(self):
        body = {"settings": {"spread": 30.0}, "clip_id": self.walk.pk, "frame": 40}
        alone = self.post(f"{self.path}/settings/trial", alone=True, **body)["pose"]
        self.assertEqual(self.get(self.path)["exceptions"], {})
        self.assertEqual(self.say(spread=30.0)["pose"], alone)
        # What is tried of the fitting does not go over what was said for the clip.
        again = self.post(f"{self.path}/settings/trial", **(body | {"settings": {"spread": 2.0}}))["pose"]
        self.assertEqual(again, alone)

    def test_the_board_shows_it(self):
        self.say(spread=8.0)
        board = self.get("board/")
        codes = np.frombuffer(b64decode(board["states"]), np.uint8).reshape(len(board["clips"]), -1)
        (marked,) = np.argwhere(codes & EXCEPTION)
        self.assertEqual((board["clips"][marked[0]], board["characters"][marked[1]]), (self.walk.pk, self.porter.pk))

    def test_a_cell_that_is_made_later_has_it(self):
        self.say(spread=8.0, clip=self.bow)
        self.transfer()
        self.assertEqual(self.out_of_date(), set())
        self.say(spread=9.0, clip=self.bow)
        self.assertEqual(self.out_of_date(), {("bow", "porter")})

    def test_measures_are_the_clips_own(self):
        plain = self.post(f"{self.path}/measures/{self.walk.pk}")
        self.say(hold=0.0)
        self.assertNotEqual(self.post(f"{self.path}/measures/{self.walk.pk}")["kinds"], plain["kinds"])

    def test_what_it_may_not_be_is_said(self):
        self.assertIn("choose another", self.say(422, hold=7.0)["detail"])
        self.say(404, clip=self.greet, spread=3.0)
        self.assertEqual(self.get(self.path)["exceptions"], {})

    def test_two_people(self):
        """One says something for a clip, the other for the fitting, on the same state: both are kept."""
        state = self.get(self.path)["revision"]
        body = {"settings": {"spread": 8.0}, "clip_id": self.walk.pk, "frame": 0, "alone": True}
        path, kind, on = f"/api/{self.path}/settings", "application/json", {"If-Match": f'"{state}"'}
        self.assertEqual(self.client.post(path, body, kind, headers=on).status_code, 200)
        both = self.client.post(path, {"settings": {"hold": 0.5}}, kind, headers=on).json()
        self.assertEqual((both["settings"]["hold"], len(both["exceptions"])), (0.5, 1))
        self.assertEqual(
            self.client.post(path, body | {"settings": {"spread": 9.0}}, kind, headers=on).status_code, 409
        )
