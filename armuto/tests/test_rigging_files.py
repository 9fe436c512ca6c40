"""Meshes without bones from every format, and the shell command that gives them bones."""

import io
import json
import struct
import tempfile
import unittest
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from PIL import Image
from pxr import Gf, Usd, UsdGeom

from armuto import formats
from armuto.ensembles.prop_meshes import mesh_shape
from armuto.errors import BadInput
from armuto.pairing import patterns
from armuto.rigging.reading import read_mesh
from armuto.tests.files import WALK
from armuto.tests.sculptures import coarse, figure
from armuto.tests.test_cli import run
from armuto.tests.test_gltf import character

CUBE = np.array([[x, y, z] for x in (-0.3, 0.3) for y in (0.0, 1.8) for z in (-0.1, 0.1)])
FACES = np.array(
    [[0, 1, 3], [0, 3, 2], [4, 6, 7], [4, 7, 5], [0, 4, 5], [0, 5, 1]]
    + [[2, 3, 7], [2, 7, 6], [0, 2, 6], [0, 6, 4], [1, 5, 7], [1, 7, 3]]
)


def obj(points, faces, materials: str = "") -> bytes:
    lines = [materials, *(f"v {x} {y} {z}" for x, y, z in points), "vt 0 0", "vt 1 0", "vt 1 1"]
    lines += ["usemtl brass"] if materials else []
    lines += [f"f {a + 1}/1 {b + 1}/2 {c + 1}/3" for a, b, c in faces]
    return "\n".join(lines).encode()


def stl(points, faces) -> bytes:
    rows = b"".join(struct.pack("<12fH", *(0.0,) * 3, *points[face].ravel(), 0) for face in faces)
    return b"a clock".ljust(80) + struct.pack("<I", len(faces)) + rows


def ply(points, faces) -> bytes:
    head = (
        f"ply\nformat ascii 1.0\nelement vertex {len(points)}\nproperty float x\nproperty float y\nproperty float z\n"
    )
    head += f"element face {len(faces)}\nproperty list uchar int vertex_indices\nend_header\n"
    return (
        head + "".join(f"{x} {y} {z}\n" for x, y, z in points) + "".join(f"3 {a} {b} {c}\n" for a, b, c in faces)
    ).encode()


def usda(points, faces, up: str = "Y", unit: float = 1.0) -> bytes:
    stage = Usd.Stage.CreateInMemory()
    UsdGeom.SetStageUpAxis(stage, up)
    UsdGeom.SetStageMetersPerUnit(stage, unit)
    top = UsdGeom.Xform.Define(stage, "/figure")
    top.AddTranslateOp().Set(Gf.Vec3d(0, 0, 0))
    mesh = UsdGeom.Mesh.Define(stage, "/figure/body")
    mesh.GetPointsAttr().Set([Gf.Vec3f(*map(float, point)) for point in points])
    mesh.GetFaceVertexCountsAttr().Set([3] * len(faces))
    mesh.GetFaceVertexIndicesAttr().Set(faces.ravel().tolist())
    return stage.GetRootLayer().ExportToString().encode()


def corners(mesh) -> np.ndarray:
    return np.sort(np.round(mesh.points[mesh.faces].reshape(len(mesh.faces), -1), 4), axis=0)


