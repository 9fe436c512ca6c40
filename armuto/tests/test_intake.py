"""Detecting unit, up axis and facing where the truth is known."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import pairing
from armuto.body.orientation import facing_angle
from armuto.intake import detection
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.tests import detections, figures


class Detecting(unittest.TestCase):
    def test_unit_up_and_facing_in_every_combination(self):
        for what, (right, cases) in detections.file_space().items():
            self.assertGreaterEqual(cases, 200)
            self.assertGreaterEqual(right / cases, 0.98, f"{what}: {right} of {cases}")

    def test_swapped_sides_are_noticed_by_the_toes(self):
        body = figures.body()
        swap = {"Left": "Right", "Right": "Left"}
        swapped = {
            next(
                (s + part.removeprefix(t) for t, s in (("left", "right"), ("right", "left")) if part.startswith(t)),
                part,
            ): bones
            for part, bones in pairing.assign(body).items()
        }
        _, why = facing_angle(body, swapped)
        self.assertIn("swapped", why)
        # Names that lie about all sides are not believed against the toes.
        names = tuple(next((swap[s] + n.removeprefix(s) for s in swap if n.startswith(s)), n) for n in body.names)
        read = pairing.assign(replace(body, names=names))
        self.assertEqual(names[read["left hand"][0].joint], "RightHand")
        self.assertIn("its name says right, yet the feet point forwards", read["left hand"][0].reason)
        _, why = facing_angle(body, read)
        self.assertNotIn("swapped", why)

    def test_up_without_names_from_the_floor_that_motion_keeps(self):
        body = figures.body()
        names = tuple(f"q{n}" for n in range(len(body)))
        clip = figures.motion(body, np.random.default_rng(1), reach=0.3)
        held = replace(clip, translations=clip.translations * [1, 0, 1] + [0, 0.95, 0])
        self.assertEqual(detection.detect_up(replace(body, names=names), {}, held, False)[0], "+Y")

    def test_an_axis_that_the_format_declares_is_overruled_by_more_than_one_witness(self):
        """A body that stands at rest and lies in its motion: where the format leaves up open, the motion is
        believed."""
        body = figures.body()
        parts = pairing.assign(body)
        lying = np.tile(body.rest_rotation, (8, 1, 1))
        lying[:, 0] = rotation.multiply(rotation.about([1, 0, 0], np.pi / 2), body.rest_rotation[0])
        sways = np.tile(body.rest_translation[:1], (8, 1, 1)) + np.linspace(0, 0.6, 8)[:, None, None] * [0.0, 1.0, 0.0]
        clip = Clip("rest", body, 30.0, lying, np.array([0]), sways)
        self.assertEqual(detection.detect_up(body, parts, clip, False)[0], "+Z")
        self.assertEqual(detection.detect_up(body, parts, clip, True)[0], "+Y")

    def test_no_sides_no_facing(self):
        angle, why = facing_angle(figures.body(), {})
        self.assertIsNone(angle)
        self.assertIn("cannot be told", why)
