"""What a person decides about bones: pieces, corrections, sections, postures, measures, fingers, and its JSON."""

import json
import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.errors import BadInput
from armuto.formats import gltf
from armuto.formats.gltf.taking_apart import parts_of
from armuto.kinematics import rotation
from armuto.rigging import definition as core
from armuto.rigging.components import components_of
from armuto.rigging.corrections import SurfaceGraph, corrected
from armuto.rigging.definition import RigDefinition, WeightCorrection
from armuto.rigging.exercise import POSTURES, posture_clip, posture_frames, posture_rotations
from armuto.rigging.fingers import with_fingers
from armuto.rigging.landmark_sets import TWO_LEGGED
from armuto.rigging.measures import deformed, problems_of, volume_lost
from armuto.rigging.pieces import flaws_of, pieces_of
from armuto.rigging.pipeline import propose_landmarks, rig
from armuto.rigging.preparing import bound_mesh, prepare
from armuto.rigging.reading import read_mesh
from armuto.rigging.sections import normal_at, section_at
from armuto.rigging.skeleton import skeleton_from
from armuto.rigging.skeleton_draft import SkeletonOptions
from armuto.rigging.stripping import without_bones
from armuto.tests.files import DEMO, PORTER
from armuto.tests.sculptures import bare_mesh, coarse, coarse_mesh, figure, proposed, rigged
from armuto.tests.test_rigging_files import obj

BARE = DEMO.parent / "without_bones"


def tube(length: float, radius: float, around: int = 24, along: int = 40) -> tuple[np.ndarray, np.ndarray]:
    """A closed tube along +Y from the origin."""
    angles = np.linspace(0, 2 * np.pi, around, endpoint=False)
    rings = [
        np.stack([radius * np.cos(angles), np.full(around, y), radius * np.sin(angles)], axis=1)
        for y in np.linspace(0, length, along)
    ]
    points = np.concatenate([*rings, [[0, 0, 0]], [[0, length, 0]]])
    faces = []
    for k in range(along - 1):
        for n in range(around):
            a, b = k * around + n, k * around + (n + 1) % around
            faces += [[a, a + around, b], [b, a + around, b + around]]
    low, high = len(points) - 2, len(points) - 1
    for n in range(around):
        faces += [[low, n, (n + 1) % around]]
        faces += [[high, (along - 1) * around + (n + 1) % around, (along - 1) * around + n]]
    return points, np.array(faces)


