"""The grade is a witness: what is broken is never called good, what is right is not called wrong."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.intake.detection import ImportOptions
from armuto.kinematics.clip import Clip
from armuto.pipeline import retarget
from armuto.quality.findings import Finding, find, grade
from armuto.retarget import fitting
from armuto.retarget.fitting import Fitting
from armuto.tests import breaking, figures
from armuto.tests.files import DEMO
from armuto.tests.rests import resting

LENGTH = 70  # frames of a clip that are looked at


def read(name: str, options: ImportOptions = ImportOptions()) -> formats.Document:  # noqa: B008
    return formats.read((DEMO / name).read_bytes(), name.split("/")[-1], options)


def findings(clip: Clip, made: Fitting) -> tuple[Finding, ...]:
    done = retarget(clip, made)
    return find(clip, done.clip, made, done.contacts)


class Broken(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.figures = [read(f"{name}.glb") for name in ("porter", "striker")]
        cls.clips = [read(f"hall/{name}.bvh") for name in ("walk", "bow")]

    def each(self):
        for source in self.clips:
            for figure in self.figures:
                made = fitting.fit(source.skeleton, figure.skeleton, source.parts, figure.parts)
                yield source.clips[0].cut(2, LENGTH), replace(made, capsules=figure.capsules)

    def test_as_it_is_it_is_good(self):
        for clip, made in self.each():
            self.assertEqual([row.text for row in findings(clip, made)], [])

    def test_nothing_that_is_broken_is_good(self):
        rng = np.random.default_rng(1)
        for kind, broken in breaking.KINDS.items():
            for clip, made in self.each():
                value = broken(made, rng)
                if value is None:
                    continue
                with self.subTest(kind=kind, clip=clip.name):
                    self.assertNotEqual(grade(findings(clip, replace(value, capsules=made.capsules))), "good")

    def test_what_is_far_off_is_wrong_and_says_why(self):
        rng = np.random.default_rng(1)
        for kind, part, sentence in (
            ("legs swapped", "trunk", "turned against each other"),
            ("body turned about", "hips", "180° away"),
            ("target's floor too high", "left foot", "above the floor"),
            ("legs one joint out", "left leg", "one joint off"),
        ):
            clip, made = next(self.each())
            found = findings(clip, breaking.KINDS[kind](made, rng))
            with self.subTest(kind=kind):
                self.assertEqual(grade(found), "wrong")
                texts = [row.text for row in found if row.part == part and row.grade == "wrong"]
                self.assertTrue(any(sentence in text for text in texts) or kind == "legs swapped", texts)

    def test_a_clip_read_with_the_wrong_axis_up_is_never_good(self):
        figure = self.figures[0]
        for name in ("walk", "bow", "sweep", "run"):
            for up in ("+X", "+Z", "-Z", "-Y"):
                source = read(f"hall/{name}.bvh", ImportOptions(up=up))
                made = fitting.fit(source.skeleton, figure.skeleton, source.parts, figure.parts)
                clip = source.clips[0].cut(2, LENGTH)
                with self.subTest(name=name, up=up):
                    self.assertNotEqual(grade(findings(clip, made)), "good")

    def test_who_crawls_or_lies_for_a_while_is_not_suspected(self):
        """Half of a clip on its side, and the floor below it as before."""
        source = read("hall/bow.bvh")
        clip = source.clips[0].cut(2, LENGTH)
        figure = self.figures[0]
        made = fitting.fit(source.skeleton, figure.skeleton, source.parts, figure.parts)
        kinds = {row.kind for row in findings(clip, made)}
        self.assertFalse(kinds & {"gravity", "lies"})

    def test_names_that_say_another_side_are_heard(self):
        source, figure = self.clips[0], read("keeper.glb")
        made = fitting.fit(source.skeleton, figure.skeleton, source.parts, figure.parts)
        found = findings(source.clips[0].cut(2, 40), breaking.swapped()(made, np.random.default_rng(0)))
        self.assertTrue(any("say the other side" in row.text for row in found), [row.text for row in found])


class Built(unittest.TestCase):
    """Bodies that are built otherwise are right as they are."""

    def graded(self, target):
        source = read("hall/walk.bvh")
        made = fitting.fit(source.skeleton, target, source.parts)
        return [row.text for row in findings(source.clips[0].cut(2, LENGTH), made)]

    def test_a_foot_bone_that_lies_flat_and_a_neck_that_leans(self):
        body = figures.body()
        offsets = body.rest_translation.copy()
        for side in ("Left", "Right"):
            offsets[body.index[f"{side}Toe"]] = [0.0, -0.01, 0.14]
            offsets[body.index[f"{side}Foot"], 1] -= 0.05
        offsets[body.index["Head"]] += [0.0, 0.0, 0.05]
        self.assertEqual(self.graded(replace(body, rest_translation=offsets)), [])

    def test_legs_crossed_and_a_trunk_turned_at_rest(self):
        """Feet are flat where legs stand, whatever the trunk does: this one's feet were turned up by 22 degrees."""
        body = figures.body()
        toes = np.array([body.index["LeftToe"], body.index["RightToe"]])
        body = replace(body, end_parents=toes, end_offsets=np.array([[0.0, -0.02, 0.045]] * 2))
        turns = {"LeftUpLeg": (0, 0, -28), "RightUpLeg": (0, 0, 28), "Spine": (0, 25, 0), "Chest": (0, 15, 0)}
        crossed = figures.posed(body, turns)
        still = Clip(
            "still", crossed, 30.0, crossed.rest_rotation[None], np.array([0]), crossed.rest_translation[:1][None]
        )
        # With all rotations at zero it stands so, too.
        self.assertEqual(self.graded(resting(still, crossed.rest.rotations).skeleton), [])


class Lengths(unittest.TestCase):
    def test_a_bone_that_grows_is_seen(self):
        source, figure = read("hall/walk.bvh"), read("porter.glb")
        made = fitting.fit(source.skeleton, figure.skeleton, source.parts, figure.parts)
        clip = source.clips[0].cut(2, 40)
        done = retarget(clip, made).clip
        joint = made.target.index["ulna.L"]
        longer = np.tile(made.target.rest_translation[joint] * 1.19, (done.frames, 1, 1))
        order = np.argsort([*done.moving, joint])
        moving = np.array([*done.moving, joint])[order]
        shifts = np.concatenate([done.translations, longer], axis=1)[:, order]
        found = find(clip, replace(done, moving=moving, translations=shifts), made)
        row = next(row for row in found if (row.kind, row.part) == ("length", "left upper arm"))
        self.assertEqual(row.grade, "wrong")
        self.assertAlmostEqual(row.size, 19.0, delta=0.2)


if __name__ == "__main__":
    unittest.main()
