"""COLLADA, USD, archives and the humanoid-avatar table: what comes in is what was written, and damage is said."""

import io
import json
import re
import unittest
import zipfile

import numpy as np

from armuto import formats
from armuto.errors import BadInput
from armuto.formats.gltf.writing import WHITE_PIXEL
from armuto.intake.detection import ImportOptions
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.tests import figures, scenes
from armuto.tests.files import PORTER
from armuto.tests.test_gltf import character

CLIP = figures.motion(figures.body(), np.random.default_rng(11), frames=12, reach=0.8)


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, content in files.items():
            archive.writestr(name, content)
    return out.getvalue()


class SamePositions(unittest.TestCase):
    """Joint positions at rest and in motion differ from the truth by less than a tenth of a millimetre."""

    def check(self, document: formats.Document, skinned: bool = True):
        self.assertEqual(document.skinned, skinned)
        order = [document.skeleton.index[name] for name in CLIP.skeleton.names]
        rest = document.skeleton.rest.positions[order]
        self.assertLess(np.abs(rest - CLIP.skeleton.rest.positions).max(), 1e-4)
        (clip,) = document.clips
        self.assertEqual((clip.frames, clip.fps), (CLIP.frames, CLIP.fps))
        self.assertLess(np.abs(clip.world().positions[:, order] - CLIP.world().positions).max(), 1e-4)
        if skinned:
            tall = CLIP.skeleton.rest.positions[:, 1]
            self.assertAlmostEqual(document.bounds[0, 1], tall.min(), delta=0.05)
            self.assertAlmostEqual(document.bounds[1, 1], tall.max(), delta=0.05)

    def test_collada_with_matrices_or_separate_channels_in_any_unit_and_axis(self):
        for unit, up, separate in ((0.01, "+Z", False), (1.0, "+Y", True), (0.0254, "+X", False), (0.01, "+Z", True)):
            with self.subTest(unit=unit, up=up, separate=separate):
                document = formats.read(scenes.dae(CLIP, unit, up, separate), "figure.dae")
                self.assertEqual(document.format, "dae")
                self.check(document)
                material = document.original.json["materials"][0]
                self.assertEqual(material["name"], "brass")
                self.assertAlmostEqual(material["pbrMetallicRoughness"]["baseColorFactor"][0], 0.214, delta=0.001)

    def test_collada_motion_without_a_mesh(self):
        self.check(formats.read(scenes.dae(CLIP, mesh=False), "motion.dae"), skinned=False)

    def test_collada_clips_by_time(self):
        text = scenes.dae(CLIP, mesh=False).decode()
        text = text.replace("<library_animations>", '<library_animations><animation id="all">').replace(
            "</library_animations>",
            '</animation></library_animations><library_animation_clips><animation_clip name="first" '
            'start="0" end="0.1">'
            '<instance_animation url="#all"/></animation_clip><animation_clip name="second" start="0.1" end="0.3">'
            '<instance_animation url="#all"/></animation_clip></library_animation_clips>',
        )
        first, second = formats.read(text.encode(), "motion.dae").clips
        self.assertEqual([(c.name, c.frames) for c in (first, second)], [("first", 4), ("second", 7)])
        order = [second.skeleton.index[name] for name in CLIP.skeleton.names]
        off = second.world().positions[:, order] - CLIP.world().positions[3:10]
        self.assertLess(np.abs(off).max(), 1e-4)

    def test_usd_text_binary_and_package(self):
        for kind, unit, up, shuffle in (
            ("usda", 0.01, "+Z", False),
            ("usdc", 1.0, "+Y", True),
            ("usdz", 0.01, "+Y", False),
        ):
            with self.subTest(kind):
                document = formats.read(scenes.usd(CLIP, kind, unit, up, shuffle=shuffle), f"figure.{kind}")
                self.assertEqual((document.format, document.clips[0].name), ("usd", "patrol"))
                self.check(document)
                colour = document.original.json["materials"][0]["pbrMetallicRoughness"]["baseColorFactor"]
                np.testing.assert_allclose(colour, [0.5, 0.25, 0.125, 1])

    def test_every_format_is_delivered_as_gltf(self):
        porter = formats.read(PORTER.read_bytes(), "porter.glb")
        for data, name in ((scenes.dae(CLIP), "figure.dae"), (scenes.usd(CLIP), "figure.usda")):
            document = formats.read(data, name)
            made = transfer(document.clips[0], fitting.fit(document.skeleton, porter.skeleton))
            self.assertEqual(made.frames, CLIP.frames)
            again = formats.read(formats.write(document.clips, document, "glb"), "again.glb")
            off = again.clips[0].world().positions - document.clips[0].world().positions
            self.assertLess(np.abs(off).max(), 1e-4)

    def test_textures_from_the_archive(self):
        data = scenes.dae(CLIP, texture="cloth/red.png")
        document = formats.read(zipped({"a/figure.dae": data, "a/cloth/red.png": WHITE_PIXEL}), "figure.zip")
        self.assertEqual(len(document.original.json.get("images", [])), 1)
        document = formats.read(data, "figure.dae")
        self.assertTrue(any("red.png" in note and "missing" in note for note in document.notes), document.notes)


