"""The front end's own tests, run with everybody else's."""

import subprocess
import unittest
from pathlib import Path

WEB = Path(__file__).parents[2] / "web"


class FrontEnd(unittest.TestCase):
    def test_what_vitest_finds_in_the_front_end(self):
        run = [WEB / "node_modules/.bin/vitest", "run", "--no-color"]
        done = subprocess.run(run, cwd=WEB, capture_output=True, text=True, timeout=300)
        self.assertEqual(done.returncode, 0, f"\n{done.stdout}\n{done.stderr}")
        self.assertRegex(done.stdout, r"Tests +\d+ passed")
