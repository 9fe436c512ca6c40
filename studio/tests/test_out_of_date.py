"""What makes a result out of date, and what does not."""

import json
from typing import Any

import numpy as np

from armuto.retarget.fitting_file import to_json
from armuto.tests.files import DEMO
from studio.fittings.models import Fitting
from studio.fittings.services import steps
from studio.fittings.services.steps import value_of
from studio.platform.digests import of_fitting
from studio.renditions import results
from studio.renditions.models import Rendition, Revision
from studio.renditions.queries import STATES, with_state
from studio.tests.test_renditions import Studio, TransferredStudio


class OutOfDate(TransferredStudio):
    """Every kind of change marks exactly the renditions that depend on it, which is found out by computing them
    anew."""

    def setUp(self):
        super().setUp()
        self.rows = {
            (row.clip.name, row.character.name): row for row in Rendition.objects.select_related("clip", "character")
        }

    def marked(self) -> set[tuple[str, str]]:
        return {cell for cell, state in self.states().items() if state == "out of date"}

    def moved(self) -> set[tuple[str, str]]:
        """The cells whose motion or findings come out otherwise now."""
        out = set()
        for cell, row in self.rows.items():
            row = Rendition.objects.select_related(
                "clip__skeleton",
                "fitting__state",
                "fitting__skeleton",
                "fitting__character",
                "character__skeleton",
                "newest",
            ).get(pk=row.pk)
            computed = results.compute(row, lambda share: True)
            made, (motion,) = computed.revision, computed.parts
            result = row.newest
            same = bytes(result.motion.rotations) == motion.rotations and result.findings == json.loads(
                json.dumps(made.findings)
            )
            if not same or bytes(result.motion.translations) != motion.translations:
                out.add(cell)
        return out

    def of(self, clips=None, cast=None) -> set[tuple[str, str]]:
        return {(clip.name, character.name) for clip in clips or self.clips for character in cast or self.cast}

    def fitting(self, clip, character) -> str:
        skeleton = clip.skeleton_id
        return f"fittings/{Fitting.objects.get(skeleton=skeleton, character=character).pk}"

    def check(self, wanted: set[tuple[str, str]], moves: bool = True):
        """The set that is marked is the one that depends; moves: and each of it comes out otherwise, too."""
        self.assertEqual(self.marked(), wanted)
        moved = self.moved()
        self.assertLessEqual(moved, wanted)
        if moves:
            self.assertEqual(moved, wanted)
        run = self.post("board/transfer", 202 if wanted else 204, cells=self.cells(), update=True)
        self.assertEqual(run["total"] if run else 0, len(wanted), "bringing up to date computes exactly those")
        self.assertEqual(self.marked(), set())

    def test_nothing_without_a_change(self):
        self.check(set())

    def test_what_only_people_read(self):
        self.send("patch", f"library/clips/{self.walk.pk}", name="stride", tags=["night"])
        self.send("patch", f"cast/{self.porter.pk}", name="old porter", remarks="oil", tags=["brass"])
        self.post(f"{self.fitting(self.bow, self.porter)}/edits", op="confirm", keys=["hips"])
        self.assertEqual(self.marked(), set())

    def test_a_trim_and_taking_it_back(self):
        self.send("patch", f"library/clips/{self.walk.pk}", first=20)
        self.assertEqual(self.marked(), self.of([self.walk]))
        self.send("patch", f"library/clips/{self.walk.pk}", first=2)
        self.check(set())
        self.send("patch", f"library/clips/{self.walk.pk}", first=20)
        self.check(self.of([self.walk]))

    def test_another_take(self):
        path = next((DEMO / "hall").glob("creep.bvh"))
        with path.open("rb") as file:
            answer = self.client.post(f"/api/library/clips/{self.walk.pk}/version", {"file": file})
        self.assertEqual(answer.status_code, 200, answer.content)
        self.check(self.of([self.walk]))

    def test_contacts_of_a_clip(self):
        path = self.fitting(self.walk, self.porter)
        rows = self.get(f"{path}/contacts/{self.walk.pk}")["contacts"]
        keep = [{key: row[key] for key in ("point", "first", "last", "to")} for row in rows[2:]]
        self.send("put", f"{path}/contacts/{self.walk.pk}", contacts=keep)
        self.check(self.of([self.walk]))
        self.post(f"{path}/undo")
        self.check(self.of([self.walk]))

    def test_a_pair_and_taking_it_back(self):
        path = self.fitting(self.walk, self.porter)
        self.post(f"{path}/edits", op="remove", keys=["left hand"])
        self.assertEqual(self.marked(), self.of([self.walk, self.bow], [self.porter]))
        self.post(f"{path}/undo")
        self.check(set())
        self.post(f"{path}/redo")
        self.check(self.of([self.walk, self.bow], [self.porter]))

    def test_a_stance(self):
        self.post(f"{self.fitting(self.greet, self.ringer)}/stance", op="make", kind="A", side="source", angle=30)
        self.check(self.of([self.greet], [self.ringer]), moves=False)

    def test_a_setting(self):
        self.post(f"{self.fitting(self.walk, self.ringer)}/settings", settings={"hold": 0.4})
        self.check(self.of([self.walk, self.bow], [self.ringer]))

    def test_limits(self):
        self.send(
            "put", f"cast/{self.porter.pk}/limits", part="head",
            range={"bend": [-0.1, 0.1], "side": [-0.1, 0.1], "twist": [-0.1, 0.1]},
        )  # fmt: skip
        self.check(self.of(cast=[self.porter]), moves=False)

    def test_another_version_of_the_character(self):
        with (DEMO / "bellringer.glb").open("rb") as file:
            self.client.post(f"/api/cast/{self.porter.pk}/version", {"file": file})
        # Its fittings hold by the names of bones, so that some of them may be gone; what is left is out of date.
        left = {(row.clip.name, row.character.name) for row in Rendition.objects.select_related("clip", "character")}
        self.assertEqual(self.marked(), self.of(cast=[self.porter]) & left)
        self.assertLessEqual(self.of(cast=[self.ringer]), left)


