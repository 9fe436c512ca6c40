"""Calibration frames, still tracks and travel, where the truth is known."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.intake import recording
from armuto.kinematics import rotation
from armuto.tests import detections, figures
from armuto.tests.detections import with_calibration
from armuto.tests.files import BOW, DEMO, WALK, clip_of


class Calibration(unittest.TestCase):
    def test_right_in_nearly_all_of_random_cases_with_and_without(self):
        right, cases = detections.calibration()
        self.assertGreaterEqual(cases, 200)
        self.assertGreaterEqual(right / cases, 0.98, f"{right} of {cases}")

    def test_the_hall_has_two_frames_of_it_and_the_others_none(self):
        for path in DEMO.glob("*/*"):
            for clip in formats.read(path.read_bytes(), path.name).clips:
                found = recording.calibration(clip)
                with self.subTest(path=path.name, clip=clip.name):
                    self.assertEqual(found.frames if found else 0, 2 if path.parent.name == "hall" else 0)
                    self.assertIsNone(recording.calibration(recording.without_calibration(clip)))
                    if found:
                        self.assertIn("The first 2 frames are held still", found.text)

    def test_a_quick_start_is_not_calibration(self):
        clip = figures.motion(figures.body(), np.random.default_rng(0), frames=24, reach=2.5)
        still = with_calibration(clip, 10)
        rotations = still.rotations.copy()
        # Half a second of quick movement out of a held pose, spread over its frames as a body moves.
        for k in range(16):
            share = (k / 16) ** 2
            rotations[10 + k] = rotation.slerp(rotations[0], clip.rotations[k], share)
        self.assertIsNone(recording.calibration(replace(still, rotations=rotations)))

    def test_a_jump_that_is_followed_by_another_of_its_kind_is_a_movement(self):
        clip = figures.motion(figures.body(), np.random.default_rng(0), frames=240, reach=0.4)
        still = with_calibration(clip, 10)
        self.assertIsNotNone(recording.calibration(still))
        # Two steps out of the held pose instead of one, the second nearly as long as the first.
        rotations = still.rotations.copy()
        rotations[10] = rotation.slerp(rotations[9], rotations[11], 0.6)
        self.assertIsNone(recording.calibration(replace(still, rotations=rotations)))


class Tracks(unittest.TestCase):
    def test_still_bones_roots_and_loops_in_random_cases(self):
        for what, (right, cases) in detections.tracks().items():
            self.assertGreaterEqual(cases, 200)
            self.assertGreaterEqual(right / cases, 0.98, f"{what}: {right} of {cases}")

    def test_still_bones_are_named(self):
        clip = figures.motion(figures.body(), np.random.default_rng(1))
        rotations = clip.rotations.copy()
        for name in ("Neck", "LeftToe"):
            rotations[:, clip.skeleton.index[name]] = rotations[0, clip.skeleton.index[name]]
        self.assertEqual(recording.still_joints(replace(clip, rotations=rotations)), ["Neck", "LeftToe"])
        words = recording.findings_in_words(replace(clip, rotations=rotations))
        self.assertEqual(words, ["2 bones never move: Neck, LeftToe."])

    def test_nothing_moves(self):
        clip = figures.motion(figures.body(), np.random.default_rng(1))
        held = replace(
            clip,
            rotations=np.repeat(clip.rotations[:1], clip.frames, axis=0),
            translations=np.zeros((clip.frames, 0, 3)),
            moving=np.zeros(0, np.int64),
        )
        self.assertEqual(
            recording.findings_in_words(held),
            ["Nothing moves in it.", "No joint changes its place, so the body stays where it is."],
        )

    def test_travel(self):
        self.assertAlmostEqual(recording.travel(clip_of(WALK)), 5.83, delta=0.02)
        self.assertLess(recording.travel(clip_of(BOW)), 0.05)
