"""Write the demo data into demo/files and demo/takes: ``python -m demo.make``."""

import json
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from armuto.formats import bvh, gltf
from armuto.intake.detection import UNITS, upright
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from demo import (
    camera,
    chores,
    ensembles,
    fox,
    gallery,
    heron,
    keeper,
    porter,
    ringer,
    roof,
    sculptures,
    striker,
    yard,
)
from demo.figure_file import figure_glb
from demo.hall import recorded

FILES = Path(__file__).parent / "files"
TAKES = Path(__file__).parent / "takes"
SCULPTURES = Path(__file__).parent / "without_bones"  # not loaded: what comes without bones waits for a look


FIGURES = (porter, keeper, ringer, striker, fox, heron)


def main() -> None:
    for name, data in libraries():
        _write(FILES / name, data)
    for name, data in sculptures.files():
        _write(SCULPTURES / name, data)
    for name, data in together():
        _write(TAKES / name, data)
    for figure in FIGURES:
        body = figure.skeleton()
        data = figure_glb(
            figure.NAME,
            body,
            figure.meshes(body),
            figure.MATERIALS,
            getattr(figure, "called", str),
            getattr(figure, "WORKSHOP", None),
        )
        _write(FILES / f"{figure.NAME}.glb", data)


def libraries() -> Iterator[tuple[str, bytes]]:
    """File name and content of all clips: hall and yard in BVH, gallery and camera in .glb one by one, roof in one
    .glb."""
    for clip in chores.clips():
        yield f"hall/{_called(clip)}.bvh", bvh.serialise(_short(bvh.from_clip(recorded(clip))))
    for clip in yard.clips():
        yield f"yard/{_called(clip)}.bvh", bvh.serialise(_short(bvh.from_clip(_in_inches(clip))))
    for clip in gallery.clips():
        yield f"gallery/{_called(clip)}.glb", gltf.skeleton_only(clip.skeleton, [clip])
    for clip in camera.clips():
        yield f"camera/{_called(clip)}.glb", gltf.skeleton_only(clip.skeleton, [clip])
    birds = roof.clips()
    yield "roof/birds.glb", gltf.skeleton_only(birds[0].skeleton, birds)


def together() -> Iterator[tuple[str, bytes]]:
    """File name and content of what several perform together: takes, and what the ensembles are."""
    for take in ensembles.takes():
        yield f"{take.name.replace(' ', '_')}.bvh", ensembles.take_file(take)
    beside = ensembles.steady_the_load()
    yield f"{_called(beside)}.bvh", bvh.serialise(_short(bvh.from_clip(recorded(beside))))
    for ensemble in ensembles.ensembles():
        text = json.dumps(ensembles.file_of(ensemble), indent=1)
        yield f"{ensemble.name.replace(' ', '_')}.json", f"{text}\n".encode()


def _in_inches(clip: Clip) -> Clip:
    """The clip as a system writes it that works in inches with Z up. BVH is written in hundredths of what it is
    given."""
    size, back = 1 / UNITS["inch"] / 100, rotation.inverse(upright("+Z"))
    body = clip.skeleton

    def turned(values: FloatArray) -> FloatArray:
        return rotation.rotate(back, values * size)

    offsets = turned(body.rest_translation)
    # Readers disagree whether the root's place adds to its OFFSET; without one they cannot.
    offsets[0] = 0
    tree = replace(body, rest_translation=offsets, end_offsets=turned(body.end_offsets))
    rotations = rotation.multiply(rotation.multiply(back, clip.rotations), rotation.inverse(back))
    return Clip(clip.name, tree, clip.fps, rotations, clip.moving, turned(clip.translations))


def _called(clip: Clip) -> str:
    return clip.name.replace(" ", "_")


def _short(file: bvh.BvhFile) -> bvh.BvhFile:
    """The file with no more digits than a thousandth of a centimetre or degree needs."""
    return bvh.BvhFile(file.joints, round(file.frame_time, 7), file.motion.round(3))


def _write(path: Path, content: bytes) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(content)
    print(f"{path.relative_to(FILES.parent)}: {len(content) / 1024:.0f} kB")


if __name__ == "__main__":
    main()
