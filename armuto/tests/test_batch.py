"""A batch from a plan: everything it says, over several processes, gone on with where it was stopped."""

import json
import shutil
import tempfile
import unittest
from pathlib import Path

import numpy as np

from armuto import batch, formats
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.tests.files import BOW, PORTER, WALK, random_bvh
from armuto.tests.test_cli import run


class Batch(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        (self.folder / "hall").mkdir()
        for path in (WALK, BOW):
            shutil.copy(path, self.folder / "hall")
        shutil.copy(PORTER, self.folder / "porter.glb")
        shutil.copy(PORTER, self.folder / "night porter.glb")

    def plan(self, **tree) -> Path:
        path = self.folder / "plan.json"
        usual = {"clips": ["hall/*.bvh"], "characters": ["porter.glb", "night porter.glb"]}
        path.write_text(json.dumps(usual | tree))
        return path

    def manifest(self) -> dict:
        return json.loads((self.folder / "out" / "manifest.json").read_text())

    def test_everything_is_written_and_listed(self):
        rule = {"style": "under_scores", "pieces": [{"field": "original"}, {"word": " "}, {"field": "character"}]}
        done = run("batch", self.plan(wanted={"kind": "bvh", "fps": 60}, rule=rule), "--workers", "2")
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("4 files", done.stdout)
        rows = self.manifest()["results"]
        names = {"walk_porter.bvh", "bow_porter.bvh", "walk_night_porter.bvh", "bow_night_porter.bvh"}
        self.assertEqual({row["file"] for row in rows}, names)
        self.assertEqual({(row["fps"], row["grade"]) for row in rows}, {(60, "good")})
        for row in rows:
            content = (self.folder / "out" / row["file"]).read_bytes()
            self.assertEqual(formats.read(content, row["file"]).clips[0].frames, row["frames"])

    def test_gone_on_with_and_done_anew_only_where_something_changed(self):
        self.assertEqual(run("batch", self.plan()).returncode, 0)
        out = self.folder / "out"
        (out / "porter walk.glb").unlink()
        (self.folder / "hall" / "bow.bvh").write_bytes(random_bvh())
        made = {path.name: path.stat().st_mtime_ns for path in out.glob("*.glb")}
        reported = []
        outcomes = batch.run(
            batch.jobs(self.plan()), 1, lambda job, through: reported.append((job.output.name, job.skipped))
        )
        self.assertEqual({outcome.output.name for outcome in outcomes if outcome.skipped}, {"night porter walk.glb"})
        self.assertEqual(dict(reported)["porter walk.glb"], False)
        now = {path.name: path.stat().st_mtime_ns for path in out.glob("*.glb")}
        self.assertEqual({name for name in made if now[name] == made[name]}, {"night porter walk.glb"})
        self.assertIn("4 of them were there already", run("batch", self.plan()).stdout)

    def test_a_clip_that_fails_stops_nobody(self):
        (self.folder / "hall" / "torn.bvh").write_bytes(WALK.read_bytes()[:5000])
        done = run("batch", self.plan(characters=["porter.glb"]), "--workers", "1")
        self.assertEqual(done.returncode, 2)
        self.assertIn("torn.bvh", done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        made = self.manifest()
        self.assertEqual((len(made["results"]), [row["file"] for row in made["failed"]]), (2, ["porter torn.glb"]))

    def test_fittings_and_one_file_for_each_character(self):
        fitting_path = self.folder / "porter.json"
        run("fit", WALK, PORTER, "-o", fitting_path)
        tree = json.loads(fitting_path.read_text())
        tree["settings"] = {"hold": 0.25}
        fitting_path.write_text(json.dumps(tree))
        fittings = [{"character": "porter.glb", "clips": "walk.bvh", "file": "porter.json"}]
        run("batch", self.plan(fittings=fittings, wanted={"together": True}), "--workers", "1")
        rows = {(row["file"], row["clip_name"]): row for row in self.manifest()["results"]}
        self.assertEqual({file for file, _ in rows}, {"porter.glb", "night porter.glb"})
        self.assertEqual(rows["porter.glb", "walk"]["settings"], {"hold": 0.25})
        self.assertEqual(rows["porter.glb", "bow"]["settings"], {})
        document = formats.read((self.folder / "out" / "porter.glb").read_bytes(), "porter.glb")
        self.assertEqual(sorted(clip.name for clip in document.clips), ["bow", "walk"])

    def test_recipes_by_pattern(self):
        (self.folder / "slow.json").write_text('{"steps": [{"kind": "pace", "percent": 50}]}')
        (self.folder / "back.json").write_text('{"steps": [{"kind": "backwards"}]}')
        recipes = [{"file": "back.json"}, {"file": "slow.json", "clips": "walk.bvh"}]
        plan = {"characters": ["porter.glb"], "recipes": recipes}
        run("batch", self.plan(**plan), "--workers", "1")
        rows = {row["clip_name"]: row for row in self.manifest()["results"]}
        self.assertEqual((rows["walk"]["frames"], rows["walk"]["recipe"]), (301, "slow.json"))
        self.assertEqual((rows["bow"]["frames"], rows["bow"]["recipe"]), (129, "back.json"))
        # Another recipe is another file; the rest is left.
        (self.folder / "slow.json").write_text('{"steps": [{"kind": "pace", "percent": 200}]}')
        self.assertIn("1 of them were there already", run("batch", self.plan(**plan), "--workers", "1").stdout)
        self.assertEqual({row["frames"] for row in self.manifest()["results"]}, {76, 129})

    def test_touch_ups_by_pattern_in_seconds_of_the_take(self):
        turn = {"channel": "rotation", "part": "left upper arm", "keys": [{"time": 1.0, "value": [0, 0, 25]}]}
        (self.folder / "arm.json").write_text(json.dumps({"layers": [{"name": "Arm", "touchups": [turn]}]}))
        (self.folder / "slow.json").write_text('{"steps": [{"kind": "pace", "percent": 50}]}')
        plan = {"characters": ["porter.glb"], "recipes": [{"file": "slow.json"}]}
        run("batch", self.plan(**plan), "--workers", "1")
        before = formats.read((self.folder / "out" / "porter walk.glb").read_bytes(), "porter walk.glb")
        plan["touchups"] = [{"file": "arm.json", "clips": "walk.bvh"}]
        self.assertIn("1 of them were there already", run("batch", self.plan(**plan), "--workers", "1").stdout)
        rows = {row["clip_name"]: row for row in self.manifest()["results"]}
        self.assertEqual((rows["walk"]["touchups"], rows["bow"]["touchups"]), ("arm.json", None))
        after = formats.read((self.folder / "out" / "porter walk.glb").read_bytes(), "porter walk.glb")
        a, b = (document.clips[0].world().rotations for document in (before, after))
        turned = np.degrees(rotation.angle_apart(a, b)).max(axis=1)
        # A second of the take is two of the clip at half the pace.
        self.assertEqual(int(turned.argmax()), 60)
        self.assertAlmostEqual(turned[60], 25.0, places=2)

    def test_plans_that_cannot_be_meant(self):
        (self.folder / "wobble.json").write_text('{"steps": [{"kind": "wobble"}]}')
        for tree, words in (
            ({"clips": []}, "damaged at clips"),
            ({"clips": ["attic/*.bvh"]}, "no file is called"),
            ({"wanted": {"kind": "pdf"}}, "kind: “pdf” is not one of"),
            ({"rule": {"pieces": [{"field": "colour"}]}}, "a naming rule has words and the fields"),
            ({"speed": 1}, "there is no field “speed”"),
            ({"fittings": [{"file": "x.json"}]}, "“fittings, 0, character” is missing"),
            ({"fittings": [{"character": "porter.glb", "file": "x.json"}]}, "there is no fitting"),
            ({"recipes": [{"file": "x.json"}]}, "there is no recipe “x.json”"),
            ({"recipes": [{"file": "wobble.json"}]}, "wobble.json: step 1: “wobble” is not one of"),
        ):
            with self.subTest(tree), self.assertRaises(BadInput) as caught:
                batch.jobs(self.plan(**tree))
            self.assertIn(words, str(caught.exception))
        (self.folder / "plan.json").write_text("{")
        done = run("batch", self.folder / "plan.json")
        self.assertEqual((done.returncode, done.stdout), (2, ""))
        self.assertIn("it is not JSON", done.stderr)
