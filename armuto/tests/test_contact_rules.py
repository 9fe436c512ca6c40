"""Each rule by which contacts are told, by itself: made tracks on which it alone decides."""

import unittest
from dataclasses import replace

import numpy as np

from armuto.contacts.detection import _hand_tracks, _overlap, contacts_in
from armuto.contacts.hands import HandTracks, _nearest_on, find_hand_contacts
from armuto.contacts.model import Contact, from_json
from armuto.contacts.probes import contact_probes, sample_tracks
from armuto.contacts.resting import PointTrack, resting_contacts
from armuto.kinematics import rotation
from armuto.kinematics.signals import hysteresis, lasting, runs, speed_of
from armuto.retarget.context import RetargetContext
from armuto.tests import settled

FPS = 30.0
FRAMES = 90
HANDS = {"left arm": "left hand", "right arm": "right hand"}


def still(*place: float) -> np.ndarray:
    return np.tile(np.array(place, float), (FRAMES, 1))


def carrying(**changes) -> HandTracks:
    """Both hands before the chest, 40 cm apart, elbows at a right angle; an arm is half a metre long."""
    positions = {
        "hips": still(0, 1, 0),
        "chest": still(0, 1.3, 0),
        "neck": still(0, 1.5, 0),
        "left hand": still(0.2, 1.2, 0.3),
        "right hand": still(-0.2, 1.2, 0.3),
    }
    rotations = {part: np.tile(rotation.IDENTITY, (FRAMES, 1)) for part in positions}
    bent = np.full(FRAMES, np.radians(90.0))
    tracks = HandTracks(positions, rotations, dict.fromkeys(HANDS, bent), 0.5, 0.3, still(0, 0, 1), FPS)
    return replace(tracks, **changes)


def moved(tracks: HandTracks, part: str, path: np.ndarray) -> HandTracks:
    return replace(tracks, positions={**tracks.positions, part: path})


class Carrying(unittest.TestCase):
    def found(self, tracks: HandTracks) -> list[tuple[str, str]]:
        return [(contact.point, contact.to) for contact in find_hand_contacts(tracks, HANDS)]

    def test_hands_that_hold_something_between_them_keep_to_each_other(self):
        (contact,) = find_hand_contacts(carrying(), HANDS)
        self.assertEqual((contact.point, contact.to), ("left hand", "right hand"))
        self.assertEqual((contact.first, contact.last), (0, FRAMES - 1))

    def test_they_carry_it_about_with_the_body(self):
        away = np.linspace(0, 2, FRAMES)[:, None] * [0, 0, 1]
        tracks = carrying()
        walking = replace(tracks, positions={part: at + away for part, at in tracks.positions.items()})
        self.assertEqual(self.found(walking), [("left hand", "right hand")])

    def test_hands_that_part_hold_nothing(self):
        apart = still(0.2, 1.2, 0.3) + np.linspace(0, 0.6, FRAMES)[:, None] * [1, 0, 0]
        self.assertEqual(self.found(moved(carrying(), "left hand", apart)), [])

    def test_hands_farther_apart_than_an_arm_hold_nothing(self):
        wide = moved(moved(carrying(), "left hand", still(0.29, 1.2, 0.3)), "right hand", still(-0.29, 1.2, 0.3))
        self.assertEqual(self.found(wide), [])
        near = moved(moved(carrying(), "left hand", still(0.27, 1.2, 0.3)), "right hand", still(-0.27, 1.2, 0.3))
        self.assertEqual(len(self.found(near)), 1)

    def test_hands_beside_the_body_hold_nothing(self):
        for ahead, count in ((0.08, 0), (0.12, 1)):
            tracks = moved(carrying(), "left hand", still(0.2, 1.2, ahead))
            tracks = moved(tracks, "right hand", still(-0.2, 1.2, ahead))
            hands = [pair for pair in self.found(tracks) if pair[1].endswith("hand")]
            self.assertEqual(len(hands), count, ahead)

    def test_straight_arms_hold_nothing(self):
        for degrees, count in ((20.0, 0), (30.0, 1)):
            bent = np.full(FRAMES, np.radians(degrees))
            self.assertEqual(len(self.found(carrying(elbows=dict.fromkeys(HANDS, bent)))), count, degrees)

    def test_a_moment_is_no_carrying(self):
        wide = still(0.6, 1.2, 0.3)
        wide[30:50] = [0.2, 1.2, 0.3]
        self.assertEqual(self.found(moved(carrying(), "left hand", wide)), [])


