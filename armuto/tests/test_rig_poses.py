"""A figure whose joints stand elsewhere than where its mesh was bound: which of the two it is given bones in."""

import json
import unittest
from functools import cache

import numpy as np

from armuto.formats import gltf
from armuto.formats.gltf import accessors
from armuto.formats.gltf.container import editable, to_glb
from armuto.kinematics import rotation
from armuto.rigging.preparing import bare_glb, prepare, standing_glb
from armuto.rigging.reading import read_mesh
from armuto.tests.files import PORTER


@cache
def lowered() -> bytes:
    """The porter with an arm that its file has stand lower by 35° than it was bound."""
    held = gltf.parse(PORTER.read_bytes(), "porter.glb")
    tree = editable(held.json)
    arm = next(node for node in tree["nodes"] if node["name"] == "humerus.L")
    turn = rotation.from_vector(np.radians([0.0, 0.0, 35.0]))
    arm["rotation"] = rotation.multiply(np.array(arm.get("rotation", [0, 0, 0, 1.0])), turn).tolist()
    return to_glb(json.loads(json.dumps(tree)), held.buffers[0])


class Poses(unittest.TestCase):
    def test_the_mesh_stands_as_the_joints_do(self) -> None:
        held = gltf.parse(lowered(), "porter.glb")
        bound, standing = (read_mesh(bare_glb(lowered(), "porter.glb", pose), "porter.glb") for pose in (False, True))
        np.testing.assert_allclose(
            bound.points, read_mesh(bare_glb(PORTER.read_bytes(), "a.glb"), "a.glb").points, atol=1e-5
        )
        far = np.linalg.norm(standing.points - bound.points, axis=1)
        self.assertTrue(far.max() > 0.2 and np.median(far) < 1e-5, (far.max(), np.median(far)))
        # As the reader of figures has its corners, which skins by itself.
        bounds = gltf.rig(held).bounds
        assert bounds is not None
        seen = read_mesh(standing.glb, "porter.glb", None, 1.0, "+Y").points
        np.testing.assert_allclose(np.stack([seen.min(axis=0), seen.max(axis=0)]), bounds, atol=1e-5)

    def test_normals_turn_along_and_all_else_is_as_it_was(self) -> None:
        bound, standing = (gltf.parse(bare_glb(lowered(), "a.glb", pose), "a.glb") for pose in (False, True))
        self.assertEqual(standing.rows("skins"), [])
        self.assertEqual(bound.rows("materials"), standing.rows("materials"))
        turned = 0
        for a, b in zip(bound.rows("meshes"), standing.rows("meshes"), strict=True):
            for left, stood in zip(a["primitives"], b["primitives"], strict=True):
                before, after = (
                    accessors.read(held, row["attributes"]["NORMAL"])
                    for held, row in ((bound, left), (standing, stood))
                )
                np.testing.assert_allclose(np.linalg.norm(after, axis=1), 1, atol=1e-5)
                turned += int((np.linalg.norm(after - before, axis=1) > 0.1).sum())
                np.testing.assert_array_equal(
                    accessors.read(bound, left["indices"]), accessors.read(standing, stood["indices"])
                )
                self.assertNotIn("JOINTS_0", stood["attributes"])
        self.assertGreater(turned, 100)

    def test_there_is_another_pose_only_where_it_is_seen(self) -> None:
        self.assertIsNone(standing_glb(PORTER.read_bytes(), "porter.glb"))
        made = standing_glb(lowered(), "porter.glb")
        assert made is not None
        self.assertIsNone(standing_glb(made, "porter.glb"), "it has no bones any more")

    def test_weights_that_are_damaged_leave_it_as_it_was_bound(self) -> None:
        held = gltf.parse(lowered(), "porter.glb")
        tree = json.loads(json.dumps(held.json))
        primitive = tree["meshes"][0]["primitives"][0]
        primitive["attributes"]["WEIGHTS_0"] = primitive["attributes"]["NORMAL"]
        self.assertIsNone(standing_glb(to_glb(tree, held.buffers[0]), "porter.glb"))

    def test_landmarks_are_found_though_one_arm_is_held_otherwise(self) -> None:
        """Its sides are no longer alike: which way it faces is seen by its legs."""
        made = standing_glb(lowered(), "porter.glb")
        assert made is not None
        found = prepare(made, "porter.glb").definition.landmarks
        skeleton = gltf.rig(gltf.parse(lowered(), "porter.glb")).skeleton
        self.assertGreater(found.ahead[2], 0.999)
        for landmark, joint in (("elbow", "ulna"), ("wrist", "wrist"), ("knee", "tibia"), ("shoulder", "humerus")):
            for side in ("left", "right"):
                there = skeleton.rest.positions[skeleton.index[f"{joint}.{side[0].upper()}"]]
                with self.subTest(landmark, side=side):
                    far = np.linalg.norm(found.at(f"{side} {landmark}") - there)
                    self.assertLess(far, 0.03 * 1.64)
