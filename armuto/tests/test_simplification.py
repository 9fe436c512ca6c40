"""Display copies of figures: the same to the eye, in a tenth of the bytes."""

import io
import unittest

import numpy as np
from PIL import Image
from scipy.spatial import KDTree

from armuto import formats
from armuto.errors import BadInput
from armuto.formats.gltf import accessors
from armuto.formats.gltf.building import Body, Material, Node, Parts, Skin, Surface, build
from armuto.formats.gltf.container import GltfFile, parse, to_glb
from armuto.formats.gltf.simplification import PIXELS, TRIANGLES, simplified
from armuto.tests.files import DEMO, PORTER
from armuto.tests.mutations import mutated
from armuto.tests.test_gltf import character

FIGURES = [DEMO / f"{name}.glb" for name in ("porter", "fox", "heron")]


def primitives(held: GltfFile) -> list[dict[str, np.ndarray]]:
    """Attributes of every primitive, with its triangles under “faces”."""
    return [
        {name: accessors.read(held, number) for name, number in row["attributes"].items()}
        | {"faces": accessors.read(held, row["indices"]).astype(int).reshape(-1, 3), "material": row.get("material")}
        for mesh in held.rows("meshes")
        for row in mesh["primitives"]
    ]


def on_surface(points: np.ndarray, faces: np.ndarray, steps: int = 5) -> np.ndarray:
    """Points spread over triangles."""
    shares = [(a, b, steps - a - b) for a in range(steps + 1) for b in range(steps + 1 - a)]
    return np.concatenate([points[faces].transpose(0, 2, 1) @ (np.array(share) / steps) for share in shares])


def tube(around: int = 96, along: int = 120, image: bytes | None = None) -> Parts:
    """An open tube along y, one metre high, with a seam of its texture where the angle begins again."""
    angle, height = np.meshgrid(np.linspace(0, 2 * np.pi, around + 1), np.linspace(0, 1, along + 1))
    points = np.stack([np.cos(angle) * 0.1, height, np.sin(angle) * 0.1], axis=-1).reshape(-1, 3)
    normals = np.stack([np.cos(angle), 0 * angle, np.sin(angle)], axis=-1).reshape(-1, 3)
    uv = np.stack([angle / (2 * np.pi), height], axis=-1).reshape(-1, 2)
    corner = (np.arange(along)[:, None] * (around + 1) + np.arange(around)).ravel()
    above = corner + around + 1
    faces = np.concatenate([np.stack([corner, above, corner + 1], 1), np.stack([corner + 1, above, above + 1], 1)])
    weights = np.stack([1 - height.ravel(), height.ravel()], 1)
    nodes = [
        Node("low", -1, np.zeros(3), np.array([0, 0, 0, 1.0])),
        Node("high", 0, np.array([0, 0.5, 0]), np.array([0, 0, 0, 1.0])),
    ]
    binds = np.tile(np.eye(4), (2, 1, 1))
    binds[1, 1, 3] = -0.5
    surface = Surface(points, faces, 0, normals, uv, weights)
    return Parts(
        nodes=nodes,
        skins=[Skin((0, 1), binds)],
        bodies=[Body("tube", 0, [surface], 0)],
        materials=[Material("cloth", (1.0, 1.0, 1.0, 1.0), 0.0, 1.0, 0 if image else None, False)],
        images=[image] if image else [],
    )


def picture(kind: str, size: tuple[int, int], colours: str = "RGB") -> bytes:
    out = io.BytesIO()
    noise = np.random.default_rng(1).integers(0, 256, (size[1], size[0], len(colours)), np.uint8)
    Image.fromarray(noise, colours).save(out, kind)
    return out.getvalue()


