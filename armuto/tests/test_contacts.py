"""Contacts are found where feet and hands rest, on floors and stairs, in clean motion and in noisy."""

import unittest

import numpy as np

from armuto import formats
from armuto.contacts.detection import detect_contacts
from armuto.contacts.model import Contact, from_json
from armuto.contacts.resting import PointTrack, resting_contacts
from armuto.intake import recording
from armuto.kinematics.signals import hysteresis, runs
from armuto.retarget.context import RetargetContext
from armuto.tests import settled
from armuto.tests.files import DEMO


def found(clip):
    return detect_contacts(clip, RetargetContext(settled.fitted(clip.skeleton, clip.skeleton)))


def of(contacts, point, to=""):
    return [(contact.first, contact.last) for contact in contacts if contact.point == point and contact.to == to]


class Feet(unittest.TestCase):
    def assert_near(self, have, want, frames):
        self.assertEqual(len(have), len(want), (have, want))
        for (a, b), (c, d) in zip(have, want, strict=True):
            self.assertLessEqual(max(abs(a - c), abs(b - d)), frames, (have, want))

    def test_a_walk(self):
        clip, known = settled.walk()
        contacts = found(clip)
        self.assertAlmostEqual(contacts.floor, 0.0, delta=0.01)
        for point, stands in known.items():
            long_enough = [stand for stand in stands if stand[1] - stand[0] > 5]
            have = [span for span in of(contacts.contacts, point) if span[1] - span[0] > 5]
            self.assert_near(have, long_enough, 3)

    def test_noise_moves_no_contact_by_more_than_a_few_frames(self):
        clip, known = settled.walk()
        for seed in range(4):
            contacts = found(settled.noisy(clip, np.random.default_rng(seed), 0.006)).contacts
            for point, stands in known.items():
                inner = [stand for stand in stands if stand[0] > 5 and stand[1] < clip.frames - 6]
                have = [span for span in of(contacts, point) if span[0] > 5 and span[1] < clip.frames - 6]
                self.assert_near(have, inner, 5)

    def test_stairs_are_stood_on_at_their_heights(self):
        clip, known = settled.stairs()
        raised = [contact for contact in found(clip).contacts if contact.point.endswith("toes") and contact.height > 0]
        self.assertEqual(len(raised), len([step for step in known if step[1] - step[0] > 10 and step[2] < 0.5]))
        for contact in raised:
            nearest = min(known, key=lambda step: abs(step[0] - contact.first))
            self.assertAlmostEqual(contact.height, nearest[2], delta=0.02)

    def test_a_floor_below_or_above_the_origin(self):
        clip, known = settled.walk()
        at = clip.world().positions[:, clip.skeleton.index["LeftToe"]] - [0, 0.02, 0]
        for off in (-0.3, 0.12):
            contacts, floor = resting_contacts([PointTrack("left toes", True, at + [0, off, 0])], at, 30, 0.9)
            self.assertAlmostEqual(floor, off, delta=0.01)
            self.assertEqual(len(contacts), len(known["left toes"]))
            self.assertTrue(all(contact.height == 0 for contact in contacts))

    def test_a_still_foot_in_the_air_of_a_still_body_is_no_contact(self):
        frames = np.zeros((60, 3))
        standing, lifted = frames + [0, 0, 0], frames + [0.2, 0.4, 0.1]
        contacts, _ = resting_contacts(
            [PointTrack("a", True, standing), PointTrack("b", True, lifted)], frames + [0.1, 0.9, 0], 30, 0.9
        )
        self.assertEqual({contact.point for contact in contacts}, {"a"})

    def test_a_ladder_is_held_by_hands_and_feet(self):
        path = DEMO / "hall" / "climb_the_ladder.bvh"
        document = formats.read(path.read_bytes(), path.name)
        contacts = found(recording.without_calibration(document.clips[0])).contacts
        heights = sorted({round(contact.height, 1) for contact in contacts if contact.point.endswith("hand")})
        self.assertGreaterEqual(len(heights), 4)
        self.assertTrue(np.allclose(np.diff(heights), 0.27, atol=0.11), heights)


class Hands(unittest.TestCase):
    def test_hands_that_carry_keep_to_each_other(self):
        contacts = found(settled.carrying()).contacts
        self.assertGreater(sum(b - a for a, b in of(contacts, "left hand", "right hand")), 80)

    def test_a_hand_on_the_hip_keeps_to_it_and_a_hanging_one_to_nothing(self):
        contacts = found(settled.hand_on_hip()).contacts
        self.assertEqual(of(contacts, "left hand", "hips"), [(0, 99)])
        self.assertFalse([contact for contact in contacts if contact.point == "right hand"])

    def test_arms_that_swing_in_a_walk_keep_nothing(self):
        clip, _ = settled.walk()
        self.assertFalse([contact for contact in found(clip).contacts if contact.point.endswith("hand")])


class Pieces(unittest.TestCase):
    def test_hysteresis_keeps_what_holds_a_beginning(self):
        stay = np.array([1, 1, 1, 0, 1, 1, 0, 1], bool)
        begin = np.array([0, 1, 0, 0, 0, 0, 0, 1], bool)
        self.assertEqual(runs(hysteresis(begin, stay)), [(0, 2), (7, 7)])

    def test_too_short_a_clip_has_none(self):
        clip, _ = settled.walk(40)
        self.assertEqual(found(clip.cut(0, 1)).contacts, ())

    def test_what_a_person_sets_is_checked(self):
        names = ["left toes"]
        (contact,) = from_json([{"point": "left toes", "first": 2, "last": 9}], names, 10)
        self.assertEqual(contact, Contact("left toes", 2, 9, "", 0.0, True))
        self.assertEqual(from_json([contact.to_json()], names, 10), (contact,))
        for rows, words in (
            ([{"point": "tail", "first": 0, "last": 1}], "no point “tail”"),
            ([{"point": "left toes", "first": 5, "last": 10}], "outside the clip's frames 0 to 9"),
            ([{"point": "left toes", "first": 5, "last": 4}], "outside"),
            ([{"first": 0}], "damaged"),
            ({"point": 1}, "damaged"),
        ):
            with self.assertRaisesRegex(ValueError, words):
                from_json(rows, names, 10)


if __name__ == "__main__":
    unittest.main()