class Definitions(unittest.TestCase):
    def setUp(self) -> None:
        self.mesh, self.landmarks = coarse_mesh("porter"), proposed("porter")

    def test_json_is_exact_and_tells_definitions_apart(self) -> None:
        whole = RigDefinition(
            self.landmarks,
            SkeletonOptions(4, 2, 5, 1, False, False),
            frozenset({3, 1}),
            {2: "head", 5: None},
            (WeightCorrection("chest", (0.1, 1.2, 0.0), 0.05, -0.4, False),),
            0.01,
            "+Z",
        )
        again = core.from_json(core.to_json(whole), "x")
        self.assertEqual(core.to_json(again), core.to_json(whole))
        self.assertEqual(again.digest, whole.digest)
        self.assertNotEqual(RigDefinition(self.landmarks).digest, whole.digest)
        # A confidence that is none is as good as nothing said.
        odd = core.to_json(whole)
        odd["landmarks"]["chin"]["confidence"] = float("nan")
        self.assertNotIn("confidence", core.to_json(core.from_json(odd, "x"))["landmarks"]["chin"])

    def test_what_is_none_is_a_sentence(self) -> None:
        good = core.to_json(RigDefinition(self.landmarks))
        correction = {"bone": "head", "at": [0, 0, 0], "radius": float("nan"), "amount": 0.5}
        for wrong, sentence in (
            ({"options": 3}, "how many bones"),
            ({"options": {"neck": True}}, "1 to 8 neck bones"),
            ({"omitted": [-1]}, "by their numbers"),
            ({"omitted": [10**30]}, "by their numbers"),
            ({"follows": {"1" * 5000: "head"}}, "“follows” says"),
            ({"follows": {"x": "head"}}, "“follows” says"),
            ({"corrections": [correction]}, "a correction of weights"),
            ({"corrections": [{"bone": "head"}] * 600}, "at most 500"),
            ({"unit": float("inf")}, "a unit is a length"),
            ({"up": ["+Y"]}, "is no axis"),
        ):
            with self.subTest(sentence), self.assertRaisesRegex(BadInput, sentence):
                core.from_json(good | wrong, "porter")

    def test_pieces_are_named_and_can_be_left_out(self) -> None:
        pieces = pieces_of(self.mesh)
        self.assertEqual(len({piece.name for piece in pieces}), len(pieces))
        self.assertGreater(pieces[0].points, pieces[1].points)
        cap = next(piece for piece in pieces if piece.middle[1] > 0.9 * self.mesh.points[:, 1].max())
        whole = rig(self.mesh, RigDefinition(self.landmarks))
        made = rig(self.mesh, RigDefinition(self.landmarks, omitted=frozenset({cap.number})))
        self.assertLess(made.kept.sum(), whole.kept.sum())
        shown = read_points(made.glb())
        self.assertLess(shown[:, 1].max(), read_points(whole.glb())[:, 1].max() - 0.02)
        with self.assertRaisesRegex(BadInput, "all of its pieces are left out"):
            rig(self.mesh, RigDefinition(self.landmarks, omitted=frozenset(range(200))))

    def test_a_piece_follows_a_bone_as_it_is(self) -> None:
        coat = pieces_of(self.mesh)[0]
        made = rig(self.mesh, RigDefinition(self.landmarks, follows={coat.number: "head"}))
        rows = np.flatnonzero(made.weights[:, made.skeleton.index["head"]] == 1)
        self.assertGreaterEqual(len(rows), coat.points)
        self.assertEqual(made.rigid[coat.number], made.skeleton.index["head"])
        loose = rig(self.mesh, RigDefinition(self.landmarks, follows=dict.fromkeys(range(60))))
        self.assertEqual({piece for piece in loose.rigid if piece < 60}, set())

    def test_cloth_goes_along_more_gradually(self) -> None:
        mesh, plain = bare_mesh("keeper"), RigDefinition(proposed("keeper"))
        (coat,) = (piece.number for piece in pieces_of(mesh) if piece.name == "coat")
        components = components_of(mesh.points, mesh.faces)
        torn, weights = [], []
        for softness in (0.0, 0.6):
            definition = replace(plain, softness={coat: softness} if softness else {})
            made = rig(mesh, definition)
            weights.append(made.weights)
            own = mesh.faces[components[mesh.faces[:, 0]] == coat]
            problems = problems_of(mesh.points, own, made.weights, made.skeleton, made.landmarks)
            torn.append(sum(row.count for row in problems if row.kind == "stretch"))
        self.assertLess(torn[1], 0.7 * torn[0])
        # A skirt that follows both legs is as it should be.
        self.assertEqual([row.sentence for row in made.problems() if row.kind == "side"], [])
        np.testing.assert_allclose(weights[1].sum(axis=1), 1.0, atol=1e-9)
        self.assertLessEqual(int(np.count_nonzero(weights[1], axis=1).max()), 4)
        np.testing.assert_array_equal(weights[0][components != coat], weights[1][components != coat])
        again = core.from_json(json.loads(json.dumps(core.to_json(definition))), "x")
        self.assertEqual((again.softness, again.digest == plain.digest), ({coat: 0.6}, False))
        for wrong in ([], {"a": 0.5}, {"1": 0}, {"1": 1.5}, {"1": True}, {"1": None}):
            with self.subTest(wrong), self.assertRaisesRegex(BadInput, "^x: “softness”"):
                core.from_json(core.to_json(plain) | {"softness": wrong}, "x")

    def test_another_unit_is_the_same_body_in_another_size(self) -> None:
        half = RigDefinition(self.landmarks).scaled(0.5, 1.0)
        np.testing.assert_allclose(half.landmarks.at("left knee"), self.landmarks.at("left knee") / 2)
        mesh = read_mesh(coarse("porter"), "porter.glb", None, 0.5)
        np.testing.assert_allclose(mesh.points, self.mesh.points / 2)


