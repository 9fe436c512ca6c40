"""Loops, emphasis, paths and cuts: what has to hold of them, and of feet that are locked."""

import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np

from armuto import formats
from armuto.body.parts import Assignment
from armuto.contacts.model import Contact
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.tangent import to_tangent
from armuto.refining import Body, Refined, body_of
from armuto.refining.backwards import Backwards
from armuto.refining.emphasis import Emphasis
from armuto.refining.foot_locking import footing, lock_feet, steps_of
from armuto.refining.loop import Loop, joined, repeated, seam_of, travel
from armuto.refining.loop_search import loop_candidates
from armuto.refining.measures import slide, turning
from armuto.refining.pace import Pace
from armuto.refining.path import Path
from armuto.refining.proposals import loops_of
from armuto.refining.rigid import moved, roots_of
from armuto.refining.segmentation import segments
from armuto.tests.files import DEMO, WALK
from armuto.tests.test_refining import chance, refined, same


class Looped(unittest.TestCase):
    CLIPS = ("hall/walk.bvh", "hall/push_the_cart.bvh", "hall/sweep.bvh", "gallery/greet.glb", "yard/pad.bvh")

    def loops(self, path: str):
        document = formats.read((DEMO / path).read_bytes(), path)
        clip = document.clips[0]
        clip, body = clip.cut(2, clip.frames - 1), body_of(clip.skeleton, document.parts)
        found = loop_candidates(clip, body)
        self.assertTrue(found, path)
        return clip, body, found

    def test_the_seam_is_as_smooth_as_the_rest(self) -> None:
        for path in self.CLIPS:
            clip, body, found = self.loops(path)
            for candidate in found[:2]:
                made = Loop(first=candidate.first, last=candidate.last).refine(Refined.of_take(clip), body).clip
                self.assertLess(seam_of(made, body), 0.5, path)
                twice, seam = repeated(made, body, 2), made.frames - 1
                steps = rotation.angle_apart(twice.rotations[1:], twice.rotations[:-1])
                # What a joint turns by in the frame after the seam, against the one before: as between any two frames.
                change = np.abs(np.diff(steps, axis=0))
                self.assertLess(change[seam - 1].max(), 1.05 * change[3 : seam - 3].max() + 0.01, path)

    def test_travel_is_carried_on(self) -> None:
        clip, body, found = self.loops("hall/walk.bvh")
        made = Loop(first=found[0].first, last=found[0].last, times=4).refine(Refined.of_take(clip), body)
        length = found[0].last - found[0].first
        self.assertEqual(made.clip.frames, 4 * length + 1)
        path = made.clip.world().positions[:, body.hips]
        ways = np.diff(path[::length], axis=0)
        self.assertGreater(np.linalg.norm(ways[0]), 0.5)
        np.testing.assert_allclose(ways, np.broadcast_to(ways[0], ways.shape), atol=0.02)
        np.testing.assert_allclose(
            path[0, [0, 2]], clip.world().positions[found[0].first, body.hips, [0, 2]], atol=1e-6
        )
        self.assertEqual(made.frames[length + 3], found[0].first + 3)

    def test_feet_rest_across_the_seam(self) -> None:
        for path in ("hall/walk.bvh", "hall/push_the_cart.bvh", "hall/sweep.bvh"):
            clip, body, found = self.loops(path)
            made = Loop(first=found[0].first, last=found[0].last, times=3).refine(Refined.of_take(clip), body).clip
            self.assertLess(slide(made, body), max(0.6, slide(clip, body)), path)

    def test_a_turn_goes_on_turning(self) -> None:
        clip, body, found = self.loops("hall/walk.bvh")
        a, b = found[0].first, found[0].last
        turn = rotation.about([0.0, 1.0, 0.0], np.radians(np.linspace(0, 40, clip.frames)))
        rotations, places = clip.rotations.copy(), clip.translations.copy()
        rotations[:, 0] = rotation.multiply(turn, rotations[:, 0])
        turning = replace(clip, rotations=rotations, translations=places)
        made = Loop(first=a, last=b, times=3).refine(Refined.of_take(turning), body).clip
        per_turn = [travel(made.cut(k * (b - a), (k + 1) * (b - a)), body).turn for k in range(3)]
        angles = [float(np.degrees(rotation.angle(turn))) for turn in per_turn]
        np.testing.assert_allclose(angles, 40 * (b - a) / (clip.frames - 1), atol=1.5)

    def test_what_loops_already_is_hardly_changed(self) -> None:
        clip, body, found = self.loops("gallery/greet.glb")
        exact = next(row for row in found if row.pose < 0.01)
        made = Loop(first=exact.first, last=exact.last).refine(Refined.of_take(clip), body).clip
        same(replace(made, name=""), replace(clip.cut(exact.first, exact.last), name=""), 2e-3)

    def test_a_root_that_stands_still_above_moving_hips(self) -> None:
        clip, body, found = self.loops("hall/walk.bvh")
        under, parts = under_a_root(clip, body)
        made = Loop(first=found[0].first, last=found[0].last, times=2).refine(Refined.of_take(under), parts).clip
        wanted = Loop(first=found[0].first, last=found[0].last, times=2).refine(Refined.of_take(clip), body).clip
        np.testing.assert_allclose(made.world().positions[:, 1:], wanted.world().positions, atol=2e-3)
        self.assertEqual(float(np.ptp(made.rotations[:, 0], axis=0).max()), 0.0)

    def test_ends_too_near_are_refused(self) -> None:
        with self.assertRaisesRegex(BadInput, "at least 4 frames between its ends"):
            refined(chance(), Loop(first=10.0, last=12.0))

    def test_nothing_that_does_not_repeat_itself_is_offered(self) -> None:
        document = formats.read((DEMO / "hall/sit_down.bvh").read_bytes(), "sit_down.bvh")
        clip = document.clips[0]
        body = body_of(clip.skeleton, document.parts)
        self.assertEqual(loops_of(Refined.of_take(clip.cut(2, clip.frames - 1)), body), [])
        self.assertEqual(loop_candidates(clip.cut(20, 25), body), [])


