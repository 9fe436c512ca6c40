"""Pieces of a mesh that are moved before it is bound."""

import unittest
from dataclasses import replace

import numpy as np

from armuto.errors import BadInput
from armuto.formats import gltf
from armuto.formats.gltf import accessors
from armuto.formats.gltf.building import Body, Material, Node, Parts, Surface, build
from armuto.kinematics import rotation
from armuto.rigging import definition as core
from armuto.rigging.arranging import arranged, carried, pivot_of
from armuto.rigging.definition import RigDefinition
from armuto.rigging.piece_moves import PieceMove
from armuto.rigging.pieces import pieces_of
from armuto.rigging.pipeline import rig
from armuto.rigging.preparing import bound_mesh, prepare
from armuto.rigging.reading import BareMesh, read_mesh
from armuto.tests.sculptures import bare_mesh, coarse, coarse_mesh, proposed
from armuto.tests.test_rig_definitions import tube


def clothed(unit: float = 100.0) -> bytes:
    """A trunk and two boots as three pieces of one surface, on a node that is turned and stretched."""
    trunk, faces = tube(1.5, 0.2)
    boot, others = tube(0.3, 0.1)
    points = np.concatenate([trunk + [0, 0.31, 0], boot + [0.11, 0, 0], boot + [-0.11, 0, 0]])
    faces = np.concatenate([faces, others + len(trunk), others + len(trunk) + len(boot)])
    turn, scale = rotation.from_vector(np.array([0.3, -0.8, 0.2])), np.array([2.0, 0.5, 1.0])
    local = rotation.rotate(rotation.inverse(turn), points * unit - [5.0, 2.0, 1.0]) / scale
    normals = rotation.rotate(rotation.inverse(turn), np.tile([0.6, 0.8, 0.0], (len(points), 1))) * scale
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    parts = Parts(nodes=[Node("figure", -1, np.array([5.0, 2.0, 1.0]), turn, scale)])
    parts.materials.append(Material("brass", (1.0, 1.0, 1.0, 1.0)))
    parts.bodies.append(Body("figure", 0, [Surface(local, faces, 0, normals)]))
    return build(parts)


def read_again(mesh: BareMesh) -> BareMesh:
    """A mesh as its own file says it."""
    return read_mesh(mesh.glb, mesh.held.file, None, mesh.frame.unit, mesh.frame.up)