def read_points(glb: bytes) -> np.ndarray:
    """The corners of triangles in a file, at rest."""
    held = gltf.parse(glb, "x.glb")
    return np.concatenate([row.points[np.unique(row.faces)] for body in parts_of(held).bodies for row in body.surfaces])


class Surfaces(unittest.TestCase):
    def test_flaws_are_counted(self) -> None:
        points, faces = tube(1.0, 0.1)
        self.assertEqual(flaws_of(points, faces).__dict__, {"holes": 0, "doubled": 0, "crowded": 0, "turned": 0})
        opened = np.delete(faces, [100, 101, 900], axis=0)
        self.assertEqual(flaws_of(points, opened).holes, 2)
        self.assertEqual(flaws_of(points, np.concatenate([faces, faces[:3]])).doubled, 3)
        turned = faces.copy()
        turned[500] = turned[500, ::-1]
        self.assertEqual(flaws_of(points, turned).turned, 3)
        # Corners that are split where a texture is cut are no holes.
        split = points[faces.ravel()]
        self.assertEqual(flaws_of(split, np.arange(len(split)).reshape(-1, 3)).holes, 0)

    def test_a_section_has_the_middle_and_the_outline_of_the_limb_alone(self) -> None:
        points, faces = tube(1.0, 0.1)
        beside = points + [0.5, 0, 0]
        both = np.concatenate([points, beside]), np.concatenate([faces, faces + len(points)])
        for turn in ([0, 0, 1.0], [1.0, 0, 0.3]):
            q = rotation.about(turn, 0.7)
            placed = rotation.rotate(q, both[0])
            at = rotation.rotate(q, np.array([0.06, 0.53, 0.02]))
            found = section_at(placed, both[1], at, rotation.rotate(q, np.array([0, 1.0, 0])))
            np.testing.assert_allclose(found.middle, rotation.rotate(q, np.array([0, 0.53, 0.0])), atol=1e-6)
            self.assertEqual(int(found.own.sum()) * 2, len(found.own))
            self.assertAlmostEqual(
                float(np.ptp(found.segments[found.own].reshape(-1, 3), axis=0).max()), 0.2, delta=0.02
            )
        nothing = section_at(points, faces, np.array([0, 3.0, 0]), np.array([0, 1.0, 0]))
        self.assertIsNone(nothing.middle)

    def test_limbs_are_cut_across(self) -> None:
        landmarks = proposed("keeper")
        for name, along in (("left elbow", [1, 0, 0]), ("right knee", [0, -1, 0]), ("neck", [0, 1, 0])):
            self.assertGreater(float(normal_at(landmarks, name) @ np.array(along)), 0.9)


