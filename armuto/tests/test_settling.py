"""Settling: what it must reach, that it leaves alone what needs nothing, and what each choice does."""

import json
import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.body.capsules import Capsule, estimate
from armuto.body.joint_limits import Range
from armuto.constraints.limits import angles, passed
from armuto.constraints.root_bone import rooted, wants_root
from armuto.contacts.detection import detect_contacts
from armuto.contacts.model import Contact, ContactSet
from armuto.contacts.points import contact_points, target_paths
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.curves import blend_intervals, envelope, held
from armuto.kinematics.ik import fabrik, softened, two_bones
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import retarget, transfer
from armuto.quality.findings import findings, grade
from armuto.quality.measures import accelerations, measure
from armuto.retarget import fitting
from armuto.retarget import settings as said
from armuto.retarget.context import RetargetContext
from armuto.retarget.settings import PLAIN, ROTATIONS_ALONE, RotationInfluence, Settings, Travel
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

    def test_two_hundred_bodies_stand_where_they_stand(self):
        worst_jerk = 0.0
        for number, (name, make) in enumerate(CLIPS.items()):
            clip = make()
            contacts = None
            for seed in range(40):
                with self.subTest(clip=name, seed=seed):
                    made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(100 * number + seed)))
                    contacts = contacts or detect_contacts(clip, RetargetContext(made))
                    done = retarget(clip, made, contacts)
                    for one in measure(clip, done.clip, made, contacts):
                        more = one.size - one.source
                        if one.kind == "foot slide" or one.kind in ("floor", "float", "reach"):
                            # Where a foot still lands or trembles, in proportion.
                            self.assertLess(more, max(0.5, 0.1 * one.source), one)
                        elif one.kind == "jerk":
                            worst_jerk = max(worst_jerk, one.size)
                            # Longer limbs are thrown harder by rotations alone, which is not for holding to mend.
                            if one.size >= 1.5:
                                self.assertLess(one.size, 1.5 * self.thrown(clip, made, one.part), one)
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
                one.size - one.source for one in measure(clip, transfer(clip, made), made) if one.kind == "foot slide"
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
        self.assertGreater(max(one.max() for one in done.report.short.values()), 0.01)
        found = findings(measure(clip, done.clip, long, done.contacts), long, clip.frames)
        self.assertIn("reach", {one.kind for one in found})
        self.assertEqual({one.mend for one in found if one.kind == "reach"}, {"stride"})
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
        one = replace(made, settings=replace(PLAIN, holds={"left leg": 0.0}))
        free = by_name(retarget(clip, one), made, "left toes")
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


