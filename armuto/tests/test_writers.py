"""COLLADA and USD as we write them: names, materials, textures, rigid parts, scales, figures without motion."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import numpy as np
from pxr import Usd, UsdGeom, UsdShade

from armuto import formats
from armuto.formats import collada_writer, gltf, usd_writer
from armuto.formats.collada_writer import SPACE
from armuto.formats.gltf import scene
from armuto.formats.gltf.building import Body, Material, Node, Parts, Skin, Surface, Track, build
from armuto.formats.gltf.writing import WHITE_PIXEL
from armuto.kinematics import rotation
from armuto.tests.files import PORTER

TRIANGLE = np.array([[0.0, 0, 0], [0.1, 0, 0], [0, 0.1, 0]])
FACES = np.array([[0, 1, 2]])


def figure(image: bool = False, scale: float = 1.0) -> Parts:
    """Three joints in a row with awkward names, a skinned and a rigid triangle, and a motion of two of them."""
    scales = np.full(3, scale)
    nodes = [
        Node("hall's Hips", -1, np.array([0.0, 1, 0]), rotation.about([0, 0, 1], 0.2), scales),
        Node("1st bone", 0, np.array([0.0, 0.5, 0]), rotation.IDENTITY, np.ones(3)),
        Node("1st bone", 1, np.array([0.0, 0.3, 0]), rotation.about([1, 0, 0], 0.4), np.ones(3)),
    ]
    parts = Parts(nodes)
    world = np.stack(scene.world(parts))
    weights = np.array([[1.0, 0, 0], [0.5, 0.5, 0], [0, 0.25, 0.75]])
    uv = np.array([[0.0, 0], [1, 0], [0, 0.25]])
    normals = np.tile([0.0, 0, 1], (3, 1))
    parts.skins = [Skin([0, 1, 2], np.linalg.inv(world))]
    parts.materials = [Material("brass & gold", (0.6, 0.4, 0.1, 1.0), 0.9, 0.3, 0 if image else None), Material("iron")]
    parts.images = [WHITE_PIXEL] if image else []
    parts.bodies = [
        Body("coat", 0, [Surface(TRIANGLE + [0, 1.2, 0], FACES, 0, normals, uv, weights)], 0),
        Body("hat", 2, [Surface(TRIANGLE, FACES, 1, normals)]),
    ]
    times = np.arange(5) / 25
    turns = rotation.about([0, 1, 0], np.linspace(0, 1.5, 5))
    shifts = np.stack([np.linspace(0, 1, 5), np.ones(5), np.zeros(5)], axis=1)
    tracks = [
        Track(0, "translation", times, shifts),
        Track(0, "rotation", times, turns),
        Track(2, "rotation", times, turns),
    ]
    parts.animations = [("a bow & a turn", tracks)]
    return parts


class BackAgain(unittest.TestCase):
    def check(self, parts: Parts):
        want = formats.read(build(parts), "x.glb", formats.ImportOptions("m", "+Y"))
        for kind, writer in (("dae", collada_writer), ("usd", usd_writer)):
            made = formats.read(writer.write(parts), f"x.{kind}", formats.ImportOptions("m", "+Y"))
            with self.subTest(kind):
                self.assertEqual(len(made.skeleton), len(want.skeleton))
                off = made.clips[0].world().positions - want.clips[0].world().positions
                self.assertLess(np.abs(off).max(), 2e-6)
                np.testing.assert_allclose(made.bounds, want.bounds, atol=2e-6)
                self.assertEqual(made.rig.weighted, want.rig.weighted)
                self.assertEqual(made.clips[0].fps, 25)

    def test_awkward_names_rigid_parts_and_rolls(self):
        self.check(figure())

    def test_a_scaled_root(self):
        self.check(figure(scale=0.25))

    def test_a_figure_without_motion(self):
        document = formats.read(PORTER.read_bytes(), "porter.glb")
        for kind in ("dae", "usd"):
            made = formats.read(formats.write([], document, kind), f"porter.{kind}")
            self.assertEqual((made.clips, made.skinned), ((), True))
            np.testing.assert_allclose(made.bounds, document.bounds, atol=1e-6)

    def test_the_same_figure_gives_the_same_file(self):
        self.assertEqual(collada_writer.write(figure()), collada_writer.write(figure()))


class Collada(unittest.TestCase):
    def setUp(self):
        self.root = ElementTree.fromstring(collada_writer.write(figure(image=True)))

    def test_ids_are_ids_and_none_is_twice(self):
        ids = [element.get("id") for element in self.root.iter() if element.get("id")]
        self.assertEqual(len(ids), len(set(ids)))
        self.assertTrue(all(key[0].isalpha() or key[0] == "_" for key in ids), ids)
        names = [node.get("name") for node in self.root.iter(f"{{{SPACE}}}node")]
        self.assertEqual(names[:3], ["hall's Hips", "1st bone", "1st bone"])

    def test_the_texture_comes_along_upside_and_all(self):
        held = gltf.parse(formats.collada.to_glb(collada_writer.write(figure(image=True)), "x.dae")[0], "x.glb")
        parts = gltf.parts_of(held)
        self.assertEqual(parts.images, [WHITE_PIXEL])
        coat = next(body for body in parts.bodies if body.skin is not None)
        order = np.lexsort(coat.surfaces[0].points.T)
        want = np.array([[0.0, 0], [1, 0], [0, 0.25]])
        there = figure().bodies[0].surfaces[0].points
        np.testing.assert_allclose(coat.surfaces[0].uv[order], want[np.lexsort(there.T)], atol=1e-6)

    def test_weights_add_up_and_counts_agree(self):
        skin = next(self.root.iter(f"{{{SPACE}}}skin"))
        counts = [int(n) for n in skin.find(f"{{{SPACE}}}vertex_weights/{{{SPACE}}}vcount").text.split()]
        pairs = skin.find(f"{{{SPACE}}}vertex_weights/{{{SPACE}}}v").text.split()
        self.assertEqual((counts, len(pairs)), ([1, 2, 2], 10))


class UsdFile(unittest.TestCase):
    def test_units_time_and_materials(self):
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "x.usdc"
            path.write_bytes(usd_writer.write(figure()))
            stage = Usd.Stage.Open(str(path))
            self.assertEqual(UsdGeom.GetStageUpAxis(stage), "Y")
            self.assertEqual(UsdGeom.GetStageMetersPerUnit(stage), 1.0)
            self.assertEqual(
                (stage.GetStartTimeCode(), stage.GetEndTimeCode(), stage.GetTimeCodesPerSecond()), (0, 4, 25)
            )
            self.assertEqual(str(stage.GetDefaultPrim().GetPath()), "/Figure")
            mesh = stage.GetPrimAtPath("/Figure/mesh_0_0")
            material, _ = UsdShade.MaterialBindingAPI(mesh).ComputeBoundMaterial()
            shader, _, _ = material.ComputeSurfaceSource()
            np.testing.assert_allclose(shader.GetInput("diffuseColor").Get(), (0.6, 0.4, 0.1), atol=1e-6)
            self.assertTrue(stage.GetPrimAtPath("/Figure/skeleton/a_bow___a_turn"))


class TakingApart(unittest.TestCase):
    def test_a_file_comes_apart_into_what_it_was_built_from(self):
        want = figure(image=True)
        have = gltf.parts_of(gltf.parse(build(want), "x.glb"))
        self.assertEqual([node.name for node in have.nodes[:3]], [node.name for node in want.nodes])
        for a, b in zip(have.nodes, want.nodes, strict=False):
            np.testing.assert_allclose(scene.matrix(a), scene.matrix(b), atol=1e-7)
        np.testing.assert_allclose(have.skins[0].binds, want.skins[0].binds, atol=1e-6)
        coat, hat = have.bodies[-1], next(body for body in have.bodies if body.skin is None)
        np.testing.assert_allclose(coat.surfaces[0].weights, want.bodies[0].surfaces[0].weights, atol=1e-4)
        self.assertEqual((hat.name, hat.node), ("hat", 2))
        self.assertEqual(have.materials[0].colour, want.materials[0].colour)
        self.assertEqual(have.animations[0][0], "a bow & a turn")
        self.assertEqual(replace(have.materials[1], image=None).name, "iron")

    def test_tracks_of_different_density_are_brought_together(self):
        parts = figure()
        sparse = Track(1, "rotation", np.array([0.0, 0.16]), rotation.about([1, 0, 0], np.array([0.0, 1.0])))
        parts.animations[0][1].append(sparse)
        made = scene.motion(parts)
        self.assertEqual(len(made.times), 5)
        half = rotation.angle(made.rotations[1][2])
        self.assertAlmostEqual(float(half), 0.5, delta=0.01)