def under_a_root(clip: Clip, body: Body) -> tuple[Clip, Body]:
    """The clip on the same skeleton below a joint that does not move."""
    skeleton = clip.skeleton
    above = replace(
        skeleton,
        names=("still", *skeleton.names),
        parents=np.concatenate([[-1], skeleton.parents + 1]),
        rest_translation=np.concatenate([[[0.3, 0.1, -0.2]], skeleton.rest_translation]),
        rest_rotation=np.concatenate([[rotation.about([0.0, 1.0, 0.0], 0.5)], skeleton.rest_rotation]),
        end_parents=skeleton.end_parents + 1,
        file_rest=None,
    )
    first = above.rest_rotation[0]
    places = clip.all_translations()
    places[:, 0] = rotation.rotate(rotation.inverse(first), places[:, 0] - above.rest_translation[0])
    turns = clip.rotations.copy()
    turns[:, 0] = rotation.multiply(rotation.inverse(first), turns[:, 0])
    rotations = np.concatenate([np.broadcast_to(first, (clip.frames, 1, 4)), turns], axis=1)
    parts = {part: tuple(replace(bone, joint=bone.joint + 1) for bone in bones) for part, bones in body.parts.items()}
    moved = Clip(clip.name, above, clip.fps, rotations, clip.moving + 1, places[:, clip.moving])
    return moved, body_of(above, parts)


