"""``armuto splice``: what it prints, what it writes, and what it refuses."""

import json
import tempfile
import unittest
from pathlib import Path

import numpy as np

from armuto import formats
from armuto.tests.files import BOW, DEMO, PORTER, WALK
from armuto.tests.test_cli import run

WIND = DEMO / "hall" / "wind_the_key.bvh"
GREET = DEMO / "gallery" / "greet.glb"


class SpliceCommand(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.out = self.folder / "made.bvh"

    def splice(self, *arguments, code: int = 0):
        done = run("splice", *arguments)
        self.assertEqual(done.returncode, code, done.stderr)
        return done

    def test_clips_are_joined_where_they_meet_or_where_it_is_said(self) -> None:
        done = self.splice(WALK, BOW, WIND, "--at", "135,20", "--overlap", 14, "--json", "-o", self.out)
        answer = json.loads(done.stdout)
        first, second = answer["joins"]
        self.assertEqual((first["candidate"]["out"], first["candidate"]["into"]), (135, 20))
        self.assertEqual(first["last"] - first["first"] + 1, 14)
        self.assertLess(second["candidate"]["cost"], 30)
        made = formats.read(self.out.read_bytes(), "made.bvh")
        self.assertEqual((made.clips[0].frames, answer["frames"]), (answer["frames"], made.clips[0].frames))
        self.assertIn("frames", self.splice(WALK, BOW, "-o", self.folder / "made.glb").stdout)

    def test_candidates_are_printed_and_nothing_is_written(self) -> None:
        text = self.splice(WALK, BOW, WIND, "--candidates").stdout
        self.assertEqual(
            [line for line in text.splitlines() if line.endswith(":")], ["walk into bow:", "bow into wind_the_key:"]
        )
        self.assertIn("left foot and right foot rest in both", text)
        rows = json.loads(self.splice(WALK, BOW, "--candidates", "--json").stdout)
        costs = [row["cost"] for row in rows[0]["candidates"]]
        self.assertEqual(costs, sorted(costs))
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_a_file_of_spans_and_joins(self) -> None:
        told = {
            "name": "round",
            "spans": [{"clip": "walk", "end": 3.0}, {"clip": "bow", "start": 0.5}, {"clip": "walk", "start": 1.0}],
            "joins": [{"overlap": 0.4}, {"turn": 45, "pivot": "hips"}],
        }
        file = self.folder / "round.json"
        file.write_text(json.dumps(told))
        answer = json.loads(self.splice(WALK, BOW, "--splice", file, "--json", "-o", self.out).stdout)
        self.assertEqual(answer["splice"], told | {"joins": [{"overlap": 0.4}, {"pivot": "hips", "turn": 45.0}]})
        self.assertEqual(formats.read(self.out.read_bytes(), "made.bvh").clips[0].frames, answer["frames"])

    def test_a_character_performs_clips_of_any_skeletons(self) -> None:
        out = self.folder / "made.glb"
        self.splice(WALK, GREET, "--character", PORTER, "-o", out)
        made, porter = formats.read(out.read_bytes(), "made.glb"), formats.read(PORTER.read_bytes(), "porter.glb")
        self.assertEqual(made.skeleton.names, porter.skeleton.names)
        self.assertGreater(made.clips[0].frames, 150)
        self.assertLess(np.abs(made.clips[0].world().positions[:, :, 1].min(axis=1)).max(), 0.1)

    def test_what_cannot_be_spliced_is_said_and_leaves_no_file(self) -> None:
        other = self.folder / "other.json"
        other.write_text(json.dumps({"spans": [{"clip": "walk"}, {"clip": "hop"}]}))
        for arguments, sentence in (
            ((WALK, BOW), "Name the file that is to be written with -o"),
            ((WALK, "-o", self.out), "at least two clips"),
            ((WALK, BOW, "--at", "135,20", "--at", "1,1", "-o", self.out), "more than there are joins"),
            ((WALK, BOW, "--at", "135,2000", "-o", self.out), "frame 2000 is not within bow"),
            ((WALK, BOW, "--at", "135", "-o", self.out), "two frames with a comma"),
            ((WALK, BOW, "--pivot", "nose", "-o", self.out), "“nose” is no part of this body"),
            ((WALK, BOW, "--overlap", 900, "-o", self.out), "overlap: 30 is not from 0 to 5"),
            ((WALK, GREET, "-o", self.out), "was not recorded on the skeleton of the first"),
            ((WALK, BOW, "--splice", other, "-o", self.out), "“hop” is not there"),
            ((WALK, BOW, "--splice", WALK, "-o", self.out), "walk.bvh: it is no JSON"),
            ((WALK, PORTER, "-o", self.out), "there is no motion in it to splice"),
        ):
            done = self.splice(*arguments, code=2)
            self.assertIn(sentence, done.stderr)
            self.assertNotIn("Traceback", done.stderr)
        self.assertFalse(self.out.exists())


if __name__ == "__main__":
    unittest.main()