class Moves(unittest.TestCase):
    def setUp(self) -> None:
        self.mesh = read_mesh(clothed(), "porter.glb", None, 0.01, "+Y")
        self.boot = next(row.number for row in pieces_of(self.mesh) if row.middle[0] > 0.05)
        self.rows = self.mesh.components == self.boot

    def test_a_piece_is_turned_about_where_it_meets_the_others_and_then_moved(self) -> None:
        pivot = pivot_of(self.mesh, self.boot)
        np.testing.assert_allclose(pivot, [0.11, 0.3, 0], atol=0.06)
        move = PieceMove((0.2, 0.0, 0.1), (0.0, 0.0, 90.0), tuple(pivot.tolist()))
        made = arranged(self.mesh, {self.boot: move})
        np.testing.assert_array_equal(made.points[~self.rows], self.mesh.points[~self.rows])
        low = self.mesh.points[self.rows].mean(axis=0)
        # What hung below the pivot lies to its left after a quarter turn about +Z.
        aside = pivot + [pivot[1] - low[1], low[0] - pivot[0], low[2] - pivot[2]] + [0.2, 0, 0.1]
        np.testing.assert_allclose(made.points[self.rows].mean(axis=0), aside, atol=1e-6)
        np.testing.assert_allclose(move.undone(move.applied(self.mesh.points)), self.mesh.points, atol=1e-9)

    def test_the_file_says_the_same_and_keeps_what_was_not_moved_bit_for_bit(self) -> None:
        move = PieceMove((0.2, 0.0, 0.1), (20.0, 0.0, 50.0), (0.1, 0.3, 0.0))
        made = arranged(self.mesh, {self.boot: move})
        again = read_again(made)
        np.testing.assert_allclose(again.points, made.points, atol=1e-6)
        before, after = (
            accessors.read(row.held, row.held.json["meshes"][-1]["primitives"][0]["attributes"]["POSITION"])
            for row in (self.mesh, made)
        )
        np.testing.assert_array_equal(before[~self.rows], after[~self.rows])
        self.assertEqual(len(made.held.json["meshes"]), 2)
        self.assertEqual(len(self.mesh.held.json["meshes"]), 1, "the mesh as it came is as it was")

    def test_normals_turn_with_their_piece_and_stay_of_unit_length(self) -> None:
        move = PieceMove((0.0, 0.0, 0.0), (0.0, 0.0, 90.0), (0.1, 0.3, 0.0))
        held = arranged(self.mesh, {self.boot: move}).held
        values = accessors.read(held, held.json["meshes"][-1]["primitives"][0]["attributes"]["NORMAL"])
        np.testing.assert_allclose(np.linalg.norm(values, axis=1), 1, atol=1e-6)
        node = gltf.reading.tree_of(held).world[0][:3, :3]
        world = values @ np.linalg.inv(node)
        world /= np.linalg.norm(world, axis=1, keepdims=True)
        np.testing.assert_allclose(world[self.rows], np.tile([-0.8, 0.6, 0], (self.rows.sum(), 1)), atol=1e-5)
        np.testing.assert_allclose(world[~self.rows], np.tile([0.6, 0.8, 0], ((~self.rows).sum(), 1)), atol=1e-5)

    def test_pieces_keep_their_numbers_where_moved_ones_touch_others(self) -> None:
        other = next(row.number for row in pieces_of(self.mesh) if row.middle[0] < -0.05)
        made = arranged(self.mesh, {self.boot: PieceMove((-0.22, 0.0, 0.0), (0.0, 0.0, 0.0), (0.0, 0.0, 0.0))})
        np.testing.assert_allclose(made.points[self.rows], made.points[made.components == other], atol=1e-6)
        self.assertEqual({row.number for row in pieces_of(made)}, {0, 1, 2})

    def test_json_is_exact_and_what_is_no_move_is_refused(self) -> None:
        move = PieceMove((0.1, 0.0, -0.2), (0.0, 12.5, 0.0), (0.0, 1.0, 0.0))
        whole = RigDefinition(proposed("porter"), moves={4: move})
        self.assertEqual(core.from_json(core.to_json(whole), "a").moves, {4: move})
        self.assertNotEqual(whole.digest, RigDefinition(proposed("porter")).digest)
        without = core.to_json(whole) | {"moves": {"4": core.to_json(whole)["moves"]["4"] | {"offset": [0, 0, 0]}}}
        self.assertIn(4, core.from_json(without, "a").moves, "it is turned still")
        for wrong in ([], {"x": {}}, {"4": 3}, {"4": {"offset": [1, 2], "turn": [0, 0, 0], "pivot": [0, 0, 0]}}):
            with self.subTest(wrong), self.assertRaisesRegex(BadInput, "^a: "):
                core.from_json(core.to_json(whole) | {"moves": wrong}, "a")
        far = {"offset": [11, 0, 0], "turn": [0, 0, 0], "pivot": [0, 0, 0]}
        with self.assertRaisesRegex(BadInput, "10 m at most"):
            core.from_json(core.to_json(whole) | {"moves": {"4": far}}, "a")
        half = whole.scaled(0.5, 1.0).moves[4]
        self.assertEqual((half.offset, half.turn, half.pivot), ((0.05, 0.0, -0.1), move.turn, (0.0, 0.5, 0.0)))

    def test_landmarks_go_along_with_the_piece_in_which_they_lie(self) -> None:
        mesh, landmarks = bare_mesh("porter"), proposed("porter")
        shoulder, elbow = landmarks.at("left shoulder"), landmarks.at("left elbow")
        along, wrist = elbow - shoulder, landmarks.at("left wrist")
        near = np.linalg.norm(mesh.points - wrist, axis=1) < 0.8 * np.linalg.norm(along)
        arm = replace(mesh, components=near.astype(np.int64))
        move = PieceMove((0.0, 0.0, 0.1), (0.0, 0.0, -40.0), tuple(shoulder.tolist()))
        moved = carried(landmarks, arm, None, move, 1)
        np.testing.assert_allclose(moved.at("left wrist"), move.applied(landmarks.at("left wrist")), atol=1e-6)
        for name in ("right wrist", "left knee", "chin"):
            np.testing.assert_array_equal(moved.at(name), landmarks.at(name))
        self.assertEqual(moved.points["left wrist"].confidence, landmarks.points["left wrist"].confidence)
        back = carried(moved, arranged(arm, {1: move}), move, replace(move, offset=(0, 0, 0), turn=(0, 0, 0)), 1)
        np.testing.assert_allclose(back.at("left wrist"), landmarks.at("left wrist"), atol=1e-6)

    def test_the_figure_is_bound_and_written_as_it_was_arranged(self) -> None:
        mesh, landmarks = coarse_mesh("bellringer"), proposed("bellringer")
        cap = next(row.number for row in pieces_of(mesh) if row.name == "cap")
        move = PieceMove((0.0, 0.2, 0.0), (0.0, 0.0, 30.0), tuple(pivot_of(mesh, cap).tolist()))
        made = rig(mesh, RigDefinition(landmarks, moves={cap: move}))
        rows = mesh.components == cap
        np.testing.assert_allclose(made.mesh.points[rows], move.applied(mesh.points[rows]), atol=1e-9)
        written, still = read_mesh(made.glb(), "a.glb"), read_mesh(rig(mesh, RigDefinition(landmarks)).glb(), "a.glb")
        far = np.linalg.norm(written.points - still.points, axis=1)
        np.testing.assert_array_equal(far[~rows], 0)
        self.assertGreater(float(far[rows].min()), 0.05)

    def test_proposals_are_made_for_the_mesh_as_it_was_arranged(self) -> None:
        move = PieceMove((0.0, 3.0, 0.0), (0.0, 0.0, 0.0), (0.0, 0.0, 0.0))
        made = prepare(clothed(), "porter.glb", 0.01, "+Y", guess=True, moves={self.boot: move})
        self.assertAlmostEqual(made.facts["high"][1], 3.3, places=2)
        self.assertEqual(made.definition.moves, {self.boot: move})

    def test_a_binding_says_how_far_it_is(self) -> None:
        said: list[tuple[float, str]] = []
        prepared = prepare(coarse("porter"), "porter.glb")
        bound_mesh(prepared.glb, "porter.glb", prepared.definition, lambda *row: said.append(row))
        shares = [share for share, _ in said]
        self.assertEqual(shares, sorted(shares))
        self.assertTrue(shares[0] == 0 and 0.7 < shares[-1] < 1, shares)
        self.assertGreater(len({doing for _, doing in said}), 6)