class Archives(unittest.TestCase):
    def test_gltf_with_its_files(self):
        made = character()
        tree = made.tree | {
            "buffers": [{"byteLength": len(made.binary), "uri": "data%20here/bell.bin"}],
            "images": [{"uri": "cloth.png"}],
        }
        files = {
            "x/bell.gltf": json.dumps(tree).encode(),
            "x/data here/bell.bin": made.binary,
            "x/cloth.png": WHITE_PIXEL,
        }
        document = formats.read(zipped(files), "bell.zip", ImportOptions("m", "+Y"))
        self.assertEqual((document.format, document.skeleton.names), ("gltf", ("hips", "chest", "head")))
        # What the stage gets needs no other file.
        self.assertEqual(document.display[:4], b"glTF")
        self.assertNotIn(b"cloth.png", document.display)

    def test_many_files_in_folders(self):
        bvh = formats.bvh.serialise(formats.bvh.from_clip(CLIP))
        inside = formats.contents(
            zipped({"a/one.bvh": bvh, "b/two.bvh": bvh, "notes.txt": b"x", "__MACOSX/._one.bvh": b"x"}), "n.zip"
        )
        self.assertEqual([name for name, _, _ in inside], ["a/one.bvh", "b/two.bvh"])

    def test_hostile_archives(self):
        bomb = zipped({"a.bvh": b"0" * 60_000_000})
        for data, sentence in (
            (zipped({"../../a.bvh": b"HIERARCHY"}), "leads out of the archive"),
            (bomb, "far more than it should"),
            (zipped({"readme.txt": b"hello"}), "nothing in the archive can be read"),
            (zipped({"a.bvh": b"HIERARCHY", "b.bvh": b"HIERARCHY"}), "holds 2 files"),
            (zipped({f"{n}.bvh": b"x" for n in range(10_001)}), "more than 10000"),
            (bomb[: len(bomb) // 2], "damaged"),
        ):
            with self.subTest(sentence), self.assertRaisesRegex(BadInput, sentence):
                formats.read(data, "night.zip")

    def test_a_texture_that_points_outside_is_not_followed(self):
        made = character()
        made.tree["images"] = [{"uri": "../../../../etc/passwd"}]
        document = formats.read(made.glb(), "x.glb", ImportOptions("m", "+Y"))
        self.assertTrue(any("missing" in note for note in document.notes))
        self.assertNotIn(b"root:", document.display)


class AvatarTable(unittest.TestCase):
    def test_both_versions_are_confirmed_parts(self):
        for version, bones in (
            ("VRMC_vrm", {"hips": {"node": 1}, "spine": {"node": 2}, "head": {"node": 3}}),
            ("VRM", [{"bone": "hips", "node": 1}, {"bone": "chest", "node": 2}, {"bone": "head", "node": 3}]),
        ):
            with self.subTest(version):
                made = character()
                for n in (1, 2, 3):
                    made.tree["nodes"][n]["name"] = f"bone_{n:03d}"
                made.tree["extensions"] = {version: {"humanoid": {"humanBones": bones}}}
                document = formats.read(made.glb(), "figure.vrm", ImportOptions("m", "+Y"))
                found = {part: (bones[0].joint, bones[0].confidence) for part, bones in document.parts.items()}
                self.assertEqual(found, {"hips": (0, 1.0), "chest": (1, 1.0), "head": (2, 1.0)})
                self.assertIn("own table", document.parts["hips"][0].reason)

    def test_sides_fingers_and_the_older_thumb(self):
        from armuto.formats.gltf.avatar import _parts

        rows = [
            ("leftThumbProximal", 0),
            ("leftThumbIntermediate", 1),
            ("rightUpperLeg", 2),
            ("upperChest", 3),
            ("chest", 4),
        ]
        want = {0: "left thumb metacarpal", 1: "left thumb proximal", 2: "right upper leg", 3: "chest", 4: "spine"}
        self.assertEqual(_parts(rows, 0, 9), want)


class Damage(unittest.TestCase):
    def check(self, data: bytes, name: str, sentence: str):
        with self.subTest(name=name, sentence=sentence), self.assertRaises(BadInput) as caught:
            formats.read(data, name)
        message = str(caught.exception)
        self.assertIn(sentence, message)
        self.assertTrue(message.startswith(f"{name}: ") and message.endswith(".") and "\n" not in message, message)

    def test_collada(self):
        good = scenes.dae(CLIP).decode()
        bomb = '<?xml version="1.0"?><!DOCTYPE a [<!ENTITY b "bb">]><a>&b;</a>'
        self.check(bomb.encode(), "x.dae", "entities")
        self.check(good[: len(good) // 2].encode(), "x.dae", "XML is damaged")
        self.check(good.replace("2005/11", "2008/03").encode(), "x.dae", "not a COLLADA 1.4")
        self.check(good.replace("<scene>", "<scenery>").replace("</scene>", "</scenery>").encode(), "x.dae", "no scene")
        self.check(
            good.replace('id="kb-a" count="336">1', 'id="kb-a" count="336">nan').encode(), "x.dae", "not usable numbers"
        )
        self.check(
            good.replace('name="Head"', 'name="H"').replace('sid="Head"', 'sid="H"').encode(),
            "x.dae",
            "is not in the scene",
        )
        self.check(good.replace("<vcount>1 ", "<vcount>7 ").encode(), "x.dae", "do not match their counts")
        shape = re.search(r"<bind_shape_matrix>[^<]*", good)[0]
        self.check(good.replace(shape, "<bind_shape_matrix>1 0 0").encode(), "x.dae", "3 numbers, not 16")
        worded = re.sub(r'(semantic="WEIGHT"[^>]*offset=)"1"', r'\1"one"', good)
        self.check(worded.encode(), "x.dae", "offset of an input is “one”")
        far = re.sub(r"<bind_shape_matrix>[^<]*", "<bind_shape_matrix>" + "1e11 " * 16, good)
        self.check(
            re.sub(r'(id="gp-a"[^>]*>)\s*\S+', r"\g<1>1e11", far).encode(), "x.dae", "points of a mesh lie nowhere"
        )
        bright = good.replace("<color>0.5 0.25 0.1 1", "<color>1e39 nan -1 1").encode()
        (material,) = formats.read(bright, "x.dae").original.json["materials"]
        self.assertEqual(material["pbrMetallicRoughness"]["baseColorFactor"], [1.0, 0.0, 0.0, 1.0])
        deep = "<node>" * 2000 + "</node>" * 2000
        self.check(
            good.replace('<node id="figure">', deep + '<node id="figure">').encode(), "x.dae", "nested too deeply"
        )
        self.check(b"<html>", "x.dae", "damaged")

    def test_usd(self):
        good = scenes.usd(CLIP, "usdc")
        self.check(good[: len(good) // 2], "x.usdc", "damaged")
        self.check(b"#usda 1.0\n(broken", "x.usda", "damaged")
        self.check(b"#usda 1.0\n", "x.usda", "no UsdSkel skeleton")
        self.check(b"hello there", "x.usda", "not a USD file")
        self.check(b'#usda 1.0\n(subLayers = [@/etc/night.usda@])\ndef Mesh "m" {}', "x.usda", "needs other files")
        self.check(b'#usda 1.0\ndef Mesh "m" {}', "x.usda", "no bones")
        text = scenes.usd(CLIP, "usda").decode()
        self.check(
            text.replace(
                "restTransforms = [", "restTransforms = [ ((1,0,0,0),(0,1,0,0),(0,0,1,0),(0,0,0,1)),"
            ).encode(),
            "x.usda",
            "transforms",
        )

    def test_formats_nobody_reads_are_answered_with_those_we_do(self):
        for name in ("walk.xyz", "walk.blob", "walk"):
            self.check(b"\x00\x01binary", name, "export it as BVH (.bvh), glTF 2.0")
