"""Write the demo data into demo/files: ``python -m demo.make``."""

from pathlib import Path

from armuto.formats import bvh
from armuto.intake import upright
from demo import chores, keeper, porter, ringer
from demo.figure_file import figure_glb

FILES = Path(__file__).parent / "files"


def main() -> None:
    (FILES / "hall").mkdir(parents=True, exist_ok=True)
    for clip in chores.clips():
        _write(FILES / "hall" / f"{clip.name.replace(' ', '_')}.bvh", bvh.serialise(_short(bvh.from_clip(clip))))
    for figure, called, workshop in (
        (porter, str, None),
        (keeper, keeper.called, None),
        (ringer, ringer.called, (0.01, upright("+Z"))),
    ):
        body = figure.skeleton()
        data = figure_glb(figure.NAME, body, figure.meshes(body), figure.MATERIALS, called, workshop)
        _write(FILES / f"{figure.NAME}.glb", data)


def _short(file: bvh.BvhFile) -> bvh.BvhFile:
    """The file with no more digits than a ten-thousandth of a centimetre or degree needs."""
    return bvh.BvhFile(file.joints, round(file.frame_time, 7), file.motion.round(5))


def _write(path: Path, content: bytes) -> None:
    path.write_bytes(content)
    print(f"{path.relative_to(FILES.parent)}: {len(content) / 1024:.0f} kB")


if __name__ == "__main__":
    main()
