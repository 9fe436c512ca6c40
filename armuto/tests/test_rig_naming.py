"""What bones are called in the files of meshes that were given some."""

import json
import unittest
from dataclasses import replace

import numpy as np

from armuto import formats
from armuto.errors import BadInput
from armuto.pairing import patterns
from armuto.rigging import definition as core
from armuto.rigging import naming
from armuto.rigging.definition import proposed_definition
from armuto.rigging.fingers import with_fingers
from armuto.rigging.naming import BoneNaming
from armuto.rigging.pipeline import rig
from armuto.rigging.skeleton import skeleton_from
from armuto.rigging.skeleton_draft import SkeletonOptions
from armuto.tests.sculptures import bare_mesh, coarse_mesh, proposed


class Naming(unittest.TestCase):
    def test_every_pattern_that_ships_names_bones_of_its_kind_and_recognises_them(self) -> None:
        figures = {"two-legged": "porter", "four-legged": "fox", "winged": "heron"}
        for pattern in patterns.shipped():
            with self.subTest(pattern.name):
                landmarks = proposed(figures[pattern.plan])
                if pattern.plan == "two-legged":
                    mesh = bare_mesh("porter")
                    landmarks = with_fingers(landmarks, mesh.points, mesh.faces, 5)
                self.assertEqual(landmarks.plan, pattern.plan)
                skeleton = skeleton_from(landmarks, SkeletonOptions(spine=3, neck=2, tail=3))
                names = BoneNaming(pattern.name, pattern.parts).names_of(skeleton.names)
                self.assertEqual(tuple(names), skeleton.names)
                self.assertEqual(len({name.casefold() for name in names.values()}), len(names))
                given = {name for row in pattern.parts.values() for name in row}
                self.assertIn(names["left lower leg"], given) if pattern.plan != "four-legged" else self.assertIn(
                    names["left hind lower leg"], given
                )
                called = replace(skeleton, names=tuple(names.values()))
                (best, *_) = patterns.recognise(called, patterns.shipped())
                self.assertEqual(best.pattern.name, pattern.name)
                # What the pattern reads as a part is the bone that was made for it.
                for part, bones in best.parts.items():
                    self.assertEqual({naming.part_of(skeleton.names[bone.joint]) for bone in bones}, {part})

    def test_numbers_go_on_and_names_that_are_none_are_spread(self) -> None:
        def called(bones: list[str], **parts: tuple[str, ...]) -> list[str]:
            own = {part.replace("_", " "): names for part, names in parts.items()}
            return list(BoneNaming("ours", own).names_of(bones).values())

        spine = ["spine 1", "spine 2", "spine 3"]
        self.assertEqual(called(spine, spine=("Back08",)), ["Back08", "Back09", "Back10"])
        self.assertEqual(called(spine, spine=("back_2_jnt",)), ["back_2_jnt", "back_3_jnt", "back_4_jnt"])
        self.assertEqual(called(spine, spine=("back",)), ["back", "back2", "back3"])
        self.assertEqual(called(spine, spine=("s1", "s2", "s3", "s4")), ["s1", "s2", "s3"])
        self.assertEqual(called(spine, spine=("low", "b", "c", "d", "high")), ["low", "c", "high"])
        fingers = ["left thumb 1", "left thumb 3", "left index 1"]
        self.assertEqual(
            called(fingers, left_thumb_metacarpal=("T0",), left_thumb_distal=("T2",)), ["T0", "T2", fingers[2]]
        )
        # Ours gives way where a given name is like it.
        self.assertEqual(called(["hips", "chest"], hips=("Chest",)), ["Chest", "chest 2"])

    def test_the_file_has_them_and_moves_as_it_did(self) -> None:
        mesh, landmarks = coarse_mesh("porter"), proposed("porter")
        pattern = next(row for row in patterns.shipped() if row.name == "Humanoid avatar")
        plain = proposed_definition(landmarks)
        named = replace(plain, naming=BoneNaming(pattern.name, pattern.parts), follows={1: "head"})
        again = core.from_json(json.loads(json.dumps(core.to_json(named))), "x")
        self.assertEqual((core.to_json(again), again.naming), (core.to_json(named), named.naming))
        self.assertNotEqual(named.digest, plain.digest)
        first, second = rig(mesh, replace(plain, follows={1: "head"})), rig(mesh, named)
        np.testing.assert_array_equal(first.weights, second.weights)
        self.assertEqual(first.skeleton.names, second.skeleton.names)
        document = formats.read(second.glb(), "porter.glb")
        self.assertEqual(set(document.skeleton.names), set(second.names.values()))
        self.assertIn(pattern.parts["left upper leg"][0], document.skeleton.names)
        self.assertEqual(
            {part for part, bones in document.parts.items() if bones},
            {part for part, bones in formats.read(first.glb(), "porter.glb").parts.items() if bones},
        )

    def test_what_is_no_naming_is_a_sentence(self) -> None:
        data = core.to_json(proposed_definition(proposed("porter")))
        for wrong in (
            [],
            {"pattern": "a"},
            {"pattern": 3, "parts": {}},
            {"pattern": "a", "parts": {"hips": []}},
            {"pattern": "a", "parts": {"hips": ["x" * 500]}},
            {"pattern": "a", "parts": {"hips": [" "]}},
            {"pattern": "a", "parts": {"hips": "Hips"}},
        ):
            with self.subTest(str(wrong)[:40]), self.assertRaisesRegex(BadInput, "^x: “naming”"):
                core.from_json(data | {"naming": wrong}, "x")
