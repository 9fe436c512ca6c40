"""Delivered files before independent readers: the Khronos glTF validator and three.js."""

import json
import subprocess
import tempfile
import unittest
from pathlib import Path

import numpy as np
from django.conf import settings
from pxr import Usd, UsdSkel

from armuto import formats
from armuto.formats import bvh
from armuto.formats.gltf.simplification import simplified
from armuto.intake.detection import ImportOptions
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.rigging.pipeline import rig
from armuto.rigging.reading import read_mesh
from armuto.tests.files import BOW, DEMO, PORTER, WALK
from armuto.tests.sculptures import bare

WEB = Path(settings.BASE) / "web"


def node(script: str, *arguments) -> dict:
    done = subprocess.run(
        ["node", f"tests/{script}", *map(str, arguments)], cwd=WEB, capture_output=True, text=True, timeout=400
    )
    if done.returncode:
        raise AssertionError(done.stderr)
    lines = done.stdout.splitlines()  # three.js may have said something before
    return json.loads(lines[-1] if lines[-1][:1] in "[{" else done.stdout)


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

    def test_display_copies_are_valid_too(self):
        for path in DEMO.glob("*.glb"):
            with self.subTest(path.name):
                copy = self.folder / path.name
                copy.write_bytes(simplified(path.read_bytes(), path.name))
                report = node("validate.mjs", copy)
                self.assertEqual((report["numErrors"], report["numWarnings"]), (0, 0), report["messages"])

    def test_a_mesh_with_new_bones_is_valid_too(self):
        for name in ("keeper", "striker"):
            path = self.folder / f"{name}.glb"
            path.write_bytes(rig(read_mesh(bare(name, 70.0), path.name)).glb())
            report = node("validate.mjs", path)
            self.assertEqual((report["numErrors"], report["numWarnings"]), (0, 0), report["messages"])

    def test_a_skeleton_alone_is_valid_too(self):
        document = formats.read(BOW.read_bytes(), "bow.bvh")
        path = self.folder / "bow.glb"
        path.write_bytes(formats.write(document.clips, document, "glb"))
        report = node("validate.mjs", path)
        self.assertEqual((report["numErrors"], report["numWarnings"]), (0, 0), report["messages"])
        # And it reads back as the same motion.
        again = formats.read(path.read_bytes(), "bow.glb", ImportOptions("m", "+Y"))
        order = [again.skeleton.index[name] for name in document.skeleton.names]
        off = again.clips[0].world().positions[:, order] - document.clips[0].world().positions
        self.assertLess(np.abs(off).max(), 1e-5)

    def test_three_js_and_usd_read_every_demo_file_as_we_do(self):
        """And every one once more as we write it: as .glb, .dae or .usd."""
        jobs: list[tuple[Path, formats.Document, Clip | None]] = []
        for path in sorted(DEMO.rglob("*.*")):
            document = formats.read(path.read_bytes(), path.name)
            kinds = ("glb", "dae", "usd") if document.format == "bvh" else ("dae", "usd")
            for clip in document.clips or (None,):
                jobs.append((path, document, clip))
                kind = kinds[len(jobs) // 2 % len(kinds)]
                out = self.folder / f"{path.stem} {clip.name if clip else 'rest'}.{kind}"
                out.write_bytes(formats.write([clip] if clip else [], document, kind))
                jobs.append((out, document, clip))
        self.assertGreater(len(jobs), 85)
        self.assertEqual({path.suffix for path, _, _ in jobs}, {".bvh", ".glb", ".dae", ".usd"})
        others = [job for job in jobs if job[0].suffix != ".usd"]
        read = iter(node("positions.mjs", *(_job(*job) for job in others)))
        for path, document, clip in jobs:
            there = usd_positions(path, clip) if path.suffix == ".usd" else next(read)
            with self.subTest(path.name, clip=clip.name if clip else None):
                self.same(path, document, clip, there)

    def same(self, path: Path, document: formats.Document, clip: Clip | None, there: list[dict]) -> None:
        skeleton = document.skeleton
        want = clip.world().positions[_frames(clip)] if clip else skeleton.rest.positions[None]
        # three.js does not turn a BVH upright and knows no unit for it.
        if path.suffix == ".bvh":
            frame = skeleton.file_frame
            want = rotation.rotate(rotation.inverse(np.array(frame.turn)), want / frame.unit)
        unit = 1 / skeleton.file_frame.unit if path.suffix == ".bvh" else 1.0
        names = [plain(name) for name in skeleton.names]
        for at, places in zip(want, there, strict=True):
            found = {plain(name): place for name, place in places.items()}
            off = max(np.abs(np.array(found[name]) - at[joint]).max() for joint, name in enumerate(names))
            self.assertLess(off, 1e-4 * unit)


def plain(name: str) -> str:
    """A name without the marks that one reader or another takes out of it."""
    return "".join(c for c in name if c.isalnum())


def _frames(clip: Clip) -> list[int]:
    return [0, clip.frames // 2, clip.frames - 1]


def _job(path: Path, document: formats.Document, clip: Clip | None) -> str:
    if clip is None:
        return f"{path}|30||"
    # By the file's own frame time, whose last digit decides whether the last frame is still within the clip.
    fps = (
        1 / document.original.frame_time
        if isinstance(document.original, bvh.BvhFile) and path.suffix == ".bvh"
        else clip.fps
    )
    several = path.suffix == ".glb" and len(document.clips) > 1 and path.is_relative_to(DEMO)
    return f"{path}|{fps}|{','.join(map(str, _frames(clip)))}|{clip.name if several else ''}"


def usd_positions(path: Path, clip: Clip | None) -> list[dict]:
    """Joint positions as USD's own skinning library computes them."""
    stage = Usd.Stage.Open(str(path))
    cache = UsdSkel.Cache()
    skeleton = UsdSkel.Skeleton(next(prim for prim in stage.Traverse() if prim.IsA(UsdSkel.Skeleton)))
    query = cache.GetSkelQuery(skeleton)
    names = list(skeleton.GetJointNamesAttr().Get())
    out = []
    for frame in _frames(clip) if clip else [Usd.TimeCode.Default()]:
        moved = query.ComputeJointSkelTransforms(frame, clip is None)
        out.append({name: list(m.ExtractTranslation()) for name, m in zip(names, moved, strict=True)})
    return out
