"""Delivered files before independent readers: the Khronos glTF validator and three.js."""

import json
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np
from django.conf import settings

from armuto import fitting, formats
from armuto.intake import Told
from armuto.tests.files import BOW, DEMO, PORTER, WALK
from armuto.transfer import transfer

WEB = Path(settings.BASE) / "web"


def node(script: str, *arguments) -> dict:
    done = subprocess.run(
        ["node", f"tests/{script}", *map(str, arguments)], cwd=WEB, capture_output=True, text=True, timeout=120
    )
    if done.returncode:
        raise AssertionError(done.stderr)
    return json.loads(done.stdout)


class DeliveredFiles(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def performed(self, *paths: Path) -> tuple[Path, list]:
        character = formats.read(PORTER.read_bytes(), "porter.glb")
        made = []
        for path in paths:
            source = formats.read(path.read_bytes(), path.name)
            made.append(transfer(source.clips[0], fitting.fit(source.skeleton, character.skeleton)))
        out = self.folder / "out.glb"
        out.write_bytes(formats.write(made, character, "glb"))
        return out, made

    def test_the_khronos_validator_finds_no_errors(self):
        for path in (*DEMO.glob("*.glb"), self.performed(WALK)[0], self.performed(WALK, BOW)[0]):
            with self.subTest(path.name):
                report = node("validate.mjs", path)
                self.assertEqual((report["numErrors"], report["numWarnings"]), (0, 0), report["messages"])

    def test_a_skeleton_alone_is_valid_too(self):
        document = formats.read(BOW.read_bytes(), "bow.bvh")
        path = self.folder / "bow.glb"
        path.write_bytes(formats.write(document.clips, document, "glb"))
        report = node("validate.mjs", path)
        self.assertEqual((report["numErrors"], report["numWarnings"]), (0, 0), report["messages"])
        # And it reads back as the same motion.
        again = formats.read(path.read_bytes(), "bow.glb", Told("m", "+Y"))
        order = [again.skeleton.index[name] for name in document.skeleton.names]
        off = again.clips[0].world().positions[:, order] - document.clips[0].world().positions
        self.assertLess(np.abs(off).max(), 1e-5)

    def test_three_js_reads_the_same_joint_positions(self):
        path, (walk,) = self.performed(WALK)
        frames = [0, 40, 148]
        read = node("positions.mjs", path, *frames)
        there = walk.world().positions
        for n, frame in enumerate(frames):
            for joint, name in enumerate(walk.skeleton.names):
                # three.js takes dots out of names, which separate paths for it.
                off = np.abs(np.array(read[n][name.replace(".", "")]) - there[frame, joint]).max()
                self.assertLess(off, 1e-4, f"{name} in frame {frame}")

    def test_three_js_reads_our_clips_as_we_do(self):
        document = formats.read(WALK.read_bytes(), "walk.bvh")
        read = node("positions.mjs", WALK, 0, 75)
        there = document.clips[0].world().positions
        for n, frame in enumerate((0, 75)):
            for joint, name in enumerate(document.skeleton.names):
                self.assertLess(np.abs(np.array(read[n][name]) / 100 - there[frame, joint]).max(), 1e-4, name)