class Emphasised(unittest.TestCase):
    def clip(self, path: str = "hall/walk.bvh") -> tuple[Clip, Assignment]:
        document = formats.read((DEMO / path).read_bytes(), path)
        return document.clips[0].cut(2, document.clips[0].frames - 1), document.parts

    def test_100_percent_changes_nothing(self) -> None:
        clip, parts = self.clip()
        self.assertIs(refined(clip, Emphasis(), parts=parts).clip, clip)
        made = refined(clip, Emphasis(quick=100.000001), parts=parts).clip
        self.assertLess(np.degrees(rotation.angle_apart(made.rotations, clip.rotations)).max(), 1e-4)

    def test_an_arm_swings_twice_as_far_about_where_it_is_carried(self) -> None:
        clip, parts = self.clip()
        made = refined(clip, Emphasis(slow=200.0, quick=200.0, limbs=("left arm",)), parts=parts).clip
        joint = parts["left upper arm"][0].joint
        before, after = (to_tangent(motion.rotations[:, [joint]])[1] for motion in (clip, made))
        np.testing.assert_allclose(np.ptp(after, axis=0), 2 * np.ptp(before, axis=0), rtol=0.02, atol=1e-3)
        others = [
            j for j in range(len(clip.skeleton)) if j not in {b.joint for p in parts for b in parts[p] if "left" in p}
        ]
        np.testing.assert_allclose(made.rotations[:, others], clip.rotations[:, others], atol=1e-12)

    def test_nothing_of_a_gesture_leaves_its_carriage(self) -> None:
        clip, parts = self.clip()
        made = refined(clip, Emphasis(quick=0.0, limbs=("left arm", "right arm")), parts=parts).clip
        joint = parts["left upper arm"][0].joint
        steps = [rotation.angle_apart(m.rotations[1:, joint], m.rotations[:-1, joint]).max() for m in (clip, made)]
        self.assertLess(steps[1], 0.5 * steps[0])

    def test_feet_rest_where_they_rested(self) -> None:
        clip, parts = self.clip()
        body = body_of(clip.skeleton, parts)
        ground = footing(body)
        assert ground is not None
        before = steps_of(clip, ground)
        for percent in (40.0, 160.0):
            made = refined(clip, Emphasis(slow=percent, quick=percent), parts=parts).clip
            after = steps_of(made, ground)
            self.assertGreater(np.abs(made.world().positions - clip.world().positions).max(), 0.05)
            for contact in before.contacts:
                middle = (contact.first + contact.last) // 2
                apart = after.paths[contact.point][middle] - before.paths[contact.point][middle]
                self.assertLess(np.linalg.norm(apart), 0.03, (percent, contact))

    def test_half_the_way(self) -> None:
        clip, parts = self.clip()
        made = refined(clip, Emphasis(travel=50.0), parts=parts).clip
        hips = parts["hips"][0].joint
        ways = [np.ptp(motion.world().positions[:, hips, 2]) for motion in (clip, made)]
        self.assertAlmostEqual(ways[1] / ways[0], 0.5, delta=0.02)

    def test_a_limb_that_there_is_not(self) -> None:
        clip, parts = self.clip()
        with self.assertRaisesRegex(BadInput, "There is no limb “tail” to emphasise; it has .*left arm"):
            refined(clip, Emphasis(quick=50.0, limbs=("tail",)), parts=parts)
        with self.assertRaisesRegex(BadInput, "say its parts first"):
            refined(chance(), Emphasis(quick=50.0, limbs=("left arm",)), parts={})


