"""Bones for sculptures on four legs and of birds, against figures whose bones are known."""

import unittest
from functools import cache

import numpy as np

from armuto import formats
from armuto.body.plans import body_plan
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.pose import world_pose
from armuto.pipeline import transfer
from armuto.quality.findings import find, grade
from armuto.retarget.fitting import fit
from armuto.rigging import definition, landmarks
from armuto.rigging.exercise import POSTURES, posture_clip, posture_frames
from armuto.rigging.fingers import with_fingers
from armuto.rigging.landmark_sets import LANDMARK_SETS
from armuto.rigging.landmarks import Landmarks, usual_landmarks
from armuto.rigging.pipeline import bind, propose_landmarks, rig
from armuto.rigging.proposing import propose
from armuto.rigging.reading import frame_of, read_mesh
from armuto.rigging.sections import normal_at
from armuto.rigging.skeleton import skeleton_from
from armuto.rigging.skeleton_draft import SkeletonOptions
from armuto.rigging.solid import solid_of
from armuto.rigging.weights import bones_of, nearest_weights
from armuto.tests.animals import four_legged
from armuto.tests.files import DEMO
from armuto.tests.sculptures import bare, bent, figure, poses, proposed, rigged
from armuto.tests.skins import skin

HOUND = DEMO.parent / "without_bones" / "hound.glb"
LEGS = {
    **{"shoulder": "front upper leg", "elbow": "front lower leg", "wrist": "front foot", "front ball": "front toes"},
    **{"hip": "hind upper leg", "knee": "hind lower leg", "ankle": "hind foot", "hind ball": "hind toes"},
}
BIRD = {
    **{"shoulder": "upper wing", "elbow": "lower wing", "wrist": "wing hand"},
    **{"hip": "upper leg", "knee": "lower leg", "ankle": "foot", "ball": "toes"},
}
#: Where the hound's maker has put its joints (:mod:`demo.sculptures`), in metres, of the left side.
MADE = {
    "shoulder": (0.07, 0.44, 0.25),
    "elbow": (0.078, 0.34, 0.16),
    "wrist": (0.078, 0.14, 0.17),
    "hip": (0.06, 0.45, -0.27),
    "knee": (0.078, 0.31, -0.19),
    "ankle": (0.078, 0.17, -0.325),
}


@cache
def hound() -> Landmarks:
    return propose_landmarks(read_mesh(HOUND.read_bytes(), HOUND.name))


