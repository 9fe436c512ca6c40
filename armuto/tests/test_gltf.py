"""glTF: reading hierarchies, skins and animations; writing into the character's own file; refusing damage."""

import base64
import json
import struct
import unittest
from dataclasses import replace

import numpy as np
import pygltflib

from armuto import formats
from armuto.errors import BadInput
from armuto.formats.gltf import container
from armuto.intake.detection import ImportOptions
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.tests import figures


def scaled_over_time(values: list[list[float]]) -> Clip | None:
    """The first clip of a file that scales a joint over time; None where it is left out."""
    made = character()
    made.animate(1, "scale", list(range(len(values))), values)
    clips = formats.read(made.glb(), "pulse.glb").clips
    return clips[0] if clips else None


class Scales(unittest.TestCase):
    def test_an_even_scale_is_carried_on_every_frame(self):
        clip = scaled_over_time([[1.0, 1.0, 1.0], [1.5, 1.5, 1.5]])
        assert clip is not None
        at = clip.world().positions
        below = next(joint for joint, parent in enumerate(clip.skeleton.parents) if parent >= 0)
        own = np.linalg.norm(at[:, below] - at[:, clip.skeleton.parents[below]], axis=1)
        self.assertAlmostEqual(own[-1] / own[0], 1.5, places=5)

    def test_an_uneven_one_is_left_out_with_a_sentence(self):
        self.assertIsNone(scaled_over_time([[1.0, 1.0, 1.0], [1.0, 1.5, 1.0]]))
        made = character()
        made.animate(1, "scale", [0, 1], [[1, 1, 1], [1, 1.5, 1]])
        notes = formats.read(made.glb(), "pulse.glb").notes
        self.assertTrue(any("unevenly" in note and "left out" in note for note in notes), notes)


