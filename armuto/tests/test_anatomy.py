"""The pieces of the matcher one by one: lines and twins, ways to lay a limb, fingers, sides, the middle line."""

import unittest
from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from armuto import pairing
from armuto.body.lexicon import lexicon
from armuto.body.plans import body_plan
from armuto.body.tree import SkeletonTree
from armuto.kinematics import rotation
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import unit
from armuto.pairing import hands, limbs
from armuto.pairing.bodies import find
from armuto.pairing.candidates import Names
from armuto.tests import bodies, bone_names, figures
from armuto.tests.files import BOW, clip_of


def tree(*rows: tuple[str, str | None, tuple[float, float, float]]) -> Skeleton:
    """A skeleton from names, parents' names and offsets, all joints unturned."""
    names = [row[0] for row in rows]
    parents = np.array([names.index(row[1]) if row[1] else -1 for row in rows])
    offsets = np.array([row[2] for row in rows], float)
    return Skeleton(tuple(names), parents, offsets, np.tile(rotation.IDENTITY, (len(rows), 1)))


def line(count: int, *lengths: float) -> Skeleton:
    """A straight line of bones along +X."""
    steps = [(0.0, 0.0, 0.0), *((length, 0.0, 0.0) for length in lengths)]
    return tree(*((f"b{n}", f"b{n - 1}" if n else None, steps[n]) for n in range(count)))


def nameless(skeleton: Skeleton) -> Names:
    return Names.of(skeleton, [""] * len(skeleton), lexicon())


class Lines(unittest.TestCase):
    def test_lengths_and_what_is_below(self):
        anatomy = SkeletonTree(line(4, 0.3, 0.2, 0.1))
        np.testing.assert_allclose(anatomy.reach, [0.6, 0.3, 0.1, 0.0])
        self.assertEqual(
            (anatomy.line(1), anatomy.path(0, 3), anatomy.under.tolist()), ((1, 2, 3), [1, 2, 3], [4, 3, 2, 1])
        )
        self.assertTrue(anatomy.is_above(0, 3))
        self.assertFalse(anatomy.is_above(3, 0))

    def test_the_longest_way_down_passes_leaves_by(self):
        forked = tree(
            ("hand", None, (0, 0, 0)),
            ("prop", "hand", (0.05, 0, 0)),
            ("finger", "hand", (0.1, 0, 0)),
            ("tip", "finger", (0.05, 0, 0)),
        )
        self.assertEqual(SkeletonTree(forked).line(0), (0, 2, 3))

    def test_the_nearest_joint_above_two(self):
        body = figures.body()
        anatomy = SkeletonTree(body)
        common = anatomy.common(body.index["LeftHand"], body.index["Head"])
        self.assertEqual(body.names[common], "Chest")
        two = tree(("a", None, (0, 0, 0)), ("b", None, (1, 0, 0)))
        self.assertIsNone(SkeletonTree(two).common(0, 1))

    def test_twins_are_alike_and_long_enough(self):
        body = figures.body()
        found = {(body.names[t.branch], body.names[t.a[0]], body.names[t.b[0]]) for t in SkeletonTree(body).limb_pairs}
        true = {("Chest", "LeftShoulder", "RightShoulder"), ("Hips", "LeftUpLeg", "RightUpLeg")}
        self.assertLessEqual(true, found)
        # A spine may be as long as a leg; a twin it is not.
        sure = [t for t in SkeletonTree(body).limb_pairs if t.likeness > 0.99]
        self.assertEqual({(body.names[t.branch], body.names[t.a[0]], body.names[t.b[0]]) for t in sure}, true)
        longer = body.rest_translation.copy()
        longer[[body.index["LeftLeg"], body.index["LeftFoot"]]] *= 1.8
        uneven = SkeletonTree(replace(body, rest_translation=longer)).limb_pairs
        self.assertEqual([body.names[t.branch] for t in uneven if t.likeness > 0.99], ["Chest"])

    def test_bones_that_move_no_skin_nor_carry_any_that_does(self):
        body = figures.body()
        weighted = {n for n, name in enumerate(body.names) if name not in ("Hips", "LeftToe", "RightToe")}
        idle = SkeletonTree(body, weighted).idle
        self.assertEqual({body.names[joint] for joint in idle}, {"LeftToe", "RightToe"})
        self.assertEqual(SkeletonTree(body).idle, frozenset())

    def test_unit_vectors_of_nothing(self):
        np.testing.assert_array_equal(unit(np.zeros(3)), np.zeros(3))