class Bent(unittest.TestCase):
    def walk(self) -> tuple[Clip, Body]:
        document = formats.read(WALK.read_bytes(), "walk.bvh")
        clip = document.clips[0].cut(2, 150)
        return clip, body_of(clip.skeleton, document.parts)

    def test_a_way_is_bent_to_a_turn_and_straightened_again(self) -> None:
        clip, body = self.walk()
        for degrees in (90.0, -45.0, 200.0):
            bent = Path(turn=degrees).refine(Refined.of_take(clip), body)
            self.assertAlmostEqual(turning(bent.clip, body), degrees, delta=0.06 * abs(degrees))
            steps = [np.diff(motion.world().positions[:, body.hips, [0, 2]], axis=0) for motion in (clip, bent.clip)]
            lengths = [np.linalg.norm(step, axis=1).sum() for step in steps]
            self.assertAlmostEqual(lengths[1] / lengths[0], 1.0, delta=0.03)
            again = Path(straight=100.0).refine(bent, body).clip
            self.assertAlmostEqual(turning(again, body), 0.0, delta=6.0)

    def test_feet_slide_no_more_than_they_did(self) -> None:
        clip, body = self.walk()
        bent = Path(turn=60.0).refine(Refined.of_take(clip), body).clip
        self.assertLess(slide(bent, body) or 0.0, max(2.0, slide(clip, body) or 0.0))
        np.testing.assert_allclose(bent.world().positions[..., 1], clip.world().positions[..., 1], atol=0.02)

    def test_nothing_is_changed_where_nothing_is_said_or_nobody_goes(self) -> None:
        clip, body = self.walk()
        self.assertIs(Path().refine(Refined.of_take(clip), body).clip, clip)
        stands = replace(clip, translations=np.repeat(clip.translations[:1], clip.frames, axis=0))
        self.assertIs(Path(turn=90.0).refine(Refined.of_take(stands), body).clip, stands)


class Segmented(unittest.TestCase):
    def clip(self, name: str) -> tuple[Clip, Body]:
        document = formats.read((DEMO / "hall" / f"{name}.bvh").read_bytes(), name)
        clip = document.clips[0]
        return clip.cut(2, clip.frames - 1), body_of(clip.skeleton, document.parts)

    def test_at_rests_and_where_walking_becomes_running(self) -> None:
        (walk, body), (look, _), (run, _) = (self.clip(name) for name in ("walk", "look_around", "run"))
        whole, ends = walk, [walk.frames]
        for clip in (look, run, walk):
            both = joined([clip.cut(0, 0), whole.cut(whole.frames - 1, whole.frames - 1)])
            whole = joined([whole, moved(clip, travel(both, body), roots_of(clip))])
            ends.append(whole.frames)
        found = segments(whole, body)
        self.assertEqual([segment.what for segment in found], ["goes", "stands", "runs", "goes"])
        self.assertEqual((found[0].first, found[-1].last), (0, whole.frames - 1))
        for segment, end in zip(found, ends, strict=True):
            self.assertAlmostEqual(segment.last, end, delta=22)
        for earlier, later in pairwise(found):
            self.assertEqual(earlier.last + 1, later.first)

    def test_at_turns(self) -> None:
        walk, body = self.clip("walk")
        long = Pace(percent=40.0).refine(Refined.of_take(walk), body)
        there_and_back = joined([long.clip, Backwards().refine(long, body).clip])
        self.assertGreater(len(segments(there_and_back, body)), 1)

    def test_what_is_short_or_does_a_single_thing_is_left_whole(self) -> None:
        for name in ("walk", "run", "look_around"):
            clip, body = self.clip(name)
            self.assertEqual(segments(clip, body), [])
            self.assertEqual(segments(clip, body_of(clip.skeleton, {})), [])


class Locked(unittest.TestCase):
    def test_a_clip_without_a_known_foot_is_left_alone(self) -> None:
        clip = chance()
        body = body_of(clip.skeleton, {})
        self.assertIs(lock_feet(clip, body, [Contact("left heel", 3, 9)]), clip)

    def test_feet_that_rest_already_are_not_moved(self) -> None:
        document = formats.read((DEMO / "hall/look_around.bvh").read_bytes(), "look_around.bvh")
        clip = document.clips[0].cut(2, 160)
        body = body_of(clip.skeleton, document.parts)
        ground = footing(body)
        assert ground is not None
        same(lock_feet(clip, body, steps_of(clip, ground).contacts), clip, 2e-3)