class Proposals(unittest.TestCase):
    def near(self, at: np.ndarray, truth: np.ndarray, height: float, most: float) -> None:
        self.assertLess(float(np.linalg.norm(at - truth)) / height, most)

    def test_the_hounds_joints_are_where_its_maker_put_them(self) -> None:
        found = hound()
        self.assertEqual(found.plan, "four-legged")
        self.assertEqual(sorted(found.points), sorted([*found.landmark_set.needed, *found.landmark_set.optional]))
        turn = rotation.about([0, 1.0, 0], np.radians(60))
        for side, sign in (("left", 1), ("right", -1)):
            for name, at in MADE.items():
                with self.subTest(side, name=name):
                    truth = rotation.rotate(turn, np.array(at) * [sign, 1, 1])
                    self.near(found.at(f"{side} {name}"), truth, 0.76, 0.04)
        self.assertGreater(float(np.array(found.ahead) @ rotation.rotate(turn, np.array([0, 0, 1.0]))), 0.995)
        self.near(found.at("tail tip"), rotation.rotate(turn, np.array([0, 0.52, -0.63])), 0.76, 0.03)

    def test_a_fox_and_a_heron_are_told_however_they_face(self) -> None:
        for name, plan, parts, most in (("fox", "four-legged", LEGS, 0.05), ("heron", "winged", BIRD, 0.1)):
            row = figure(name)
            for degrees in (0.0, 130.0):
                turn = rotation.about([0, 1.0, 0], np.radians(degrees))
                found = propose_landmarks(read_mesh(bare(name, degrees), f"{name}.glb"))
                self.assertEqual(found.plan, plan)
                for landmark, part in parts.items():
                    for side in ("left", "right"):
                        with self.subTest(name, landmark=f"{side} {landmark}", turned=degrees):
                            there = rotation.rotate(turn, row.place(f"{side} {part}")) + [0.4, 0.0, -0.2]
                            self.near(found.at(f"{side} {landmark}"), there, row.height, most)
                ahead = rotation.rotate(turn, np.array([0.0, 0, 1]))
                self.assertGreater(float(np.array(found.ahead) @ ahead), 0.99)

    def test_what_is_seen_of_legs_is_found_on_any_animal(self) -> None:
        for kind, seed in (("dog", 3), ("horse", 7)):
            skeleton, truth, _ = four_legged(np.random.default_rng(seed), kind)
            points, faces = skin(np.random.default_rng(seed), skeleton, truth)
            found = propose(solid_of(points, faces))
            at, height = skeleton.rest.positions, float(np.ptp(points[:, 1]))
            for side in ("left", "right"):
                for name in ("elbow", "wrist", "front ball", "ankle", "hind ball", "knee"):
                    with self.subTest(kind, seed=seed, name=f"{side} {name}"):
                        joint = truth[f"{side} {LEGS[name]}"][0]
                        self.near(found.at(f"{side} {name}"), at[joint], height, 0.055)
            self.near(found.at("skull"), at[truth["head"][0]], height, 0.1)

    def test_two_legs_are_not_four_and_a_kind_can_be_said(self) -> None:
        self.assertEqual(proposed("porter").plan, "two-legged")
        fox = solid_of(figure("fox").points, figure("fox").faces)
        self.assertEqual(propose(fox, "four-legged").plan, "four-legged")
        porter = solid_of(figure("porter").points, figure("porter").faces)
        with self.assertRaisesRegex(BadInput, "no four legs"):
            propose(porter, "four-legged")

    def test_a_long_body_stands_on_its_feet_and_not_on_its_tail(self) -> None:
        for name in ("fox", "heron", "porter"):
            points = figure(name).points
            lying = points[:, [0, 2, 1]] * [1, -1, 1]
            self.assertEqual([frame_of(at, "x", None, None).up for at in (points, lying)], ["+Y", "+Z"], name)

    def test_usual_places_of_every_kind_mirror_each_other(self) -> None:
        for plan, known in LANDMARK_SETS.items():
            found = usual_landmarks(np.array([-0.5, 0, -0.5]), np.array([0.5, 1.2, 0.5]), plan)
            self.assertEqual((found.plan, sorted(found.points)), (plan, sorted(known.needed)))
            for name in (name for name in known.needed if name.startswith("left ")):
                twin = name.replace("left", "right")
                np.testing.assert_allclose(found.plane.mirrored(found.at(name)), found.at(twin), atol=1e-9)
                self.assertEqual(known.meaning(name), known.meaning(twin))
            self.assertEqual(definition.from_json(landmarks.to_json(found), "a").landmarks.plan, plan)
            skeleton_from(found)


class Skeletons(unittest.TestCase):
    def bend(self, found: Landmarks, joint: str, end: str) -> np.ndarray:
        """Where the end of a limb goes when a joint is bent by 30 degrees."""
        skeleton = skeleton_from(found)
        local, k = skeleton.rest_rotation.copy(), skeleton.index[joint]
        local[k] = rotation.multiply(local[k], rotation.about([1.0, 0, 0], np.radians(30)))
        posed = world_pose(skeleton, local[None], skeleton.rest_translation[None].copy())
        return posed.positions[0, skeleton.index[end]] - skeleton.rest.positions[skeleton.index[end]]

    def test_limbs_bend_as_animals_do(self) -> None:
        found = proposed("fox")
        ahead, up = np.array(found.ahead), np.array([0, 1.0, 0])
        for side in ("left", "right"):
            for joint, end, way in (
                ("front lower leg", "front foot", ahead), ("front foot", "front toes", -ahead),
                ("hind lower leg", "hind foot", -ahead), ("hind foot", "hind toes", ahead),
            ):  # fmt: skip
                with self.subTest(side, joint=joint):
                    self.assertGreater(float(self.bend(found, f"{side} {joint}", f"{side} {end}") @ way), 0.01)
        self.assertGreater(float(self.bend(found, "tail 1", "tail 3") @ up), 0.02)
        bird = proposed("heron")
        ahead = np.array(bird.ahead)
        for side in ("left", "right"):
            self.assertGreater(float(self.bend(bird, f"{side} lower wing", f"{side} wing hand") @ ahead), 0.02)
            self.assertGreater(float(self.bend(bird, f"{side} wing hand", f"{side} wing tip") @ -ahead), 0.02)
            self.assertGreater(float(self.bend(bird, f"{side} foot", f"{side} toes") @ ahead), 0.02)

    def test_bones_are_the_parts_of_their_plan(self) -> None:
        for name in ("fox", "heron"):
            made = rigged(name)
            document = formats.read(made.glb(), f"{name}.glb")
            plan = body_plan(made.landmarks.plan)
            for part in plan.required:
                with self.subTest(name, part=part):
                    (bone, *_) = document.parts[part]
                    called = document.skeleton.names[bone.joint]
                    self.assertEqual(called.rstrip(" 0123456789"), part)

    def test_it_has_as_many_bones_as_are_asked_for(self) -> None:
        names = skeleton_from(proposed("fox"), SkeletonOptions(spine=4, neck=3, tail=6, twists=1, toes=False)).names
        self.assertLessEqual({"spine 3", "neck 3", "tail 6", "left hind lower leg twist"}, set(names))
        self.assertFalse({"tail 7", "left front toes", "right hind toes"} & set(names))
        tailless = Landmarks(
            {name: row for name, row in hound().points.items() if "tail" not in name},
            *(hound().origin, hound().side, hound().ahead, hound().plan),
        )
        self.assertFalse([name for name in skeleton_from(tailless).names if "tail" in name])


