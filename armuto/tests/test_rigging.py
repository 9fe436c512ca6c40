"""Bones for a bare mesh: what is proposed and bound, against figures whose bones are known."""

import unittest

import numpy as np
import trimesh

from armuto import formats
from armuto.errors import BadInput
from armuto.formats.gltf import scene
from armuto.formats.gltf.taking_apart import parts_of
from armuto.kinematics import rotation
from armuto.kinematics.pose import world_pose
from armuto.kinematics.vectors import lengths
from armuto.pipeline import transfer
from armuto.quality.findings import find, grade
from armuto.retarget.fitting import fit
from armuto.rigging.components import components_of
from armuto.rigging.landmark_sets import TWO_LEGGED as LANDMARKS
from armuto.rigging.landmarks import twin_of
from armuto.rigging.pipeline import bind, propose_landmarks, rig, solid_of_mesh
from armuto.rigging.reading import read_mesh
from armuto.rigging.skeleton import skeleton_from
from armuto.rigging.skeleton_draft import SkeletonOptions
from armuto.rigging.solid import MOST_CELLS, solid_of
from armuto.rigging.symmetry import mirror_plane
from armuto.rigging.weights import bones_of, geodesic_weights, nearest_weights
from armuto.tests.bodies import two_legged
from armuto.tests.files import BOW, WALK
from armuto.tests.sculptures import TWO_LEGGED, bare, bare_mesh, bent, figure, poses, proposed, rigged
from armuto.tests.skins import skin

PARTS = {
    **{f"{side} {name}": f"{side} {part}" for side in ("left", "right") for name, part in (
        ("shoulder", "upper arm"), ("elbow", "lower arm"), ("wrist", "hand"),
        ("hip", "upper leg"), ("knee", "lower leg"), ("ankle", "foot"), ("ball", "toes"),
    )},
    "neck": "neck", "chin": "head",
}  # fmt: skip


