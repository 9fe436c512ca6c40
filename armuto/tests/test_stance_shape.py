"""What a posture shows: how a body stands in words, frames, bends, soles, builds, sizes, feet above the floor."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import pairing
from armuto.body.plans import body_plan
from armuto.kinematics import rotation
from armuto.kinematics.skeleton import Skeleton
from armuto.retarget import fitting
from armuto.stance import value
from armuto.stance.build import same_build
from armuto.stance.measures import sole_height
from armuto.stance.posture import facing_in, measure, places_of
from armuto.stance.shape import Shape, limbs_of, soles, tips_of, turn_between
from armuto.stance.value import posed
from armuto.tests import figures

PLAN = body_plan()
FRONT = np.array([0.0, 0.0, 1.0])
PARTS = pairing.assign(figures.body())
NAMES = {bone.joint: part for part, bones in PARTS.items() for bone in bones}


def shape(skeleton: Skeleton, rotations: np.ndarray | None = None) -> Shape:
    pose = posed(skeleton, skeleton.rest_rotation if rotations is None else rotations)
    limbs = limbs_of(skeleton, NAMES, PLAN)
    tips = tips_of(skeleton, pose.positions, pose.ends, {joint: joint for joint in NAMES})
    return Shape(limbs, {joint: pose.positions[joint] for joint in NAMES}, FRONT, tips)


def posture(turns: dict[str, tuple[float, float, float]]):
    body = figures.posed(figures.body(), turns)
    return measure(places_of(body.rest.positions, PARTS), PLAN, FRONT)


class Postures(unittest.TestCase):
    def test_words_for_how_a_body_stands(self):
        down = {"LeftArm": (0, 0, -80), "RightArm": (0, 0, 80)}
        splayed = {"LeftUpLeg": (0, 0, 18), "RightUpLeg": (0, 0, -18)}
        for turns, words in (
            ({}, "stands in a T"),
            ({"LeftArm": (0, 0, -45), "RightArm": (0, 0, 45)}, "stands in an A, its arms 45° from hanging"),
            (down, "stands with its arms down"),
            (splayed, "stands in a T, its legs splayed by 18°"),
            ({"LeftArm": (0, 0, -70)}, "stands with its arms apart from each other"),
            ({"Hips": (14, 0, 0)}, "leaning by 1"),
            ({"LeftUpLeg": (-60, 0, 0), "LeftLeg": (80, 0, 0), "LeftArm": (0, 70, 0)}, "in the middle of an action"),
        ):
            with self.subTest(words=words):
                self.assertIn(words, posture(turns).words)

    def test_angles_are_measured_one_by_one(self):
        self.assertAlmostEqual(posture({"LeftForeArm": (0, -50, 0)}).elbows, 50, delta=6)
        self.assertAlmostEqual(posture({"LeftLeg": (40, 0, 0)}).knees, 40, delta=8)
        self.assertAlmostEqual(posture({"Spine": (0, 20, 0)}).twist, 20, delta=0.1)
        self.assertAlmostEqual(posture({"Hips": (0, 0, 9)}).tilt, 9, delta=0.1)
        self.assertGreater(posture({"LeftUpLeg": (-30, 0, 0)}).stride, 25)
        self.assertFalse(posture({"LeftUpLeg": (-30, 0, 0)}).stands)
        self.assertTrue(posture({"LeftArm": (0, 0, -70)}).stands)

    def test_a_twisted_body_faces_the_axis_that_is_near(self):
        body = figures.body()
        twisted = figures.posed(body, {"Hips": (0, -4, 0), "Spine": (0, 22, 0)})
        degrees, why = facing_in(twisted, twisted.rest.positions, PARTS)
        self.assertEqual(degrees, 0.0)
        self.assertIn("the axis near that is taken", why)
        whole = figures.posed(body, {"Hips": (0, 11, 0)})
        self.assertAlmostEqual(facing_in(whole, whole.rest.positions, PARTS)[0] or 0, 11, delta=0.01)


class Shapes(unittest.TestCase):
    def test_hips_and_chest_are_framed_by_what_hangs_from_them(self):
        body = figures.posed(figures.body(), {"Hips": (0, 30, 0)})
        onward, across = shape(body).frame(body.index["Hips"])
        self.assertLess(
            float(
                np.abs(across - rotation.rotate(rotation.about([0, 1, 0], np.radians(30)), np.array([1.0, 0, 0]))).max()
            ),
            1e-9,
        )
        self.assertLess(abs(float(onward @ across)), 1e-12)

    def test_a_bend_is_believed_by_how_far_it_goes(self):
        for degrees, least, most in ((0, 0.0, 0.0), (8, 0.01, 0.99), (30, 1.0, 1.0)):
            body = figures.posed(figures.body(), {"LeftForeArm": (0, -degrees, 0)})
            flat = body.rest_translation.copy()
            for name in ("LeftForeArm", "LeftHand"):
                flat[body.index[name], 1:] = 0
            way, trust = shape(replace(body, rest_translation=flat)).bend(body.index["LeftArm"])
            self.assertGreaterEqual(trust, least)
            self.assertLessEqual(trust, most)
            self.assertGreater(float(way @ FRONT), 0.98)

    def test_knees_bend_away_from_the_toes(self):
        body = figures.body()
        self.assertLess(float(shape(body).expected(body.index["LeftUpLeg"]) @ FRONT), -0.95)
        self.assertIsNone(shape(body).expected(body.index["Spine"]))

    def test_soles_by_the_floor_by_the_toes_or_not_at_all(self):
        body = figures.body()
        foot = body.index["LeftFoot"]
        along, up = shape(body).flat(foot)
        self.assertLess(abs(float(along[1])), 1e-12)
        self.assertAlmostEqual(float(up[1]), 1.0)
        raised = figures.posed(body, {"LeftUpLeg": (-70, 0, 0), "LeftLeg": (60, 0, 0)})
        self.assertIsNone(shape(raised).flat(raised.index["LeftFoot"]))
        self.assertIsNone(soles(shape(body), shape(raised), foot))
        toes = np.array([body.index["LeftToe"], body.index["RightToe"]])
        tipped = replace(raised, end_parents=toes, end_offsets=np.array([[0, 0, 0.06], [0, 0, 0.06]]))
        level = replace(body, end_parents=toes, end_offsets=np.array([[0, 0, 0.06], [0, 0, 0.06]]))
        before, other = soles(shape(level), shape(tipped), foot)
        self.assertGreater(float(before[0] @ FRONT), 0.999)
        turned = posed(raised, raised.rest_rotation).rotations[raised.index["LeftToe"]]
        self.assertGreater(float(other[0] @ rotation.rotate(turned, FRONT)), 0.999)

    def test_builds_are_told_from_postures_and_sizes(self):
        body = figures.body()
        bent = figures.posed(body, {"LeftArm": (10, 20, -50), "Spine": (20, 0, 0)})
        larger = replace(bent, rest_translation=bent.rest_translation * 1.7)
        self.assertTrue(same_build(shape(body), shape(larger)))
        longer = body.rest_translation.copy()
        longer[body.index["LeftHand"]] *= 1.1
        self.assertFalse(same_build(shape(body), shape(replace(body, rest_translation=longer))))
        wider = body.rest_translation.copy()
        wider[body.index["LeftUpLeg"]] = np.linalg.norm(wider[body.index["LeftUpLeg"]]) * np.array([0.6, -0.8, 0])
        self.assertFalse(same_build(shape(body), shape(replace(body, rest_translation=wider))))

    def test_a_frame_is_turned_onto_another(self):
        rng = np.random.default_rng(5)
        for _ in range(20):
            q = rotation.normalised(rng.normal(0, 1, 4))
            have = (np.array([0, 1.0, 0]), np.array([1.0, 0, 0]))
            wanted = (rotation.rotate(q, have[0]), rotation.rotate(q, have[1]))
            off = rotation.multiply(rotation.inverse(q), turn_between(have, wanted))
            self.assertLess(float(rotation.angle(off)), 1e-7)


class Heights(unittest.TestCase):
    def test_feet_above_the_floor_only_where_a_body_rests_on_it(self):
        body = figures.body()
        feet, hips = [body.index["LeftToe"], body.index["RightToe"]], body.index["Hips"]
        self.assertAlmostEqual(sole_height(body, feet, hips) or 0, 0.02, delta=1e-9)
        for lift in (-0.95, 0.6):
            moved = body.rest_translation.copy()
            moved[0, 1] += lift
            self.assertIsNone(sole_height(replace(body, rest_translation=moved), feet, hips))
        self.assertIsNone(sole_height(body, [], hips))

    def test_the_other_side_lends_its_height(self):
        body = figures.body()
        sunk = body.rest_translation.copy()
        sunk[0, 1] = 0.0
        made = fitting.fit(
            replace(body, rest_translation=sunk), replace(body, rest_translation=body.rest_translation * 2)
        )
        self.assertAlmostEqual(made.floors[1], 0.04)
        self.assertAlmostEqual(made.floors[0], 0.02)

    def test_only_what_was_turned_by_hand_is_taken_lightly(self):
        body = figures.body()
        made = fitting.fit(body, body)
        turned = made.target_stance.with_turn(3, rotation.about([0, 1, 0], 0.3))
        again = fitting.turned_by_hand(made, turned)
        whole = fitting.fit(
            body, body, pairs=made.pairs, source_stance=made.source_stance, target_stance=turned, facing=(0.0, 0.0)
        )
        self.assertEqual(again.rows, whole.rows)
        with self.assertRaises(ValueError):
            fitting.turned_by_hand(made, value.rest_of(figures.posed(body, {"Head": (9, 0, 0)})))


if __name__ == "__main__":
    unittest.main()
