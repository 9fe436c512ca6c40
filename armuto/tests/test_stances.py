"""Stances: what alignment leaves of the truth on generated bodies, proposals, and every way of making one."""

import json
import unittest
from dataclasses import replace

import numpy as np

from armuto import formats, pairing
from armuto.body.mirror import mirror_joints
from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import plan_of
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton, in_frame
from armuto.pipeline import transfer
from armuto.retarget import fitting, fitting_file
from armuto.retarget.fitting import FittingOverrides
from armuto.retarget.grounding import standing_places
from armuto.retarget.settings import ROTATIONS_ALONE
from armuto.stance import Stance, making, proposing, value
from armuto.stance.aligning import align, mapped_parts
from armuto.stance.posture import UP, measure, places_of
from armuto.stance.value import posed
from armuto.tests import bodies, figures, stances
from armuto.tests.files import DEMO

PLAN = stances.PLAN
FRONT = np.array([0.0, 0.0, 1.0])


def parts(skeleton: Skeleton) -> Assignment:
    return pairing.assign(skeleton, PLAN)


def editor(skeleton: Skeleton) -> making.PoseEditor:
    return making.PoseEditor(skeleton, skeleton.rest_rotation, parts(skeleton), PLAN, FRONT)


def posture(skeleton: Skeleton, rotations: np.ndarray):
    return measure(places_of(posed(skeleton, rotations).positions, parts(skeleton)), PLAN, FRONT)


class Aligning(unittest.TestCase):
    def test_the_same_body_resting_otherwise_performs_as_the_truth(self):
        for kind in stances.RESTS:
            for seed in range(8):
                with self.subTest(kind=kind, seed=seed):
                    self.assertLess(stances.position_error(seed, kind), 0.0005)

    def test_another_build_is_left_with_less_than_a_degree(self):
        for kind in stances.RESTS:
            for seed in range(8):
                for left in stances.left_of(seed, kind):
                    if not left.seen:
                        continue
                    with self.subTest(kind=kind, seed=seed, part=left.part):
                        # A foot of which only the toes tell how it lies is known less well.
                        foot = left.part.endswith("foot")
                        self.assertLess(left.direction, 6.0 if left.by_toes else 2.5 if foot else 1.0)
                        if left.roll is not None:
                            self.assertLess(left.roll, 9.0 if foot else 3.0)

    def test_a_forearm_turns_with_its_palm_and_bones_for_twist_share_it(self):
        rng = np.random.default_rng(3)
        source = stances.body(rng)
        editor = source.editor()
        lower = editor.joint("left lower arm")
        editor.turn(lower, rotation.about(editor.shape().direction(lower), np.radians(70)))
        made = stances.fitted(source, source.rest(editor))
        rows = {row.part: row for row in made.rows}
        self.assertAlmostEqual(rows["left lower arm"].turned, 70, delta=0.5)
        self.assertAlmostEqual(rows["left hand"].turned, 70, delta=0.5)
        self.assertLess(rows["left upper arm"].turned, 0.5)

    def test_only_the_chosen_limb_is_turned(self):
        body = figures.body()
        other = figures.posed(body, {"LeftArm": (0, 0, -45), "RightArm": (0, 0, 45), "LeftUpLeg": (20, 0, 0)})
        made = fitting.fit(body, other)
        limb = {other.index[name] for name in ("LeftShoulder", "LeftArm", "LeftForeArm", "LeftHand")}
        mapping = made.joint_mapping
        local = align(other, other.rest_rotation, mapped_parts(mapping), made.plan, made.model(mapping), only=limb)
        moved = rotation.angle(rotation.multiply(rotation.inverse(other.rest_rotation), local))
        self.assertAlmostEqual(float(np.degrees(moved[other.index["LeftArm"]])), 45, delta=0.1)
        self.assertLess(float(moved[other.index["RightArm"]]), 1e-9)
        self.assertLess(float(moved[other.index["LeftUpLeg"]]), 1e-9)

    def test_what_is_turned_by_hand_shows_as_left(self):
        body = figures.posed(figures.body(), {"LeftForeArm": (0, -40, 0), "RightForeArm": (0, 40, 0)})
        made = fitting.fit(body, body)
        arm = body.index["LeftArm"]
        rolled = made.target_stance.with_turn(arm, rotation.about([0.28, 0, -0.01], np.radians(25)))
        raised = made.target_stance.with_turn(arm, rotation.about([0, 0, 1], np.radians(15)))
        again = lambda stance: fitting.fit(  # noqa: E731
            body, body, pairs=made.pairs, source_stance=made.source_stance, target_stance=stance
        )
        row = next(row for row in again(rolled).rows if row.part == "left upper arm")
        self.assertAlmostEqual(abs(row.roll or 0), 25, delta=0.2)
        self.assertLess(row.left, 0.01)
        row = next(row for row in again(raised).rows if row.part == "left upper arm")
        self.assertAlmostEqual(row.left, 15, delta=0.01)
        # What was turned by hand stays when the stance is aligned anew.
        self.assertEqual(set(again(raised).target_stance.turned), {arm})

    def test_a_spine_of_another_curve_keeps_its_own(self):
        body = figures.body()
        offsets = body.rest_translation.copy()
        offsets[body.index["Chest"], 2] += 0.06
        offsets[body.index["Neck"], 2] -= 0.08
        made = fitting.fit(body, replace(body, rest_translation=offsets))
        rows = {row.part: row for row in made.rows}
        self.assertLess(rows["chest"].turned, 0.01)
        self.assertTrue(rows["chest"].own)
        self.assertGreater(rows["chest"].left, 10)