class OnTheBody(unittest.TestCase):
    """One hand on the hip, the other away."""

    def found(self, place=(0.15, 1.0, 0.05), degrees=80.0, path=None) -> list[Contact]:
        tracks = moved(carrying(), "left hand", still(*place) if path is None else path)
        tracks = moved(tracks, "right hand", still(-0.8, 1.4, 0))
        bent = np.full(FRAMES, np.radians(degrees))
        return list(find_hand_contacts(replace(tracks, elbows=dict.fromkeys(HANDS, bent)), HANDS))

    def test_a_hand_that_rests_on_a_part_keeps_to_it(self):
        (contact,) = self.found()
        self.assertEqual((contact.point, contact.to, contact.first), ("left hand", "hips", 0))

    def test_how_near_is_told_by_the_width_of_the_shoulders(self):
        # 1.5 of half of 30 cm.
        self.assertEqual(len(self.found((0.21, 1.0, 0.0))), 1)
        self.assertEqual(len(self.found((0.24, 1.0, 0.0))), 0)

    def test_an_arm_that_hangs_rests_on_nothing(self):
        self.assertEqual(len(self.found(degrees=35.0)), 0)
        self.assertEqual(len(self.found(degrees=45.0)), 1)

    def test_a_hand_that_strokes_does_not_rest(self):
        path = still(0.15, 1.0, 0.0) + np.sin(np.arange(FRAMES) / 3)[:, None] * [0, 0.1, 0]
        self.assertEqual(self.found(path=path), [])

    def test_hands_that_carry_are_on_no_body(self):
        close = moved(moved(carrying(), "left hand", still(0.1, 1.15, 0.14)), "right hand", still(-0.1, 1.15, 0.14))
        self.assertEqual({contact.to for contact in find_hand_contacts(close, HANDS)}, {"right hand"})

    def test_the_nearest_point_of_a_part_lies_on_its_line(self):
        tracks = carrying()
        at = np.array([[0.2, 1.15, 0.0], [0.2, 0.5, 0.0], [0.0, 3.0, 0.1]])
        short = replace(tracks, positions={part: place[:3] for part, place in tracks.positions.items()})
        np.testing.assert_allclose(_nearest_on(short, "hips", at), [[0, 1.15, 0], [0, 1.0, 0], [0, 1.3, 0]])


class Tracks(unittest.TestCase):
    def test_elbows_arms_shoulders_and_chest_of_a_source(self):
        clip = settled.carrying()
        context = RetargetContext(settled.fitted(clip.skeleton, clip.skeleton))
        probes = contact_probes(context)
        sampled = sample_tracks(clip, probes.joints)
        tracks = _hand_tracks(sampled, probes, context, clip.fps)
        at = {part: sampled.positions[joint] for part, joint in probes.parts.items()}
        a, b = at["left upper arm"] - at["left lower arm"], at["left hand"] - at["left lower arm"]
        lengths = np.linalg.norm(a, axis=1), np.linalg.norm(b, axis=1)
        inner = np.arccos(np.sum(a * b, axis=1) / (lengths[0] * lengths[1]))
        np.testing.assert_allclose(tracks.elbows["left arm"], np.pi - inner, atol=1e-6)
        self.assertAlmostEqual(tracks.arm, float(lengths[0][0] + lengths[1][0]), places=3)
        shoulders = float(np.linalg.norm(at["left upper arm"][0] - at["right upper arm"][0]))
        self.assertAlmostEqual(tracks.width, shoulders, places=6)
        np.testing.assert_allclose(np.linalg.norm(tracks.ahead, axis=1), 1.0, atol=1e-9)
        self.assertGreater(float((tracks.ahead @ [0, 0, 1]).min()), 0.8)

    def test_contacts_overlap_where_they_share_a_frame(self):
        first = Contact("left toes", 10, 20)
        for span, shared in (((20, 30), True), ((21, 30), False), ((0, 10), True), ((0, 9), False), ((12, 15), True)):
            self.assertEqual(_overlap(first, Contact("left toes", *span)), shared, span)

    def test_two_frames_show_no_contact_and_three_may(self):
        clip = settled.walk()[0]
        context = RetargetContext(settled.fitted(clip.skeleton, clip.skeleton))
        probes = contact_probes(context)
        for frames, none in ((2, True), (20, False)):
            part = clip.cut(0, frames - 1)
            found = contacts_in(sample_tracks(part, probes.joints), probes, context, part)
            self.assertEqual(not found.contacts, none, frames)