class Landmarks(unittest.TestCase):
    def test_they_lie_where_the_joints_are_however_the_figure_faces(self) -> None:
        for name, degrees in zip(TWO_LEGGED, (0.0, 37.0, 130.0, 250.0), strict=True):
            row = figure(name)
            turn = rotation.about([0, 1.0, 0], np.radians(degrees))
            found = propose_landmarks(read_mesh(bare(name, degrees), f"{name}.glb"))
            self.assertEqual(sorted(found.points), sorted(LANDMARKS.needed))
            for landmark, part in PARTS.items():
                if part not in row.document.parts:
                    continue
                with self.subTest(name, landmark=landmark):
                    there = rotation.rotate(turn, row.place(part)) + [0.4, 0.0, -0.2]
                    off = float(np.linalg.norm(found.at(landmark) - there))
                    self.assertLess(off / row.height, 0.03)
            ahead = rotation.rotate(turn, np.array([0.0, 0, 1]))
            self.assertGreater(float(np.array(found.ahead) @ ahead), 0.99)

    def test_left_is_never_right_on_any_build(self) -> None:
        for seed in (4, 14):
            self.assert_near(seed, 0.12, elbow="lower arm", knee="lower leg", wrist="hand")

    def test_knees_and_elbows_lie_where_limbs_bend_whatever_their_share(self) -> None:
        for seed in (13, 16, 23):
            self.assert_near(seed, 0.025, knee="lower leg", elbow="lower arm")

    def test_arms_that_are_pieces_of_their_own_are_found(self) -> None:
        self.assert_near(45, 0.05, shoulder="upper arm", elbow="lower arm", wrist="hand")

    def test_short_legs_end_where_they_part_and_not_where_they_usually_do(self) -> None:
        for seed in (98, 101):
            self.assert_near(seed, 0.03, hip="upper leg")

    def test_a_hand_without_fingers_is_shorter(self) -> None:
        for seed in (31, 38):
            self.assert_near(seed, 0.03, wrist="hand")

    def assert_near(self, seed: int, share: float, **parts: str) -> None:
        """Landmarks of a generated body within a share of its height of the joints of parts."""
        rng = np.random.default_rng(seed)
        skeleton, truth, _ = two_legged(rng, hands=True)
        points, faces = skin(rng, skeleton, truth)
        found = propose_landmarks_of(points, faces)
        for name, part in parts.items():
            for side in ("left", "right"):
                with self.subTest(seed, name=f"{side} {name}"):
                    off = found.at(f"{side} {name}") - skeleton.rest.positions[truth[f"{side} {part}"][0]]
                    self.assertLess(float(np.linalg.norm(off)) / float(np.ptp(points[:, 1])), share)

    def test_the_mirror_is_found_wherever_it_stands(self) -> None:
        row = figure("keeper")
        for degrees in (0, 71, 160):
            turn = rotation.about([0, 1.0, 0], np.radians(degrees))
            plane = mirror_plane(solid_of(rotation.rotate(turn, row.points) + [1.0, 0, 0.3], row.faces, 100))
            side = rotation.rotate(turn, np.array([1.0, 0, 0]))
            self.assertGreater(abs(float(plane.normal @ side)), np.cos(np.radians(1.5)))
            self.assertLess(abs(float(plane.height(np.array([1.0, 0, 0.3])))), 0.012)

    def test_one_set_by_hand_takes_its_twin_along(self) -> None:
        found = proposed("porter")
        to = found.at("left elbow") + [0.02, 0.03, -0.01]
        moved = found.moved("left elbow", to)
        np.testing.assert_allclose(moved.at("left elbow"), to)
        np.testing.assert_allclose(moved.at("right elbow"), found.plane.mirrored(to), atol=1e-9)
        self.assertIsNone(moved.points["left elbow"].confidence)
        alone = found.moved("left elbow", to, both=False)
        np.testing.assert_allclose(alone.at("right elbow"), found.at("right elbow"))
        self.assertEqual((twin_of("left thumb root"), twin_of("crown")), ("right thumb root", "crown"))
        self.assertEqual(LANDMARKS.meaning("left thumb root"), "the knuckle of the thumb")


def propose_landmarks_of(points, faces):
    from armuto.rigging.proposing import propose

    return propose(solid_of(points, faces))