class Animals(unittest.TestCase):
    def test_legs_and_wings_that_rest_otherwise_perform_as_the_truth(self):
        for file, kinds in (
            ("fox.glb", ("upper leg", "lower leg", "neck")),
            ("heron.glb", ("upper wing", "lower wing", "neck")),
        ):
            document = formats.read((DEMO / file).read_bytes(), file)
            source = document.skeleton
            plan = plan_of(document.parts)
            self.assertIn(plan.name, ("four-legged", "winged"))
            joints = [bone.joint for bones in document.parts.values() for bone in bones]
            pairs = figures.one_to_one(source, source, {b.joint: p for p, bs in document.parts.items() for b in bs})
            for seed in range(4):
                with self.subTest(file=file, seed=seed):
                    rng = np.random.default_rng(seed)
                    bent = source.rest_rotation.copy()
                    for part, bones in document.parts.items():
                        if part.endswith(kinds):
                            q = rotation.about(rng.normal(0, 1, 3), np.radians(rng.uniform(5, 30)))
                            bent[bones[0].joint] = rotation.multiply(bent[bones[0].joint], q)
                    target = replace(source, rest_rotation=bent)
                    clip = figures.motion(source, rng)
                    still = np.broadcast_to(source.rest_rotation, clip.rotations.shape).copy()
                    still[:, joints] = clip.rotations[:, joints]
                    clip = replace(clip, rotations=still)
                    made = fitting.fit(source, target, document.parts, document.parts, pairs, plan=plan)
                    here, there = (c.world().positions[:, joints] for c in (transfer(clip, made), clip))
                    off = (here - here[:, :1]) - (there - there[:, :1])
                    self.assertLess(np.abs(off).max(), 0.0005)

    def test_paws_stay_level_on_another_build(self):
        document = formats.read((DEMO / "fox.glb").read_bytes(), "fox.glb")
        source = document.skeleton
        taller = source.rest_translation.copy()
        for part, bones in document.parts.items():
            if part.endswith(("lower leg", "foot")):
                taller[bones[0].joint] *= 1.3
        made = fitting.fit(source, replace(source, rest_translation=taller), document.parts, document.parts)
        rows = {row.part: row for row in made.rows}
        self.assertLess(max(row.left for row in rows.values() if not row.own), 0.01)
        self.assertLess(rows["left hind toes"].turned, 0.01)


