"""Plates: which poses are chosen, from where they are seen, and how they are laid out."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats, pairing
from armuto.intake import recording
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.plates import FEWEST, MOST, plate
from armuto.tests import figures
from armuto.tests.files import BOW, DEMO, WALK, clip_of
from demo import gallery, roof, yard
from demo.handover import placed


def drawn(clip):
    return plate(clip, pairing.assign(clip.skeleton))


def middles(made):
    return made.strokes[..., 0::2].mean(axis=(1, 2))


class Poses(unittest.TestCase):
    def test_every_demo_clip_has_eight_to_twenty_poses_in_order_on_the_paper(self):
        for path in DEMO.glob("*/*"):
            document = formats.read(path.read_bytes(), path.name)
            for clip in document.clips:
                made = plate(clip, document.parts)
                with self.subTest(clip=clip.name):
                    self.assertTrue(8 <= len(made.frames) <= 20)
                    self.assertEqual(len(made.frames), len(made.strokes))
                    self.assertTrue(np.all(np.diff(made.frames) > 0))
                    self.assertEqual((made.frames[0], made.frames[-1]), (0, clip.frames - 1))
                    self.assertGreaterEqual(made.strokes.min(), -1e-9)
                    self.assertAlmostEqual(made.strokes[..., 0::2].max(), made.width)
                    self.assertEqual(len(made.sides), made.strokes.shape[1])
                    self.assertEqual(set(made.sides), {"left", "right", ""})
                    self.assertEqual(made.heads.shape, (len(made.frames), 1, 3))

    def test_where_more_moves_more_poses_stand(self):
        clip = figures.motion(figures.body(), np.random.default_rng(0), frames=120, reach=1.0)
        # The same motion, of which the last third stands still.
        held = clip.rotations.copy()
        held[80:] = held[80]
        places = clip.translations.copy()
        places[80:] = places[80]
        frames = np.array(drawn(replace(clip, rotations=held, translations=places)).frames)
        self.assertLessEqual(int((frames > 82).sum()), 1)
        self.assertTrue(FEWEST <= len(frames) <= MOST)

    def test_nothing_moves_and_a_plate_is_drawn_all_the_same(self):
        clip = figures.motion(figures.body(), np.random.default_rng(0))
        still = replace(
            clip,
            rotations=np.repeat(clip.rotations[:1], clip.frames, axis=0),
            translations=np.repeat(clip.translations[:1], clip.frames, axis=0),
        )
        self.assertEqual(len(drawn(still).frames), FEWEST)
        self.assertEqual(len(drawn(clip.cut(0, 1)).frames), 2)


class Layout(unittest.TestCase):
    def test_what_travels_is_drawn_along_its_path_and_what_stays_is_fanned_out(self):
        walk, bow = drawn(clip_of(WALK)), drawn(clip_of(BOW))
        # To scale: the middles lie as far apart as the body went.
        way = recording.travel(clip_of(WALK))
        self.assertAlmostEqual(np.ptp(middles(walk)), way, delta=0.15)
        steps = np.diff(middles(bow))
        np.testing.assert_allclose(steps, steps[0], atol=0.12)
        self.assertGreater(steps.min(), 0.3)

    def test_left_to_right_whichever_way_it_goes(self):
        clip = clip_of(WALK)
        for yaw in (0.0, 90.0, 180.0, 250.0):
            self.assertTrue(np.all(np.diff(middles(drawn(placed(clip, yaw, [1.0, 0.0, 2.0])))) > 0), yaw)

    def test_long_bodies_get_more_room(self):
        for clip in yard.clips():
            made = drawn(clip)
            width = np.median(np.ptp(made.strokes[..., 0::2], axis=(1, 2)))
            if recording.travel(clip) < 0.3:
                self.assertGreater(np.diff(middles(made)).mean(), 0.55 * width, clip.name)

    def test_spread_wings_are_not_seen_edge_on(self):
        flap = next(clip for clip in roof.clips() if clip.name == "flap")
        made = drawn(flap)
        side = np.array(made.sides)
        left = made.strokes[:, side == "left"][..., 0::2]
        right = made.strokes[:, side == "right"][..., 0::2]
        # The wings reach out to different sides on the paper.
        self.assertGreater(np.abs(left.mean(axis=(1, 2)) - right.mean(axis=(1, 2))).mean(), 0.1)

    def test_fingers_are_fine_and_a_bone_that_only_carries_travel_is_not_drawn(self):
        (stroll,) = (clip for clip in gallery.clips() if clip.name == "stroll")
        made = drawn(stroll)
        bones = len(stroll.skeleton) - 2  # neither the root nor the stroke from it to the pelvis
        self.assertEqual(made.strokes.shape[1], bones)
        self.assertEqual(sum(made.fine), 20)

    def test_heads_stand_above_the_neck_and_follow_it(self):
        made = drawn(clip_of(BOW))
        height = made.heads[:, 0, 1]
        self.assertGreater(height[0], 0.85 * made.height)
        self.assertLess(height.min(), height[0] - 0.1)  # the bow takes it down
        self.assertEqual(drawn(nameless(clip_of(BOW))).heads.shape[1], 1)  # found by its shape
        alone = clip_of(BOW)
        only = alone.skeleton.index["Hips"]
        stump = Skeleton(
            ("q",), np.array([-1]), alone.skeleton.rest_translation[[only]], alone.skeleton.rest_rotation[[only]]
        )
        clip = Clip(
            "stump", stump, 30.0, alone.rotations[:, [only]], np.array([0]), alone.all_translations()[:, [only]]
        )
        self.assertEqual(drawn(clip).heads.shape[1], 0)


def nameless(clip):
    names = tuple(f"q{n}" for n in range(len(clip.skeleton)))
    return replace(clip, skeleton=replace(clip.skeleton, names=names))