class Skeletons(unittest.TestCase):
    def setUp(self) -> None:
        self.landmarks = proposed("keeper")

    def test_joints_lie_on_the_landmarks_and_bend_as_bodies_do(self) -> None:
        skeleton = skeleton_from(self.landmarks)
        at = dict(zip(skeleton.names, skeleton.rest.positions, strict=True))
        length = np.linalg.norm(self.landmarks.at("left hip") - self.landmarks.at("left ankle"))
        for joint, name in (("left hand", "left wrist"), ("left upper leg", "left hip"), ("head", "chin")):
            np.testing.assert_allclose(at[joint], self.landmarks.at(name), atol=1e-9)
        np.testing.assert_allclose(at["left lower leg"], self.landmarks.at("left knee"), atol=0.011 * length)
        ahead, down = np.array(self.landmarks.ahead), np.array([0, -1.0, 0])
        # A positive turn about +X: shins go back, forearms ahead, the trunk and the head forwards.
        for joint, end, way in (
            ("left lower leg", "left foot", -ahead), ("right lower leg", "right foot", -ahead),
            ("left lower arm", "left hand", ahead), ("right lower arm", "right hand", ahead),
            ("chest", "head", ahead), ("left hand", None, down), ("right hand", None, down),
        ):  # fmt: skip
            with self.subTest(joint):
                local = skeleton.rest_rotation.copy()
                k = skeleton.index[joint]
                local[k] = rotation.multiply(local[k], rotation.about([1.0, 0, 0], np.radians(30)))
                posed = world_pose(skeleton, local[None], skeleton.rest_translation[None].copy())
                if end is None:
                    row = list(skeleton.end_parents).index(k)
                    step = posed.ends[0, row] - skeleton.rest.ends[row]
                else:
                    step = posed.positions[0, skeleton.index[end]] - at[end]
                self.assertGreater(float(step @ way), 0.02)
        knee = at["left lower leg"] - (at["left upper leg"] + at["left foot"]) / 2
        self.assertGreater(float(knee @ ahead), 0.004)

    def test_it_has_as_many_bones_as_are_asked_for(self) -> None:
        points = dict(self.landmarks.points)
        for side in ("left", "right"):
            hand, wrist = self.landmarks.at(f"{side} hand"), self.landmarks.at(f"{side} wrist")
            for finger in ("thumb", "index"):
                for share, end in ((0.4, "root"), (1.0, "tip")):
                    points[f"{side} {finger} {end}"] = type(points["neck"])(tuple(wrist + share * (hand - wrist)))
        landmarks = type(self.landmarks)(points, *(getattr(self.landmarks, key) for key in ("origin", "side", "ahead")))
        made = skeleton_from(landmarks, SkeletonOptions(5, 2, twists=2, toes=False, root=False))
        names = set(made.names)
        self.assertEqual(made.names[0], "hips")
        self.assertLessEqual({"spine 4", "chest", "neck 2", "left upper arm twist 2", "right index 3"}, names)
        self.assertFalse(names & {"root", "left toes", "spine 5", "left middle 1"})
        plain = skeleton_from(self.landmarks, SkeletonOptions(1))
        self.assertEqual(len(plain), len(skeleton_from(self.landmarks)) - 2)


class Weights(unittest.TestCase):
    def test_they_are_nearer_to_the_sculptors_than_those_of_the_nearest_bone(self) -> None:
        """Of figures whose weights were painted: how far points are from where those have them, bent at random."""
        ratios = []
        for name in ("keeper", "heron"):
            row = figure(name)
            skeleton = row.document.skeleton
            bones = bones_of(skeleton, sorted(np.flatnonzero(row.weights.sum(axis=0) > 0).tolist()))
            made, _ = bind(row.points, row.faces, solid_of(row.points, row.faces), bones, len(skeleton))
            np.testing.assert_allclose(made.sum(axis=1), 1.0, atol=1e-9)
            self.assertLessEqual(int(np.count_nonzero(made, axis=1).max()), 4)
            local = poses(row, 5)
            wanted = bent(skeleton, local, row.points, row.weights)
            off, baseline = (
                lengths(bent(skeleton, local, row.points, weights) - wanted) / row.height
                for weights in (made, nearest_weights(row.points, bones, len(skeleton)))
            )
            self.assertLess(float(np.median(off)), 0.002, name)
            self.assertLess(float(np.percentile(off, 95)), 0.011, name)
            ratios.append(float(off.mean() / baseline.mean()))
        self.assertLess(float(np.mean(ratios)), 0.55)

    def test_an_arm_beside_the_trunk_does_not_take_it_along(self) -> None:
        """Two boxes a finger's breadth apart and joined at the top: through the air the bone of the other is nearer."""

        def box(low, high):
            corners = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)])
            faces = np.array([
                [0, 1, 3], [0, 3, 2], [4, 6, 7], [4, 7, 5], [0, 4, 5], [0, 5, 1],
                [2, 3, 7], [2, 7, 6], [0, 2, 6], [0, 6, 4], [1, 5, 7], [1, 7, 3],
            ])  # fmt: skip
            return low + corners * (np.array(high) - low), faces

        parts = [
            box([-0.3, 0, -0.1], [0.1, 1, 0.1]),
            box([0.14, 0, -0.1], [0.24, 1, 0.1]),
            box([0, 0.9, -0.1], [0.24, 1, 0.1]),
        ]
        points = np.concatenate([p for p, _ in parts])
        faces = np.concatenate([f + 8 * k for k, (_, f) in enumerate(parts)])
        from armuto.rigging.weights import Bone

        bones = [
            Bone(0, np.array([-0.2, 0.05, 0]), np.array([-0.2, 0.95, 0])),
            Bone(1, np.array([0.19, 0.05, 0]), np.array([0.19, 0.9, 0])),
        ]
        probes = np.array([[0.09, y, 0.0] for y in (0.1, 0.2, 0.3, 0.4)])
        solid = solid_of(points, faces)
        made = geodesic_weights(np.concatenate([points, probes]), faces, solid, bones, 2)[-4:]
        self.assertTrue(np.all(nearest_weights(probes, bones, 2)[:, 1] == 1))
        self.assertTrue(np.all(made[:, 0] > 0.95), made)


