"""Hinges, soles and floors, read from motion and meshes."""

import json
import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.body import estimation
from armuto.kinematics import observed, rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.observed import Observed
from armuto.pipeline import retarget
from armuto.retarget import fitting
from armuto.retarget.fitting import FittingOverrides
from armuto.tests import figures, settled, stances
from armuto.tests.files import DEMO
from armuto.tests.rests import resting


def arc(degrees: float, carried: float = 0.0, noise: float = 0.0, frames: int = 80) -> np.ndarray:
    """Directions of a forearm that bends about +Y from straight along +X, off that by its carrying angle; degrees."""
    rng = np.random.default_rng(4)
    turn = np.radians(np.linspace(0, degrees, frames))
    tilt = np.radians(carried)
    way = np.stack([np.cos(tilt) * np.cos(turn), np.full(frames, np.sin(tilt)), -np.cos(tilt) * np.sin(turn)], axis=1)
    way = way + rng.normal(0, noise, way.shape)
    return way / np.linalg.norm(way, axis=1, keepdims=True)


class Hinges(unittest.TestCase):
    onward = np.array([1.0, 0.0, 0.0])

    def test_the_axis_of_an_arc(self):
        for degrees, carried in ((90, 0), (45, 8), (30, 12)):
            hinge = estimation.hinge_of(arc(degrees, carried), self.onward)
            assert hinge is not None
            off = np.degrees(np.arccos(np.clip(hinge.axis @ [0.0, 1.0, 0.0], -1, 1)))
            self.assertLess(off, 0.5)
            self.assertAlmostEqual(hinge.along, np.sin(np.radians(carried)), places=3)
            self.assertEqual(hinge.certainty, 1.0)

    def test_certainty_falls_with_a_short_arc_and_with_noise(self):
        sure = [estimation.hinge_of(arc(degrees), self.onward) for degrees in (40, 14, 9)]
        values = [hinge.certainty if hinge else 0.0 for hinge in sure]
        self.assertEqual(values, sorted(values, reverse=True))
        self.assertLess(values[-1], 0.2)
        self.assertIsNone(estimation.hinge_of(arc(3), self.onward))
        loud = estimation.hinge_of(arc(40, noise=0.05), self.onward)
        self.assertLess(loud.certainty if loud else 0.0, 0.9)

    def test_the_bend_of_a_limb_that_is_carried(self):
        hinge = estimation.hinge_of(arc(60, 8), self.onward)
        assert hinge is not None
        np.testing.assert_allclose(hinge.flexed(self.onward, 8.0), [0, 1, 0], atol=0.15)
        far = hinge.flexed(self.onward, 60.0)
        np.testing.assert_allclose(far, [0, np.sin(0.16), -np.cos(0.16)], atol=0.03)

    def test_the_second_bone_shows_the_same_axis(self):
        """Both bones of an elbow see one axis, at any bend; a forearm that turns its palm blurs its own sight of it."""
        clip = formats.read((DEMO / "hall/sweep.bvh").read_bytes(), "sweep.bvh").clips[0]
        parts, skeleton = fitting.pairing.assign(clip.skeleton), clip.skeleton
        upper, lower = (parts[f"right {kind}"][0].joint for kind in ("upper arm", "lower arm"))
        hinge = estimation.of_motion(skeleton, parts, [clip]).hinges[upper]
        turns = clip.world().rotations[::10]
        seen = [
            rotation.rotate(turns[:, joint], axis) for joint, axis in ((upper, hinge.axis), (lower, hinge.second_axis))
        ]
        self.assertGreater(float(np.sum(seen[0] * seen[1], axis=-1).min()), 0.999)
        palm = clip.rotations.copy()
        along = skeleton.rest_translation[parts["right hand"][0].joint]
        twist = rotation.about(along / np.linalg.norm(along), 1.2 * np.sin(np.linspace(0, 20, clip.frames)))
        palm[:, lower] = rotation.multiply(palm[:, lower], twist)
        blurred = estimation.of_motion(skeleton, parts, [replace(clip, rotations=palm)]).hinges[upper]
        self.assertAlmostEqual(blurred.certainty, hinge.certainty, places=5)
        self.assertLess(blurred.second_certainty, 0.5)

    def test_json_brings_it_back(self):
        hinge = estimation.hinge_of(arc(60, 8), self.onward)
        assert hinge is not None
        hinge = replace(hinge, second_axis=np.array([0.0, 0.0, 1.0]), second_certainty=0.7)
        made = Observed({1: hinge}, {2: np.array([[0.0, -0.02, 0.1]])}, 0.03)
        tree = json.loads(json.dumps(observed.to_json(made, ["a", "b", "c"])))
        back = observed.from_json(tree, {"b": 1, "c": 2})
        np.testing.assert_allclose(back.hinges[1].axis, hinge.axis, atol=1e-5)
        self.assertEqual((back.hinges[1].second_axis.tolist(), back.hinges[1].second_certainty), ([0.0, 0.0, 1.0], 0.7))
        self.assertEqual((back.sole, back.soles[2].tolist()), (0.03, [[0.0, -0.02, 0.1]]))
        for damaged in (
            {"hinges": {"b": {}}},
            {"sole": 0.02, "sole_clips": -1},
            {"soles": {"c": [["x", 0, 0]]}},
            {"sole": "low"},
        ):
            with self.assertRaises((ValueError, KeyError, TypeError)):
                observed.from_json(damaged, {"b": 1, "c": 2})