class Formats(unittest.TestCase):
    def test_every_format_gives_the_same_body(self) -> None:
        wanted = np.sort(np.round(CUBE[FACES].reshape(len(FACES), -1), 4), axis=0)
        upright = CUBE[:, [0, 2, 1]] * [1, -1, 1]
        for content, file in (
            (obj(CUBE, FACES), "a.obj"),
            (obj(CUBE * 100, FACES), "centimetres.obj"),
            (obj(upright, FACES), "z_up.obj"),
            (ply(CUBE, FACES), "a.ply"),
            (stl(CUBE, FACES), "a.stl"),
            (stl(upright * 1000, FACES), "millimetres_z_up.stl"),
            (usda(CUBE, FACES), "a.usda"),
            (usda(upright * 100, FACES, "Z", 0.01), "z_up.usda"),
        ):
            with self.subTest(file):
                mesh = read_mesh(content, file)
                self.assertEqual(len(mesh.faces), 12)
                np.testing.assert_allclose(corners(mesh), wanted, atol=2e-4)

    def test_colours_and_pictures_come_along(self) -> None:
        held = io.BytesIO()
        Image.new("RGB", (2, 2), (200, 30, 30)).save(held, "PNG")
        text = obj(CUBE, FACES, "mtllib clock.mtl")
        plain = {"clock.mtl": b"newmtl brass\nKd 0.5 0.25 0.0\n"}
        painted = {"clock.mtl": b"newmtl brass\nKd 1 1 1\nmap_Kd paint.png\n", "paint.png": held.getvalue()}
        (material,) = read_mesh(text, "clock.obj", plain).held.rows("materials")
        self.assertEqual(material["name"], "brass")
        np.testing.assert_allclose(
            material["pbrMetallicRoughness"]["baseColorFactor"], [0.212, 0.0497, 0.0, 1.0], atol=0.01
        )
        made = read_mesh(text, "clock.obj", painted)
        self.assertEqual(len(made.held.rows("images")), 1)
        self.assertIn("TEXCOORD_0", made.held.rows("meshes")[0]["primitives"][0]["attributes"])
        # What it names and does not lie beside it is not looked for anywhere else.
        self.assertEqual(read_mesh(text, "clock.obj", {}).held.rows("images"), [])

    def test_a_prop_comes_from_any_of_them(self) -> None:
        for content, file in ((usda(CUBE, FACES), "crate.usda"), (obj(CUBE * 5, FACES), "hall.obj")):
            shape = mesh_shape(content, file)
            np.testing.assert_allclose(shape.size, np.ptp(CUBE, axis=0) * (5 if file == "hall.obj" else 1), atol=1e-4)

    def test_damaged_files_get_a_sentence(self) -> None:
        bad = CUBE.copy()
        bad[3, 1] = np.nan
        for content, file, sentence in (
            (b"", "a.obj", "no mesh of triangles|damaged"),
            (b"v 0 0 0\nv 1 0 0\n", "a.obj", "no mesh of triangles|damaged"),
            (b"v 0 0 0\nf 1 2 3\n", "a.obj", "damaged|no mesh"),
            (obj(bad, FACES), "a.obj", "lie nowhere"),
            (stl(bad, FACES), "a.stl", "lie nowhere"),
            (stl(CUBE, FACES)[:200], "a.stl", "damaged|no mesh"),
            (b"ply\nformat ascii 1.0\nelement vertex 99999999999\n", "a.ply", "damaged|no mesh"),
            (b"\xff\xfe\x00" * 40, "a.ply", "damaged|no mesh"),
            (WALK.read_bytes(), "walk.bvh", "a mesh is read from"),
            # Larger than a number of 32 bits, of which a .glb is made.
            (obj(np.where(CUBE == 1.8, 1e39, CUBE), FACES), "a.obj", "lie nowhere"),
        ):
            with self.subTest(content[:30]), self.assertRaisesRegex(BadInput, f"^{file}: .*({sentence})"):
                read_mesh(content, file)

    def test_a_figure_that_refers_to_what_is_not_there_gets_a_sentence_as_a_mesh(self) -> None:
        def without_buffer(tree: dict[str, Any]) -> None:
            del tree["bufferViews"][0]["buffer"]

        def before_the_buffer(tree: dict[str, Any]) -> None:
            tree["bufferViews"][0]["byteOffset"] = -4

        def other_joint(tree: dict[str, Any]) -> None:
            tree["skins"][0]["joints"][0] = 99

        def fewer_joints(tree: dict[str, Any]) -> None:
            del tree["skins"][0]["joints"][1:], tree["skins"][0]["inverseBindMatrices"]

        def without_mesh(tree: dict[str, Any]) -> None:
            del tree["meshes"][0]["primitives"]

        def wide_points(tree: dict[str, Any]) -> None:
            attributes = tree["meshes"][0]["primitives"][0]["attributes"]
            attributes["POSITION"] = attributes["WEIGHTS_0"]

        def listed_kind(tree: dict[str, Any]) -> None:
            for row in tree["accessors"]:
                row["componentType"] = [[]]

        for damage, sentence in (
            (wide_points, "“POSITION” of a mesh has 4 numbers"),
            (listed_kind, "unknown type"),
            (without_buffer, "bufferView 0 refers to buffer None"),
            (before_the_buffer, "bufferView 0 begins at -4"),
            (other_joint, "refers to nodes"),
            (fewer_joints, "weights do not fit"),
            (without_mesh, "no mesh of triangles"),
        ):
            tree = json.loads(character().gltf())
            damage(tree)
            with self.subTest(damage.__name__), self.assertRaisesRegex(BadInput, f"^a.gltf: .*{sentence}"):
                read_mesh(json.dumps(tree).encode(), "a.gltf")

    def test_bytes_that_were_changed_never_do_worse_than_a_sentence(self) -> None:
        rng = np.random.default_rng(2)
        for content, file in ((obj(CUBE, FACES), "a.obj"), (ply(CUBE, FACES), "a.ply"), (stl(CUBE, FACES), "a.stl")):
            for _ in range(150):
                data = bytearray(content)
                for _ in range(int(rng.integers(1, 6))):
                    at = int(rng.integers(len(data)))
                    kind = rng.integers(3)
                    if kind == 0:
                        data[at] = int(rng.integers(256))
                    elif kind == 1:
                        del data[at : at + int(rng.integers(1, 40))]
                    else:
                        data[at:at] = bytes(rng.integers(48, 58, 9).astype(np.uint8))
                    if not data:
                        break
                try:
                    self.assertTrue(np.isfinite(read_mesh(bytes(data), file).points).all())
                except BadInput as problem:
                    self.assertTrue(str(problem).startswith(f"{file}: "), problem)


