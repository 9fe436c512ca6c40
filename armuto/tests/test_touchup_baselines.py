"""Touch-ups that outlive what they were made on, and go to other bodies and clips."""

import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np

from armuto.contacts.model import Contact, ContactSet
from armuto.contacts.probes import contact_probes
from armuto.export.resampling import resample
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import retarget
from armuto.quality.findings import TOUCHUP, find
from armuto.retarget.context import context_of
from armuto.retarget.fitting import Fitting, fit
from armuto.retarget.settings import RotationInfluence, Settings, Travel
from armuto.tests.test_touchups import joint, layer, motion, over, scene, shift, turn
from armuto.touchups import Key, Layer, Layers, TouchUp
from armuto.touchups.baseline import changed_keys, key_frames, with_baselines
from armuto.touchups.carrying import by_phase, by_time, carry_in_time, carry_to_character, touchdowns
from armuto.touchups.model import WeightKey
from armuto.touchups.resolving import chain_to

BODIES = ("keeper.glb", "striker.glb", "bellringer.glb")


class Baselines(unittest.TestCase):
    def setUp(self) -> None:
        self.clip, self.fitting = scene("hall/wave_the_lantern.bvh", "porter.glb")
        self.context, self.time = context_of(self.fitting), 1.5
        self.frame = round(self.time * self.clip.fps)
        rows = (
            turn("left upper arm", (0, 0, 20), self.time),
            shift("left hand", (0.03, 0, 0), self.time, against="chest"),
        )
        layers = Layers((layer(*rows),))
        self.touched = over(layers, self.clip)
        made = with_baselines(layers, self.touched, motion(self.clip, self.fitting), self.context)
        self.touched = replace(self.touched, layers=made)

    def test_nothing_is_said_while_the_motion_is_the_same(self) -> None:
        keys = [key for touchup in self.touched.layers.layers[0].touchups for key in touchup.keys]
        self.assertTrue(all(key.baseline for key in keys))
        self.assertEqual(key_frames(self.touched), [self.frame])
        result = retarget(self.clip, self.fitting, touchups=self.touched)
        self.assertEqual(result.touchups.changed, ())

    def test_a_body_that_merely_goes_elsewhere_is_the_same(self) -> None:
        moved = self.fitting.with_settings(Settings(travel=Travel(place="given", at=(3.0, -2.0, 0.0))))
        self.assertEqual(retarget(self.clip, moved, touchups=self.touched).touchups.changed, ())

    def test_another_motion_under_a_key_is_a_finding_and_the_offset_is_kept(self) -> None:
        other = self.fitting.with_settings(
            Settings(follow={"left upper arm": RotationInfluence(offset=(0.0, 0.0, 25.0))}, hands={"floor": 0.0})
        )
        result = retarget(self.clip, other, touchups=self.touched)
        changed = result.touchups.changed
        self.assertEqual({row.touchup.label for row in changed}, {"left upper arm", "left hand"})
        self.assertEqual({row.frame for row in changed}, {self.frame})
        self.assertGreater(max(row.far for row in changed), 0.05)
        rows = find(self.clip, result.clip, other, result.contacts, result.trace)
        mine = [row for row in rows if row.kind == TOUCHUP]
        self.assertEqual({row.grade for row in mine}, {"look"})
        self.assertEqual(len([row for row in mine if "made on an earlier result" in row.text]), 2)
        plain, after = motion(self.clip, other), motion(self.clip, other, self.touched.layers)
        arm = joint(self.context, "left upper arm")
        pair = plain.rotations[arm, self.frame][None], after.rotations[arm, self.frame][None]
        self.assertGreater(float(np.degrees(rotation.angle_apart(*pair)[0])), 15.0)
        # Looked at, and meant for what is there now.
        again = with_baselines(self.touched.layers, self.touched, plain, context_of(other), anew=True)
        self.assertEqual(retarget(self.clip, other, touchups=replace(self.touched, layers=again)).touchups.changed, ())

    def test_it_outlives_changes_of_what_is_not_under_it(self) -> None:
        """The offset at its key, in the world, to 0.5° and 0.5 cm, where the motion under it is the same."""
        legs = Settings(hold=0.0, stride=0.8, follow={"right leg": RotationInfluence(turn=0.5)})
        fewer = fit(
            self.fitting.source,
            self.fitting.target,
            pairs=[pair for pair in self.fitting.pairs if "toes" not in (pair.part or "")],
        )
        arm, hand = joint(self.context, "left upper arm"), joint(self.context, "left hand")

        def moved(fitting: Fitting) -> tuple[FloatArray, FloatArray]:
            before = motion(self.clip, fitting)
            result = retarget(self.clip, fitting, touchups=self.touched)
            self.assertEqual(result.touchups.changed, ())
            after = WorldMotion.of_clip(result.clip)
            turned = rotation.multiply(
                after.rotations[arm, self.frame], rotation.inverse(before.rotations[arm, self.frame])
            )
            return rotation.vector(turned[None])[0], after.positions[hand, self.frame] - before.positions[
                hand, self.frame
            ]

        turned, shifted = moved(self.fitting)
        knee = joint(self.context, "right lower leg")
        stance = self.fitting.target_stance
        bent = {**stance.turned, knee: rotation.about([1.0, 0.0, 0.0], np.radians(25.0))}
        stance = replace(stance, turned=bent)
        standing = fit(self.fitting.source, self.fitting.target, pairs=self.fitting.pairs, target_stance=stance)
        for fitting in (self.fitting.with_settings(legs), fewer, standing):
            other, there = moved(fitting)
            self.assertLess(np.degrees(np.linalg.norm(other - turned)), 0.5)
            self.assertLess(np.linalg.norm(there - shifted), 0.005)

    def test_it_outlives_other_contacts_and_a_new_version_at_another_frame_rate(self) -> None:
        hand = joint(self.context, "left hand")
        # The foot rests where it was found to fly, and the other way round.
        contacts = ContactSet((Contact("right heel", 10, 50, by_hand=True),))
        faster = resample(self.clip, 2 * self.clip.fps)
        results = []
        for clip, found in ((self.clip, None), (self.clip, contacts), (faster, None)):
            frame = round(self.time * clip.fps)
            before = retarget(clip, self.fitting, found).clip.world().positions[frame, hand]
            result = retarget(clip, self.fitting, found, touchups=over(self.touched.layers, clip))
            self.assertEqual(result.touchups.changed, ())
            results.append(result.clip.world().positions[frame, hand] - before)
        for other in results[1:]:
            self.assertLess(np.linalg.norm(other - results[0]), 0.005)

    def test_a_key_beyond_the_clip_is_kept_and_does_nothing(self) -> None:
        layers = Layers((layer(turn("head", (0, 0, 30), 1000.0)),))
        touched = over(layers, self.clip)
        self.assertEqual(key_frames(touched), [])
        kept = with_baselines(layers, touched, motion(self.clip, self.fitting), self.context)
        self.assertEqual(kept, layers)
        result = retarget(self.clip, self.fitting, touchups=touched)
        plain = motion(self.clip, self.fitting)
        np.testing.assert_allclose(result.clip.world().positions.swapaxes(0, 1), plain.positions, atol=1e-9)
        self.assertEqual(changed_keys(touched, plain, self.context), [])