class Rolls(unittest.TestCase):
    """Arms whose hinge is not where a straight arm would be expected to bend, as motion alone can show."""

    def source(self, rolled: float) -> tuple[stances.Body, Clip]:
        document = formats.read((DEMO / "hall/sweep.bvh").read_bytes(), "sweep.bvh")
        body = stances.Body(document.skeleton, document.parts, 0.0)
        editor = body.editor()
        for side, sign in (("left", 1.0), ("right", -1.0)):
            joint = editor.joint(f"{side} upper arm")
            assert joint is not None
            editor.turn(joint, rotation.about(editor.shape().direction(joint), np.radians(sign * rolled)))
        clip = resting(document.clips[0], editor.world.copy())
        skeleton = replace(clip.skeleton, observed=estimation.of_motion(clip.skeleton, document.parts, [clip]))
        return stances.Body(skeleton, document.parts, 0.0), replace(clip, skeleton=skeleton)

    def off(self, source: stances.Body, bent: float, carried: float, overrides: FittingOverrides) -> float:
        """Degrees by which the left upper arm of the same body, resting with its arms bent in an A, is rolled off."""
        editor = source.editor()
        joint, lower = editor.joint("left upper arm"), editor.joint("left lower arm")
        assert joint is not None and lower is not None
        axis = rotation.rotate(editor.world[joint], source.skeleton.observed.hinges[joint].axis)
        editor.turn(lower, rotation.about(axis, np.radians(bent)))
        editor.turn(lower, rotation.about(np.cross(editor.shape().direction(joint), axis), np.radians(carried)))
        editor.turn(joint, rotation.about([0, 0, 1], np.radians(-45.0)))
        resting_in_an_a = source.rest(editor)
        target = stances.disguised(resting_in_an_a, np.random.default_rng(2), 0.0, 1.0)
        target = replace(target, skeleton=replace(target.skeleton, observed=Observed()))
        fits = stances.fitted(source, target, overrides)
        back = rotation.multiply(
            source.skeleton.rest.rotations, rotation.inverse(resting_in_an_a.skeleton.rest.rotations)
        )
        turned = rotation.multiply(fits.target_pose.rotations, rotation.inverse(target.skeleton.rest.rotations))
        return float(np.degrees(rotation.angle(rotation.multiply(turned, rotation.inverse(back))))[joint])

    def test_a_clearly_bent_rest_is_met_where_the_motion_shows_the_hinge(self):
        source, _ = self.source(35.0)
        self.assertLess(self.off(source, 40.0, 0.0, FittingOverrides()), 3.0)
        # Without it, the straight arm would be taken to bend forwards.
        self.assertGreater(self.off(source, 40.0, 0.0, FittingOverrides(hinges=False)), 25.0)

    def test_a_carrying_angle_is_no_roll(self):
        source, _ = self.source(0.0)
        for overrides in (FittingOverrides(), FittingOverrides(hinges=False)):
            self.assertLess(self.off(source, 10.0, 8.0, overrides), 3.0)


