"""The surfaces of props, of simple shapes and of meshes."""

import unittest

import numpy as np

from armuto import formats
from armuto.ensembles import model
from armuto.ensembles.files import prop_file, shape_surface
from armuto.ensembles.model import MOST_TRIANGLES, Shape
from armuto.ensembles.prop_meshes import mesh_shape
from armuto.ensembles.prop_motion import PropMotion
from armuto.ensembles.shapes import lowest, nearest
from armuto.errors import BadInput
from armuto.formats import gltf
from armuto.kinematics import rotation
from armuto.kinematics.vectors import lengths
from armuto.tests.files import PORTER, WALK, clip_of


class Shapes(unittest.TestCase):
    def test_the_nearest_place_is_nearer_than_any_other(self) -> None:
        rng = np.random.default_rng(3)
        for kind in ("box", "cylinder"):
            shape = Shape(kind, (0.4, 0.9, 0.4), (0.1, -0.2, 0.3), (20.0, 50.0, -10.0))
            surface = shape_surface(shape)
            corners = surface.points[surface.faces]
            weights = rng.dirichlet((1, 1, 1), (60, len(corners)))
            samples = np.einsum("stk,tkd->std", weights, corners).reshape(-1, 3)
            points = rng.uniform(-1, 1, (40, 3))
            found = nearest([shape], points)
            far = np.linalg.norm(points[:, None] - samples, axis=2).min(axis=1)
            self.assertTrue(np.all(np.abs(found.distance) <= far + 1e-6))
            self.assertLess(np.abs(np.abs(found.distance) - far).max(), 0.06)
            np.testing.assert_allclose(lengths(points - found.places), np.abs(found.distance), atol=1e-9)
            turns = np.tile(rotation.IDENTITY, (1, 1))
            self.assertAlmostEqual(float(lowest([shape], turns)[0]), float(surface.points[:, 1].min()), delta=0.005)

    def test_a_mesh_is_met_where_the_thing_itself_is(self) -> None:
        rng = np.random.default_rng(4)
        still = PropMotion(np.zeros((2, 3)), np.tile(rotation.IDENTITY, (2, 1)))
        turns = rotation.normalised(rng.normal(size=(40, 4)))
        for kind, within in (("box", 1e-5), ("cylinder", 0.004)):
            shape = Shape(kind, (0.4, 0.9, 0.4), (0.1, -0.2, 0.3), (20.0, 50.0, -10.0))
            mesh = mesh_shape(prop_file("thing", [shape], still, 30.0), "thing.glb")
            points = rng.uniform(-1, 1, (800, 3))
            wanted, found = nearest([shape], points, 1.3), nearest([mesh], points, 1.3)
            self.assertLess(np.abs(wanted.distance - found.distance).max(), within)
            self.assertGreater(float((np.sign(wanted.distance) == np.sign(found.distance)).mean()), 0.995)
            np.testing.assert_allclose(lengths(points - found.places), np.abs(found.distance), atol=1e-9)
            self.assertLess(np.abs(lowest([shape], turns) - lowest([mesh], turns)).max(), within)
            again = model.from_json({"name": "e", "performers": [{"name": "a", "clip": "a"}], "props": [
                {"name": "p", "shapes": [model.to_plain(model.Prop("p", (mesh,)))["shapes"][0]]}
            ]})  # fmt: skip
            self.assertEqual(again.props[0].shapes[0], mesh)

    def test_a_figure_in_many_triangles_becomes_a_prop_of_few(self) -> None:
        mesh = mesh_shape(PORTER.read_bytes(), "porter.glb")
        self.assertLessEqual(len(mesh.faces), MOST_TRIANGLES)
        self.assertGreater(len(mesh.faces), MOST_TRIANGLES // 3)
        low, high = formats.read(PORTER.read_bytes(), "porter.glb").bounds
        np.testing.assert_allclose(mesh.size, high - low, rtol=0.1)
        for content, file, sentence in (
            (WALK.read_bytes(), "walk.bvh", "a mesh is read from .glb, .gltf, .dae, USD, .obj, .ply or .stl"),
            (gltf.skeleton_only(clip_of(WALK).skeleton, []), "bones.glb", "there is no mesh of triangles in it"),
        ):
            with self.assertRaisesRegex(BadInput, f"^{file}: .*{sentence}"):
                mesh_shape(content, file)

    def test_triangles_face_outwards(self) -> None:
        for kind in ("box", "cylinder"):
            surface = shape_surface(Shape(kind, (0.4, 0.9, 0.4)))
            corners = surface.points[surface.faces]
            normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
            self.assertTrue(np.all((normals * corners.mean(axis=1)).sum(axis=1) > 0))
