"""Settling: what it must reach, that it leaves alone what needs nothing, and what each choice does."""

import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.body.capsules import Capsule, estimate
from armuto.contacts.detection import detect_contacts
from armuto.contacts.model import Contact, ContactSet
from armuto.contacts.points import contact_points, target_paths
from armuto.kinematics import rotation
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import retarget, transfer
from armuto.quality.findings import findings
from armuto.quality.measures import accelerations, measure
from armuto.retarget import fitting
from armuto.retarget.context import RetargetContext
from armuto.retarget.settings import PLAIN, ROTATIONS_ALONE, Travel
from armuto.tests import figures, settled
from armuto.tests.files import DEMO

MILLIMETRE = 1e-3
CLIPS = {
    "walk": lambda: settled.walk()[0],
    "stairs": lambda: settled.stairs()[0],
    "carrying": settled.carrying,
    "hand on hip": settled.hand_on_hip,
    "noisy walk": lambda: settled.noisy(settled.walk()[0], np.random.default_rng(5), 0.004),
}


def by_name(performance, made, name):
    """Where a point of the target goes."""
    clip = performance.clip
    moving = WorldMotion.of_clip(clip)
    point = next(contact_point for contact_point in contact_points(RetargetContext(made)) if contact_point.name == name)
    return target_paths(moving, [point])[point.name]