class Animals(unittest.TestCase):
    def test_weights_are_nearer_to_the_makers_than_those_of_the_nearest_bone(self) -> None:
        row = figure("fox")
        skeleton, bones = row.document.skeleton, bones_of(row.document.skeleton)
        made, _ = bind(row.points, row.faces, solid_of(row.points, row.faces), bones, len(skeleton))
        local = poses(row, 4)
        truth = bent(skeleton, local, row.points, row.weights)
        ours, plain = (
            np.linalg.norm(bent(skeleton, local, row.points, weights) - truth, axis=2)
            for weights in (made, nearest_weights(row.points, bones, len(skeleton)))
        )
        self.assertLess(np.median(ours), 0.5 * np.median(plain))
        self.assertLess(np.percentile(ours, 95), 0.6 * np.percentile(plain, 95))

    def test_they_perform_what_their_kind_does(self) -> None:
        for name, clips in (("fox", "yard/trot.bvh"), ("heron", "roof/birds.glb")):
            target = formats.read(rigged(name).glb(), f"{name}.glb")
            source = formats.read((DEMO / clips).read_bytes(), clips)
            fitting = fit(source.skeleton, target.skeleton, source.parts, target.parts)
            self.assertEqual((fitting.plan.name, fitting.missing), (rigged(name).landmarks.plan, ()))
            for clip in source.clips[:2]:
                with self.subTest(name, clip=clip.name):
                    self.assertNotEqual(grade(find(clip, transfer(clip, fitting), fitting)), "wrong")

    def test_postures_are_tried_and_problems_seen(self) -> None:
        for name in ("fox", "heron"):
            made = rigged(name)
            clip = posture_clip(made.skeleton, made.landmarks)
            marks = posture_frames(made.landmarks.plan)
            self.assertEqual(list(marks), [posture.name for posture in POSTURES[made.landmarks.plan]])
            self.assertLess(max(marks.values()), clip.frames)
            known = {joint for posture in POSTURES[made.landmarks.plan] for joint in (*posture.points, *posture.bends)}
            short = {bone.removeprefix("left ").removeprefix("right ") for bone in made.skeleton.names}
            # What a posture bends is there; only of necks there may be fewer bones.
            self.assertLessEqual({joint for joint in known if "neck" not in joint}, short)
            for problem in made.problems():
                self.assertIn(problem.kind, ("side", "stretch", "clipping", "volume"))
                self.assertTrue(problem.posture in marks or problem.kind == "side", problem)

    def test_a_limb_is_cut_across_and_hands_are_asked_of_nobody_without(self) -> None:
        found = proposed("fox")
        along = found.at("left front ball") - found.at("left elbow")
        self.assertGreater(abs(float(normal_at(found, "left wrist") @ along)) / np.linalg.norm(along), 0.999)
        row = figure("fox")
        with self.assertRaisesRegex(BadInput, "no hands"):
            with_fingers(found, row.points, row.faces, 3)

    def test_what_was_kept_before_there_were_other_bodies_is_still_the_same(self) -> None:
        known = definition.to_json(definition.proposed_definition(proposed("keeper")))
        before = {key: value for key, value in known.items() if key != "plan"}
        before["options"] = {key: value for key, value in known["options"].items() if key != "tail"}
        self.assertEqual(definition.from_json(before, "a").digest, definition.from_json(known, "a").digest)
        with self.assertRaisesRegex(BadInput, "“six-legged” is no kind of body"):
            definition.from_json(known | {"plan": "six-legged"}, "a")
        with self.assertRaisesRegex(BadInput, "1 to 12 tail bones"):
            definition.from_json(known | {"options": known["options"] | {"tail": 40}}, "a")

    def test_the_hound_is_bound_with_its_belly_open(self) -> None:
        made = rig(read_mesh(HOUND.read_bytes(), HOUND.name))
        np.testing.assert_allclose(made.weights.sum(axis=1), 1, atol=1e-9)
        self.assertEqual([made.skeleton.names[joint] for joint in made.rigid.values()], ["neck"])
        self.assertFalse([row for row in made.problems() if row.kind == "side" and row.count > 20])


if __name__ == "__main__":
    unittest.main()