HALL = next(pattern for pattern in patterns.shipped() if pattern.name == "Museum hall")


class Command(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.sculpture = self.folder / "keeper.glb"
        self.sculpture.write_bytes(coarse("keeper"))

    def test_landmarks_are_written_changed_and_used(self) -> None:
        told, out = self.folder / "l.json", self.folder / "out.glb"
        done = run("rig", self.sculpture, "--propose", "-o", told)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        rows = json.loads(told.read_text())
        place = rows["landmarks"]["left elbow"]["at"]
        place[1] = round(place[1] + 0.05, 5)  # as it is written
        told.write_text(json.dumps(rows))
        done = run("rig", self.sculpture, "--landmarks", told, "--spine", "2", "--twists", "1", "-o", out, "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        said = json.loads(done.stdout)
        self.assertEqual(said["landmarks"]["left elbow"]["at"], place)
        self.assertIn("left lower arm twist", said["joints"])
        named = run("rig", self.sculpture, "--names", "museum hall", "-o", out, "--json")
        self.assertIn(HALL.parts["left lower arm"][0], json.loads(named.stdout)["joints"])
        own = self.folder / "names.json"
        own.write_text(json.dumps(patterns.to_json(HALL) | {"parts": {"hips": ["Becken"]}}))
        run("rig", self.sculpture, "--names", own, "-o", out)
        self.assertEqual(formats.read(out.read_bytes(), "out.glb").skeleton.names[:2], ("root", "Becken"))
        done = run("rig", self.sculpture, "--landmarks", told, "--spine", "2", "--twists", "1", "-o", out)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertLessEqual(said["bones_at_most"], 4)
        character = formats.read(out.read_bytes(), "out.glb")
        at = character.skeleton.rest.positions[character.skeleton.index["left lower arm"]]
        self.assertLess(float(np.linalg.norm(at - place)), 0.01)
        height = float(np.ptp(character.bounds[:, 1]))
        self.assertAlmostEqual(height, figure("keeper").height, places=3)

    def test_an_archive_holds_one_with_what_it_names(self) -> None:
        row = figure("keeper")
        path = self.folder / "keeper.zip"
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("k/keeper.obj", obj(row.points, row.faces, "mtllib k.mtl"))
            archive.writestr("k/k.mtl", "newmtl brass\nKd 0.5 0.5 0.5\n")
        done = run("rig", path, "--propose")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertEqual(len(json.loads(done.stdout)["landmarks"]), 24)

    def test_what_is_wrong_is_said(self) -> None:
        told = self.folder / "l.json"
        for written, sentence in (
            ("[]", "it has no “landmarks”"),
            ("{", "its JSON cannot be read"),
            ('{"landmarks": {"left antler": [0, 1, 2]}}', "no landmark “left antler”"),
            ('{"landmarks": {"neck": {"at": [0, "a", 2]}}}', "“neck” is not three numbers"),
            ('{"landmarks": {"neck": [0, 1e9, 2]}}', "“neck” lies nowhere"),
            ('{"landmarks": {"neck": [0, 1, 2]}}', "“crown” is missing"),
        ):
            told.write_text(written)
            done = run("rig", self.sculpture, "--landmarks", told, "-o", self.folder / "o.glb")
            with self.subTest(sentence):
                self.assertEqual(done.returncode, 2)
                self.assertRegex(done.stderr, f"^{told}: .*{sentence}")
        for names, sentence in (
            ("owls", "no such file or pattern; .* Humanoid avatar"),
            ("museum yard", "four-legged"),
        ):
            done = run("rig", self.sculpture, "--names", names, "-o", self.folder / "o.glb")
            self.assertEqual(done.returncode, 2)
            self.assertRegex(done.stderr, sentence)
        self.assertRegex(run("rig", self.sculpture).stderr, "Name the .glb that is to be written with -o")
        self.assertRegex(run("rig", self.folder / "gone.obj", "-o", "o.glb").stderr, "cannot be opened")
        self.assertEqual(list(self.folder.glob("o.glb")), [])
