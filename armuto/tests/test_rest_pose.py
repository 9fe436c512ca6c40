"""Skeletons whose zero pose is no posture are read from their motion."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.formats import bvh
from armuto.intake import detection
from armuto.intake.detection import ImportOptions
from armuto.intake.rest_pose import is_line, lies_at_rest, with_posture
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.observed import Observed
from armuto.pairing.sides import UPSET
from armuto.pairing.together import read as read_body
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.tests import figures, rests, settled
from armuto.tests.files import DEMO
from armuto.tests.stances import Body, reshaped

CLIPS = ("hall/walk.bvh", "hall/bow.bvh", "hall/sweep.bvh", "hall/sit_down.bvh")


def read(name: str) -> formats.Document:
    return formats.read((DEMO / name).read_bytes(), name.split("/")[-1])


def written(clip: Clip) -> bytes:
    """The clip as a BVH whose zero pose is the one it has."""
    return bvh.serialise(bvh.from_clip(clip, None, 1.0))


class ZeroPoses(unittest.TestCase):
    def again(self, name: str, kind: str, rng: np.random.Generator, nameless: bool) -> None:
        """The same motion on another zero pose, in another unit and other axes, gives the same places."""
        document = read(name)
        clip = document.clips[0]
        up = detection.UP_AXES[int(rng.integers(6))]
        unit = float(rng.choice([1.0, 0.01, 0.0254]))
        made = rests.in_file_axes(rests.rested(clip, rng, kind), rotation.inverse(detection.upright(up)), unit)
        if nameless:
            numbers = tuple(f"{n:03d}" for n in range(len(made.skeleton)))
            made = replace(made, skeleton=replace(made.skeleton, names=numbers))
        found = formats.read(written(made), "take.bvh")
        self.assertEqual((found.skeleton.file_frame.up, found.skeleton.file_frame.unit), (up, unit))
        fit = fitting.fit(found.skeleton, document.skeleton, found.parts, document.parts)
        paired = [
            joint for joint, driver in fit.joint_mapping.items() if driver.part and "thumb" not in driver.part
        ]  # without names, what is a thumb may be read as a palm
        here, there = transfer(found.clips[0], fit).world().positions, clip.world().positions
        off = np.linalg.norm(here - there, axis=-1)[:, paired]
        self.assertLess(off.max(), 1e-4)
        self.assertGreaterEqual(len(paired), 0.85 * sum(map(len, document.parts.values())))

    def test_bones_on_one_axis_folded_at_random_and_in_mid_action(self):
        rng = np.random.default_rng(5)
        for number, name in enumerate(CLIPS):
            for kind in rests.ZEROES:
                nameless = (number + rests.ZEROES.index(kind)) % 2 == 1
                with self.subTest(name=name, kind=kind, nameless=nameless):
                    self.again(name, kind, rng, nameless)

    def test_a_capture_without_any_calibration_frame(self):
        """Nothing but work in it, from first to last: all that shows a T is the body that performs."""
        for seed, name in ((4, "hall/walk.bvh"), (10, "hall/sweep.bvh")):
            document = read(name)
            rng = np.random.default_rng(seed)
            built = reshaped(Body(document.skeleton, document.parts, 0.0), rng).skeleton
            clip = replace(document.clips[0].cut(2, 70), skeleton=replace(built, observed=Observed()))
            for kind in ("one axis", "folded"):
                with self.subTest(name=name, kind=kind):
                    found = formats.read(written(rests.rested(clip, rng, kind)), "take.bvh")
                    fit = fitting.fit(found.skeleton, clip.skeleton, found.parts, document.parts)
                    made, truth = transfer(found.clips[0], fit).world(), clip.world()
                    paired = {driver.part: joint for joint, driver in fit.joint_mapping.items() if driver.part}
                    off = np.linalg.norm(made.positions - truth.positions, axis=-1)[:, list(paired.values())]
                    self.assertLess(np.percentile(off, 95), 2e-3)
                    # Elbows bend in both clips, so the roll of both bones of an arm shows.
                    turned = rotation.angle(rotation.multiply(made.rotations, rotation.inverse(truth.rotations)))
                    for part in ("left upper arm", "right upper arm", "left lower arm", "right lower arm"):
                        self.assertLess(float(np.degrees(turned[:, paired[part]]).max()), 3.0, part)

    def test_a_heap_that_passes_for_a_body_that_stands(self):
        """By chance a plan lies well on some heaps: they are told by how the body stands in its motion, or by their
        twist."""
        document = read("hall/sweep.bvh")
        clip = document.clips[0].cut(2, 70)
        for kind, seed in (("folded", 34), ("random", 75), ("folded", 75), ("random", 59), ("random", 135)):
            with self.subTest(kind=kind, seed=seed):
                made = rests.rested(clip, np.random.default_rng(seed), kind)
                self.assertGreater(read_body(made.skeleton).posture, UPSET)
                found = formats.read(written(made), "take.bvh")
                self.assertIsNotNone(found.skeleton.file_rest)
                fit = fitting.fit(found.skeleton, document.skeleton, found.parts, document.parts)
                off = transfer(found.clips[0], fit).world().positions - clip.world().positions
                self.assertLess(
                    np.abs(off[:, [j for j, driver in fit.joint_mapping.items() if driver.part]]).max(), 1e-3
                )

    def test_what_stands_for_the_rest_is_said(self):
        clip = rests.rested(read("hall/walk.bvh").clips[0], np.random.default_rng(1), "one axis")
        found = formats.read(written(clip), "take.bvh")
        self.assertIn("lays all bones along one line", found.skeleton.file_frame.evidence[-1])
        self.assertIsNotNone(found.skeleton.file_rest)
        fit = fitting.fit(found.skeleton, read("porter.glb").skeleton, found.parts)
        self.assertEqual(fit.source_stance.name, "Posture from the motion")

    def test_it_loads_where_the_original_did(self):
        """What is written back has the file's own zero pose."""
        clip = rests.rested(read("hall/bow.bvh").clips[0], np.random.default_rng(2), "folded")
        data = written(clip)
        found = formats.read(data, "take.bvh")
        back = formats.write(found.clips, found, "bvh")
        again = bvh.to_clip(bvh.parse(back, "back.bvh"), "back")
        np.testing.assert_allclose(again.skeleton.rest_translation, clip.skeleton.rest_translation, atol=1e-5)
        np.testing.assert_allclose(again.world().positions, clip.world().positions, atol=1e-4)

    def test_rests_that_are_postures_stay(self):
        for name in (*CLIPS, "yard/trot.bvh", "porter.glb", "heron.glb", "striker.glb"):
            self.assertIsNone(read(name).skeleton.file_rest, name)

    def test_told_is_told(self):
        clip = rests.rested(read("hall/walk.bvh").clips[0], np.random.default_rng(1), "random")
        found = formats.read(written(clip), "take.bvh", ImportOptions(unit="cm", up="+Z"))
        self.assertEqual((found.skeleton.file_frame.up, found.skeleton.file_frame.unit), ("+Z", 0.01))


class Lines(unittest.TestCase):
    def test_a_line_is_no_posture_and_a_body_is_none(self):
        body = figures.body()
        self.assertFalse(is_line(body))
        pole = replace(body, rest_translation=np.abs(body.rest_translation).sum(axis=1)[:, None] * [1.0, 0.0, 0.0])
        self.assertTrue(is_line(pole))

    def test_without_motion_nothing_can_be_put_in_its_place(self):
        body = figures.body()
        pole = replace(body, rest_translation=np.abs(body.rest_translation).sum(axis=1)[:, None] * [1.0, 0.0, 0.0])
        self.assertIs(with_posture(pole, ()).skeleton, pole)

    def test_a_body_on_its_side_is_told_from_one_that_stands(self):
        clip, _ = settled.walk(40)
        parts = fitting.pairing.assign(clip.skeleton)
        self.assertFalse(lies_at_rest(clip.skeleton, parts, np.array([0.0, 1.0, 0.0])))
        self.assertTrue(lies_at_rest(clip.skeleton, parts, np.array([1.0, 0.0, 0.0])))


if __name__ == "__main__":
    unittest.main()