class Builder:
    """A small glTF file put together by hand, so that every field can be bent."""

    def __init__(self):
        self.binary = b""
        self.tree = {
            "asset": {"version": "2.0"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "nodes": [],
            "accessors": [],
            "bufferViews": [],
            "animations": [],
        }

    def accessor(self, values, kind, component=5126, **more):
        dtype = {5126: "<f4", 5121: "u1", 5123: "<u2"}[component]
        data = np.asarray(values, dtype).tobytes()
        self.binary += b"\0" * (-len(self.binary) % 4)
        self.tree["bufferViews"].append({"buffer": 0, "byteOffset": len(self.binary), "byteLength": len(data)})
        self.binary += data
        row = {"bufferView": len(self.tree["bufferViews"]) - 1, "componentType": component, "type": kind}
        self.tree["accessors"].append(row | {"count": len(values)} | more)
        return len(self.tree["accessors"]) - 1

    def animate(self, node, path, times, values, interpolation="LINEAR", name="move"):
        kind = "VEC4" if path == "rotation" else "VEC3"
        sampler = {
            "input": self.accessor(times, "SCALAR"),
            "output": self.accessor(values, kind),
            "interpolation": interpolation,
        }
        channel = {"sampler": 0, "target": {"node": node, "path": path}}
        self.tree["animations"].append({"name": name, "samplers": [sampler], "channels": [channel]})

    def glb(self):
        self.tree["buffers"] = [{"byteLength": len(self.binary)}] if self.binary else []
        tree = {key: value for key, value in self.tree.items() if value != []}
        return container.to_glb(tree, self.binary)

    def gltf(self):
        data = base64.b64encode(self.binary).decode()
        uri = f"data:application/octet-stream;base64,{data}"
        return json.dumps(self.tree | {"buffers": [{"byteLength": len(self.binary), "uri": uri}]}).encode()


def character(above: dict | None = None) -> Builder:
    """A skinned strip on three joints, a metre each, under a node ``above``, with a material and unknown extras."""
    made = Builder()
    made.tree["nodes"] = [
        {"name": "stand", "children": [1, 4], **(above or {})},
        {"name": "hips", "translation": [0, 1, 0], "children": [2]},
        {"name": "chest", "translation": [0, 1, 0], "children": [3]},
        {"name": "head", "translation": [0, 1, 0]},
        {"name": "figure", "mesh": 0, "skin": 0},
    ]
    binds = [np.eye(4) for _ in range(3)]
    for n, bind in enumerate(binds):
        bind[3, 1] = -(n + 1)  # column-major
    made.tree["skins"] = [
        {"joints": [1, 2, 3], "inverseBindMatrices": made.accessor([b.ravel() for b in binds], "MAT4")}
    ]
    points = made.accessor([[-0.2, 0, 0], [0.2, 0, 0], [0, 3.5, 0]], "VEC3", min=[-0.2, 0, 0], max=[0.2, 3.5, 0])
    joints = made.accessor([[0, 0, 0, 0], [0, 0, 0, 0], [2, 0, 0, 0]], "VEC4", 5121)
    weights = made.accessor([[1, 0, 0, 0]] * 3, "VEC4")
    attributes = {"POSITION": points, "JOINTS_0": joints, "WEIGHTS_0": weights}
    made.tree["meshes"] = [{"primitives": [{"attributes": attributes, "material": 0}]}]
    made.tree["materials"] = [{"name": "brass", "extras": {"polish": 3}, "emissiveFactor": [0.1, 0.2, 0.3]}]
    made.tree["extras"] = {"maker": "Tidewater"}
    return made


class Reading(unittest.TestCase):
    def test_hierarchy_and_animation_resampled_to_a_steady_rate(self):
        made = character()
        half = rotation.about([0, 0, 1], np.pi / 2)
        made.animate(2, "rotation", [0.0, 0.5, 1.0], [rotation.IDENTITY, half, rotation.IDENTITY])
        document = formats.read(made.glb(), "x.glb", ImportOptions("m", "+Y"))
        self.assertEqual(document.skeleton.names, ("hips", "chest", "head"))
        self.assertEqual(document.height, 3.5)
        self.assertTrue(document.skinned)
        (clip,) = document.clips
        self.assertEqual((clip.name, clip.frames, clip.fps), ("move", 25, 24))
        np.testing.assert_allclose(clip.world().positions[12, 2], [-1, 2, 0], atol=1e-6)
        np.testing.assert_allclose(clip.world().positions[6, 2], [-np.sqrt(0.5), 2 + np.sqrt(0.5), 0], atol=1e-6)

    def test_step_and_cubic_keys_at_odd_times(self):
        made = character()
        made.animate(1, "translation", [0.0, 0.31, 0.77], [[0, 1, 0], [0, 2, 0], [0, 3, 0]], "STEP", "steps")
        smooth = [[0, 0, 0], [0, 1, 0], [0, 0, 0], [0, 0, 0], [0, 3, 0], [0, 0, 0]]
        made.animate(1, "translation", [0.0, 1.0], smooth, "CUBICSPLINE", "eased")
        steps, eased = formats.read(made.glb(), "x.glb", ImportOptions("m", "+Y")).clips
        heights = steps.translations[:, 0, 1]
        at = np.arange(steps.frames) / steps.fps
        np.testing.assert_allclose(heights, np.where(at < 0.31 - 1e-6, 1, np.where(at < 0.77 - 1e-6, 2, 3)))
        at = np.arange(eased.frames) / eased.fps
        np.testing.assert_allclose(eased.translations[:, 0, 1], 1 + 2 * (3 * at**2 - 2 * at**3), atol=1e-6)

    def test_cubic_keys_follow_their_tangents(self):
        """In the file's units per second, so that they count as long as the span between their keys is (appendix
        C.5)."""
        made = character()
        keys = [[0, 0, 0], [0, 1, 0], [0, 8, 0], [0, -4, 0], [0, 3, 0], [0, 0, 0]]
        made.animate(1, "translation", [0.0, 0.5], keys, "CUBICSPLINE", "thrown")
        (clip,) = formats.read(made.glb(), "x.glb", ImportOptions("m", "+Y")).clips
        t = np.arange(clip.frames) / clip.fps / 0.5
        wanted = (2 * t**3 - 3 * t**2 + 1) + 4 * (t**3 - 2 * t**2 + t) + 3 * (3 * t**2 - 2 * t**3) - 2 * (t**3 - t**2)
        np.testing.assert_allclose(clip.translations[:, 0, 1], wanted, atol=1e-6)

    def test_embedded_gltf_reads_as_the_glb_does(self):
        made = character()
        made.animate(1, "translation", [0, 1], [[0, 1, 0], [3, 1, 0]])
        a = formats.read(made.glb(), "x.glb", ImportOptions("m", "+Y"))
        b = formats.read(made.gltf(), "x.gltf", ImportOptions("m", "+Y"))
        self.assertEqual((a.format, b.format), ("glb", "gltf"))
        np.testing.assert_array_equal(a.clips[0].translations, b.clips[0].translations)

    def test_transforms_above_the_skeleton_are_honoured(self):
        plain = character()
        plain.animate(2, "rotation", [0, 1], [rotation.IDENTITY, rotation.about([0, 0, 1], 1.0)])
        want = formats.read(plain.glb(), "x.glb", ImportOptions("m", "+Y"))
        # The same figure in centimetres and Z-up under a node that scales by 0.01 and turns by -90° about X.
        quarter = rotation.about([1, 0, 0], -np.pi / 2)
        made = character({"scale": [0.01] * 3, "rotation": quarter.tolist()})
        made.tree["nodes"][1]["translation"] = [0, 0, 100]
        made.tree["nodes"][1]["rotation"] = rotation.inverse(quarter).tolist()
        for node in (2, 3):
            made.tree["nodes"][node]["translation"] = [0, 100, 0]
        made.animate(2, "rotation", [0, 1], [rotation.IDENTITY, rotation.about([0, 0, 1], 1.0)])
        document = formats.read(made.glb(), "x.glb", ImportOptions("m", "+Y"))
        np.testing.assert_allclose(document.skeleton.rest.positions, want.skeleton.rest.positions, atol=1e-6)
        np.testing.assert_allclose(document.clips[0].world().positions, want.clips[0].world().positions, atol=1e-6)
        # And back: the written file holds the same motion under the same node.
        again = formats.read(formats.write(document.clips, document, "glb"), "y.glb", ImportOptions("m", "+Y"))
        np.testing.assert_allclose(again.clips[0].world().positions, want.clips[0].world().positions, atol=1e-5)

    def test_a_matrix_node_and_an_animated_root_above_the_hips(self):
        made = character()
        made.tree["nodes"][1].pop("translation")
        made.tree["nodes"][1]["matrix"] = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 1, 0, 1]
        made.animate(0, "translation", [0, 1], [[0, 0, 0], [2, 0, 0]])
        document = formats.read(made.glb(), "x.glb", ImportOptions("m", "+Y"))
        self.assertEqual(document.skeleton.names[0], "stand")
        np.testing.assert_allclose(document.clips[0].world().positions[-1, 3], [2, 3, 0], atol=1e-6)
        again = formats.read(formats.write(document.clips, document, "glb"), "y.glb", ImportOptions("m", "+Y"))
        np.testing.assert_allclose(again.clips[0].world().positions, document.clips[0].world().positions, atol=1e-6)

    def test_a_file_in_centimetres_lying_on_its_back_is_set_right(self):
        body = figures.body()
        clip = figures.motion(body, np.random.default_rng(0), reach=0.3)
        turn = rotation.about([1, 0, 0], np.pi / 2)
        lying = formats.gltf.skeleton_only(*_lying(body, clip, turn))
        document = formats.read(lying, "x.glb")
        self.assertEqual((document.skeleton.file_frame.unit, document.skeleton.file_frame.up), (0.01, "+Z"))
        order = [document.skeleton.index[name] for name in body.names]
        np.testing.assert_allclose(document.skeleton.rest.positions[order], body.rest.positions, atol=1e-5)