class DemoFigures(unittest.TestCase):
    def test_copies_are_small_and_keep_what_the_stage_goes_by(self):
        for path in FIGURES:
            with self.subTest(path.name):
                data = path.read_bytes()
                copy = simplified(data, path.name)
                self.assertLess(len(copy), 0.3 * len(data))
                was, now = parse(data, path.name), parse(copy, path.name)
                self.assertLess(sum(len(p["faces"]) for p in primitives(now)), 1.05 * TRIANGLES)
                for key in ("materials", "scenes"):
                    self.assertEqual(now.json.get(key), was.json.get(key))
                self.assertEqual([n.get("name") for n in now.rows("nodes")], [n.get("name") for n in was.rows("nodes")])
                # Bones, rest pose and bounds are read from it as from the file itself.
                a, b = formats.read(data, path.name), formats.read(copy, path.name)
                self.assertEqual(a.skeleton.names, b.skeleton.names)
                np.testing.assert_array_equal(a.skeleton.rest_translation, b.skeleton.rest_translation)
                assert a.bounds is not None and b.bounds is not None
                np.testing.assert_allclose(a.bounds, b.bounds, atol=0.002)

    def test_every_vertex_there_was_lies_on_the_surface_there_is(self):
        was, now = parse(PORTER.read_bytes(), "a"), parse(simplified(PORTER.read_bytes(), "a"), "a")
        samples = np.concatenate([on_surface(p["POSITION"], p["faces"]) for p in primitives(now)])
        points = np.concatenate([p["POSITION"] for p in primitives(was)])
        away, _ = KDTree(samples).query(points)
        height = np.ptp(points[:, 1])
        # Samples lie up to 8 mm apart, on a body of 164 cm.
        self.assertLess(np.percentile(away, 99), 0.005 * height)
        self.assertLess(away.max(), 0.01 * height)

    def test_weights_and_normals_are_those_of_vertices_that_were_there(self):
        was, now = parse(PORTER.read_bytes(), "a"), parse(simplified(PORTER.read_bytes(), "a"), "a")
        for a, b in zip(primitives(was), primitives(now), strict=True):
            self.assertEqual(a["material"], b["material"])
            np.testing.assert_allclose(b["WEIGHTS_0"].sum(axis=1), 1, atol=1e-9)
            self.assertLessEqual(b["JOINTS_0"].max(), a["JOINTS_0"].max())
            _, nearest = KDTree(a["POSITION"]).query(b["POSITION"])
            cosine = (a["NORMAL"][nearest] * b["NORMAL"]).sum(axis=1)
            self.assertGreater(np.percentile(cosine, 5), 0.9)
            joints = int(max(a["JOINTS_0"].max(), b["JOINTS_0"].max())) + 1
            self.assertLess(np.percentile(np.abs(_dense(a, joints)[nearest] - _dense(b, joints)).max(axis=1), 95), 0.1)


def _dense(primitive: dict[str, np.ndarray], joints: int) -> np.ndarray:
    out = np.zeros((len(primitive["POSITION"]), joints))
    for k in range(4):
        np.add.at(out, (np.arange(len(out)), primitive["JOINTS_0"][:, k].astype(int)), primitive["WEIGHTS_0"][:, k])
    return out