class Ways(unittest.TestCase):
    arm = body_plan().limbs["left arm"]
    leg = body_plan().limbs["left leg"]

    def laid(self, skeleton: Skeleton, parts, names=None) -> limbs.Ways:
        bones = tuple(range(1, len(skeleton)))
        scores = names if names is not None else np.zeros((len(bones), len(parts)))
        return limbs.ways(SkeletonTree(skeleton), [bones], parts, [scores], False, True)

    def named(self, ways: limbs.Ways, parts) -> dict[str, int]:
        return {parts[part].kind: at for part, at in ways.best.items()}

    def test_lengths_say_where_the_elbow_is(self):
        made = self.laid(line(5, 0.02, 0.09, 0.29, 0.26), self.arm)
        self.assertEqual(self.named(made, self.arm), {"shoulder": 0, "upper arm": 1, "lower arm": 2, "hand": 3})
        there = made.probability.sum(axis=0)
        np.testing.assert_allclose(there[1:3], 1.0)
        self.assertGreater(there[3], 0.75)  # an arm may end before its hand
        self.assertGreater(made.probability[1, 1], 0.7)

    def test_bones_for_twist_are_passed_over(self):
        plain = line(7, 0.02, 0.09, 0.145, 0.145, 0.13, 0.13)
        fingers = [("a1", "b6", 0.02), ("a2", "a1", 0.03), ("c1", "b6", -0.02), ("c2", "c1", -0.03)]
        arm = tree(
            *(
                (n, plain.names[plain.parents[k]] if k else None, tuple(plain.rest_translation[k]))
                for k, n in enumerate(plain.names)
            ),
            *((name, parent, (0.04, 0.0, aside)) for name, parent, aside in fingers),
        )
        anatomy = SkeletonTree(arm)
        bones = anatomy.line(1)
        made = limbs.ways(anatomy, [bones], self.arm, [np.zeros((len(bones), len(self.arm)))], True, True)
        self.assertEqual(self.named(made, self.arm), {"shoulder": 0, "upper arm": 1, "lower arm": 3, "hand": 5})

    def test_of_joints_on_each_other_the_last_is_the_part(self):
        made = self.laid(line(5, 0.1, 0.0, 0.45, 0.44), self.leg)
        self.assertEqual(self.named(made, self.leg), {"upper leg": 1, "lower leg": 2, "foot": 3})

    def test_optional_parts_may_be_missing(self):
        made = self.laid(line(4, 0.1, 0.3, 0.28), self.arm)
        self.assertEqual(self.named(made, self.arm), {"upper arm": 0, "lower arm": 1, "hand": 2})

    def test_a_limb_may_end_early(self):
        made = self.laid(line(3, 0.3, 0.3), self.arm)
        self.assertEqual(self.named(made, self.arm), {"upper arm": 0, "lower arm": 1})
        short = self.laid(line(4, 0.02, 0.13, 0.29), self.arm)
        self.assertEqual(self.named(short, self.arm), {"shoulder": 0, "upper arm": 1, "lower arm": 2})

    def test_too_few_bones_are_no_limb(self):
        self.assertEqual(self.laid(line(2, 0.3), self.arm), limbs.NONE)

    def test_a_name_settles_what_lengths_leave_open(self):
        even = line(6, 0.1, 0.2, 0.2, 0.2, 0.2)
        scores = np.zeros((5, len(self.leg)))
        for at, part in ((1, 0), (2, 1), (3, 2), (4, 3)):
            scores[at, part] = 3.0
        made = self.laid(even, self.leg, scores)
        self.assertEqual(self.named(made, self.leg), {"upper leg": 1, "lower leg": 2, "foot": 3, "toes": 4})
        self.assertGreater(min(made.probability[1, 0], made.probability[2, 1], made.probability[3, 2]), 0.95)

    def test_idle_ends_are_avoided(self):
        skeleton = line(5, 0.1, 0.45, 0.44, 0.1)
        plain = limbs.ways(SkeletonTree(skeleton), [(1, 2, 3, 4)], self.leg, [np.zeros((4, 4))], False, True)
        known = limbs.ways(SkeletonTree(skeleton, {1, 2, 3}), [(1, 2, 3, 4)], self.leg, [np.zeros((4, 4))], False, True)
        self.assertLess(known.probability[3, 3], plain.probability[3, 3])