class Choices(unittest.TestCase):
    def setUp(self):
        self.clip = settled.walk()[0]
        self.made = settled.fitted(self.clip.skeleton, settled.built(np.random.default_rng(6)))
        self.index = self.made.target.index

    def performed(self, **choices):
        return transfer(self.clip, replace(self.made, settings=replace(PLAIN, **choices)))

    def test_follow_scales_a_bone_against_its_parent_and_takes_along_what_hangs_from_it(self):
        plain, stiff = (
            self.performed(hold=0.0),
            self.performed(hold=0.0, follow={"left upper leg": RotationInfluence(turn=0.0)}),
        )
        thigh = self.index["LeftUpLeg"]
        rest = self.made.target_stance.rotations[thigh]
        self.assertLess(
            rotation.angle(rotation.multiply(rotation.inverse(stiff.rotations[:, thigh]), rest)).max(), 1e-6
        )
        knee = self.index["LeftLeg"]
        np.testing.assert_allclose(stiff.rotations[:, knee], plain.rotations[:, knee], atol=1e-9)
        half = self.performed(hold=0.0, follow={"left leg": RotationInfluence(turn=0.5)})
        for joint in (thigh, knee):
            own = [
                rotation.angle(
                    rotation.multiply(
                        rotation.inverse(self.made.target_stance.rotations[joint]), one.rotations[:, joint]
                    )
                )
                for one in (half, plain)
            ]
            np.testing.assert_allclose(own[0], own[1] / 2, atol=1e-6)

    def test_an_offset_stays_throughout(self):
        plain, bowed = self.performed(), self.performed(follow={"Head": RotationInfluence(offset=(20.0, 0.0, 0.0))})
        head = self.index["Head"]
        off = rotation.multiply(rotation.inverse(plain.world().rotations[:, head]), bowed.world().rotations[:, head])
        np.testing.assert_allclose(np.degrees(rotation.angle(off)), 20, atol=1e-6)
        ahead = np.array([0.0, 0, 1])
        looks = [rotation.rotate(one.world().rotations[50, head], ahead) for one in (plain, bowed)]
        self.assertLess(looks[1][1], looks[0][1] - 0.3)

    def test_a_slider_shifts_as_much_as_it_follows(self):
        plain = figures.body()
        held = replace(
            plain,
            names=(*plain.names, "lantern"),
            parents=np.append(plain.parents, plain.index["LeftHand"]),
            rest_translation=np.vstack([plain.rest_translation, [0.1, 0, 0]]),
            rest_rotation=np.vstack([plain.rest_rotation, rotation.IDENTITY]),
        )
        clip = figures.motion(held, np.random.default_rng(5))
        slide = clip.translations[:, :1] * 0.1
        moving = np.array([0, held.index["lantern"]])
        clip = replace(clip, moving=moving, translations=np.concatenate([clip.translations, slide], axis=1))
        made = fitting.fit(held, held, pairs=figures.one_to_one(held, held, {}))
        for share in (0.5, 0.0):
            chosen = replace(made, settings=replace(PLAIN, follow={"lantern": RotationInfluence(shift=share)}))
            done = transfer(clip, chosen)
            off = done.all_translations()[:, moving[1]] - held.rest_translation[moving[1]]
            np.testing.assert_allclose(off, share * (slide[:, 0] - held.rest_translation[moving[1]]), atol=1e-9)

    def test_turns_along_arms_and_thighs(self):
        plain = figures.body()
        twisted = ["LeftForeArm", "LeftUpLeg"]
        ends = {"LeftForeArm": "LeftHand", "LeftUpLeg": "LeftLeg"}
        body = replace(
            plain,
            names=(*plain.names, *(f"{name}Half" for name in twisted)),
            parents=np.append(plain.parents, [plain.index[name] for name in twisted]),
            rest_translation=np.vstack(
                [plain.rest_translation, *(plain.rest_translation[plain.index[ends[name]]] / 2 for name in twisted)]
            ),
            rest_rotation=np.vstack([plain.rest_rotation, np.tile(rotation.IDENTITY, (2, 1))]),
        )
        parts = {b.joint: p for p, bs in fitting.pairing.assign(plain).items() for b in bs}
        pairs = figures.one_to_one(plain, plain, parts)
        turned = figures.posed(plain, {"LeftHand": (60, 0, 0), "LeftUpLeg": (0, 40, 0)})
        still = np.tile(plain.rest_translation[0], (6, 1, 1))
        clip = Clip("turned", plain, 30.0, np.tile(turned.rest_rotation, (6, 1, 1)), np.array([0]), still)
        made = fitting.fit(plain, body, pairs=pairs)

        def turn(name, **choices):
            done = transfer(clip, replace(made, settings=replace(ROTATIONS_ALONE, **choices)))
            q = done.world().rotations[0, body.index[name]]
            return float(np.degrees(rotation.angle(q)))

        self.assertAlmostEqual(turn("LeftForeArmHalf"), 30, delta=2)
        self.assertAlmostEqual(turn("LeftForeArmHalf", twist=0.0), 0, delta=1e-6)
        self.assertAlmostEqual(turn("LeftForeArm", forearm=0.5), 30, delta=2)
        self.assertAlmostEqual(turn("LeftHand", forearm=0.5), turn("LeftHand"), delta=1e-6)
        self.assertAlmostEqual(turn("LeftUpLegHalf"), 40, delta=2)
        self.assertAlmostEqual(turn("LeftUpLegHalf", thigh=1.0), 20, delta=2)
        self.assertAlmostEqual(turn("LeftUpLeg", thigh=1.0), 40, delta=1e-6)

    def test_stride_alone_changes_the_way_and_not_the_height(self):
        plain, far = (
            one.world().positions for one in (self.performed(), self.performed(stride=self.made.scale * 1.15))
        )
        way = [float(np.ptp(at[:, 0, 2])) for at in (plain, far)]
        self.assertAlmostEqual(way[1] / way[0], 1.15, delta=0.01)
        self.assertLess(np.abs(plain[:, 0, 1] - far[:, 0, 1]).max(), 0.05 * self.made.scale)
        done = retarget(self.clip, replace(self.made, settings=replace(PLAIN, stride=self.made.scale * 1.1)))
        slides = [
            one
            for one in measure(
                self.clip,
                done.clip,
                replace(self.made, settings=replace(PLAIN, stride=self.made.scale * 1.1)),
                done.contacts,
            )
            if one.kind == "foot slide"
        ]
        self.assertLess(max(slide.size - slide.source for slide in slides), 1.0)

    def test_the_sources_own_path(self):
        at = self.performed(path="absolute").world().positions[:, 0]
        there = self.clip.world().positions[:, 0]
        self.assertAlmostEqual(float(np.ptp(at[:, 2])), float(np.ptp(there[:, 2])), delta=0.05)

    def test_travel_is_taken_out_and_comes_back_with_the_setting(self):
        still = self.performed(travel=Travel(mode="in place")).world().positions[:, 0]
        self.assertLess(np.ptp(still[:, [0, 2]], axis=0).max(), 1e-9)
        self.assertGreater(np.ptp(still[:, 1]), 0.01)
        only = self.performed(travel=Travel(mode="in place", ahead=False)).world().positions[:, 0]
        self.assertGreater(np.ptp(only[:, 2]), 1.0)
        self.assertLess(np.ptp(only[:, 0]), 1e-9)
        flat = self.performed(travel=Travel(mode="in place", up=True)).world().positions[:, 0]
        self.assertLess(np.ptp(flat, axis=0).max(), 1e-9)
        again = self.performed()
        np.testing.assert_array_equal(again.translations, self.performed(travel=Travel()).translations)
        self.assertEqual(
            grade(
                findings(measure(self.clip, self.performed(travel=Travel(mode="in place")), self.made), self.made, 140)
            ),
            "good",
        )

    def test_the_first_frame_stands_where_it_is_wanted(self):
        for travel, x, z, degrees in (
            (Travel(place="origin"), 0.0, 0.0, 0.0),
            (Travel(place="given", at=(1.5, -2.0, 90.0)), 1.5, -2.0, 90.0),
        ):
            made = self.performed(travel=travel)
            world = made.world()
            np.testing.assert_allclose(world.positions[0, 0, [0, 2]], [x, z], atol=1e-9)
            ahead = world.positions[-1, 0] - world.positions[0, 0]
            self.assertAlmostEqual(float(np.degrees(np.arctan2(ahead[0], ahead[2]))), degrees, delta=2.0)
            self.assertIn(0, made.moving)
            self.assertEqual(len(made.translations), made.frames)

    def test_a_root_bone_carries_travel_and_moves_nothing_in_the_world(self):
        plain = self.performed().world().positions
        fits = replace(self.made, settings=replace(PLAIN, travel=Travel(mode="root", heading=True)))
        self.assertTrue(wants_root(fits))
        made = rooted(transfer(self.clip, fits), fits)
        self.assertEqual((made.skeleton.names[0], len(made.skeleton)), ("root", len(self.made.target) + 1))
        np.testing.assert_allclose(made.world().positions[:, 1:], plain, atol=1e-9)
        root = made.world().positions[:, 0]
        self.assertGreater(np.ptp(root[:, 2]), 1.0)
        self.assertLess(np.abs(root[:, 1]).max(), 1e-9)
        np.testing.assert_allclose(made.translations[:, list(made.moving).index(1), [0, 2]], 0, atol=0.05)

    def test_limits_hold_back_hard_and_soft_and_count(self):
        ranges = {"left lower leg": Range((-20.0, 5.0), (-10.0, 10.0), (-10.0, 10.0))}
        for limits, most in (("hard", 20.0), ("soft", 20.0 * 1.15)):
            made = replace(self.made, ranges=ranges, settings=replace(PLAIN, limits=limits))
            done = retarget(self.clip, made)
            world = np.moveaxis(done.clip.world().rotations, 1, 0)
            bend = angles(world, made.joint_frames)[self.index["LeftLeg"]][0]
            self.assertGreater(bend.min(), -most - 0.2)
            self.assertLess(bend.min(), -19.0)
            self.assertGreater(done.report.hits["left lower leg"].sum(), 20)
        off = replace(self.made, ranges=ranges)
        world = np.moveaxis(transfer(self.clip, off).world().rotations, 1, 0)
        self.assertLess(angles(world, off.joint_frames)[self.index["LeftLeg"]][0].min(), -30)
        self.assertGreater(
            passed(angles(world, off.joint_frames), off.joint_frames, ranges)["left lower leg"].max(), 10
        )

    def test_angles_are_counted_as_a_body_bends(self):
        body = figures.body()
        made = fitting.fit(body, body)
        for name, turn, which, degrees in (
            ("LeftLeg", (50, 0, 0), 0, -50.0),
            ("LeftForeArm", (0, -70, 0), 0, 70.0),
            ("RightForeArm", (0, 70, 0), 0, 70.0),
            ("LeftUpLeg", (0, 0, 30), 1, 30.0),
            ("RightUpLeg", (0, 0, -30), 1, 30.0),
            ("Head", (0, 25, 0), 2, 25.0),
            ("LeftArm", (0, 0, -60), 1, -60.0),
        ):
            bent = figures.posed(body, {name: turn})
            told = angles(bent.rest.rotations[:, None], made.joint_frames)[body.index[name]]
            for axis in range(3):
                self.assertAlmostEqual(float(told[axis][0]), degrees if axis == which else 0.0, delta=6, msg=name)