class Reaching(unittest.TestCase):
    """What the fidelity table asks for, on generated bodies."""

    def test_sixty_bodies_stand_where_they_stand(self):
        worst_jerk = 0.0
        for number, (name, make) in enumerate(CLIPS.items()):
            clip = make()
            contacts = None
            for seed in range(12):
                with self.subTest(clip=name, seed=seed):
                    made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(100 * number + seed)))
                    contacts = contacts or detect_contacts(clip, RetargetContext(made))
                    done = retarget(clip, made, contacts)
                    for measured in measure(clip, done.clip, made, contacts):
                        more = measured.size - measured.source
                        if measured.kind == "foot slide" or measured.kind in ("floor", "float", "reach"):
                            # Where a foot still lands or trembles, in proportion.
                            self.assertLess(more, max(0.5, 0.1 * measured.source), measured)
                        elif measured.kind == "jerk":
                            worst_jerk = max(worst_jerk, measured.size)
                            # Longer limbs are thrown harder by rotations alone, which is not for holding to mend.
                            if measured.size >= 1.5:
                                self.assertLess(measured.size, 1.5 * self.thrown(clip, made, measured.part), measured)
        self.assertGreater(worst_jerk, 0.5)

    def thrown(self, clip, made, part):
        alone = replace(made, settings=ROTATIONS_ALONE)
        rows = measure(clip, transfer(clip, alone), alone)
        return max(row.size for row in rows if row.kind == "jerk" and row.part == part)

    def test_rotations_alone_are_worse(self):
        """The table can fail: without holding, feet of other proportions slide."""
        clip = CLIPS["walk"]()
        slides = []
        for seed in range(8):
            made = replace(
                settled.fitted(clip.skeleton, settled.built(np.random.default_rng(seed))), settings=ROTATIONS_ALONE
            )
            slides += [
                measured.size - measured.source
                for measured in measure(clip, transfer(clip, made), made)
                if measured.kind == "foot slide"
            ]
        self.assertGreater(max(slides), 5.0)

    def test_a_body_of_the_same_proportions_is_left_alone(self):
        for name, make in CLIPS.items():
            clip = make()
            for seed in range(4):
                with self.subTest(clip=name, seed=seed):
                    rng = np.random.default_rng(seed)
                    scale = float(np.exp(rng.uniform(-0.8, 0.8)))
                    target = figures.disguised(clip.skeleton, rng, float(rng.uniform(-3, 3)), scale)
                    parts = {b.joint: p for p, bs in fitting.pairing.assign(clip.skeleton).items() for b in bs}
                    made = fitting.fit(clip.skeleton, target, pairs=figures.one_to_one(clip.skeleton, target, parts))
                    on = transfer(clip, made).world().positions
                    off = transfer(clip, replace(made, settings=ROTATIONS_ALONE)).world().positions
                    self.assertLess(np.abs(on - off).max() / scale, MILLIMETRE)

    def test_what_a_capture_trembles_is_kept(self):
        """Feet of a noisy clip are not frozen: in contact they move as the source's do, in size."""
        clip = CLIPS["noisy walk"]()
        made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(3)))
        done = retarget(clip, made)
        contact = next(
            contact
            for contact in done.contacts.contacts
            if contact.point == "left toes" and contact.last - contact.first > 10
        )
        frames = slice(contact.first + 2, contact.last - 1)
        point = next(
            contact_point
            for contact_point in contact_points(RetargetContext(made))
            if contact_point.name == "left toes"
        )
        world = clip.world()
        source = world.positions[:, point.source] + rotation.rotate(
            world.rotations[:, point.source], np.broadcast_to(point.source_offset, (clip.frames, 3))
        )
        here, there = by_name(done, made, "left toes")[frames], source[frames] * made.scale
        here, there = here - here.mean(axis=0), there - there.mean(axis=0)
        self.assertGreater(np.abs(there).max(), 0.001)
        np.testing.assert_allclose(here[:, [0, 2]], there[:, [0, 2]], atol=5e-4)

    def test_any_frames_come_out_as_with_the_whole_clip(self):
        for name, make in CLIPS.items():
            clip = make()
            made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(11)))
            for travel in (Travel(), Travel(mode="in place", heading=True, place="origin")):
                made = replace(made, settings=replace(PLAIN, travel=travel))
                whole = retarget(clip, made)
                for first, last in ((0, 0), (40, 40), (61, 75), (clip.frames - 1, clip.frames - 1)):
                    with self.subTest(clip=name, first=first, travel=travel.mode):
                        part = retarget(clip, made, whole.contacts, first, last)
                        self.assertEqual(part.clip.frames, last - first + 1)
                        off = part.clip.world().positions - whole.clip.world().positions[first : last + 1]
                        self.assertLess(np.abs(off).max(), MILLIMETRE)

    def test_a_step_too_long_is_softened_and_reported(self):
        clip = CLIPS["walk"]()
        made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(2)))
        long = replace(made, settings=replace(PLAIN, stride=made.scale * 2.0))
        done = retarget(clip, long)
        self.assertGreater(done.report.lowered.max(), 0.02)
        self.assertGreater(max(short.max() for short in done.report.short.values()), 0.01)
        found = findings(measure(clip, done.clip, long, done.contacts), long, clip.frames)
        self.assertIn("reach", {finding.kind for finding in found})
        self.assertEqual({finding.mend for finding in found if finding.kind == "reach"}, {"stride"})
        # The body gives way without a jolt.
        self.assertLess(np.abs(np.diff(done.report.lowered, 2)).max() * clip.fps**2, 6.0)

    def test_contacts_set_by_hand_are_held_instead(self):
        clip = CLIPS["walk"]()
        made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(4)))
        none = retarget(clip, made, ContactSet((), 0.0)).clip.world().positions
        held_there = retarget(clip, made, ContactSet((Contact("left toes", 70, 86, by_hand=True),), 0.0))
        moved = np.abs(held_there.clip.world().positions - none).max(axis=(1, 2))
        self.assertGreater(moved[70:87].max(), MILLIMETRE)
        self.assertLess(moved[:40].max(), 1e-9)

    def test_half_the_strength_is_half_the_way(self):
        clip = CLIPS["walk"]()
        made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(4)))
        alone = replace(ROTATIONS_ALONE, hold=0.0)
        at = {}
        for share in (0.0, 0.5, 1.0):
            at[share] = by_name(retarget(clip, replace(made, settings=replace(alone, hold=share))), made, "left toes")
        middle = slice(74, 84)
        np.testing.assert_allclose(at[0.5][middle], (at[0.0] + at[1.0])[middle] / 2, atol=2e-3)
        loose = replace(made, settings=replace(PLAIN, holds={"left leg": 0.0}))
        free = by_name(retarget(clip, loose), made, "left toes")
        np.testing.assert_allclose(free[middle][:, [0, 2]], at[0.0][middle][:, [0, 2]], atol=1e-6)

    def test_the_bend_keeps_its_direction_or_takes_the_one_given(self):
        clip = CLIPS["walk"]()
        made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(4)))
        knee, hip, ankle = (made.target.index[f"Left{name}"] for name in ("Leg", "UpLeg", "Foot"))

        def out(settings):
            at = retarget(clip, replace(made, settings=settings)).clip.world().positions
            line = at[:, ankle] - at[:, hip]
            square = at[:, knee] - at[:, hip]
            square = square - line * (np.sum(square * line, axis=1) / np.sum(line * line, axis=1))[:, None]
            return square / np.linalg.norm(square, axis=1)[:, None]

        self.assertGreater(np.sum(out(PLAIN) * out(ROTATIONS_ALONE), axis=1).min(), np.cos(np.radians(5)))
        turned = np.sum(out(replace(PLAIN, bends={"left leg": 40.0})) * out(PLAIN), axis=1)[74:84]
        np.testing.assert_allclose(np.degrees(np.arccos(turned)), 40, atol=1.5)


