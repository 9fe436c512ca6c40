"""A few hundred damaged files: each is read or refused with one sentence."""

import unittest

from armuto.tests.mutations import faults


class Mutations(unittest.TestCase):
    def test_text_and_binary_formats(self):
        counts = {".bvh": 120, ".gl": 160, ".dae": 80, ".zip": 60, ".obj": 60, ".ply": 60, ".stl": 60}
        for kind, count in counts.items():
            self.assertEqual(list(faults(count, 1, kind)), [], kind)

    def test_usd(self):
        self.assertEqual(list(faults(8, 1, ".usd")), [])