class Settled(unittest.TestCase):
    def test_settings_come_back_from_their_file(self):
        chosen = Settings(
            hold=0.5, holds={"left leg": 0.2}, hands={"body": 0.1}, moved={"left arm": (0.1, 0.0, -0.1)},
            bends={"left leg": 9.0}, spread=-4.0, clear=0.3, stride=0.9, path="absolute", limits="hard",
            follow={"head": RotationInfluence(0.5, 1.0, (1.0, 2.0, 3.0))}, grades={"reach": (1.0, 2.0)},
            travel=Travel("root", heading=True, place="given", at=(1.0, 2.0, 3.0)),
        )  # fmt: skip
        table = json.loads(json.dumps(said.to_json(chosen)))
        self.assertEqual(said.from_json(table), chosen)
        self.assertEqual(said.to_json(PLAIN), {})
        body = settled.source()
        made = replace(settled.fitted(body, body), settings=chosen, ranges={"head": Range((-1, 1), (-2, 2), (-3, 3))})
        back = fitting.from_json(json.dumps(fitting.to_json(made)), "f", body, body)
        self.assertEqual((back.settings, dict(back.ranges)), (chosen, dict(made.ranges)))

    def test_settings_out_of_range_are_refused_in_words(self):
        for table, words in (
            ({"hold": 1.5}, "hold: 1.5 is not from 0 to 1"),
            ({"hold": True}, "hold"),
            ({"tempo": 1}, "no setting “tempo”"),
            ({"travel": {"mode": "fly"}}, "“fly” is not one of keep, in place, root"),
            ({"hands": {"nose": 1}}, "“nose” is not one of"),
            ({"grades": {"reach": [5, 1]}}, "cannot be more than what is wrong"),
            ({"follow": {"head": 3}}, "damaged"),
            ({"moved": {"left arm": [1, 2]}}, "damaged|unpack"),
            ([], "damaged"),
        ):
            with self.assertRaisesRegex(ValueError, words):
                said.from_json(table)

    def test_thresholds_that_are_chosen_change_the_grade(self):
        clip = CLIPS["walk"]()
        made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(1)))
        far = replace(ROTATIONS_ALONE, stride=made.scale * 1.3)
        made = replace(made, settings=far)
        measures = measure(clip, transfer(clip, made), made)
        worst = max(
            measure.size - measure.source for measure in measures if measure.kind == "foot slide" and measure.way > 0.8
        )
        for pair, want in (
            ((worst + 1, worst + 2), "good"),
            ((worst / 2, worst + 2), "look"),
            ((0.1, worst / 2), "wrong"),
        ):
            chosen = replace(
                made,
                settings=replace(ROTATIONS_ALONE, grades={"foot slide": pair, "reach": (90, 90), "floor": (90, 90)}),
            )
            self.assertEqual(grade(findings(measures, chosen, clip.frames)), want)


