"""The shell command, run as a shell runs it."""

import contextlib
import io
import json
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path

import numpy as np

from armuto import formats
from armuto.cli.main import main
from armuto.intake.detection import ImportOptions
from armuto.kinematics import rotation
from armuto.tests.files import BOW, DEMO, PORTER, WALK, bad_files

COMMAND = Path(sys.executable).parent / "armuto"


def run(*arguments) -> subprocess.CompletedProcess:
    """The command in this process, which need not be started for every test."""
    output, errors = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(output), contextlib.redirect_stderr(errors):
        try:
            code = main([*map(str, arguments)])
        except SystemExit as end:
            code = end.code
    return subprocess.CompletedProcess(arguments, code, output.getvalue(), errors.getvalue())


class Commands(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_it_works_without_django(self):
        code = (
            "import sys, armuto.cli.main; "
            "sys.exit(any(m.split('.')[0] in ('django', 'ninja', 'studio') for m in sys.modules))"
        )
        self.assertEqual(subprocess.run([sys.executable, "-c", code], timeout=60).returncode, 0)

    def test_help_and_version_wait_for_no_library(self):
        code = (
            "import sys, armuto.cli.main; sys.exit(any(m in sys.modules for m in ('numba', 'numpy', 'scipy', 'pxr')))"
        )
        self.assertEqual(subprocess.run([sys.executable, "-c", code], timeout=60).returncode, 0)
        self.assertEqual(run("--version").returncode, 0)

    def test_a_transfer_does_not_wait_for_what_it_does_not_use(self):
        code = (
            f"import sys; from armuto.cli.main import main; main(['transfer', {str(WALK)!r}, "
            f"'--character', {str(PORTER)!r}, "
            f"'--out', {str(self.folder)!r}]); "
            "sys.exit(any(m in sys.modules for m in ('scipy.signal', 'scipy.optimize', 'pxr')))"
        )
        self.assertEqual(subprocess.run([sys.executable, "-c", code], capture_output=True, timeout=120).returncode, 0)

    def test_what_is_read_wrongly_can_be_said(self):
        tree = json.loads(run("inspect", WALK, "--json", "--up", "+Z", "--unit", "inch", "--facing", "30").stdout)
        self.assertEqual((tree["up"], tree["unit"], tree["facing"]), ("+Z", 0.0254, 30.0))
        done = run(
            "fit", WALK, PORTER, "-o", self.folder / "fit.json", "--json", "--facing", "10", "--character-facing", "-20"
        )
        self.assertEqual(json.loads(done.stdout)["facing"], {"source": 10.0, "target": -20.0})
        moved = run("transfer", WALK, "--character", PORTER, "--out", self.folder, "--up", "+Z", "--json")
        self.assertNotEqual(json.loads(moved.stdout)[0]["grade"], "good")
        tree = json.loads(run("inspect", WALK, "--json", "--height", "3.4").stdout)
        self.assertAlmostEqual(tree["unit"], 0.02, delta=0.0005)
        self.assertEqual(run("inspect", WALK, "--height", "3.4", "--unit", "cm").returncode, 2)
        self.assertEqual(run("inspect", WALK, "--height", "-1").returncode, 2)
        self.assertEqual(run("inspect", WALK, "--up", "upwards").returncode, 2)
        self.assertEqual(run("inspect", WALK, "--facing", "north").returncode, 2)

    def test_it_is_there_as_a_command(self):
        done = subprocess.run([COMMAND, "inspect", WALK], capture_output=True, text=True, timeout=120)
        self.assertEqual((done.returncode, done.stderr), (0, ""))
        self.assertIn("clip “walk”: 151 frames", done.stdout)
        refused = subprocess.run([COMMAND, "inspect", "nothing.bvh"], capture_output=True, text=True, timeout=120)
        self.assertEqual((refused.returncode, refused.stdout), (2, ""))
        self.assertNotIn("Traceback", refused.stderr)

    def test_inspect(self):
        done = run("inspect", WALK, "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        tree = json.loads(done.stdout)
        self.assertEqual((tree["format"], tree["unit"], tree["up"], round(tree["facing"], 3)), ("bvh", 0.01, "+Y", 0.0))
        self.assertAlmostEqual(tree["height"], 1.70, delta=0.01)
        (clip,) = tree["clips"]
        self.assertEqual((clip["name"], clip["frames"], clip["fps"]), ("walk", 151, 30.0))
        self.assertEqual([row["step"]["kind"] for row in clip["proposals"]], ["loop"])
        self.assertEqual(tree["plan"], "two-legged")
        self.assertTrue(any("look like calibration" in note for note in tree["notes"]))
        self.assertEqual(tree["bones"][0], {"name": "Hips", "parent": None, "part": "hips"})
        self.assertTrue(all(bone["part"] for bone in tree["bones"]))
        tree = json.loads(run("inspect", PORTER, "--json").stdout)
        self.assertEqual((tree["format"], tree["unit"], tree["skinned"], tree["clips"]), ("glb", 1.0, True, []))
        self.assertEqual(len({bone["part"] for bone in tree["bones"]}), 37)
        plain = run("inspect", PORTER)
        self.assertIn("humerus.L", plain.stdout)

    def test_fit_and_transfer_with_it(self):
        file = self.folder / "fit.json"
        done = run("fit", WALK, PORTER, "-o", file, "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        tree = json.loads(done.stdout)
        self.assertEqual(tree["missing"], [])
        parts = {pair["part"]: pair for pair in tree["pairs"]}
        self.assertEqual(parts["spine"]["target"], ["spine_lower", "spine_middle"])
        self.assertEqual(parts["left upper arm"]["source"], ["LeftUpperArm"])
        self.assertTrue(all(pair["reasons"] and 0 < pair["confidence"] <= 1 for pair in tree["pairs"]))
        arms = [row for row in tree["stances"]["parts"] if row["part"].endswith(("arm", "leg"))]
        self.assertLess(max(row["left"] for row in arms), 1.0)

        with_it = run("transfer", WALK, BOW, "--character", PORTER, "--fit", file, "--out", self.folder / "a", "--json")
        without = run("transfer", WALK, BOW, "--character", PORTER, "--out", self.folder / "b", "--json")
        self.assertEqual((with_it.returncode, without.returncode), (0, 0), with_it.stderr + without.stderr)
        rows = json.loads(with_it.stdout)
        self.assertEqual([row["clip"] for row in rows], ["walk", "bow"])
        self.assertEqual((rows[0]["frames"], rows[0]["fps"]), (151, 30.0))
        self.assertEqual(set(rows[0]), {"input", "clip", "output", "frames", "fps", "touchups", "grade", "findings"})
        for name in ("walk.glb", "bow.glb"):
            a, b = (formats.read((self.folder / folder / name).read_bytes(), name).clips[0] for folder in "ab")
            np.testing.assert_allclose(a.world().positions, b.world().positions, atol=1e-6)

    def test_results_are_baked_on_every_joint_and_frame(self):
        run("transfer", WALK, "--character", PORTER, "--out", self.folder)
        made = formats.read((self.folder / "walk.glb").read_bytes(), "walk.glb")
        self.assertEqual((made.clips[0].name, made.clips[0].frames, made.clips[0].fps), ("walk", 151, 30))
        animation = made.original.json["animations"][0]
        self.assertEqual(len(animation["channels"]), 2 * len(made.skeleton))
        counts = {made.original.json["accessors"][s["output"]]["count"] for s in animation["samplers"]}
        self.assertEqual(counts, {151})
        # The porter walks as far as his legs go for the same steps, and comes to where the source's travel says.
        source = formats.read(WALK.read_bytes(), "walk.bvh").clips[0].world().positions
        hips = made.clips[0].world().positions[:, made.skeleton.index["pelvis"]]
        ways = np.linalg.norm(hips[-1] - hips[2]) / np.linalg.norm(source[-1, 0] - source[2, 0])
        self.assertAlmostEqual(ways, 0.837, delta=0.01)

    def test_bvh_out_has_the_same_positions_as_glb_out(self):
        for kind in ("glb", "bvh"):
            done = run("transfer", BOW, "--character", PORTER, "--out", self.folder, "--format", kind)
            self.assertEqual(done.returncode, 0, done.stderr)
        a = formats.read((self.folder / "bow.glb").read_bytes(), "bow.glb")
        b = formats.read((self.folder / "bow.bvh").read_bytes(), "bow.bvh", ImportOptions("cm", "+Y"))
        order = [b.skeleton.index[name] for name in a.skeleton.names]
        off = a.clips[0].world().positions - b.clips[0].world().positions[:, order]
        self.assertLess(np.abs(off).max(), 1e-4)

    def test_collada_and_usd_out_have_the_same_positions_and_mesh(self):
        a = None
        for kind in ("glb", "dae", "usd"):
            done = run("transfer", BOW, "--character", PORTER, "--out", self.folder, "--format", kind)
            self.assertEqual(done.returncode, 0, done.stderr)
            document = formats.read((self.folder / f"bow.{kind}").read_bytes(), f"bow.{kind}")
            self.assertEqual(
                (document.clips[0].name, document.clips[0].frames, document.clips[0].fps), ("bow", 129, 30)
            )
            a = a or document
            plain = [name.replace(".", "_") for name in document.skeleton.names]
            order = [plain.index(name.replace(".", "_")) for name in a.skeleton.names]
            off = a.clips[0].world().positions - document.clips[0].world().positions[:, order]
            self.assertLess(np.abs(off).max(), 1e-5, kind)
            np.testing.assert_allclose(document.bounds, a.bounds, atol=1e-5)

    def test_a_character_is_answered_in_the_format_it_came_in(self):
        figure = self.folder / "porter.dae"
        self.assertEqual(run("convert", PORTER, figure).returncode, 0)
        done = run("transfer", BOW, "--character", figure, "--out", self.folder / "out", "--json")
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertTrue(json.loads(done.stdout)[0]["output"].endswith("bow.dae"))

    def test_onto_its_own_skeleton_a_clip_comes_back(self):
        done = run("transfer", WALK, "--character", BOW, "--out", self.folder)
        self.assertEqual(done.returncode, 0, done.stderr)
        a = formats.read(WALK.read_bytes(), "walk.bvh").clips[0]
        b = formats.read((self.folder / "walk.bvh").read_bytes(), "walk.bvh").clips[0]
        between = rotation.multiply(rotation.inverse(a.rotations), b.rotations)
        self.assertLess(rotation.angle(between).max(), 1e-6)
        self.assertLess(np.abs(a.translations - b.translations).max(), 1e-6)

    def test_failed_inputs_say_one_sentence_each_and_the_others_are_written(self):
        paths = []
        for name, (content, _) in bad_files().items():
            paths.append(self.folder / name)
            paths[-1].write_bytes(content)
        out = self.folder / "out"
        done = run("transfer", *paths, self.folder / "nothing.bvh", WALK, "--character", PORTER, "--out", out)
        self.assertEqual(done.returncode, 2)
        lines = done.stderr.strip().splitlines()
        self.assertEqual(len(lines), len(paths) + 1, done.stderr)
        for path, line in zip([*paths, self.folder / "nothing.bvh"], lines, strict=True):
            self.assertTrue(line.startswith(str(path)) and line.endswith("."), line)
        self.assertEqual([path.name for path in out.iterdir()], ["walk.glb"])

    def test_each_command_refuses_bad_files(self):
        for name, (content, sentence) in bad_files().items():
            path = self.folder / name
            path.write_bytes(content)
            with self.subTest(name):
                done = run("inspect", path)
                self.assertEqual((done.returncode, done.stdout), (2, ""))
                self.assertIn(sentence, done.stderr)
                self.assertEqual(len(done.stderr.strip().splitlines()), 1, done.stderr)

    def test_a_fitting_for_others_or_damaged_is_refused(self):
        file = self.folder / "fit.json"
        run("fit", WALK, WALK, "-o", file)
        done = run("transfer", WALK, "--character", PORTER, "--fit", file, "--out", self.folder / "out")
        self.assertEqual(done.returncode, 2)
        self.assertIn("made for another target", done.stderr)
        file.write_text("[]")
        done = run("transfer", WALK, "--character", PORTER, "--fit", file, "--out", self.folder / "out")
        self.assertIn("not a fitting", done.stderr)
        self.assertFalse((self.folder / "out").exists())

    def test_travel_limits_and_strength_are_said(self):
        def path(*options):
            done = run("transfer", WALK, "--character", PORTER, "--out", self.folder, "--json", *options)
            self.assertEqual(done.returncode, 0, done.stderr)
            (row,) = json.loads(done.stdout)
            clip = formats.read(Path(row["output"]).read_bytes(), "walk.glb").clips[0]
            return row, clip, clip.world().positions

        _, clip, plain = path()
        hips = clip.skeleton.index["pelvis"]
        _, _, still = path("--travel", "in-place", "--place", "origin")
        self.assertLess(np.ptp(still[:, hips, [0, 2]], axis=0).max(), 1e-4)
        self.assertLess(np.abs(still[0, hips, [0, 2]]).max(), 1e-4)
        row, clip, rooted = path("--travel", "root")
        self.assertEqual((clip.skeleton.names[0], row["grade"]), ("root", "good"))
        np.testing.assert_allclose(rooted[:, 1:], plain, atol=1e-4)
        row, _, loose = path("--hold", "0")
        self.assertGreater(np.abs(loose - plain).max(), 0.005)
        _, _, absolute = path("--stride", "absolute")
        self.assertAlmostEqual(np.ptp(absolute[:, hips, 2]) / np.ptp(plain[:, hips, 2]), 1 / 0.837, delta=0.02)
        _, _, limited = path("--limits", "on")
        self.assertTrue(np.isfinite(limited).all())
        for options in (("--hold", "2"), ("--travel", "fly")):
            self.assertEqual(run("transfer", WALK, "--character", PORTER, "--out", self.folder, *options).returncode, 2)

    def test_check_says_what_is_wrong_against_the_source_and_by_itself(self):
        run("transfer", WALK, "--character", PORTER, "--out", self.folder, "--stride", "absolute", "--hold", "0")
        made = self.folder / "walk.glb"
        done = run("check", made, "--against", WALK)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("wrong", done.stdout.splitlines()[0])
        self.assertIn("slide at", done.stdout)
        fit = self.folder / "fit.json"
        run("fit", WALK, PORTER, "-o", fit)
        tree = json.loads(run("check", made, "--against", WALK, "--fit", fit, "--json").stdout)
        self.assertEqual(tree["grade"], "wrong")
        self.assertTrue(all(row["mend"] and row["text"] for row in tree["findings"]))
        self.assertEqual(json.loads(run("check", WALK, "--json").stdout)["grade"], "good")
        for arguments in ((PORTER,), (made, "--against", DEMO / "hall" / "bow.bvh")):
            failed = run("check", *arguments)
            self.assertEqual(failed.returncode, 2)
            self.assertEqual(len(failed.stderr.strip().splitlines()), 1)

    def test_touch_ups_over_a_transfer_are_there_counted_and_no_fault(self):
        turn = {"channel": "rotation", "part": "left upper arm", "keys": [{"time": 1.0, "value": [0, 0, 25]}]}
        lost = {"channel": "rotation", "part": "tail", "keys": [{"time": 1.0, "value": [0, 0, 25]}]}
        layers = self.folder / "layers.json"
        layers.write_text(json.dumps({"layers": [{"name": "Arm", "touchups": [turn, lost]}]}))
        plain, touched = self.folder / "plain", self.folder / "touched"
        run("transfer", WALK, "--character", PORTER, "--out", plain)
        done = run("transfer", WALK, "--character", PORTER, "--out", touched, "--touchups", layers, "--json")
        (row,) = json.loads(done.stdout)
        self.assertEqual(
            {key: row["touchups"][key] for key in ("layers", "keys", "changed")}, {"layers": 1, "keys": 2, "changed": 0}
        )
        self.assertIn("no tail", row["touchups"]["lost"][0])
        made = [formats.read((out / "walk.glb").read_bytes(), "walk.glb") for out in (plain, touched)]
        a, b = (document.clips[0].world().rotations for document in made)
        turned = np.degrees(rotation.angle_apart(a, b)).max(axis=1)
        self.assertAlmostEqual(turned[30], 25.0, places=2)
        self.assertLess(turned[60:].max(), 1e-3)
        checked = run("check", touched / "walk.glb", "--against", WALK, "--touchups", layers)
        self.assertIn("2 keys in 1 layers of touch-ups, 0 set on other motion", checked.stdout)
        layers.write_text("{")
        refused = run("transfer", WALK, "--character", PORTER, "--out", touched, "--touchups", layers)
        self.assertEqual((refused.returncode, "it is no JSON" in refused.stderr), (2, True))

    def test_two_clips_of_one_name_do_not_overwrite_each_other(self):
        other = self.folder / "other"
        other.mkdir()
        (other / "walk.bvh").write_bytes(BOW.read_bytes())
        run("transfer", WALK, other / "walk.bvh", "--character", PORTER, "--out", self.folder / "out")
        self.assertEqual(sorted(p.name for p in (self.folder / "out").iterdir()), ["walk 2.glb", "walk.glb"])

    def test_convert(self):
        glb, bvh = self.folder / "walk.glb", self.folder / "again.bvh"
        self.assertEqual(run("convert", WALK, glb).returncode, 0)
        done = run("convert", glb, bvh, "--json")
        self.assertEqual(json.loads(done.stdout)["written"], [{"output": str(bvh), "clips": ["walk"]}])
        a = formats.read(WALK.read_bytes(), "walk.bvh")
        b = formats.read(bvh.read_bytes(), "again.bvh", ImportOptions("cm", "+Y"))
        order = [b.skeleton.index[name] for name in a.skeleton.names]
        off = a.clips[0].world().positions - b.clips[0].world().positions[:, order]
        self.assertLess(np.abs(off).max(), 1e-4)
        done = run("convert", WALK, self.folder / "walk.blob")
        self.assertEqual(done.returncode, 2)
        self.assertIn("not written", done.stderr)
        done = run("convert", PORTER, self.folder / "porter.bvh")
        self.assertIn("no motion in it", done.stderr)

    def test_an_archive_is_all_its_files(self):
        path = self.folder / "night.zip"
        with zipfile.ZipFile(path, "w") as archive:
            archive.writestr("a/walk.bvh", WALK.read_bytes())
            archive.writestr("b/bow.bvh", BOW.read_bytes())
            archive.writestr("b/broken.bvh", b"HIERARCHY")
        done = run("transfer", path, "--character", PORTER, "--out", self.folder / "out", "--json")
        self.assertEqual(done.returncode, 2)
        self.assertIn(f"{path}/b/broken.bvh: ", done.stderr)
        rows = json.loads(done.stdout)
        self.assertEqual([row["input"] for row in rows], [f"{path}/a/walk.bvh", f"{path}/b/bow.bvh"])
