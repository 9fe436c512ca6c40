"""Where knees and elbows are told by how a limb bends, and where only by where they are on most bodies."""

import unittest

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.rigging.proposing.hinges import hinge_at

EXPECTED, SPREAD, NOISE = 0.47, 0.04, 0.0006
ALONG = np.linspace(0.1, 0.9, 40)


def bent(rng: np.random.Generator, at: float, degrees: float, along: FloatArray = ALONG) -> FloatArray:
    """Middles of the sections of a limb that bends somewhere."""
    away = np.tan(np.radians(degrees)) * np.maximum(along - at, 0.0)
    line = np.stack([0.1 - 0.2 * along, 0.3 * along], axis=1)
    return line + np.stack([0.3 * away, away], axis=1) + rng.normal(0, NOISE, (len(along), 2))


class Hinges(unittest.TestCase):
    def test_a_limb_that_bends_shows_where(self) -> None:
        rng = np.random.default_rng(7)
        for _ in range(50):
            at, degrees = EXPECTED + rng.uniform(-2.5, 2.5) * SPREAD, rng.choice([-1, 1]) * rng.uniform(4, 30)
            found = hinge_at(ALONG, bent(rng, at, degrees), EXPECTED, SPREAD, NOISE)
            self.assertLess(abs(found - at), 0.3 * SPREAD, f"{at:.3f}, bent by {degrees:.1f} degrees")

    def test_a_straight_one_is_given_what_is_usual(self) -> None:
        rng = np.random.default_rng(8)
        for _ in range(20):
            found = hinge_at(ALONG, bent(rng, EXPECTED, 0.0), EXPECTED, SPREAD, NOISE)
            self.assertLess(abs(found - EXPECTED), 0.6 * SPREAD)

    def test_flesh_that_is_round_all_along_says_little(self) -> None:
        middles = np.stack([0 * ALONG, 0.1 * np.sin(3 * ALONG) ** 2], axis=1)
        self.assertLess(abs(hinge_at(ALONG, middles, EXPECTED, SPREAD, NOISE) - EXPECTED), SPREAD)

    def test_one_that_is_hidden_beyond_its_middle_is_given_what_is_usual(self) -> None:
        rng = np.random.default_rng(9)
        seen = ALONG[ALONG < EXPECTED + SPREAD]
        self.assertEqual(hinge_at(seen, bent(rng, 0.3, 20, seen), EXPECTED, SPREAD, NOISE), EXPECTED)
        self.assertEqual(hinge_at(seen[:0], np.zeros((0, 2)), EXPECTED, SPREAD, NOISE), EXPECTED)