class Fingers(unittest.TestCase):
    def hand(self, seed: int, fingers: int):
        """A generated body with so many fingers, its left hand, and the truth."""
        rng = np.random.default_rng(seed)
        while True:
            skeleton, truth, keys = bodies.two_legged(rng, hands=True)
            if sum(f"left {finger} proximal" in truth for finger in bodies.FINGERS) == fingers:
                return skeleton, truth, keys

    def test_any_number_of_fingers_in_their_order(self):
        for count in (2, 3, 4, 5):
            with self.subTest(count):
                skeleton, truth, keys = self.hand(count, count)
                passed = [n for n, key in enumerate(keys) if "prop" in key]
                for side in ("left", "right"):
                    found, sure = hands.fingers(SkeletonTree(skeleton), truth[f"{side} hand"][0], passed)
                    self.assertEqual(list(found), list(bodies.FINGERS[:count]))
                    for finger, bones in found.items():
                        last = "distal"
                        self.assertEqual(bones[-1], truth[f"{side} {finger} {last}"][0])
                        self.assertEqual(len(bones), 3)
                    self.assertGreater(sure, 0.5)

    def test_palm_bones_are_no_phalanges(self):
        rng = np.random.default_rng(5)
        while True:
            skeleton, truth, keys = bodies.two_legged(rng, hands=True)
            if "left index palm" in keys:
                break
        found, _ = hands.fingers(SkeletonTree(skeleton), truth["left hand"][0], [])
        palms = {n for n, key in enumerate(keys) if "palm" in key}
        self.assertFalse(palms & {joint for bones in found.values() for joint in bones})

    def test_a_hand_without_fingers(self):
        body = figures.body()
        self.assertEqual(hands.fingers(SkeletonTree(body), body.index["LeftHand"], []), ({}, 0.0))


