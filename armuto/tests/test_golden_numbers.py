"""Nothing comes out otherwise than it did, unless a change means it to: see :mod:`armuto.tests.golden_numbers`."""

import json
import unittest

import numpy as np

from armuto.pipeline import retarget
from armuto.quality.findings import find, rank
from armuto.tests import golden_numbers


class Traces(unittest.TestCase):
    def test_findings_are_the_same_with_what_the_transfer_had_worked_out(self) -> None:
        for name in ("walk", "crate", "fox", "in place", "given", "hard limits", "without hips"):
            case = golden_numbers.CASES[name]
            clip, made = golden_numbers.CLIPS[case.clip](), golden_numbers.fitted(case)
            done = retarget(clip, made)
            self.assertIsNotNone(done.trace)
            anew = find(clip, done.clip, made, done.contacts)
            rows = find(clip, done.clip, made, done.contacts, done.trace)
            self.assertEqual([(row.grade, row.text) for row in rows], [(row.grade, row.text) for row in anew], name)
            self.assertAlmostEqual(rank(rows), rank(anew), 6, name)
        self.assertIsNone(retarget(clip, made, first=2, last=9).trace)


class GoldenNumbers(unittest.TestCase):
    def test_every_case_comes_out_as_it_did(self) -> None:
        golden = json.loads(golden_numbers.FILE.read_text("utf-8"))
        self.assertEqual(list(golden), list(golden_numbers.CASES))
        for case, wanted in golden.items():
            made = json.loads(json.dumps(golden_numbers.numbers(case)))
            np.testing.assert_allclose(made.pop("frames"), wanted.pop("frames"), atol=2e-6, err_msg=case)
            self.assertEqual(made, wanted, case)

    def test_every_choice_makes_a_difference(self) -> None:
        golden = json.loads(golden_numbers.FILE.read_text("utf-8"))
        frames = {case: tuple(map(tuple, row["frames"])) for case, row in golden.items()}
        same = [(a, b) for a in frames for b in frames if a < b and frames[a] == frames[b]]
        self.assertEqual(same, [])
