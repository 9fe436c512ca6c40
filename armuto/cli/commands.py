"""What the shell commands do; :mod:`armuto.cli.main` says how they are called.

Each takes the options and returns the exit code.
"""

from __future__ import annotations

import argparse
import json
import re
import sys
import time
from dataclasses import asdict, replace
from pathlib import Path, PurePath
from typing import Any

from armuto import batch, formats, refining
from armuto.body.orientation import facing_angle
from armuto.body.parts import part_of_joints
from armuto.body.plans import plan_of
from armuto.choices import TRAVELS, WRITTEN
from armuto.cli.files import FAILED, content_of, fail, files_in, import_options_of, print_json, read, write
from armuto.cli.layers import checked_against, counted, layers_of
from armuto.cli.refining import kind_of, write_clips
from armuto.constraints.root_bone import rooted, wants_root
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.intake import recording
from armuto.intake.detection import NOTHING
from armuto.kinematics.clip import Clip
from armuto.pipeline import retarget
from armuto.quality.findings import find, grade
from armuto.refining import Recipe
from armuto.refining.proposals import propose
from armuto.retarget import fitting, fitting_file
from armuto.retarget.fitting import Fitting, FittingOverrides
from armuto.retarget.settings import Settings
from armuto.touchups import Layers
from armuto.touchups.applying import TouchUps


def inspect_file(options: argparse.Namespace) -> int:
    document = read(options.file, import_options_of(options))
    skeleton = document.skeleton
    parts = part_of_joints(skeleton, document.parts)
    angle, why = facing_angle(skeleton, document.parts)
    if options.facing is not None:
        angle, why = options.facing, f"it faces {options.facing:.1f}° from +Z: as told"
    tree: dict[str, Any] = {
        "file": str(options.file),
        "format": document.format,
        "height": round(document.height, 4),
        "unit": skeleton.file_frame.unit,
        "up": skeleton.file_frame.up,
        "facing": None if angle is None else round(angle, 3),
        "skinned": document.skinned,
        "plan": plan_of(document.parts).name if document.parts else None,
        "bones": [
            {"name": name, "parent": skeleton.names[parent] if parent >= 0 else None, "part": part}
            for name, parent, part in zip(skeleton.names, skeleton.parents, parts, strict=True)
        ],
        "clips": [
            {"name": clip.name, "frames": clip.frames, "fps": clip.fps, "proposals": _proposals(clip, document)}
            for clip in document.clips
        ],
        "notes": [
            *document.notes,
            *(_sentence(row) for row in (*skeleton.file_frame.evidence, why)),
            *_of_takes(document),
        ],
    }
    if options.json:
        print_json(tree)
        return 0
    facing = "unknown" if angle is None else f"{angle:.1f}°"
    print(f"{options.file}: {document.format}, {document.height:.2f} m, up {tree['up']}, facing {facing} from +Z")
    depth = [len(skeleton.ancestors(joint)) for joint in range(len(skeleton))]
    for name, level, part in zip(skeleton.names, depth, parts, strict=True):
        print(f"  {'  ' * level}{name:<{max(1, 40 - 2 * level)}} {part or '—'}")
    for clip, row in zip(document.clips, tree["clips"], strict=True):
        print(f"  clip “{clip.name}”: {clip.frames} frames at {clip.fps:g} fps, {clip.seconds:.2f} s")
        for proposal in row["proposals"]:
            print(f"    {proposal['sentence']}")
    for note in tree["notes"]:
        print(f"  {note}")
    return 0


def _proposals(clip: Clip, document: Document) -> list[dict[str, Any]]:
    """What a clip could be refined by, without its calibration frames."""
    found = recording.calibration(clip)
    first = found.frames if found else 0
    return [
        {"step": refining.to_json(Recipe((proposal.step,)))["steps"][0], "sentence": proposal.sentence}
        for proposal in propose(clip.cut(first, clip.frames - 1), document.parts, first)
    ]


def _of_takes(document: Document) -> list[str]:
    """What the takes show besides their motion; with the clip's name where there are several."""
    several = len(document.clips) > 1
    return [
        f"{clip.name}: {sentence}" if several else sentence
        for clip in document.clips
        for sentence in recording.findings_in_words(clip)
    ]


def _sentence(text: str) -> str:
    return text[:1].upper() + text[1:].rstrip(".") + "."


def _made(source: Document, target: Document, options: argparse.Namespace) -> Fitting:
    overrides = FittingOverrides(source_facing=options.facing, target_facing=getattr(options, "character_facing", None))
    try:
        return fitting.fit(source.skeleton, target.skeleton, source.parts, target.parts, overrides=overrides)
    except fitting.NothingToPair as problem:
        raise BadInput(f"{target.file}: does not fit {source.file}: {problem}; check the bone names of both.") from None