class Corrections(unittest.TestCase):
    def test_a_region_is_grown_along_the_surface_and_not_through_the_air(self) -> None:
        points, faces = tube(1.0, 0.1)
        beside = points + [0.205, 0, 0]
        both = np.concatenate([points, beside])
        graph = SurfaceGraph.of(both, np.concatenate([faces, faces + len(points)]))
        share = graph.region(np.array([0.1, 0.5, 0]), 0.2)
        self.assertEqual(share.max(), 1)
        self.assertEqual(share[len(points) :].max(), 0)
        far = np.linalg.norm(points - [0.1, 0.5, 0], axis=1)
        self.assertEqual(share[: len(points)][far > 0.2].max(), 0)
        self.assertGreater(share[: len(points)][far < 0.05].min(), 0.6)

    def test_weights_keep_their_sum_and_both_sides_are_alike(self) -> None:
        mesh, plain = bare_mesh("keeper"), rigged("keeper")
        definition = plain.definition
        at = tuple(definition.landmarks.at("left shoulder") + [0, 0.05, 0.05])
        row = WeightCorrection("left upper arm", at, 0.12, 1.0)
        made = corrected(plain.weights, mesh.points, mesh.faces, plain.skeleton, [row], definition.landmarks.plane)
        np.testing.assert_allclose(made.sum(axis=1), 1, atol=1e-9)
        gained = made - plain.weights
        for side in ("left", "right"):
            joint = plain.skeleton.index[f"{side} upper arm"]
            self.assertGreater(gained[:, joint].max(), 0.3)
        # Taken wholly from a bone that alone moves a point, it goes to the bone above.
        hand = plain.skeleton.index["left hand"]
        sole = int(plain.weights[:, hand].argmax())
        away = WeightCorrection("left hand", tuple(mesh.points[sole]), 0.03, -1.0, False)
        less = corrected(plain.weights, mesh.points, mesh.faces, plain.skeleton, [away], definition.landmarks.plane)
        self.assertLess(less[sole, hand], 0.01)
        np.testing.assert_allclose(less.sum(axis=1), 1, atol=1e-9)
        unknown = WeightCorrection("tail", at, 0.1, 1.0)
        same = corrected(plain.weights, mesh.points, mesh.faces, plain.skeleton, [unknown], definition.landmarks.plane)
        np.testing.assert_array_equal(same, plain.weights)


