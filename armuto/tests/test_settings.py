"""What is chosen about a transfer: influence, travel, scaling, limits; and the pieces that constraints are made of."""

import json
import unittest
from dataclasses import replace

import numpy as np

from armuto.body.joint_limits import Range
from armuto.constraints.limits import LEAST, angles, violations
from armuto.constraints.root_bone import rooted, wants_root
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.curves import blend_intervals, envelope, held
from armuto.kinematics.ik import fabrik, softened, two_bones
from armuto.kinematics.pose import world_pose_by_joint
from armuto.pipeline import retarget, transfer
from armuto.quality.findings import findings, grade
from armuto.quality.measures import measure
from armuto.retarget import fitting, fitting_file
from armuto.retarget import settings as said
from armuto.retarget.settings import PLAIN, ROTATIONS_ALONE, RotationInfluence, Settings, Travel
from armuto.tests import figures, settled
from armuto.tests.test_constraints import CLIPS


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
                        rotation.inverse(self.made.target_stance.rotations[joint]), clip.rotations[:, joint]
                    )
                )
                for clip in (half, plain)
            ]
            np.testing.assert_allclose(own[0], own[1] / 2, atol=1e-6)

    def test_an_offset_stays_throughout(self):
        plain, bowed = self.performed(), self.performed(follow={"Head": RotationInfluence(offset=(20.0, 0.0, 0.0))})
        head = self.index["Head"]
        off = rotation.multiply(rotation.inverse(plain.world().rotations[:, head]), bowed.world().rotations[:, head])
        np.testing.assert_allclose(np.degrees(rotation.angle(off)), 20, atol=1e-6)
        ahead = np.array([0.0, 0, 1])
        looks = [rotation.rotate(clip.world().rotations[50, head], ahead) for clip in (plain, bowed)]
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
            clip.world().positions for clip in (self.performed(), self.performed(stride=self.made.scale * 1.15))
        )
        way = [float(np.ptp(at[:, 0, 2])) for at in (plain, far)]
        self.assertAlmostEqual(way[1] / way[0], 1.15, delta=0.01)
        self.assertLess(np.abs(plain[:, 0, 1] - far[:, 0, 1]).max(), 0.05 * self.made.scale)
        done = retarget(self.clip, replace(self.made, settings=replace(PLAIN, stride=self.made.scale * 1.1)))
        slides = [
            measured
            for measured in measure(
                self.clip,
                done.clip,
                replace(self.made, settings=replace(PLAIN, stride=self.made.scale * 1.1)),
                done.contacts,
            )
            if measured.kind == "foot slide"
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
        self.assertGreater(violations(world, off.joint_frames, ranges)["left lower leg"].max(), 10)

    def test_violations_are_what_angles_are_beyond_their_ellipse_or_their_range(self):
        body, rng = figures.body(), np.random.default_rng(5)
        made = fitting.fit(body, body)
        for size in (3.0, 30.0, 170.0):
            shape = (len(body), 200)
            axes = rng.normal(size=(*shape, 3))
            axes /= np.linalg.norm(axes, axis=-1, keepdims=True)
            turns = rotation.about_each(axes, np.radians(rng.uniform(-size, size, shape)))
            world = world_pose_by_joint(body, turns.swapaxes(0, 1), np.zeros((200, len(body), 3)))
            ends = np.minimum(rng.uniform(0.0, 2 * size, (3, 2)), 180.0)
            wide = Range(*((-low, high) for low, high in ends.tolist()))
            ranges = {frame.part: wide for frame in made.joint_frames.frames}
            over, counted = (
                violations(world.rotations, made.joint_frames, ranges),
                angles(world.rotations, made.joint_frames),
            )
            self.assertEqual(set(over), set(ranges))
            for frame in made.joint_frames.frames:
                bend, side, twist = counted[frame.joint]
                bounds = [
                    np.maximum(np.where(value < 0, low, high), LEAST)
                    for value, (low, high) in zip((bend, side, twist), ends, strict=True)
                ]
                far = np.maximum(np.hypot(bend / bounds[0], side / bounds[1]), 1.0)
                swung = np.hypot(bend, side) * (1 - 1 / far)
                wanted = np.maximum(swung, np.maximum(np.abs(twist) - bounds[2], 0.0))
                np.testing.assert_allclose(over[frame.part], wanted, atol=1e-9, err_msg=frame.part)

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
            rest = angles(bent.rest.rotations[:, None], made.joint_frames)[body.index[name]]
            for axis in range(3):
                self.assertAlmostEqual(float(rest[axis][0]), degrees if axis == which else 0.0, delta=6, msg=name)


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
        back = fitting_file.from_json(json.dumps(fitting_file.to_json(made)), "f", body, body)
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
            ({"moved": {"left arm": [1, 2]}}, "left arm, 2” is missing"),
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
        first, second = blend_intervals([(0, 10), (20, 30)], 5, 15)
        frames = np.arange(40.0)
        total = np.zeros(40)
        for interval in (first, second):
            part, weight = interval.weight(frames)
            total[part] += weight
        np.testing.assert_allclose(total[:31], 1.0)
        apart = blend_intervals([(0, 10), (40, 50)], 5, 15)
        self.assertEqual([interval.after for interval in apart], [5, 5])
        loop = blend_intervals([(0, 10), (90, 99)], 5, 15, loop=99)
        self.assertTrue(any(interval.first == 90 and interval.last == 109 for interval in loop))