class Proposing(unittest.TestCase):
    def test_the_stance_a_skeleton_was_made_with_is_found(self):
        wrong = [row for row in map(stances.proposed_right, range(304)) if not row[0]]
        self.assertLessEqual(len(wrong), 0.05 * 304, wrong)

    def test_it_says_why(self):
        crouched = figures.posed(
            figures.body(),
            {"LeftUpLeg": (-70, 0, 0), "LeftLeg": (80, 0, 0), "LeftArm": (0, 60, 0), "Spine": (30, 0, 0)},
        )
        stance = proposing.propose(crouched, parts(figures.body()), PLAN)
        self.assertEqual(stance.name, "All rotations zero")
        self.assertIn("the rest pose is in the middle of an action", stance.how)
        self.assertIn("in a T", stance.how)


class Making(unittest.TestCase):
    def test_t_a_and_arms_down(self):
        posed_body = figures.posed(figures.body(), {"LeftArm": (10, 30, -60), "RightForeArm": (0, 70, 0)})
        for degrees, wanted in ((90, 90), (48, 48), (4, 4)):
            figure = editor(posed_body)
            making.arms(figure, degrees)
            found = posture(posed_body, figure.rotations())
            self.assertAlmostEqual(found.arms, wanted, delta=0.01)
            self.assertLess(max(found.elbows, found.reach, found.forward), 0.01)

    def test_palms_of_a_t_face_down(self):
        skeleton, truth, _ = bodies.two_legged(np.random.default_rng(4), hands=True)
        known = {part: tuple(PartBone(j, 1.0, "true") for j in joints) for part, joints in truth.items()}
        front = proposing.looking(skeleton, skeleton.rest_rotation, known)
        figure = making.PoseEditor(skeleton, skeleton.rest_rotation, known, PLAN, front)
        making.arms(figure, 90)
        shape = figure.shape()
        for side in ("left", "right"):
            onward, across = shape.frame(shape.limbs.joints[f"{side} hand"])
            self.assertGreater(float(across @ front), 0.999)
            self.assertLess(abs(float(onward @ UP)), 1e-6)

    def test_standing_straight(self):
        bent = figures.posed(
            figures.body(),
            {"LeftUpLeg": (-40, 0, 10), "LeftLeg": (60, 0, 0), "Hips": (10, 20, 5), "Spine": (25, 10, 0)},
        )
        figure = editor(bent)
        making.straight(figure)
        found = posture(bent, figure.rotations())
        self.assertLess(found.knees, 0.01)
        self.assertLess(found.twist, 0.5)
        self.assertLess(found.tilt, 0.01)
        self.assertLess(found.legs_apart, 0.01)
        self.assertTrue(found.stands)

    def test_a_body_without_arms_says_so(self):
        empty = making.PoseEditor(figures.body(), figures.body().rest_rotation, {}, PLAN, FRONT)
        with self.assertRaisesRegex(BadInput, "no arms"):
            making.arms(empty, 90)

    def test_one_side_is_mirrored_onto_the_other(self):
        body = figures.body()
        turns = {"LeftArm": (20, 10, -50), "LeftForeArm": (0, -35, 0), "LeftUpLeg": (-25, 0, 8)}
        bent = figures.posed(body, turns)
        known = {bone.joint: part for part, bones in parts(body).items() for bone in bones}
        other = mirror_joints(body, parts(body))
        made = making.mirrored(body, bent.rest_rotation, other, known, PLAN, FRONT, "left")
        at = posed(body, made).positions
        for left, right in other.items():
            self.assertLess(float(np.abs(at[left] * [-1, 1, 1] - at[right]).max()), 1e-9)
        both = making.mirrored(body, bent.rest_rotation, other, known, PLAN, FRONT, None)
        self.assertLess(
            float(np.abs(posed(body, both).positions[body.index["RightHand"]] - at[body.index["RightHand"]]).max()),
            1e-9,
        )
        still = posed(body, both).positions[body.index["LeftHand"]] - body.rest.positions[body.index["LeftHand"]]
        self.assertLess(float(np.abs(still).max()), 1e-9)

    def test_a_skeleton_that_rests_unlike_on_both_sides_is_mirrored_by_directions(self):
        body = figures.posed(figures.body(), {"RightArm": (0, 0, 60), "RightLeg": (30, 0, 0)})
        known = {bone.joint: part for part, bones in parts(figures.body()).items() for bone in bones}
        other = mirror_joints(figures.body(), parts(figures.body()))
        made = making.mirrored(body, body.rest_rotation, other, known, PLAN, FRONT, "left")
        at = posed(body, made).positions
        self.assertLess(
            float(np.abs(at[body.index["LeftHand"]] * [-1, 1, 1] - at[body.index["RightHand"]]).max()), 1e-6
        )

    def test_zero_keeps_what_brings_the_files_axes_to_ours(self):
        plain = figures.body()
        lying = replace(plain, rest_translation=plain.rest_translation[:, [0, 2, 1]] * [1, -1, 1])
        turn = rotation.about([1, 0, 0], -np.pi / 2)
        upright = in_frame(lying, replace(plain.file_frame, up="+Z", turn=tuple(turn)))
        self.assertLess(np.abs(posed(upright, making.zero(upright)).positions - upright.rest.positions).max(), 1e-12)

    def test_a_frame_and_the_mean_of_a_range(self):
        body = figures.body()
        still = np.tile(body.rest_rotation, (9, 1, 1))
        still[:, body.index["LeftArm"]] = rotation.about([0, 0, 1], np.radians(np.linspace(-10, 10, 9)))
        still[::2] *= -1  # the same rotations
        clip = Clip("calibration", body, 30.0, still, np.zeros(0, np.int64), np.zeros((9, 0, 3)))
        mean = making.average(clip, 0, 8)
        self.assertLess(float(rotation.angle(mean).max()), 1e-6)
        self.assertAlmostEqual(
            float(np.degrees(rotation.angle(making.frame(clip, 8)[body.index["LeftArm"]]))), 10, delta=1e-6
        )
        with self.assertRaisesRegex(BadInput, "frames 0 to 8"):
            making.frame(clip, 9)

    def test_turning_about_a_world_axis(self):
        body = stances.disguised(stances.body(np.random.default_rng(1)), np.random.default_rng(2), 30, 1.0).skeleton
        joint = len(body) // 2
        q = making.turned(body, body.rest_rotation, joint, np.array([0.0, 2.0, 0.0]), 35)
        turned = body.rest_rotation.copy()
        turned[joint] = rotation.multiply(turned[joint], q)
        step = rotation.multiply(posed(body, turned).rotations[joint], rotation.inverse(body.rest.rotations[joint]))
        self.assertLess(np.abs(step - rotation.about(UP, np.radians(35))).max(), 1e-9)
        with self.assertRaisesRegex(BadInput, "axis"):
            making.turned(body, body.rest_rotation, joint, np.zeros(3), 35)