class Surfaces(unittest.TestCase):
    def test_borders_and_seams_stay_and_texture_coordinates_fit_their_places(self):
        data = build(tube())
        (was,), (now,) = primitives(parse(data, "t")), primitives(parse(simplified(data, "t", 4000), "t"))
        self.assertLess(len(now["faces"]), 4200)
        for own in (was, now):
            x, _, z = own["POSITION"].T
            turn = np.arctan2(z, x) / (2 * np.pi) % 1
            off = np.abs((own["TEXCOORD_0"][:, 0] - turn + 0.5) % 1 - 0.5)
            self.assertLess(off.max(), 0.02)
        # No triangle runs across the seam, from the end of the picture to its beginning.
        self.assertLess(np.ptp(now["TEXCOORD_0"][now["faces"]][..., 0], axis=1).max(), 0.5)
        for own in (was, now):
            own["seam"] = own["POSITION"][np.minimum(own["TEXCOORD_0"][:, 0], 1 - own["TEXCOORD_0"][:, 0]) < 1e-6]
        away, _ = KDTree(now["seam"]).query(was["seam"])
        self.assertLess(away.max(), 1e-4)

    def test_a_body_in_centimetres_is_treated_as_in_metres(self):
        metres, centimetres = tube(), tube()
        centimetres.bodies[0].surfaces[0].points[:] *= 100
        a = primitives(parse(simplified(build(metres), "t", 4000), "t"))[0]
        b = primitives(parse(simplified(build(centimetres), "t", 4000), "t"))[0]
        self.assertLess(abs(len(a["faces"]) - len(b["faces"])), 100)
        away, _ = KDTree(a["POSITION"]).query(b["POSITION"] / 100)
        self.assertLess(np.percentile(away, 95), 0.01)

    def test_a_file_that_is_small_already_stays_as_it_is(self):
        data = character().glb()
        self.assertIs(simplified(data, "x.glb"), data)

    def test_what_is_morphed_at_rest_stays_morphed(self):
        held = parse(build(tube()), "t")
        tree = held.json
        points = accessors.read(held, tree["meshes"][0]["primitives"][0]["attributes"]["POSITION"])
        moved = np.c_[0 * points[:, :2], 0.3 * points[:, 1] ** 2].astype("<f4").tobytes()
        start = len(held.buffers[0])
        tree["bufferViews"].append({"buffer": 0, "byteOffset": start, "byteLength": len(moved)})
        view = len(tree["bufferViews"]) - 1
        tree["accessors"].append({"bufferView": view, "componentType": 5126, "count": len(points), "type": "VEC3"})
        target = {"POSITION": len(tree["accessors"]) - 1}
        tree["meshes"][0]["primitives"][0]["targets"] = [{}, target]
        tree["buffers"] = [{"byteLength": start + len(moved)}]
        for weights, count in (([0.0, 0.5], 2), ([0.0, 0.0], 0)):
            with self.subTest(weights):
                tree["meshes"][0]["weights"] = weights
                copy = parse(simplified(to_glb(tree, held.buffers[0] + moved), "t", 4000), "t")
                row = copy.rows("meshes")[0]["primitives"][0]
                self.assertEqual(len(row.get("targets", [])), count)
                if count:
                    now = accessors.read(copy, row["attributes"]["POSITION"])
                    shift = accessors.read(copy, row["targets"][1]["POSITION"])
                    np.testing.assert_allclose(shift[:, 2], 0.3 * now[:, 1] ** 2, atol=0.02)
                    self.assertEqual(np.abs(accessors.read(copy, row["targets"][0]["POSITION"])).max(), 0)

    def test_every_triangle_that_is_left_faces_outward(self):
        now = primitives(parse(simplified(build(tube()), "t", 6000), "t"))[0]
        a, b, c = now["POSITION"][now["faces"]].transpose(1, 0, 2)
        faced = np.cross(b - a, c - a)
        self.assertGreater((np.einsum("ij,ij->i", faced, now["NORMAL"][now["faces"][:, 0]]) > 0).mean(), 0.999)

    def test_damaged_files_are_refused_in_a_sentence(self):
        data = build(tube(12, 20))
        held = parse(data, "t.glb")
        rng = np.random.default_rng(11)
        refused = 0
        for _ in range(150):
            try:
                simplified(mutated(data, rng), "t.glb", 100)
            except BadInput as problem:
                self.assertIn("t.glb", str(problem))
                refused += 1
        self.assertGreater(refused, 15)
        self.assertEqual(len(held.rows("meshes")), 1)


class Pictures(unittest.TestCase):
    def copied(self, image: bytes) -> tuple[bytes, str]:
        held = parse(simplified(build(tube(image=image)), "t", 2000), "t")
        row = held.rows("images")[0]
        return accessors.view(held, row["bufferView"]), row["mimeType"]

    def test_pictures_are_no_larger_than_they_are_seen(self):
        for kind, colours, becomes in (("PNG", "RGB", "JPEG"), ("JPEG", "RGB", "JPEG"), ("PNG", "RGBA", "PNG")):
            with self.subTest(kind=kind, colours=colours):
                data, mime = self.copied(picture(kind, (2048, 1500), colours))
                self.assertEqual(mime, f"image/{becomes.lower()}")
                with Image.open(io.BytesIO(data)) as seen:
                    self.assertEqual((seen.size, seen.format, seen.mode), ((PIXELS, 750), becomes, colours))

    def test_small_and_unreadable_pictures_stay_as_they_are(self):
        for image in (picture("PNG", (64, 64)), b"\x89PNG\r\n\x1a\n but nothing behind it"):
            with self.subTest(image[:20]):
                self.assertEqual(self.copied(image)[0], image)
