"""Nothing comes out otherwise than it did, unless a change means it to: see :mod:`armuto.tests.golden_numbers`."""

import json
import unittest

import numpy as np

from armuto.tests import golden_numbers


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