class Trying(unittest.TestCase):
    def setUp(self) -> None:
        self.mesh, self.landmarks = bare_mesh("keeper"), proposed("keeper")
        self.skeleton = skeleton_from(self.landmarks)

    def test_postures_are_where_they_say_from_any_rest_pose(self) -> None:
        lowered = self.landmarks
        for side in ("left", "right"):
            shoulder = lowered.at(f"{side} shoulder")
            for name in ("elbow", "wrist", "hand"):
                length = np.linalg.norm(lowered.at(f"{side} {name}") - shoulder)
                lowered = lowered.moved(f"{side} {name}", shoulder - [0, length, 0], both=False)
        up = next(posture for posture in POSTURES["two-legged"] if posture.name == "arms up")
        for landmarks in (self.landmarks, lowered):
            skeleton = skeleton_from(landmarks)
            local = posture_rotations(skeleton, landmarks, up)
            points = deformed(skeleton.rest.positions, np.eye(len(skeleton)), skeleton, local)
            for side in ("left", "right"):
                arm = points[skeleton.index[f"{side} lower arm"]] - points[skeleton.index[f"{side} upper arm"]]
                self.assertGreater(float(arm[1] / np.linalg.norm(arm)), 0.95)

    def test_the_clip_stands_on_the_floor_and_passes_every_posture(self) -> None:
        clip, marks = posture_clip(self.skeleton, self.landmarks), posture_frames("two-legged")
        self.assertEqual(list(marks), [posture.name for posture in POSTURES["two-legged"]])
        world = clip.world()
        feet = [self.skeleton.index[f"{side} toes"] for side in ("left", "right")]
        for name, frame in marks.items():
            with self.subTest(name):
                lowest = float(world.positions[frame, feet, 1].min()) - float(
                    self.skeleton.rest.positions[feet, 1].min()
                )
                self.assertLess(abs(lowest), 0.06)
        np.testing.assert_allclose(clip.rotations[0], clip.rotations[-1], atol=1e-9)

    def test_volume_is_lost_where_a_hinge_is_weighted_softly_and_not_where_it_is_rigid(self) -> None:
        points, faces = tube(1.0, 0.1, 32, 81)
        from armuto.kinematics.skeleton import Skeleton

        none = np.zeros((0, 3))
        skeleton = Skeleton(
            ("upper", "lower"),
            np.array([-1, 0]),
            np.array([[0, 0, 0], [0, 0.5, 0.0]]),
            np.tile(rotation.IDENTITY, (2, 1)),
            np.zeros(0, np.int64),
            none,
        )
        soft = np.clip((points[:, 1] - 0.35) / 0.3, 0, 1)
        weights = np.stack([1 - soft, soft], axis=1)
        still = skeleton.rest_rotation.copy()
        self.assertAlmostEqual(volume_lost(points, faces, weights, skeleton, still, 1), 0.0, places=9)
        lost = []
        for degrees in (30, 90, 150):
            bent = still.copy()
            bent[1] = rotation.about([1.0, 0, 0], np.radians(degrees))
            lost.append(volume_lost(points, faces, weights, skeleton, bent, 1))
        self.assertTrue(0.005 < lost[0] < lost[1] < lost[2], lost)
        twisted = still.copy()
        twisted[1] = rotation.about([0, 1.0, 0], np.radians(150))
        self.assertGreater(volume_lost(points, faces, weights, skeleton, twisted, 1), 0.3)

    def test_limbs_that_go_into_the_body_are_said_once_with_how_deep(self) -> None:
        problems = [row for row in rigged("porter").problems() if row.kind == "clipping"]
        belly = next(row for row in problems if row.bone == "left lower arm")
        self.assertEqual(belly.posture, "arms down")
        self.assertIn("into spine", belly.sentence)
        pairs = {(row.bone, row.sentence.split(" into ")[1].split(" with ")[0]) for row in problems}
        self.assertFalse({(b, a) for a, b in pairs} & pairs)
        # With a belly that stands out farther, arms go deeper into it by as much.
        made = rigged("porter")
        landmarks, height = made.landmarks, figure("porter").height
        aside = landmarks.plane.height(made.mesh.points)
        middle = made.weights[:, [made.skeleton.index[n] for n in ("spine 1", "spine 2", "hips")]].sum(axis=1) > 0.9
        stout = made.mesh.points + np.where(middle, 0.02 * np.sign(aside), 0)[:, None] * np.array(landmarks.side)
        deeper = [
            row
            for row in problems_of(stout, made.mesh.faces[made.kept], made.weights, made.skeleton, landmarks)
            if row.kind == "clipping" and row.bone == "left lower arm"
        ]
        self.assertGreater(deeper[0].value, belly.value + 0.008)
        self.assertGreater(belly.value, 0.015 * height)
        self.assertEqual([row for row in rigged("keeper").problems() if row.kind == "clipping"], [])

    def test_points_of_the_wrong_side_are_found_where_they_are(self) -> None:
        made = rigged("keeper")
        self.assertEqual([row for row in made.problems() if row.kind == "side"], [])
        wrong = made.weights.copy()
        foot = made.skeleton.rest.positions[made.skeleton.index["left foot"]]
        rows = np.linalg.norm(self.mesh.points - foot, axis=1) < 0.06
        wrong[rows] = 0
        wrong[rows, made.skeleton.index["right foot"]] = 1
        found = [
            row
            for row in problems_of(self.mesh.points, self.mesh.faces, wrong, made.skeleton, self.landmarks)
            if row.kind in ("side", "stretch")
        ]
        self.assertEqual((found[0].kind, found[0].bone), ("side", "right foot"))
        self.assertLess(np.linalg.norm(np.array(found[0].at) - foot), 0.08)
        self.assertIn("right foot", [row.bone for row in found if row.kind == "stretch"])


