"""The core from a shell: ``armuto inspect``, ``fit``, ``transfer``, ``check``, ``convert``, ``refine``,
``splice``, ``ensemble``, ``rig``, ``batch``. See docs/cli.md.

How commands are called; :mod:`armuto.cli.commands` has what they do.
"""

from __future__ import annotations

import argparse
import os
import pkgutil
import sys
from collections.abc import Callable, Sequence
from pathlib import Path

from armuto import __version__
from armuto.choices import BODY_PLANS, TALLEST, TRAVELS, UNITS, UP_AXES, WRITTEN
from armuto.errors import BadInput


def main(arguments: Sequence[str] | None = None) -> int:
    """Run one command. Returns the exit code: 0, or 2 after one sentence per failed input on standard error."""
    options = _parser().parse_args(arguments)
    from armuto.cli import files

    # Imported once it is known what for: asking for help or the version need not wait for it.
    run = pkgutil.resolve_name(f"armuto.cli.{options.run}")
    try:
        return int(run(options))
    except BadInput as problem:
        return files.fail(str(problem))
    except BrokenPipeError:
        # The reader of our output has left; there is nobody to tell.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return files.FAILED


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="armuto", description="Library motion, performed by any character.")
    parser.add_argument("--version", action="version", version=f"armuto {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    inspect = commands.add_parser("inspect", help="say what a file holds: bones, parts, clips, size, facing")
    inspect.add_argument("file", type=Path)
    inspect.set_defaults(run="commands:inspect_file")

    fit = commands.add_parser("fit", help="pair two skeletons, align their stance, and keep that as a fitting")
    fit.add_argument("source", type=Path, help="a library clip")
    fit.add_argument("target", type=Path, help="a character")
    fit.add_argument("-o", "--output", type=Path, required=True, help="where the fitting is written")
    fit.set_defaults(run="commands:make_fitting")

    move = commands.add_parser("transfer", help="transfer clips to a character, one file per clip")
    move.add_argument("clips", type=Path, nargs="+", metavar="CLIP")
    move.add_argument("--character", type=Path, required=True)
    move.add_argument("--fit", type=Path, help="a fitting written by “armuto fit”; without it one is made")
    move.add_argument("--touchups", type=Path, metavar="LAYERS.json", help="layers of touch-ups over every result")
    move.add_argument("--out", type=Path, required=True, help="folder for the results")
    move.add_argument("--format", choices=WRITTEN, help="by default that of the character's file")
    move.add_argument(
        "--travel", choices=TRAVELS, help="keep travel over the ground, take it out, or put it on a root bone"
    )
    move.add_argument("--hold", type=_share, metavar="0..1", help="how firmly feet and hands keep their contacts")
    move.add_argument("--limits", choices=("on", "off"), help="whether joints are held back by their limits")
    move.add_argument("--place", choices=("recorded", "origin"), help="where the first frame stands")
    move.add_argument(
        "--stride", choices=("scaled", "absolute"), help="steps in the character's size, or just the source's"
    )
    move.set_defaults(run="commands:transfer_clips")

    check = commands.add_parser("check", help="measure a clip, by itself or against its source, and say what is wrong")
    check.add_argument("file", type=Path, metavar="FILE")
    check.add_argument("--against", type=Path, metavar="SOURCE", help="the clip it was transferred from")
    check.add_argument("--fit", type=Path, help="the fitting it was transferred with; without it one is made")
    check.add_argument("--touchups", type=Path, metavar="LAYERS.json", help="the layers that it was touched up with")
    check.set_defaults(run="commands:check_clip")

    convert = commands.add_parser("convert", help="write what a file holds in another format")
    convert.add_argument("input", type=Path, metavar="IN")
    convert.add_argument(
        "output", type=Path, metavar="OUT", help="its ending names the format: .glb, .bvh, .dae, .usd or .csv"
    )
    convert.set_defaults(run="commands:convert_file")
    refine = commands.add_parser("refine", help="write clips as the steps of a recipe have them")
    refine.add_argument("clips", type=Path, metavar="CLIP", help="a file with one clip or several")
    refine.add_argument("--recipe", type=Path, metavar="R.json", help="steps that were kept in a file")
    refine.add_argument(
        "--step",
        action="append",
        default=[],
        metavar="KIND[:NAME=VALUE,…]",
        help="one step more, such as “mirror” or “pace:percent=80”; those of a recipe come before",
    )
    refine.add_argument("-o", "--output", type=Path, required=True, metavar="OUT", help="its ending names the format")
    refine.set_defaults(run="refining:refine_clips")
    splice = commands.add_parser("splice", help="join clips of one skeleton with transitions")
    splice.add_argument("clips", type=Path, nargs="+", metavar="CLIP", help="in the order in which they are joined")
    splice.add_argument(
        "--character", type=Path, help="who performs them, each through a fitting: clips of any skeletons"
    )
    splice.add_argument("--splice", type=Path, metavar="S.json", help="spans and joins that were kept in a file")
    splice.add_argument(
        "--at",
        type=_frames,
        action="append",
        default=[],
        metavar="F,G",
        help="the frames that meet, of the one clip and the next; once for every join, by default the best",
    )
    splice.add_argument("--overlap", type=int, metavar="N", help="frames in which both are seen, 0 for none")
    splice.add_argument("--pivot", default="auto", metavar="PART", help="what is held still, such as “left foot”")
    splice.add_argument("--blend", choices=("auto", "fade", "carry"), default="auto")
    splice.add_argument("--turn", type=float, default=0.0, metavar="DEGREES", help="by which the way goes on turning")
    splice.add_argument("--repeat", type=int, metavar="N", help="go through every clip so many times")
    splice.add_argument("--name", default="splice", help="of the clip that is made")
    splice.add_argument("--candidates", action="store_true", help="print where the clips meet best, and write nothing")
    splice.add_argument("-o", "--output", type=Path, metavar="OUT")
    splice.set_defaults(run="splicing:splice_files")

    ensemble = commands.add_parser("ensemble", help="several performers and their props in one space, on other bodies")
    ensemble.add_argument(
        "files", type=Path, nargs="+", metavar="FILE", help="one that holds all performers, or one for each"
    )
    ensemble.add_argument("--ensemble", type=Path, metavar="E.json", help="performers, props and meetings")
    ensemble.add_argument(
        "--cast",
        action="append",
        default=[],
        metavar="PERFORMER=CHARACTER",
        help="who plays whom, once for each; without it, print who is in the files and where they meet",
    )
    ensemble.add_argument("--space", type=float, metavar="RATIO", help="of the space over the recording's")
    ensemble.add_argument(
        "--size", action="append", default=[], metavar="PROP=RATIO", help="of a prop over the recording's"
    )
    ensemble.add_argument("--keep-calibration", action="store_true", help="leave frames held for calibration in")
    ensemble.add_argument(
        "--origin", action="store_true", help="each performer's file at the origin, with where it starts said"
    )
    ensemble.add_argument(
        "-o", "--output", type=Path, metavar="OUT", help="a .glb for all in one, or a folder for a file of each"
    )
    ensemble.set_defaults(run="ensembles:perform_files")

    rig = commands.add_parser("rig", help="bones and weights for a mesh that has none")
    rig.add_argument(
        "mesh", type=Path, metavar="MESH", help=".glb, .gltf, .dae, USD, .obj, .ply, .stl, or a .zip of one"
    )
    rig.add_argument("--landmarks", type=Path, metavar="L.json", help="where joints lie; without it they are proposed")
    rig.add_argument("--propose", action="store_true", help="write proposed landmarks, and no bones")
    rig.add_argument("--body", choices=BODY_PLANS, help="what kind of body it is; as its shape shows where left out")
    rig.add_argument("--up", choices=UP_AXES, help="the axis that points up in the file")
    rig.add_argument("--unit", choices=UNITS, help="the unit of lengths in the file")
    rig.add_argument("--spine", type=_count(1, 6), metavar="N", help="bones of the spine, 1 to 6 (3)")
    rig.add_argument("--neck", type=_count(1, 8), metavar="N", help="bones of the neck, 1 to 8 (1, or 2 and 3)")
    rig.add_argument("--tail", type=_count(1, 12), metavar="N", help="bones of a tail, 1 to 12 (4)")
    rig.add_argument("--twists", type=_count(0, 3), metavar="N", help="twist bones of each half of a limb, 0 to 3 (0)")
    rig.add_argument("--fingers", type=_count(0, 5), metavar="N", help="fingers of each hand, 0 to 5, from its shape")
    rig.add_argument("--names", metavar="PATTERN", help="what bones are called: a pattern that ships, or a file of one")
    rig.add_argument("--no-toes", action="store_true", help="feet that do not bend at their balls")
    rig.add_argument("-o", "--output", type=Path, metavar="OUT", help="the .glb, or the landmarks with --propose")
    rig.set_defaults(run="rigging:rig_file")

    several = commands.add_parser(
        "batch", help="transfer clips to characters as a plan says, over all cores; resumable"
    )
    several.add_argument("plan", type=Path, metavar="PLAN.json")
    several.add_argument("--workers", type=int, metavar="N", help="processes at once; by default one for each core")
    several.set_defaults(run="commands:run_batch")
    inputs = {inspect: "the file", fit: "the source", move: "the clips", check: "the source"}
    inputs |= {refine: "the clips", splice: "the clips", ensemble: "the files"}
    for command, whose in inputs.items():
        # A recipe and a splice ask the motion where it faces.
        _say_how_to_read(command, "", whose, facing=command not in (refine, splice, ensemble))
    for command in (fit, move, splice, ensemble):
        _say_how_to_read(command, "character-", "the character")
    for command in (inspect, fit, move, check, convert, refine, splice, ensemble, rig, several):
        command.add_argument("--json", action="store_true", help="print the result as JSON")
    return parser


def _say_how_to_read(command: argparse.ArgumentParser, prefix: str, whose: str, facing: bool = True) -> None:
    """Options that overrule what is read of a file."""
    command.add_argument(f"--{prefix}up", choices=UP_AXES, help=f"the axis that points up in {whose}")
    unit = command.add_mutually_exclusive_group()
    unit.add_argument(f"--{prefix}unit", choices=UNITS, help=f"the unit of lengths in {whose}")
    unit.add_argument(
        f"--{prefix}height",
        type=_metres,
        metavar="METRES",
        help=f"how tall {whose} {'are' if whose == 'the clips' else 'is'} at rest, instead of a unit",
    )
    if facing:
        command.add_argument(
            f"--{prefix}facing",
            type=_degrees,
            metavar="DEGREES",
            help=f"where {whose} face{'s' if whose != 'the clips' else ''}, from +Z towards +X",
        )


def _count(least: int, most: int) -> Callable[[str], int]:
    """A whole number within bounds, for a command line."""

    def read(text: str) -> int:
        if not text.isdecimal() or not least <= int(text) <= most:
            raise argparse.ArgumentTypeError(f"{text}: a whole number from {least} to {most}")
        return int(text)

    return read


def _metres(text: str) -> float:
    metres = float(text)
    if not 0.001 <= metres <= TALLEST:
        raise ValueError
    return metres


def _degrees(text: str) -> float:
    degrees = float(text)
    if not -360 <= degrees <= 360:
        raise ValueError
    return degrees


def _frames(text: str) -> tuple[int, int]:
    try:
        first, second = map(int, text.split(","))
    except ValueError:
        raise argparse.ArgumentTypeError(f"“{text}” is not two frames with a comma between them") from None
    return first, second


def _share(text: str) -> float:
    share = float(text)
    if not 0 <= share <= 1:
        raise ValueError
    return share


if __name__ == "__main__":
    sys.exit(main())