class Bodies(unittest.TestCase):
    def test_sides_and_facing_whichever_way_the_body_stands(self):
        body = figures.body()
        rng = np.random.default_rng(8)
        for _ in range(12):
            turned = figures.disguised(body, rng, float(rng.uniform(-np.pi, np.pi)), float(np.exp(rng.uniform(-2, 2))))
            found = find(SkeletonTree(turned), nameless(turned), body_plan())
            arm = found.limbs["arm"]
            left = arm.joints(found.twin("arm", "left"))
            self.assertEqual(body.names[left[len(arm.kinds) - 1]], "LeftHand")
            self.assertGreater(found.side_sure, 0.95)
            self.assertIn("the feet point forwards", found.side_why)

    def test_the_axes_may_be_any(self):
        """Up is where the legs come from, not an axis of the file."""
        body = figures.body()
        roots = np.flatnonzero(body.parents < 0)
        for turn in (Rotation.from_euler("x", 90, degrees=True), Rotation.from_euler("z", -90, degrees=True)):
            rotations = body.rest_rotation.copy()
            rotations[roots] = rotation.multiply(turn.as_quat()[None], rotations[roots])
            lying = replace(body, rest_rotation=rotations, names=tuple(f"{n}" for n in range(len(body))))
            found = pairing.assign(lying)
            self.assertEqual(body.names[found["left foot"][0].joint], "LeftFoot")
            self.assertEqual(body.names[found["head"][0].joint], "Head")

    def test_feet_and_names_against_each_other(self):
        body = figures.body()
        swap = {"Left": "Right", "Right": "Left"}
        lies = tuple(next((swap[s] + n.removeprefix(s) for s in swap if n.startswith(s)), n) for n in body.names)
        words = lexicon()
        body_by_words = find(SkeletonTree(body), Names.of(body, lies, words), body_plan())
        true = find(SkeletonTree(body), Names.of(body, body.names, words), body_plan())
        self.assertEqual(body_by_words.twin("leg", "left"), true.twin("leg", "left"))
        self.assertLess(body_by_words.side_sure, true.side_sure)

    def test_no_body_in_a_pole(self):
        self.assertIsNone(
            find(SkeletonTree(line(6, 0.1, 0.1, 0.1, 0.1, 0.1)), nameless(line(6, *[0.1] * 5)), body_plan())
        )

    def test_the_pelvis_is_the_legs_own_joint_where_the_common_one_lies_on_the_floor(self):
        body = figures.body()
        names = ["Travel", *body.names]
        hips, spine = 1 + body.index["Hips"], 1 + body.index["Spine"]
        parents = np.concatenate([[-1], np.where(body.parents < 0, 0, body.parents + 1)])
        offsets = np.vstack([np.zeros(3), body.rest_translation])
        # The spine hangs from the joint on the floor beside the pelvis, as some rigs have it.
        parents[spine], offsets[spine] = 0, offsets[hips] + offsets[spine]
        order = [0, hips, *[n for n in range(1, len(names)) if n != hips]]
        place = {old: new for new, old in enumerate(order)}
        skeleton = Skeleton(
            tuple(f"{n}" for n in range(len(order))),
            np.array([place[int(parents[old])] if parents[old] >= 0 else -1 for old in order]),
            offsets[order],
            np.tile(rotation.IDENTITY, (len(order), 1)),
        )
        found = pairing.assign(skeleton)
        self.assertEqual((found["hips"][0].joint, found["root"][0].joint), (place[hips], 0))

    def test_what_hangs_from_the_head_is_not_the_neck(self):
        rng = np.random.default_rng(31)
        checked = 0
        while checked < 6:
            skeleton, truth, keys = bodies.two_legged(rng)
            if not any(key.startswith("hair") for key in keys):
                continue
            found = pairing.assign(bone_names.named(skeleton, keys, rng, "numbers"))
            self.assertEqual(keys[found["head"][0].joint], "head")
            self.assertEqual({b.joint for b in found["neck"]}, set(truth["neck"]))
            checked += 1

    def test_the_demo_is_read_alike_with_and_without_its_names(self):
        body = clip_of(BOW).skeleton
        with_names = pairing.assign(body)
        without = pairing.assign(replace(body, names=tuple(f"{n:02d}" for n in range(len(body)))))
        for part, found in with_names.items():
            self.assertEqual([b.joint for b in found], [b.joint for b in without[part]], part)
            self.assertGreaterEqual(found[0].confidence, without[part][0].confidence - 1e-6, part)


class SingleRotations(unittest.TestCase):
    def test_one_and_many_give_the_same(self):
        rng = np.random.default_rng(0)
        a, b = (Rotation.random(20, rng=rng).as_quat() for _ in range(2))
        v = rng.normal(size=(20, 3))
        for n in range(20):
            np.testing.assert_allclose(rotation.multiply(a[n], b[n]), rotation.multiply(a, b)[n], atol=1e-15)
            np.testing.assert_allclose(rotation.rotate(a[n], v[n]), rotation.rotate(a, v)[n], atol=1e-14)
            np.testing.assert_allclose(rotation.angle(a[n]), rotation.angle(a)[n], atol=1e-14)
            turn = rotation.between(v[n], b[n, :3])
            np.testing.assert_allclose(unit(rotation.rotate(turn, v[n])), unit(b[n, :3]), atol=1e-12)
        np.testing.assert_array_equal(rotation.between(np.zeros(3), v[0]), rotation.IDENTITY)
        half = rotation.between(v[0], -v[0])
        np.testing.assert_allclose(rotation.rotate(half, v[0]), -v[0], atol=1e-12)