def make_fitting(options: argparse.Namespace) -> int:
    made = _made(
        read(options.source, import_options_of(options)),
        read(options.target, import_options_of(options, "character_")),
        options,
    )
    tree = fitting_file.to_json(made)
    write(options.output, (json.dumps(tree, ensure_ascii=False, indent=1) + "\n").encode())
    if options.json:
        print_json(tree | {"output": str(options.output)})
        return 0
    for pair in made.pairs:
        source, target = ", ".join(pair.source) or "—", ", ".join(pair.target)
        print(f"  {pair.part or 'same name':<22} {source:<28} {target:<28} {pair.confidence:.2f}")
    for row in made.missing:
        print(f"  {row.part:<22} no bone on {'either side' if row.side == 'both' else f'the {row.side}'}")
    print(f"stance of the source: {made.source_stance.how}")
    print(f"stance of the target: {made.target_stance.how}, turned to stand as the source does")
    worst = max((row for row in made.rows if not row.own), key=lambda row: row.left, default=None)
    if worst:
        print(f"most is left at the {worst.part}, {worst.left:.1f}°")
    print(f"wrote {options.output}")
    return 0


def transfer_clips(options: argparse.Namespace) -> int:
    character = read(options.character, import_options_of(options, "character_"))
    fitting_bytes = content_of(options.fit) if options.fit else None
    layers = layers_of(options.touchups)
    kind = options.format or _own_kind(character)
    results: list[dict[str, Any]] = []
    taken: set[Path] = set()
    code = 0
    for argument in options.clips:
        try:
            inside = files_in(argument)
        except BadInput as problem:
            code = fail(str(problem))
            continue
        for path, data, files in inside:
            try:
                source = formats.read(data, path, import_options_of(options), files)
                results += _performed(source, path, character, fitting_bytes, layers, kind, options, taken)
            except BadInput as problem:
                code = fail(str(problem))
    if options.json:
        print_json(results)
    return code


def _own_kind(character: Document) -> str:
    """The format a character came in, where it is written; else glTF."""
    return character.format if character.format in WRITTEN else "glb"


def _performed(
    source: Document,
    path: str,
    character: Document,
    fitting_bytes: bytes | None,
    layers: Layers,
    kind: str,
    options: argparse.Namespace,
    taken: set[Path],
) -> list[dict[str, Any]]:
    """Transfer and write every clip of one input; one row per result."""
    if not source.clips:
        raise BadInput(f"{path}: there is no motion in it; name a file with at least one clip.")
    fits = _fits(source, character, fitting_bytes, options)
    fits = fits.with_settings(_said(fits.settings, options))
    rows = []
    for clip in source.clips:
        stem = PurePath(path).stem
        name = stem if len(source.clips) == 1 else f"{stem} {clip.name}"
        output = _free(options.out, name, kind, taken)
        done = retarget(clip, fits, touchups=TouchUps.of_take(layers, clip))
        rendition = rooted(done.clip, fits) if wants_root(fits) else done.clip
        write(output, formats.write([rendition], character, kind))
        found = find(clip, done.clip, fits, done.contacts, done.trace)
        row = {
            "input": path,
            "clip": clip.name,
            "output": str(output),
            "frames": rendition.frames,
            "fps": rendition.fps,
            "touchups": counted(layers, done.touchups.lost, len(done.touchups.changed)),
        }
        rows.append(row | {"grade": grade(found), "findings": [asdict(finding) for finding in found]})
        if not options.json:
            print(f"{output}: {rendition.frames} frames at {rendition.fps:g} fps, {grade(found)}, {_count(len(found))}")
    return rows


def _fits(source: Document, target: Document, fitting_bytes: bytes | None, options: argparse.Namespace) -> Fitting:
    """The fitting that was kept, or one that is made; with how thick the target is."""
    if fitting_bytes is None:
        return replace(_made(source, target, options), capsules=target.capsules)
    return fitting_file.from_json(fitting_bytes, str(options.fit), source.skeleton, target.skeleton, target.capsules)


def _said(settings: Settings, options: argparse.Namespace) -> Settings:
    """The fitting's settings, but for what was said on the command line."""
    travel = settings.travel
    if options.travel:
        travel = replace(travel, mode=TRAVELS[options.travel])
    if options.place:
        travel = replace(travel, place=options.place)
    settings = replace(settings, travel=travel)
    if options.hold is not None:
        hands = dict.fromkeys(("floor", "other hand", "body"), options.hold)
        settings = replace(settings, hold=options.hold, holds={}, hands=hands)
    if options.limits:
        settings = replace(settings, limits="soft" if options.limits == "on" else "off")
    if options.stride:
        settings = replace(settings, path=options.stride)
    return settings