class Values(unittest.TestCase):
    def test_turns_by_hand_are_added_and_taken_away(self):
        body = figures.body()
        stance = value.rest_of(body).with_turn(3, rotation.about(UP, 0.2)).with_turn(3, rotation.about(UP, 0.1))
        self.assertAlmostEqual(float(rotation.angle(stance.turned[3])), 0.3)
        self.assertEqual(dict(stance.with_turn(3, rotation.about(UP, -0.3)).turned), {})
        self.assertLess(np.abs(stance.without_turns().rotations - body.rest_rotation).max(), 1e-12)
        back = value.rest_of(body).with_rotations(stance.rotations)
        self.assertEqual(set(back.turned), {3})

    def test_a_fitting_comes_back_from_its_file_with_its_stances(self):
        body = figures.body()
        other = figures.posed(body, {"LeftArm": (0, 0, -45), "RightArm": (0, 0, 45)})
        made = fitting.fit(body, other)
        hand = made.target_stance.with_turn(4, rotation.about(UP, 0.4)).named("Night watch")
        overrides = FittingOverrides(target_facing=12.0, source_floor=0.03, size="arms")
        chosen = fitting.fit(
            body, other, pairs=made.pairs, source_stance=made.source_stance, target_stance=hand, overrides=overrides
        )
        text = json.dumps(fitting_file.to_json(chosen))
        back = fitting_file.from_json(text, "a.json", body, other)
        self.assertEqual(back.target_stance.name, "Night watch")
        self.assertTrue(back.target_stance.aligned)
        self.assertEqual(back.overrides, overrides)
        self.assertLess(np.abs(back.target_stance.rotations - chosen.target_stance.rotations).max(), 1e-8)
        with self.assertRaisesRegex(BadInput, "damaged"):
            fitting_file.from_json(
                text.replace('"turned": {"Head": [', '"turned": {"Head": ["x", '), "a.json", body, other
            )

    def test_any_stance_of_the_source_gives_the_same_motion(self):
        body = figures.body()
        other = figures.posed(body, {"LeftArm": (0, 0, -45), "RightArm": (0, 0, 45)})
        clip = figures.motion(body, np.random.default_rng(8))
        plain = transfer(clip, fitting.fit(body, other)).world().positions
        stance = Stance("Frame 7", "frame 7", making.frame(clip, 7))
        made = fitting.fit(body, other, source_stance=stance, overrides=FittingOverrides(0.0, 0.0))
        moved = transfer(clip, made).world().positions
        # Standing heights differ from stance to stance; the pose about the hips does not.
        self.assertLess(np.abs((moved - moved[:, :1]) - (plain - plain[:, :1])).max(), 1e-4)