class Hands(unittest.TestCase):
    def test_a_crate_stays_as_wide_as_it_is(self):
        clip = settled.carrying()
        for seed in range(6):
            made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(seed)))
            left, right = (made.target.index[f"{side}Hand"] for side in ("Left", "Right"))
            width = 0.3 * RetargetContext(made).hand_scale  # in the hands' own size, whatever legs and arms may be
            for settings, most in ((PLAIN, 0.006), (replace(PLAIN, hands={"other hand": 0.0}), np.inf)):
                at = retarget(clip, replace(made, settings=settings)).clip.world().positions[20:50]
                apart = np.linalg.norm(at[:, left] - at[:, right], axis=1)
                self.assertLess(np.abs(apart - width).max() / width, most)

    def test_thick_palms_stay_outside_of_what_they_carry(self):
        """Wrists are further apart by what the palms that face each other are thicker than the source's, in the hands'
        size."""
        source = formats.read((DEMO / "hall/carry_the_crate.bvh").read_bytes(), "carry.bvh")
        porter = formats.read((DEMO / "porter.glb").read_bytes(), "porter.glb")
        own = porter.skeleton
        hands = [porter.parts[f"{side} hand"][0].joint for side in ("left", "right")]
        self.assertEqual(sorted(own.observed.palms), sorted(hands))

        def apart(theirs, palms):
            skeleton = replace(source.skeleton, observed=replace(source.skeleton.observed, palms=theirs))
            clip = replace(source.clips[0], skeleton=skeleton)
            figure = replace(own, observed=replace(own.observed, palms=palms))
            made = fitting.fit(skeleton, figure, source.parts, porter.parts)
            world = retarget(clip, made).clip.world()
            line = world.positions[:, hands[0]] - world.positions[:, hands[1]]
            return made, world, np.linalg.norm(line, axis=1), line

        joints = [source.parts[f"{side} hand"][0].joint for side in ("left", "right")]
        frames = slice(60, 100)
        plain, thick = apart({}, {}), apart({}, own.observed.palms)
        made, world, far, line = thick
        wanted = 0.0
        for hand in hands:
            finger = porter.parts[f"{'left' if hand == hands[0] else 'right'} middle proximal"][0].joint
            half = float(np.linalg.norm(own.observed.palms[hand]))
            length = float(np.linalg.norm(own.rest.positions[finger] - own.rest.positions[hand]))
            normal = rotation.rotate(world.rotations[:, hand], own.observed.palms[hand] / half)
            faces = np.abs(np.sum(normal * line, axis=1)) / far
            wanted = wanted + (half - 0.15 * length) * faces
        self.assertGreater(float(wanted[frames].min()), 0.005)
        np.testing.assert_allclose((far - plain[2])[frames], wanted[frames], atol=0.002)
        # Of a source whose mesh is as thick, in the hands' size, nothing is added.
        grip = RetargetContext(made).hand_scale
        same = {joint: own.observed.palms[hand] / grip for joint, hand in zip(joints, hands, strict=True)}
        np.testing.assert_allclose(apart(same, own.observed.palms)[2][frames], plain[2][frames], atol=1e-6)

    def test_a_hand_on_the_hip_stays_on_a_wider_hip(self):
        clip = settled.hand_on_hip()
        made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(8)))
        at = retarget(clip, made).clip.world().positions
        hand, hips = made.target.index["LeftHand"], made.target.index["Hips"]
        away = at[20:80, hand] - at[20:80, hips]
        self.assertLess(np.ptp(away, axis=0).max(), 0.01)
        wider = (
            made.target_pose.positions[made.target.index["LeftUpLeg"], 0]
            / made.source_pose.positions[made.source.index["LeftUpLeg"], 0]
        )
        self.assertAlmostEqual(away[:, 0].mean(), 0.2 * wider, delta=0.02)

    def test_its_place_can_be_moved(self):
        clip = settled.hand_on_hip()
        made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(8)))
        plain = retarget(clip, made).clip.world().positions
        moved = retarget(clip, replace(made, settings=replace(PLAIN, moved={"left arm": (0.0, 0.03, 0.02)})))
        off = (moved.clip.world().positions - plain)[40, made.target.index["LeftHand"]]
        np.testing.assert_allclose(off, [0, 0.03, 0.02], atol=2e-3)


