"""The JSON form of a fitting: there and back, and what is damaged said with its place."""

import copy
import json
import unittest
from typing import Any

from armuto.body.plans import body_plan, read_plan
from armuto.errors import BadInput
from armuto.kinematics import observed
from armuto.retarget import fitting, fitting_file
from armuto.retarget.fitting import FittingOverrides
from armuto.tests import figures


class FittingFiles(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.body = figures.body()
        cls.other = figures.posed(cls.body, {"LeftArm": (0, 0, -45), "RightArm": (0, 0, 45)})
        cls.table = fitting_file.to_json(fitting.fit(cls.body, cls.other))

    def read(self, table: Any) -> fitting.Fitting:
        return fitting_file.from_json(json.dumps(table), "night.json", self.body, self.other)

    def test_it_says_the_same_after_reading_and_writing_it_again(self):
        self.assertEqual(json.dumps(fitting_file.to_json(self.read(self.table))), json.dumps(self.table))

    def test_what_may_be_missing_is_as_usual(self):
        table = copy.deepcopy(self.table)
        for name in ("left_out", "settings", "limits", "observed", "notes", "plan"):
            table.pop(name)
        for row in table["pairs"]:
            row.pop("confirmed")
            row.pop("moves")
        made = self.read(table)
        self.assertEqual((made.left_out, dict(made.ranges)), ((), {}))
        self.assertTrue(all(pair.moves and not pair.confirmed for pair in made.pairs))

    def test_what_is_damaged_is_said_with_its_place(self):
        damages: list[tuple[tuple[str | int, ...], Any, str]] = [
            (("pairs", 2, "confidence"), "high", "pairs, 2, confidence"),
            (("pairs", 0, "source"), None, "pairs, 0, source"),
            (("facing", "target"), float("nan"), "facing, target"),
            (("stances", "target", "aligned"), "perhaps", "stances, target, aligned"),
            (("stances", "source", "rotations", "Head"), [1, 0, 0], "stances, source, rotations, Head"),
            (("observed", "target"), {"hinges": {"LeftArm": {"axis": [0, 0, 0]}}}, "hinges, LeftArm, axis"),
            (("observed", "source"), {"sole": "low"}, "observed, source, sole"),
            (("said", "size"), "toes", "said, size"),
            (("said", "size"), -2, "no ratio"),
            (("said", "target_floor"), float("inf"), "said, target_floor"),
            (("settings", "hold"), 3, "settings, hold"),
            (
                ("limits",),
                {"left foot": {"bend": [10, 20], "side": [0, 0], "twist": [0, 0]}},
                "limits, left foot, bend",
            ),
            (("plan",), "centaur", "centaur"),
            (("plan",), {"name": "bare"}, "trunk"),
        ]
        for path, wrong, sentence in damages:
            table = copy.deepcopy(self.table)
            inner: Any = table
            for step in path[:-1]:
                inner = inner[step]
            inner[path[-1]] = wrong
            with (
                self.subTest(path),
                self.assertRaisesRegex(BadInput, f"^night.json: the fitting is damaged: .*{sentence}"),
            ):
                self.read(table)

    def test_what_is_missing_is_named(self):
        for name in ("pairs", "facing", "said", "stances"):
            table = {key: value for key, value in self.table.items() if key != name}
            with self.subTest(name), self.assertRaisesRegex(BadInput, f"“{name}” is missing"):
                self.read(table)

    def test_what_is_no_fitting_at_all(self):
        for text, sentence in (("{", "not JSON"), ("[" * 100_000, "not JSON"), ("[]", "version"), ("{}", "version")):
            with self.subTest(text[:9]), self.assertRaisesRegex(BadInput, sentence):
                fitting_file.from_json(text, "night.json", self.body, self.other)

    def test_bones_that_neither_has_are_passed_over_in_stances_and_refused_in_pairs(self):
        table = copy.deepcopy(self.table)
        table["stances"]["target"]["turned"]["Lantern"] = [0, 0, 0, 1]
        table["observed"]["target"]["soles"] = {"Lantern": [[0, 0, 0]]}
        self.assertEqual(self.read(table).target_stance.turned, {})
        table["pairs"][0]["source"] = ["Lantern"]
        with self.assertRaisesRegex(BadInput, "another source, which has a bone “Lantern”"):
            self.read(table)


class Overrides(unittest.TestCase):
    def test_a_size_is_a_measure_or_a_ratio(self):
        self.assertEqual(FittingOverrides(size="arms").size, "arms")
        self.assertEqual(fitting_file.overrides_from_json({"size": "1.5"}).size, 1.5)
        for wrong in ("toes", 0, 1000, None, [1]):
            with self.subTest(wrong), self.assertRaises(ValueError):
                fitting_file.overrides_from_json({"size": wrong})


class Plans(unittest.TestCase):
    def test_a_plan_says_where_it_is_wrong(self):
        good = body_plan("winged").table
        for change, sentence in (
            ({"trunk": "sideways"}, "trunk: “sideways” is not one of upright, level, any"),
            ({"height": {"typical": 0.8, "spread": -1, "leg_share": 0.5}}, "height, spread"),
            ({"parts": [{**row, "share": "much"} for row in good["parts"]]}, "parts, 0, share"),
            ({"reach": {"wing": [1.2]}}, "reach, wing"),
            ({"name": ""}, "name"),
        ):
            with self.subTest(sentence), self.assertRaisesRegex(ValueError, sentence):
                read_plan(good | change)


class Observations(unittest.TestCase):
    def test_a_sole_without_clips_was_seen_in_a_single_one(self):
        self.assertEqual(observed.from_json({"sole": 0.02}, {}).sole_clips, 1)
        self.assertEqual(observed.from_json({}, {}).sole_clips, 0)
