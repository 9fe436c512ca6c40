"""Patterns: made from a skeleton, recognised on others, kept as JSON."""

import json
import unittest
from dataclasses import replace

from armuto import formats
from armuto.errors import BadInput
from armuto.pairing import patterns
from armuto.tests.files import DEMO


def read(name: str) -> formats.Document:
    return formats.read((DEMO / name).read_bytes(), name.split("/")[-1])


class Patterns(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.striker, cls.porter = read("striker.glb"), read("porter.glb")
        cls.numbers = patterns.of_skeleton("numbers", "two-legged", cls.striker.skeleton, cls.striker.parts)

    def test_everything_is_filled_in_at_full_confidence(self):
        renamed = replace(self.striker.skeleton, names=tuple(f"night:{name}" for name in self.striker.skeleton.names))
        found = patterns.read_skeleton(renamed, self.numbers)
        self.assertEqual((found.score, found.parts.keys()), (1.0, self.striker.parts.keys()))
        self.assertTrue(all(bone.confidence == 1.0 for bones in found.parts.values() for bone in bones))

    def test_the_same_numbers_on_another_tree_are_not_recognised(self):
        names = tuple(f"{n + 1:03d}" for n in range(len(self.porter.skeleton)))
        self.assertIsNone(patterns.read_skeleton(replace(self.porter.skeleton, names=names), self.numbers))

    def test_rows_of_bones_are_recognised_in_any_number(self):
        names = [
            n.replace("spine_lower", "spine_1").replace("spine_middle", "spine_2") for n in self.porter.skeleton.names
        ]
        skeleton = replace(self.porter.skeleton, names=tuple(names))
        pattern = patterns.Pattern(
            "rows", "two-legged", {"hips": ("pelvis",), "spine": ("spine_1",), "chest": ("spine_upper",)}
        )
        found = patterns.read_skeleton(skeleton, pattern)
        self.assertEqual([skeleton.names[bone.joint] for bone in found.parts["spine"]], ["spine_1", "spine_2"])

    def test_the_demo_and_the_standards_are_known(self):
        known = patterns.shipped()
        self.assertGreaterEqual(len(known), 8)
        for file, name in (
            ("porter.glb", "Museum porter"),
            ("hall/bow.bvh", "Museum hall"),
            ("yard/trot.bvh", "Museum yard"),
        ):
            best = patterns.recognise(read(file).skeleton, known)[0]
            self.assertEqual((best.pattern.name, best.score), (name, 1.0))
        self.assertEqual(patterns.recognise(self.striker.skeleton, known), [])

    def test_json_goes_round_and_bad_ones_are_refused_in_a_sentence(self):
        text = json.dumps(patterns.to_json(self.numbers))
        self.assertEqual(patterns.from_json(text, "numbers.json"), self.numbers)
        good = patterns.to_json(self.numbers)
        for change, sentence in (
            ("{", "not JSON"),
            ("[" * 100_000, "not JSON"),
            ({"armuto_pattern": 2}, "this version"),
            ({"colour": "red"}, "no field “colour”"),
            ({"name": " "}, "no name"),
            ({"plan": 3}, "damaged at plan"),
            ({"parts": {}}, "at least one part"),
            ({"parts": {"left fin": ["a"]}}, "no part “left fin”"),
            ({"parts": {"head": "skull"}}, "damaged at parts, head"),
            ({"parts": {"head": ["a"], "hips": ["A"]}}, "given to “head” and to “hips”"),
            ({"left_out": "toes"}, "damaged at left_out"),
        ):
            with self.subTest(sentence), self.assertRaisesRegex(BadInput, sentence):
                patterns.from_json(change if isinstance(change, str) else json.dumps(good | change), "p.json")
