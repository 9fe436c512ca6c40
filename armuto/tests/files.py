"""Files for tests, good and bad."""

from pathlib import Path

import numpy as np

from armuto import formats
from armuto.formats import bvh
from armuto.intake import recording
from armuto.kinematics.clip import Clip
from armuto.tests import figures
from armuto.tests.test_gltf import character

DEMO = Path(__file__).resolve().parents[2] / "demo" / "files"
WALK = DEMO / "hall" / "walk.bvh"
BOW = DEMO / "hall" / "bow.bvh"
PORTER = DEMO / "porter.glb"


def clip_of(path: Path) -> Clip:
    """The first clip of a demo file, without its calibration frames."""
    return recording.without_calibration(formats.read(path.read_bytes(), path.name).clips[0])


def random_bvh(frames: int = 30, seed: int = 0) -> bytes:
    """Random motion of the test body, in centimetres."""
    return bvh.serialise(bvh.from_clip(figures.motion(figures.body(), np.random.default_rng(seed), frames)))


def boneless_glb() -> bytes:
    made = character()
    del made.tree["skins"], made.tree["nodes"][4]["skin"]
    return made.glb()


def bad_files() -> dict[str, tuple[bytes, str]]:
    """File name to content and a part of the sentence that must come."""
    walk, porter = WALK.read_bytes(), PORTER.read_bytes()
    lies = bytearray(porter)
    lies[8:12] = (len(porter) * 3).to_bytes(4, "little")
    chunk = bytearray(porter)
    chunk[12:16] = (2**31).to_bytes(4, "little")
    return {
        "empty.bvh": (b"", "empty"),
        "empty.glb": (b"", "empty"),
        "text.glb": (b"The night shift begins at eight.", "not a glTF file"),
        "cut.bvh": (walk[: len(walk) // 2], "cut short"),
        "half_tree.bvh": (walk[:700], "cut"),
        "nan.bvh": (walk.replace(b" 0 ", b" NaN ", 3).replace(walk[-40:], b" nan " * 3), "not a usable number"),
        "lies.glb": (bytes(lies), "promises"),
        "chunk.glb": (bytes(chunk), "promises"),
        "boneless.glb": (boneless_glb(), "no bones"),
        "scene.blob": (b"\x00\x01\x02 nothing known", "export it as BVH"),
    }