class Pieces(unittest.TestCase):
    def test_two_bones_reach_or_stretch_softly(self):
        rng = np.random.default_rng(0)
        root, middle, end = np.zeros((50, 3)), np.tile([0, -0.4, 0.05], (50, 1)), np.tile([0, -0.75, 0.0], (50, 1))
        goal = np.array([0, -0.7, 0]) + rng.uniform(-0.2, 0.2, (50, 3)) * [1, 0.4, 1]
        hinge = np.tile([1.0, 0, 0], (50, 1))
        upper, lower = two_bones(root, middle, end, goal, hinge)
        knee = rotation.rotate(upper, middle)
        foot = knee + rotation.rotate(lower, end - middle)
        far = np.linalg.norm(goal, axis=1) > np.linalg.norm(middle[0]) + np.linalg.norm((end - middle)[0]) - 0.03
        np.testing.assert_allclose(foot[~far], goal[~far], atol=1e-6)
        self.assertTrue(np.all(np.linalg.norm(foot, axis=1) < 0.7604))
        self.assertGreater(knee[:, 2].min(), -0.25)

    def test_stretching_is_smooth_and_never_past_the_limb(self):
        wanted = np.linspace(0.5, 1.4, 400)
        made = softened(np.full(400, 0.6), wanted, 1.0)
        np.testing.assert_allclose(made[wanted < 0.97], wanted[wanted < 0.97])
        self.assertLess(made.max(), 1.0)
        self.assertGreater(np.diff(made).min(), -1e-12)
        self.assertLess(np.abs(np.diff(made, 2)).max(), 5e-4)
        # A limb that is straight already keeps what it has.
        np.testing.assert_allclose(softened(np.full(3, 1.0), np.full(3, 1.0), 1.0), 1.0)

    def test_fabrik_reaches_with_many_bones(self):
        places = [np.tile([0, -0.2 * k, 0.03 * (k % 2)], (20, 1)) for k in range(5)]
        goal = np.array([0.1, -0.6, 0.1]) + np.random.default_rng(1).uniform(-0.1, 0.1, (20, 3))
        made = fabrik(places, goal)
        np.testing.assert_allclose(made[-1], goal, atol=2e-4)
        np.testing.assert_array_equal(made[0], places[0])
        for a, b, c, d in zip(places[:-1], places[1:], made[:-1], made[1:], strict=True):
            np.testing.assert_allclose(np.linalg.norm(d - c, axis=1), np.linalg.norm(b - a, axis=1), atol=1e-9)

    def test_envelopes_cover_and_weights_ease(self):
        values = np.zeros(100)
        values[40:44] = [0.2, 1.0, 0.6, 0.1]
        over = envelope(values, 8)
        self.assertTrue(np.all(over >= values - 1e-12))
        self.assertEqual((over[10], over[90]), (0.0, 0.0))
        self.assertLess(np.abs(np.diff(over, 2)).max(), 0.06)
        weight = held(np.arange(60.0), 20, 30, 10, 10)
        self.assertTrue(np.all(weight[20:31] == 1) and weight[5] == 0 and weight[45] == 0)

    def test_a_short_gap_is_bridged_and_the_two_add_up(self):
        one, two = blend_intervals([(0, 10), (20, 30)], 5, 15)
        frames = np.arange(40.0)
        total = np.zeros(40)
        for interval in (one, two):
            part, weight = interval.weight(frames)
            total[part] += weight
        np.testing.assert_allclose(total[:31], 1.0)
        apart = blend_intervals([(0, 10), (40, 50)], 5, 15)
        self.assertEqual([interval.after for interval in apart], [5, 5])
        loop = blend_intervals([(0, 10), (90, 99)], 5, 15, loop=99)
        self.assertTrue(any(interval.first == 90 and interval.last == 109 for interval in loop))


if __name__ == "__main__":
    unittest.main()