class Soles(unittest.TestCase):
    def test_of_a_mesh_at_rest(self):
        for name in ("porter", "keeper", "striker", "fox", "heron"):
            document = formats.read((DEMO / f"{name}.glb").read_bytes(), f"{name}.glb")
            soles, rest = document.skeleton.observed.soles, document.skeleton.rest
            low = estimation.lowest_of(soles, rest.rotations, rest.positions)
            assert low is not None and document.bounds is not None
            self.assertAlmostEqual(low, float(document.bounds[0, 1]), delta=0.004)
            self.assertGreaterEqual(len(soles), 2)

    def test_they_stand_on_the_floor(self):
        """Demo figures: the lowest point of a resting foot, in a walk on other bodies."""
        for clip in ("walk", "walk_proud"):
            source = formats.read((DEMO / f"hall/{clip}.bvh").read_bytes(), "walk.bvh")
            for name in ("porter", "keeper", "bellringer", "striker"):
                figure = formats.read((DEMO / f"{name}.glb").read_bytes(), f"{name}.glb")
                made = fitting.fit(source.skeleton, figure.skeleton, source.parts, figure.parts)
                off = np.abs(settled.sole_heights(source.clips[0], made))
                self.assertLess(float(np.median(off)), 0.003)
                # Also while it lands on its heel and rolls off its toes.
                self.assertLess(float(np.percentile(off, 95)), 0.005)

    def test_the_floor_is_not_the_rests(self):
        """A capture whose rest pose says that feet are higher or lower than they are in its motion."""
        clip, _ = settled.walk(100)
        parts = fitting.pairing.assign(clip.skeleton)
        for off in (-0.02, 0.019):
            lifted = clip.skeleton.rest_translation.copy()
            lifted[0, 1] += off
            skeleton = replace(clip.skeleton, rest_translation=lifted)
            skeleton = replace(
                skeleton, observed=estimation.of_motion(skeleton, parts, [replace(clip, skeleton=skeleton)])
            )
            own = replace(clip, skeleton=skeleton)
            figure = formats.read((DEMO / "porter.glb").read_bytes(), "porter.glb")
            made = fitting.fit(skeleton, figure.skeleton, parts, figure.parts)
            self.assertAlmostEqual(made.floors[0], 0.02, delta=0.002)
            heights = settled.sole_heights(own, made)
            self.assertLess(abs(float(np.median(heights))), 0.004)

    def test_a_sole_is_what_several_clips_show(self):
        """One clip's feet rest as high as its sole and its floor together; the lowest of several tell them apart."""
        clip, _ = settled.walk(80)
        parts = fitting.pairing.assign(clip.skeleton)
        raised = replace(clip, translations=clip.translations + [0.0, 0.05, 0.0])
        far = replace(clip, translations=clip.translations + [0.0, 0.9, 0.0])
        alone = estimation.of_motion(clip.skeleton, parts, [raised])
        self.assertAlmostEqual(alone.sole or 0.0, 0.07, delta=0.002)
        self.assertEqual(alone.sole_clips, 1)
        seen = estimation.of_motion(clip.skeleton, parts, [raised, clip, far])
        self.assertAlmostEqual(seen.sole or 0.0, 0.02, delta=0.002)
        self.assertEqual(seen.sole_clips, 2)
        own = replace(clip.skeleton, observed=seen)
        for made, floor in ((clip, 0.0), (raised, 0.05), (far, 0.9)):
            ground = estimation.ground(replace(made, skeleton=own), parts)
            self.assertAlmostEqual(ground["floor"] or 0.0, floor, delta=0.002)
            self.assertEqual(ground["clips"], 2)
        self.assertIsNone(estimation.of_motion(clip.skeleton, parts, [far]).sole)

    def test_ground_of_a_clip(self):
        clip, _ = settled.walk(80)
        parts = fitting.pairing.assign(clip.skeleton)
        skeleton = replace(clip.skeleton, observed=estimation.of_motion(clip.skeleton, parts, [clip]))
        raised = replace(clip, skeleton=skeleton, translations=clip.translations + [0.0, 0.05, 0.0])
        self.assertAlmostEqual(estimation.ground(raised, parts)["floor"] or 0.0, 0.05, delta=0.002)
        still = replace(
            raised, translations=raised.translations + np.cumsum(np.full(raised.translations.shape, 0.1), axis=0)
        )
        self.assertIsNone(estimation.ground(still, parts)["floor"])