class Arms(unittest.TestCase):
    def setUp(self):
        self.clip = settled.walk()[0]
        target = settled.built(np.random.default_rng(1))
        self.made = settled.fitted(self.clip.skeleton, target)
        index = target.index
        size = self.made.scale
        hips = [index["Hips"], index["Spine"], index["Chest"]]
        stout = {joint: Capsule(np.zeros(3), np.array([0, 0.12 * size, 0]), 0.21 * size) for joint in hips}
        arms = {}
        for side in ("Left", "Right"):
            forearm, hand = index[f"{side}ForeArm"], index[f"{side}Hand"]
            arms[forearm] = Capsule(np.zeros(3), target.rest_translation[hand], 0.04 * size)
            arms[hand] = Capsule(np.zeros(3), target.rest_translation[hand] * 0.4, 0.04 * size)
        self.stout = replace(self.made, capsules=stout | arms)

    def depth(self, made):
        measures = measure(self.clip, transfer(self.clip, made), made)
        return max((measure.size - measure.source for measure in measures if measure.kind == "clipping"), default=0.0)

    def test_arms_are_turned_out_of_a_stout_body_without_a_jerk(self):
        # As deep as on the source's build is not the transfer's fault, so the source is given none of it.
        thin = replace(self.stout, source=self.stout.source)
        before = self.depth(replace(thin, settings=replace(PLAIN, clear=0.0)))
        after = self.depth(thin)
        self.assertLess(after, max(0.4, before / 4))
        hand = self.made.target.index["LeftHand"]
        for settings in (PLAIN, replace(PLAIN, spread=15.0)):
            at = transfer(self.clip, replace(thin, settings=settings)).world().positions[:, hand]
            plain = transfer(self.clip, replace(thin, settings=replace(PLAIN, clear=0.0))).world().positions[:, hand]
            hard = np.percentile(accelerations(at, 30), 99), np.percentile(accelerations(plain, 30), 99)
            self.assertLess(hard[0], 1.5 * hard[1] + 0.2)

    def test_spread_and_tuck(self):
        def apart(degrees):
            at = transfer(self.clip, replace(self.made, settings=replace(PLAIN, spread=degrees))).world().positions
            index = self.made.target.index
            return np.linalg.norm(at[:, index["LeftHand"]] - at[:, index["RightHand"]], axis=1).mean()

        self.assertGreater(apart(15), apart(0) + 0.05 * self.made.scale)
        self.assertLess(apart(-10), apart(0) - 0.03 * self.made.scale)

    def test_a_capsule_is_as_thick_as_the_skin(self):
        rng = np.random.default_rng(0)
        body = Skeleton(
            ("a", "b"), np.array([-1, 0]), np.array([[0, 0, 0], [0, 0.5, 0]]), np.tile(rotation.IDENTITY, (2, 1))
        )
        angle, along = rng.uniform(0, 2 * np.pi, 900), rng.uniform(0, 0.5, 900)
        skin = np.stack([0.08 * np.cos(angle) + 0.02, along, 0.08 * np.sin(angle)], axis=1)
        weights = np.tile([1.0, 0.0], (900, 1))
        capsule = estimate(body, skin, weights)[0]
        self.assertAlmostEqual(capsule.radius, 0.08, delta=0.005)
        np.testing.assert_allclose(capsule.start[[0, 2]], [0.02, 0], atol=0.004)
        self.assertNotIn(1, estimate(body, skin, weights))


if __name__ == "__main__":
    unittest.main()