class Fingers(unittest.TestCase):
    def test_the_porters_are_found_by_name(self) -> None:
        row = figure("porter")
        mesh = bare_mesh("porter")
        found = with_fingers(proposed("porter"), mesh.points, mesh.faces, 4)
        for side in ("left", "right"):
            for finger in ("index", "middle", "ring"):
                there = row.place(f"{side} {finger} proximal") + [0.4, 0, -0.2]
                self.assertLess(np.linalg.norm(found.at(f"{side} {finger} root") - there) / row.height, 0.03)
            self.assertIn(f"{side} thumb tip", found.points)
            self.assertNotIn(f"{side} little tip", found.points)
        names = skeleton_from(found).names
        self.assertIn("left thumb 3", names)
        self.assertEqual(sum(" index " in name for name in names), 6)
        none = with_fingers(found, mesh.points, mesh.faces, 0)
        self.assertEqual([name for name in none.points if "thumb" in name], [])

    def test_as_many_as_a_hand_shows_and_as_many_as_are_wanted(self) -> None:
        for name, count in (("apprentice", 5), ("watchman", 3)):
            mesh = read_mesh((BARE / f"{name}.glb").read_bytes(), f"{name}.glb")
            landmarks = propose_landmarks(mesh)
            found = with_fingers(landmarks, mesh.points, mesh.faces)
            shown = [row for row in found.points if row.endswith(" root")]
            with self.subTest(name):
                self.assertEqual(len(shown), 2 * count, shown)
            wanted = with_fingers(landmarks, mesh.points, mesh.faces, 5)
            self.assertEqual(len([row for row in wanted.points if row.endswith(" tip")]), 10)


class Preparing(unittest.TestCase):
    def test_a_figure_with_bones_leaves_them_and_keeps_its_mesh(self) -> None:
        data = PORTER.read_bytes()
        before = gltf.parse(data, "porter.glb")
        made = without_bones(before)
        after = gltf.parse(made, "porter.glb")
        self.assertEqual((after.rows("skins"), after.rows("animations")), ([], []))
        old, new = ([row for body in parts_of(held).bodies for row in body.surfaces] for held in (before, after))
        for a, b in zip(old, new, strict=True):
            np.testing.assert_array_equal(a.points, b.points)
            np.testing.assert_array_equal(a.faces, b.faces)
            np.testing.assert_array_equal(a.normals, b.normals)
        self.assertEqual(before.rows("materials"), after.rows("materials"))
        mesh = read_mesh(made, "porter.glb")
        np.testing.assert_allclose(mesh.points, figure("porter").points, atol=1e-5)
        self.assertLess(len(made), len(data))

    def test_where_a_shape_shows_nothing_a_person_can_begin_by_hand(self) -> None:
        points, faces = tube(1.7, 0.3)
        content = obj(points, faces)
        with self.assertRaisesRegex(BadInput, "^pillar.obj: .*by hand"):
            prepare(content, "pillar.obj")
        guessed = prepare(content, "pillar.obj", guess=True).definition.landmarks
        self.assertEqual(sorted(guessed.points), sorted(TWO_LEGGED.needed))
        self.assertEqual(sorted(guessed.doubtful), sorted(TWO_LEGGED.needed))
        np.testing.assert_allclose(guessed.at("crown"), [0, 1.7, 0], atol=1e-3)
        mirrored = guessed.plane.mirrored(guessed.at("left hand"))
        np.testing.assert_allclose(mirrored, guessed.at("right hand"), atol=1e-9)
        self.assertGreater(guessed.at("left hand") @ np.array(guessed.side), 0.3)

    def test_the_flawed_sculpture_is_prepared_and_bound(self) -> None:
        prepared = prepare((BARE / "watchman.glb").read_bytes(), "watchman.glb")
        flaws = prepared.facts["flaws"]
        self.assertEqual((flaws["holes"], flaws["doubled"], flaws["turned"] > 0), (2, 60, True))
        self.assertEqual([piece["name"] for piece in prepared.facts["pieces"]], ["body", "boots", "cap", "keys"])
        made = bound_mesh(prepared.glb, "watchman.glb", prepared.definition)
        self.assertEqual(made.follows[prepared.facts["pieces"][2]["number"]], "head")
        document = formats.read(made.glb, "watchman.glb")
        self.assertTrue(document.skinned)
        self.assertEqual([row.kind for row in made.problems if row.kind == "side"], [])