class Rigs(unittest.TestCase):
    def test_a_sculpture_performs_and_everything_else_of_it_is_as_it_was(self) -> None:
        for name in ("porter", "striker"):
            data = bare(name, 200.0)
            mesh = read_mesh(data, f"{name}.glb")
            made = rig(mesh)
            out = made.glb()
            character = formats.read(out, f"{name}.glb")
            self.assertTrue(character.skinned)
            self.assertGreaterEqual(len(character.parts), 22)
            before, after = parts_of(mesh.held), parts_of(character.original)
            for old, new in zip(before.bodies, after.bodies, strict=True):
                for a, b in zip(old.surfaces, new.surfaces, strict=True):
                    for key in ("points", "normals", "faces"):
                        np.testing.assert_array_equal(getattr(a, key), getattr(b, key))
                    self.assertEqual(a.material, b.material)
                    np.testing.assert_allclose(b.weights.sum(axis=1), 1.0, atol=1e-4)
            self.assertEqual(before.materials, after.materials)
            # It stands where it stood.
            np.testing.assert_allclose(character.bounds, [mesh.points.min(axis=0), mesh.points.max(axis=0)], atol=1e-4)
            for path in (WALK, BOW):
                source = formats.read(path.read_bytes(), path.name)
                fitting = fit(source.skeleton, character.skeleton, source.parts, character.parts)
                clip = source.clips[0]
                found = find(clip, transfer(clip, fitting), fitting)
                self.assertIn(grade(found), ("good", "look"), [row.text for row in found if row.grade == "wrong"])

    def test_a_cap_and_buttons_go_along_as_they_are(self) -> None:
        made = rigged("porter")
        pieces = components_of(made.mesh.points, made.mesh.faces)
        skeleton, row = made.skeleton, figure("porter")
        names = {piece: skeleton.names[joint] for piece, joint in made.rigid.items()}
        self.assertGreaterEqual(list(names.values()).count("head"), 3)
        self.assertTrue(set(names.values()) & {"spine 1", "spine 2", "chest"})
        # Coat, trousers and boots bend.
        self.assertFalse(set(names) & {0, 1, 2})
        local = np.tile(skeleton.rest_rotation, (1, 1, 1))
        k = skeleton.index["head"]
        local[0, k] = rotation.multiply(local[0, k], rotation.about([1.0, 0, 0], 0.6))
        posed = bent(skeleton, local, made.mesh.points, made.weights)[0]
        for piece in (piece for piece, name in names.items() if name == "head"):
            own = pieces == piece
            a, b = made.mesh.points[own], posed[own]
            np.testing.assert_allclose(lengths(a - a[0]), lengths(b - b[0]), atol=1e-6)
        self.assertEqual(len(row.points), len(made.weights))

    def test_a_piece_that_touches_nothing_goes_along_with_what_is_nearest(self) -> None:
        row = figure("keeper")
        lantern = row.points[row.faces[:40].ravel()]
        lantern = (lantern - lantern.mean(axis=0)) * 0.2 + row.place("left hand") + [0.1, -0.3, 0.1]
        points = np.concatenate([row.points, lantern])
        faces = np.concatenate([row.faces, np.arange(len(lantern)).reshape(-1, 3) + len(row.points)])
        bones = bones_of(row.document.skeleton)
        made = geodesic_weights(points, faces, solid_of(points, faces), bones, len(row.document.skeleton))
        self.assertTrue(np.isfinite(made).all())
        np.testing.assert_allclose(made.sum(axis=1), 1.0, atol=1e-9)
        hands = [bone.joint for part, bones in row.document.parts.items() if part.startswith("left") for bone in bones]
        self.assertGreater(float(made[len(row.points) :, hands].sum(axis=1).min()), 0.99)

    def test_torn_doubled_and_inside_out_meshes_get_bones_too(self) -> None:
        row = figure("keeper")
        rng = np.random.default_rng(8)
        kept = row.faces[rng.random(len(row.faces)) > 0.02]
        flipped = np.where((rng.random(len(kept)) < 0.2)[:, None], kept[:, ::-1], kept)
        doubled = np.concatenate([flipped, flipped[: len(flipped) // 3]])
        whole, torn = (propose_landmarks_of(row.points, faces) for faces in (row.faces, doubled))
        for name in LANDMARKS.needed:
            self.assertLess(float(np.linalg.norm(whole.at(name) - torn.at(name))) / row.height, 0.03, name)
        # With a hole through which nothing can be filled, what the surface encloses to all sides is the body.
        low = row.points[row.faces].mean(axis=1)[:, 1] > 0.6 * row.height
        self.assertFalse(solid_of(row.points, row.faces).torn)
        self.assertGreater(solid_of(row.points, row.faces[low]).inside.sum(), 5000)

    def test_what_is_no_body_gets_a_sentence(self) -> None:
        from armuto.formats.gltf.building import Body, Node, Parts, Surface, build

        def held(points, faces):
            node = Node("n", -1, np.zeros(3), np.array([0, 0, 0, 1.0]))
            return build(Parts([node], [Body("b", 0, [Surface(np.array(points, float), np.array(faces))])]))

        sheet = [[0, 0, 0], [1, 0, 0], [1, 2, 0], [0, 2, 0]]
        tetrahedron = [[0, 0, 0], [1, 0, 0], [0.5, 1.8, 0.5], [0.5, 0, 1]]
        for content, sentence in (
            (held(sheet, [[0, 1, 2]]), "it is flat"),
            (held(sheet, [[0, 1, 2], [0, 2, 3]]), "it is flat"),
            (held([[1, 1, 1]] * 3, [[0, 1, 2]]), "all of its points lie in one place"),
            (held(tetrahedron, [[0, 1, 2], [0, 2, 3], [0, 3, 1], [1, 3, 2]]), "landmarks by hand"),
            (rigged("keeper").glb(), "it has bones already"),
        ):
            with self.subTest(sentence), self.assertRaisesRegex(BadInput, f"^bad.glb: .*{sentence}"):
                rig(read_mesh(content, "bad.glb"))
        self.assertEqual(len(scene.world(parts_of(bare_mesh("keeper").held))), 1)

    def test_what_is_stouter_than_a_body_takes_no_more_room_than_one(self) -> None:
        for shape in (trimesh.creation.box((1, 1, 1)), trimesh.creation.icosphere(3), trimesh.creation.box((2, 1, 2))):
            points, faces = np.asarray(shape.vertices), np.asarray(shape.faces)
            solid = solid_of(points, faces)
            self.assertLessEqual(len(solid.cells), MOST_CELLS)
            self.assertGreater(len(solid.cells), MOST_CELLS / 2)
            self.assertAlmostEqual(len(solid.cells) * solid.pitch**3 / shape.volume, 1.0, delta=0.08)
        self.assertLess(len(solid_of_mesh(bare_mesh("porter")).cells), MOST_CELLS / 3)