class Measures(unittest.TestCase):
    def test_ratios_of_legs_arms_and_spine(self):
        body = figures.body()
        offsets = body.rest_translation.copy()
        for side in ("Left", "Right"):
            offsets[body.index[f"{side}Leg"]] *= 0.8
            offsets[body.index[f"{side}Foot"]] *= 0.8
            offsets[body.index[f"{side}ForeArm"]] *= 1.5
            offsets[body.index[f"{side}Hand"]] *= 1.5
        made = fitting.fit(body, replace(body, rest_translation=offsets))
        self.assertAlmostEqual(made.sizes.legs, 0.8)
        self.assertAlmostEqual(made.sizes.arms, 1.5)
        self.assertAlmostEqual(made.sizes.spine, 1.0)
        self.assertAlmostEqual(made.scale, 0.8)
        for size, ratio in (("arms", 1.5), (0.7, 0.7)):
            again = fitting.fit(made.source, made.target, pairs=made.pairs, overrides=FittingOverrides(size=size))
            self.assertAlmostEqual(again.scale, ratio)

    def test_thick_soles_lift_the_figure(self):
        body = figures.body()
        lifted = body.rest_translation.copy()
        lifted[0, 1] += 0.05
        shod = replace(body, rest_translation=lifted)
        made = fitting.fit(body, shod)
        self.assertAlmostEqual(made.floors[1] - made.floors[0], 0.05)
        clip = figures.motion(body, np.random.default_rng(9))
        # Contacts would roll the foot over the thicker sole; this is about where the body is.
        alone = replace(made, settings=ROTATIONS_ALONE)
        risen = transfer(clip, alone).world().positions[:, :, 1] - clip.world().positions[:, :, 1]
        self.assertLess(np.abs(risen - 0.05).max(), 1e-4)
        overruled = fitting.fit(body, shod, overrides=FittingOverrides(target_floor=made.floors[0]))
        self.assertAlmostEqual(standing_places(overruled, overruled.joint_mapping)[1][:, 1].min(), made.floors[0])

    def test_a_facing_that_is_said_turns_the_motion(self):
        body = figures.body()
        clip = figures.motion(body, np.random.default_rng(9))
        made = fitting.fit(body, body, overrides=FittingOverrides(target_facing=90.0))
        there = rotation.rotate(rotation.about(UP, np.pi / 2), clip.world().positions)
        moved = transfer(clip, made).world().positions
        self.assertLess(np.abs(np.ptp(moved, axis=0)[0] - np.ptp(there, axis=0)[0]).max(), 1e-6)


if __name__ == "__main__":
    unittest.main()