def check_clip(options: argparse.Namespace) -> int:
    """What is wrong with the first clip of a file: against its source, or by itself, as a body that performs its own
    motion."""
    import_options = import_options_of(options)
    document = read(options.file, NOTHING if options.against else import_options)
    source = read(options.against, import_options) if options.against else document
    for outcome in (document, source):
        if not outcome.clips:
            raise BadInput(f"{outcome.file}: there is no motion in it; name a file with at least one clip.")
    fitting_bytes = content_of(options.fit) if options.fit else None
    fits = _fits(source, document, fitting_bytes, options)
    rendition, clip = document.clips[0], source.clips[0]
    if rendition.frames != clip.frames:
        raise BadInput(
            f"{options.file}: it has {rendition.frames} frames and {options.against} has {clip.frames}; "
            "name the clip it was transferred from."
        )
    count, trace = checked_against(layers_of(options.touchups), clip, rendition, fits)
    found = find(clip, rendition, fits, None, trace)
    tree = {
        "file": str(options.file),
        "clip": rendition.name,
        "against": str(options.against) if options.against else None,
        "touchups": count,
    }
    if options.json:
        print_json(tree | {"grade": grade(found), "findings": [asdict(finding) for finding in found]})
        return 0
    print(f"{options.file}: {rendition.frames} frames at {rendition.fps:g} fps, {grade(found)}, {_count(len(found))}")
    if count:
        print(
            f"  {count['keys']} keys in {count['layers']} layers of touch-ups, {count['changed']} set on other motion"
        )
    for row in found:
        where = f"frames {row.frames[0]} to {row.frames[1]}" if row.unit else "throughout"
        print(f"  {row.grade:<5} {row.text} ({where})")
    return 0


def convert_file(options: argparse.Namespace) -> int:
    kind = kind_of(options.output)
    document = read(options.input)
    if kind in ("bvh", "csv") and not document.clips:
        raise BadInput(
            f"{options.input}: there is no motion in it to write as {kind.upper()}; name a file with at least one clip."
        )
    written = write_clips(options.output, document.clips, document, kind)
    if options.json:
        print_json({"input": str(options.input), "written": written, "notes": list(document.notes)})
        return 0
    for row in written:
        print(f"{row['output']}: {', '.join(row['clips']) or 'no motion'}")
    return 0


def run_batch(options: argparse.Namespace) -> int:
    todo = batch.jobs(options.plan)
    begun, shown = time.monotonic(), sys.stderr.isatty()

    def import_options(outcome: batch.Outcome, through: int) -> None:
        if shown:
            print("\r\033[K", end="", file=sys.stderr)
        if outcome.sentence:
            print(outcome.sentence, file=sys.stderr)
        if shown:
            share = through / len(todo)
            left = (time.monotonic() - begun) * (1 / share - 1)
            bar = "━" * round(share * 24)
            print(f"{bar:╌<24} {through} of {len(todo)}, about {left:.0f} s left", end="", file=sys.stderr, flush=True)

    try:
        outcomes = batch.run(todo, options.workers, import_options)
    except KeyboardInterrupt:
        print("\nStopped; what is done stays, and the same command goes on from there.", file=sys.stderr)
        return FAILED
    if shown:
        print(file=sys.stderr)
    settings, folder = todo[0].wanted, todo[0].output.parent
    made = batch.manifest(outcomes, settings, options.plan.stem)
    write(folder / "manifest.json", (json.dumps(made, ensure_ascii=False, indent=1) + "\n").encode())
    failed, skipped = sum(bool(outcome.sentence) for outcome in outcomes), sum(outcome.skipped for outcome in outcomes)
    if options.json:
        print_json(made)
    else:
        print(
            f"{folder}: {len(outcomes) - failed} files"
            + (f", {skipped} of them were there already" if skipped else "")
            + (f"; {failed} failed" if failed else "")
        )
    return FAILED if failed else 0


def _count(findings: int) -> str:
    return {0: "no findings", 1: "1 finding"}.get(findings, f"{findings} findings")


def _free(folder: Path, name: str, kind: str, taken: set[Path]) -> Path:
    """A file name for a result that no other result of this command has."""
    stem = re.sub(r"[^\w .()+-]+", "_", name).strip(" .") or "clip"
    path, number = folder / f"{stem}.{kind}", 1
    while path in taken:
        number += 1
        path = folder / f"{stem} {number}.{kind}"
    taken.add(path)
    return path