def _lying(body, clip, turn):
    """The body and its clip in centimetres, turned out of +Y up."""
    translation = body.rest_translation * 100
    translation[0] = rotation.rotate(turn, translation[0])
    turned = body.rest_rotation.copy()
    turned[0] = rotation.multiply(turn, turned[0])
    skeleton = replace(body, rest_translation=translation, rest_rotation=turned)
    rotations = clip.rotations.copy()
    rotations[:, 0] = rotation.multiply(turn, rotations[:, 0])
    moved = rotation.rotate(turn, clip.translations * 100)
    return skeleton, [Clip(clip.name, skeleton, clip.fps, rotations, clip.moving, moved)]


class Writing(unittest.TestCase):
    def test_the_rest_of_the_file_is_untouched(self):
        made = character()
        made.animate(2, "rotation", [0, 1], [rotation.IDENTITY] * 2, name="old")
        document = formats.read(made.glb(), "x.glb", ImportOptions("m", "+Y"))
        clip = document.clips[0].renamed("new")
        tree = json.loads(container._chunks(formats.write([clip], document, "glb"), "y")[0])
        before = json.loads(container._chunks(made.glb(), "x")[0])
        for key in ("meshes", "materials", "skins", "nodes", "scenes", "extras", "asset"):
            self.assertEqual(tree[key], before[key], key)
        self.assertEqual([row["name"] for row in tree["animations"]], ["new"])
        self.assertEqual(len(tree["animations"][0]["channels"]), 2 * 3)
        written = json.loads(container._chunks(formats.write([clip], document, "glb", keep=True), "y")[0])
        self.assertEqual([row["name"] for row in written["animations"]], ["old", "new"])

    def test_an_independent_reader_finds_the_same_keys(self):
        document = formats.read(character().glb(), "x.glb", ImportOptions("m", "+Y"))
        rng = np.random.default_rng(1)
        clip = figures.motion(document.skeleton, rng, frames=7)
        held = pygltflib.GLTF2.load_from_bytes(formats.write([clip], document, "glb"))
        for channel in held.animations[0].channels:
            sampler = held.animations[0].samplers[channel.sampler]
            row = held.accessors[sampler.output]
            view = held.bufferViews[row.bufferView]
            width = {"VEC3": 3, "VEC4": 4}[row.type]
            values = np.frombuffer(held.binary_blob(), "<f4", row.count * width, view.byteOffset).reshape(-1, width)
            joint = channel.target.node - 1
            want = clip.rotations[:, joint] if channel.target.path == "rotation" else clip.all_translations()[:, joint]
            if channel.target.path == "rotation":
                want = want * np.sign(np.sum(want * values, axis=1, keepdims=True))
            np.testing.assert_allclose(values, want, atol=1e-6)


