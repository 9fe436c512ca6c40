"""Detecting unit, up axis and facing where the truth is known."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import intake, pairing, rotation
from armuto.skeleton import Skeleton, in_frame
from armuto.tests import figures


def disguised_file(rng: np.random.Generator, unit: str, up: str, yaw: float) -> Skeleton:
    """The test body at a random size, as a file in this unit and with this axis up would hold it."""
    body = figures.body()
    size = rng.uniform(0.75, 1.2) / intake.UNITS[unit]
    turn = rotation.multiply(rotation.inverse(intake.upright(up)), rotation.about([0, 1, 0], yaw))
    offsets = body.rest_translation * size
    offsets[0] = rotation.rotate(turn, offsets[0])
    turned = body.rest_rotation.copy()
    turned[0] = turn
    return replace(body, rest_translation=offsets, rest_rotation=turned)


class Detecting(unittest.TestCase):
    def test_unit_up_and_facing_in_every_combination(self):
        rng = np.random.default_rng(0)
        right, cases = {"unit": 0, "up": 0, "facing": 0}, 0
        for unit in intake.UNITS:
            for up in intake.UP_AXES:
                for eighth in range(8):
                    cases += 1
                    yaw = eighth * np.pi / 4
                    raw = disguised_file(rng, unit, up, yaw)
                    parts = pairing.assign(raw)
                    frame = intake.file_frame(raw, parts, ())
                    right["unit"] += frame.unit == intake.UNITS[unit]
                    right["up"] += frame.up == up
                    skeleton = in_frame(raw, intake.file_frame(raw, parts, (), told=intake.Told(unit, up)))
                    angle, _ = intake.facing(skeleton, parts)
                    off = (angle - np.degrees(yaw) + 180) % 360 - 180
                    right["facing"] += abs(off) < 0.5
        self.assertGreaterEqual(cases, 200)
        for what, count in right.items():
            self.assertGreaterEqual(count / cases, 0.98, f"{what}: {count} of {cases}")

    def test_swapped_sides_are_noticed_by_the_toes(self):
        body = figures.body()
        swap = {"Left": "Right", "Right": "Left"}
        names = tuple(next((swap[s] + n.removeprefix(s) for s in swap if n.startswith(s)), n) for n in body.names)
        _, why = intake.facing(replace(body, names=names), pairing.assign(replace(body, names=names)))
        self.assertIn("swapped", why)

    def test_up_without_names_from_the_floor_that_motion_keeps(self):
        body = figures.body()
        names = tuple(f"q{n}" for n in range(len(body)))
        clip = figures.motion(body, np.random.default_rng(1), reach=0.3)
        held = replace(clip, translations=clip.translations * [1, 0, 1] + [0, 0.95, 0])
        self.assertEqual(intake.detect_up(replace(body, names=names), {}, held, False)[0], "+Y")

    def test_no_sides_no_facing(self):
        angle, why = intake.facing(figures.body(), {})
        self.assertIsNone(angle)
        self.assertIn("cannot be told", why)