class Carrying(unittest.TestCase):
    """By parts, in proportions and rest of the other body."""

    CLIP, TIME = "hall/wave_the_lantern.bvh", 1.5

    def test_degrees_about_the_same_axes_on_three_bodies(self) -> None:
        clip, fitting = scene(self.CLIP, "porter.glb")
        here = context_of(fitting)
        frame = round(self.TIME * clip.fps)
        for part in ("left upper arm", "right lower leg", "head", "left hand"):
            mine = layer(turn(part, (8.0, 20.0, 12.0), self.TIME))
            moved = self.turned(clip, fitting, mine, part, frame)
            for body in BODIES:
                with self.subTest(part=part, body=body):
                    _, other = scene(self.CLIP, body)
                    carried = carry_to_character(mine, here, context_of(other), body)
                    self.assertEqual(carried.lost, ())
                    assert carried.layer is not None
                    there = self.turned(clip, other, carried.layer, part, frame)
                    self.assertAlmostEqual(np.linalg.norm(there), np.linalg.norm(moved), delta=0.01)
                    # Both bodies perform the same motion: what is turned about the same axis turns alike in the world.
                    self.assertLess(np.linalg.norm(there - moved), 6.0)

    def turned(self, clip, fitting, mine: Layer, part: str, frame: int):  # type: ignore[no-untyped-def]
        """The turn that a layer makes, as a rotation vector in the world, in degrees."""
        bone = joint(context_of(fitting), part)
        before, after = (motion(clip, fitting, layers).rotations[bone, frame] for layers in (None, Layers((mine,))))
        return np.degrees(rotation.vector(rotation.multiply(after, rotation.inverse(before))[None])[0])

    def test_a_place_in_the_size_of_the_limb(self) -> None:
        clip, fitting = scene(self.CLIP, "porter.glb")
        here = context_of(fitting)
        for part, by in (
            ("left hand", (0.02, 0.05, 0.0)),
            ("right foot", (0.0, 0.04, 0.0)),
            ("head", (0.0, 0.0, 0.03)),
        ):
            for body in BODIES:
                with self.subTest(part=part, body=body):
                    _, other = scene(self.CLIP, body)
                    there = context_of(other)
                    carried = carry_to_character(layer(shift(part, by, self.TIME)), here, there, body).layer
                    assert carried is not None
                    ratio = self.reach(there, part) / self.reach(here, part)
                    np.testing.assert_allclose(carried.touchups[0].keys[0].value, np.multiply(by, ratio), atol=1e-5)
                    before, after = motion(clip, other), motion(clip, other, Layers((carried,)))
                    frame, bone = round(self.TIME * clip.fps), joint(there, part)
                    moved = after.positions[bone, frame] - before.positions[bone, frame]
                    self.assertLess(np.linalg.norm(moved - np.multiply(by, ratio)), 0.004)

    def reach(self, context, part: str) -> float:  # type: ignore[no-untyped-def]
        chain = chain_to(joint(context, part), context)
        assert chain is not None
        at = context.fitting.target_pose.positions[list(chain.joints)]
        return float(np.linalg.norm(np.diff(at, axis=0), axis=1).sum())

    def test_there_and_back_is_the_same(self) -> None:
        here = context_of(scene(self.CLIP, "porter.glb")[1])
        mine = layer(
            turn("right upper arm", (8.0, -20.0, 12.0)),
            shift("left hand", (0.02, 0.05, -0.01), against="chest"),
            TouchUp("translation", (Key(1.0, (0.0, -0.02, 0.01)),), "hips"),
        )
        for body in BODIES:
            there = context_of(scene(self.CLIP, body)[1])
            out = carry_to_character(mine, here, there, body).layer
            assert out is not None
            back = carry_to_character(out, there, here, "porter").layer
            assert back is not None
            for a, b in zip(mine.touchups, back.touchups, strict=True):
                np.testing.assert_allclose(
                    a.keys[0].value, b.keys[0].value, atol=2e-3 if a.channel == "rotation" else 2e-6
                )

    def test_what_the_other_body_has_not_is_left_out_and_said(self) -> None:
        here = context_of(scene("yard/gallop.bvh", "fox.glb")[1])
        there = context_of(scene()[1])
        out = carry_to_character(layer(turn("tail", (0, 0, 9)), turn("head", (0, 0, 9))), here, there, "Porter")
        assert out.layer is not None
        self.assertEqual([row.part for row in out.layer.touchups], ["head"])
        self.assertIn("Porter has no tail", out.lost[0])
        self.assertIsNone(carry_to_character(layer(turn("tail", (0, 0, 9))), here, there, "Porter").layer)

    def test_by_time_and_by_phase(self) -> None:
        a = [(0.2, "left leg"), (0.7, "right leg"), (1.2, "left leg"), (1.7, "right leg")]
        b = [(0.1, "right leg"), (0.5, "left leg"), (1.3, "right leg"), (2.1, "left leg")]
        moment = by_phase(a, b)
        self.assertAlmostEqual(moment(0.45) or 0, 0.9)
        self.assertAlmostEqual(moment(0.1) or 0, 0.34)
        self.assertAlmostEqual(moment(1.3) or 0, 2.26)
        self.assertIsNone(moment(2.0))
        mine = layer(
            TouchUp("rotation", (Key(0.45, (1, 2, 3)), Key(0.95, (3, 2, 1)), Key(9.0)), "head"),
            turn("chest", (0, 0, 1), 9.0),
            weight=(WeightKey(0.45, 0.5),),
        )
        out = carry_in_time(mine, moment)
        assert out.layer is not None
        np.testing.assert_allclose([key.time for key in out.layer.touchups[0].keys], [0.9, 1.7])
        self.assertEqual(len(out.layer.touchups), 1)
        self.assertIn("2 keys lie where", out.lost[0])
        assert isinstance(out.layer.weight, tuple)
        self.assertAlmostEqual(out.layer.weight[0].time, 0.9)
        later = carry_in_time(mine, by_time(0.5)).layer
        assert later is not None
        self.assertAlmostEqual(later.touchups[0].keys[0].time, 0.95)

    def test_steps_of_clips_are_where_feet_set_down(self) -> None:
        clip, fitting = scene()
        context = context_of(fitting)
        limbs = {point.name: point.limb for point in contact_probes(context).points if point.is_foot}
        contacts = retarget(clip, fitting).contacts.contacts
        steps = touchdowns(contacts, limbs, np.arange(clip.frames) / clip.fps)
        self.assertGreater(len(steps), 3)
        self.assertEqual({limb for _, limb in steps}, {"left leg", "right leg"})
        after = steps[2:]
        self.assertTrue(all(a[1] != b[1] for a, b in pairwise(after)))


if __name__ == "__main__":
    unittest.main()