# Each kind of change of pairs, stances, measures and settings, by what is asked for.
CHANGES: list[tuple[str, dict[str, Any]]] = [
    ("edits", {"op": "confirm", "keys": ["hips"]}),
    ("edits", {"op": "remove", "keys": ["left hand"]}),
    ("edits", {"op": "swap", "keys": ["right hand"]}),
    ("edits", {"op": "trees"}),
    ("edits", {"op": "reset"}),
    *(("stance", {"op": "make", "kind": kind, "side": "target"}) for kind in ("A", "T", "rest", "straight")),
    ("stance", {"op": "make", "kind": "A", "side": "source", "degrees": 30}),
    ("stance", {"op": "align", "side": "target"}),
    ("stance", {"op": "turn", "side": "target", "bone": "", "axis": [0.3, 0.2, 1], "degrees": 17, "mirror": True}),
    ("stance", {"op": "mirror", "side": "target", "from_side": "left"}),
    ("stance", {"op": "reset", "side": "target", "limb": "left arm"}),
    ("stance", {"op": "facing", "side": "source", "degrees": 12.3}),
    ("stance", {"op": "floor", "side": "target", "height": 0.013}),
    ("stance", {"op": "size", "by": "arms"}),
    ("stance", {"op": "hinges", "by": "rest"}),
    ("settings", {"settings": {"hold": 0.4}}),
]


class Digests(Studio):
    def test_what_is_kept_of_a_fitting_does_the_same_once_it_is_read(self):
        """Else results would depend on what a process has at hand, and a change of nothing would mark them."""
        for character in self.cast:
            row = steps.fitting_for(self.walk.skeleton, character)
            bone = steps.value_of(row).pairs[-1].target[0]
            for path, change in CHANGES:
                with self.subTest(character=character.name, **change):
                    if "bone" in change:
                        change = change | {"bone": bone}
                    self.post(f"fittings/{row.pk}/{path}", **change)
                    row = Fitting.objects.select_related("state", "skeleton", "character__skeleton").get(pk=row.pk)
                    at_hand = value_of(row)
                    steps._values.clear()  # as in a process that has just begun
                    read = value_of(row)
                    self.assertIsNot(read, at_hand)
                    self.assertEqual(of_fitting(to_json(read)), row.state.digest)
                    for side in ("source_pose", "target_pose"):
                        for array in ("positions", "rotations"):
                            ours, theirs = getattr(getattr(at_hand, side), array), getattr(getattr(read, side), array)
                            np.testing.assert_array_equal(ours, theirs, f"{side}: {array}")

    def test_a_fitting_reads_back_as_it_was_made_through(self):
        self.transfer((self.walk.pk, self.porter.pk))
        made = Revision.objects.get()
        now = value_of(Fitting.objects.select_related("state", "skeleton", "character__skeleton").get())
        then = results.fitting_of(made)
        np.testing.assert_allclose(then.target_pose.positions, now.target_pose.positions, atol=1e-9)
        self.assertEqual((then.settings, then.pairs), (now.settings, now.pairs))

    def test_states_are_what_the_rows_say(self):
        self.transfer()
        rows = with_state(Rendition.objects.all())
        self.assertEqual({STATES[row.state] for row in rows}, {"good"})