class Refusing(unittest.TestCase):
    def check(self, data: bytes, sentence: str):
        with self.subTest(sentence), self.assertRaises(BadInput) as caught:
            formats.read(data, "bell.glb")
        message = str(caught.exception)
        self.assertIn(sentence, message)
        self.assertTrue(message.startswith("bell.glb: ") and message.endswith(".") and "\n" not in message, message)

    def test_damage(self):
        good = character().glb()
        self.check(b"", "empty")
        self.check(b"just some text about bells", "not a glTF file")
        self.check(good[:15], "cut short")
        self.check(good[:-10], "promises")
        self.check(good[:8] + struct.pack("<I", len(good) + 4) + good[12:], "promises")
        self.check(good[:12] + struct.pack("<I", 10**9) + good[16:], "promises 1000000000 bytes")
        self.check(good[:4] + struct.pack("<I", 1) + good[8:], "version 1")
        self.check(b'{"asset": {"version": "2.0"}', "JSON cannot be read")

    def test_lies(self):
        def bent(change):
            made = character()
            change(made.tree)
            return made.glb()

        self.check(bent(lambda t: t["nodes"][3].update(children=[1])), "two parents")
        self.check(bent(lambda t: t["nodes"][0].update(children=[99])), "does not exist")
        self.check(bent(lambda t: t["nodes"].append({"children": [5]})), "circle")
        self.check(bent(lambda t: t["accessors"][1].update(count=10**7)), "do not fit")
        self.check(bent(lambda t: t["accessors"][1].update(count=10**9)), "claims 1000000000 values")
        self.check(bent(lambda t: t["bufferViews"][0].update(byteOffset=10**6)), "past the end")
        self.check(bent(lambda t: t["skins"][0].update(joints=[1, 2, 77])), "nodes[77]")
        self.check(bent(lambda t: t["skins"][0].update(joints=list(range(5)) * 2)), "inverse bind matrices")
        self.check(bent(lambda t: t.update(nodes=[1, 2])), "not a list of objects")
        self.check(bent(lambda t: t["nodes"][1].update(translation=["a", 1, 2])), "not usable")
        self.check(bent(lambda t: t["nodes"][1].update(scale=[0, 0, 0])), "scaled to nothing")
        self.check(bent(lambda t: t["nodes"][2].update(scale=[-1, 1, 1])), "mirrored")
        self.check(bent(lambda t: t.update(extensionsRequired=["KHR_draco_mesh_compression"])), "compressed")
        self.check(bent(lambda t: t.update(extensionsRequired=["TIDE_bell_metal"])), "extension “TIDE_bell_metal”")
        self.check(bent(lambda t: t.update(extensionsRequired={"a": 1})), "not a list")
        self.check(bent(lambda t: t["nodes"][1].update(scale=[1.0, 1.19, 1.0])), "scaled unevenly, 1.19 times")
        self.check(bent(lambda t: t["nodes"][1].update(children="12")), "not a list")
        self.check(bent(lambda t: t["skins"][0].update(joints=None)), "no joints")

    def test_numbers_that_are_not(self):
        made = character()
        made.animate(1, "translation", [0, 1], [[0, 1, 0], [np.nan, 1, 0]])
        self.check(made.glb(), "not numbers")
        made = character()
        made.animate(1, "translation", [1, 0], [[0, 1, 0], [0, 1, 0]])
        self.check(made.glb(), "run backwards")
        made = character()
        made.animate(1, "translation", [0, 1e9], [[0, 1, 0], [0, 1, 0]])
        self.check(made.glb(), "claims")

    def test_a_mesh_without_bones(self):
        made = character()
        del made.tree["skins"], made.tree["nodes"][4]["skin"]
        self.check(made.glb(), "no bones")

    def test_files_of_their_own_are_named(self):
        made = character()
        tree = made.tree | {"buffers": [{"byteLength": 4, "uri": "../../bell.bin"}]}
        self.check(json.dumps(tree).encode(), "lies in a file of its own")