class Resting(unittest.TestCase):
    MIDDLE = np.stack([np.zeros(FRAMES), np.ones(FRAMES), np.linspace(0, 3, FRAMES)], axis=1)

    def found(self, path: np.ndarray, **options) -> tuple[Contact, ...]:
        return resting_contacts([PointTrack("toes", True, path)], self.MIDDLE, FPS, 1.0, **{"floor": 0.0} | options)[0]

    def test_a_slow_point_near_the_floor_rests_and_a_fast_one_does_not(self):
        for speed, count in ((0.1, 1), (0.5, 0)):
            path = still(0, 0.01, 0) + np.arange(FRAMES)[:, None] / FPS * [0, 0, speed]
            self.assertEqual(len(self.found(path)), count, speed)

    def test_above_the_floor_it_rests_only_where_it_is_slower(self):
        for speed, height, count in ((0.05, 0.5, 1), (0.15, 0.5, 0), (0.15, 0.03, 1)):
            path = still(0, height, 0) + np.arange(FRAMES)[:, None] / FPS * [0, 0, speed]
            self.assertEqual(len(self.found(path)), count, (speed, height))

    def test_how_high_it_rests_is_said(self):
        (contact,) = self.found(still(0, 0.5, 0))
        self.assertAlmostEqual(contact.height, 0.5)
        (contact,) = self.found(still(0, 0.5, 0), floor=0.1)
        self.assertAlmostEqual(contact.height, 0.4)
        self.assertEqual(self.found(still(0, 0.01, 0))[0].height, 0.0)

    def test_nothing_tells_a_contact_without_a_leg_or_with_two_frames(self):
        for middle, leg in ((self.MIDDLE, 0.0), (self.MIDDLE[:2], 1.0)):
            track = PointTrack("toes", True, still(0, 0, 0)[: len(middle)])
            self.assertEqual(resting_contacts([track], middle, FPS, leg, 0.3), ((), 0.3))

    def test_where_nothing_moves_nothing_rests_above_the_floor(self):
        track = PointTrack("toes", True, still(0, 0.5, 0))
        self.assertEqual(resting_contacts([track], still(0, 1, 0), FPS, 1.0, 0.0)[0], ())


class Signals(unittest.TestCase):
    def test_speed_is_that_of_even_motion(self):
        path = np.arange(10)[:, None] / FPS * [3.0, 4.0, 0.0]
        np.testing.assert_allclose(speed_of(path, FPS), 5.0)

    def test_stretches_and_the_short_ones_left_out(self):
        held = np.array([1, 1, 1, 0, 1, 0, 0, 1, 1], bool)
        self.assertEqual(runs(held), [(0, 2), (4, 4), (7, 8)])
        self.assertEqual(runs(lasting(held, 2)), [(0, 2), (7, 8)])
        self.assertEqual(runs(lasting(held, 3)), [(0, 2)])

    def test_hysteresis_keeps_what_begins(self):
        begin = np.array([0, 1, 0, 0, 0, 0], bool)
        stay = np.array([1, 1, 1, 0, 1, 1], bool)
        self.assertEqual(hysteresis(begin, stay).tolist(), [True, True, True, False, False, False])


class ByHand(unittest.TestCase):
    def test_the_first_and_the_last_frame_are_within_the_clip(self):
        row = {"point": "left toes", "first": 0, "last": 9}
        self.assertEqual(len(from_json([row], ["left toes"], 10)), 1)
        for wrong in ({"last": 10}, {"first": -1}, {"first": 5, "last": 4}):
            with self.assertRaisesRegex(ValueError, "outside"):
                from_json([row | wrong], ["left toes"], 10)
        self.assertTrue(from_json([row], ["left toes"], 10)[0].by_hand)
