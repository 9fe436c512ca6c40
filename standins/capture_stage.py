"""A stand-in for a capture stage: it records performances of the museum's night as takes, and writes them into a
folder, as a stage in the next room would.

Each take begins with calibration frames and has what a capture does to motion (:mod:`standins.camera`). Files are
written as slowly as they are recorded, so that whoever watches the folder sees them grow. Start it with
``make capture-stage FOLDER=…``.
"""

from __future__ import annotations

import argparse
import itertools
import os
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from armuto import formats
from armuto.formats import bvh, gltf
from armuto.intake.recording import without_calibration
from armuto.kinematics.clip import Clip
from standins.camera import Faults, capture

FILES = Path(__file__).parent.parent / "demo" / "files"
TAKES = Path(__file__).parent.parent / "demo" / "takes"
#: Performances of one, and of two at once.
ALONE = ("hall/walk.bvh", "hall/sweep.bvh", "hall/wave_the_lantern.bvh", "hall/carry_the_crate.bvh", "hall/bow.bvh")
TOGETHER = ("carry_the_ladder.bvh", "shake_hands.bvh", "wind_the_great_clock.bvh")
CALIBRATION = 12  # frames
#: Of markers on a stage with a floor that leans a little, and of a single camera whose depth drifts.
MARKERS = Faults(noise=(0.3, 0.2), spikes=0.05, gaps=8, lean=1.2)
CAMERA = Faults(noise=(0.9, 0.8), spikes=0.15, gaps=12, lean=3.0, height=5.0, drift=55.0, swim=3.0)


def take(clip: Clip, number: int, faults: Faults = MARKERS) -> Clip:
    """The performance as the stage records it the nth time: no two times alike."""
    caught = capture(clip, faults, seed=number)
    # Before the performance everybody stands with arms out, as the skeleton rests.
    skeleton = caught.skeleton
    rest = np.repeat(skeleton.rest_rotation[None], CALIBRATION, axis=0)
    places = np.repeat(caught.translations[:1], CALIBRATION, axis=0)
    return Clip(
        f"{clip.name} take {number:02}",
        skeleton,
        caught.fps,
        np.concatenate([rest, caught.rotations]),
        caught.moving.copy(),
        np.concatenate([places, caught.translations]),
    )


def takes(faults: Faults = MARKERS, kind: str = "bvh") -> Iterator[tuple[str, bytes]]:
    """File names and contents of one take after another, without end."""
    for number in itertools.count(1):
        if number % 4 == 0:
            name = TOGETHER[number // 4 % len(TOGETHER)]
            yield f"{name.removesuffix('.bvh')}_take_{number:02}.bvh", (TAKES / name).read_bytes()
            continue
        path = FILES / ALONE[number % len(ALONE)]
        document = formats.read(path.read_bytes(), path.name)
        clip = take(without_calibration(document.clips[0]).renamed(path.stem), number, faults)
        data = bvh.serialise(bvh.from_clip(clip)) if kind == "bvh" else gltf.skeleton_only(clip.skeleton, [clip])
        yield f"{path.stem}_take_{number:02}.{kind}", data


def write_slowly(path: Path, data: bytes, seconds: float, pieces: int = 20) -> None:
    """A file that grows while it is recorded."""
    with path.open("wb") as file:
        step = -(-len(data) // pieces)
        for first in range(0, len(data), step):
            file.write(data[first : first + step])
            file.flush()
            os.fsync(file.fileno())
            time.sleep(seconds / pieces)


def main() -> None:
    parser = argparse.ArgumentParser(prog="python -m standins.capture_stage", description=__doc__.split("\n")[0])
    parser.add_argument("folder", type=Path)
    parser.add_argument("--takes", type=int, default=6)
    parser.add_argument("--seconds", type=float, default=4.0, help="how long each take is written")
    parser.add_argument("--camera", action="store_true", help="with a single camera instead of markers")
    parser.add_argument("--format", choices=("bvh", "glb"), default="bvh")
    chosen = parser.parse_args()
    chosen.folder.mkdir(parents=True, exist_ok=True)
    faults = CAMERA if chosen.camera else MARKERS
    for name, data in itertools.islice(takes(faults, chosen.format), chosen.takes):
        print(f"Recording {name} …", flush=True)
        write_slowly(chosen.folder / name, data, chosen.seconds)


if __name__ == "__main__":
    main()