class SameBody(unittest.TestCase):
    def test_holding_does_nothing_to_it(self):
        """Even on a capture whose feet never quite rest, and in another size."""
        clip, _ = settled.walk(90)
        noisy = settled.noisy(clip, np.random.default_rng(3), 0.02)
        for scale in (1.0, 1.7):
            target = figures.disguised(clip.skeleton, np.random.default_rng(1), 0.4, scale)
            made = settled.fitted(clip.skeleton, target)
            self.assertTrue(made.same_build)
            here = retarget(noisy, made).clip.world().positions / scale
            there = rotation.rotate(rotation.about([0, 1, 0], 0.4), noisy.world().positions)
            self.assertLess(np.abs(here - there).max(), 1e-4)

    def test_another_build_is_held(self):
        clip, _ = settled.walk(60)
        self.assertFalse(settled.fitted(clip.skeleton, settled.built(np.random.default_rng(4))).same_build)


class OneSpineBone(unittest.TestCase):
    def test_the_trunk_goes_where_the_sources_goes(self):
        source = figures.body()
        spine, chest = source.index["Spine"], source.index["Chest"]
        keep = [n for n in range(len(source)) if n != spine]
        new = {old: n for n, old in enumerate(keep)}
        offsets = source.rest_translation.copy()
        offsets[chest] += offsets[spine]
        parents = [
            new.get(int(source.parents[n]), new[source.index["Hips"]]) if source.parents[n] >= 0 else -1 for n in keep
        ]
        target = replace(
            source,
            names=tuple(source.names[n] for n in keep),
            parents=np.array(parents),
            rest_translation=offsets[keep],
            rest_rotation=source.rest_rotation[keep],
        )
        made = fitting.fit(source, target)
        frames = 20
        turns = np.tile(rotation.IDENTITY, (frames, len(source), 1))
        bow = np.radians(np.linspace(0, 35, frames))
        turns[:, spine] = turns[:, chest] = rotation.about([1, 0, 0.3], bow)
        clip = Clip("bow", source, 30, turns, np.array([0]), np.tile(source.rest_translation[0], (frames, 1, 1)))
        here, there = retarget(clip, made).clip.world().positions, clip.world().positions

        def trunk(at, skeleton):
            line = at[:, skeleton.index["Neck"]] - at[:, skeleton.index["Hips"]]
            return line / np.linalg.norm(line, axis=1, keepdims=True)

        off = np.degrees(np.arccos(np.clip(np.sum(trunk(here, target) * trunk(there, source), axis=1), -1, 1)))
        self.assertLess(off.max(), 0.1)


if __name__ == "__main__":
    unittest.main()
