"""``armuto ensemble``: several performers and their props, played by other bodies in one space."""

from __future__ import annotations

import argparse
from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from pathlib import Path
from typing import Any

from armuto import formats
from armuto.choices import SEVERAL_FIGURES
from armuto.cli.files import content_of, import_options_of, print_json, read, write
from armuto.cli.refining import kind_of
from armuto.ensembles import model
from armuto.ensembles.casting import Recording, read_recording
from armuto.ensembles.files import at_origin, ensemble_file
from armuto.ensembles.findings import meeting_in_words
from armuto.ensembles.measures import EnsembleMeasures, measure_ensemble
from armuto.ensembles.model import Casting, Ensemble, Performer, Prop, Shape
from armuto.ensembles.pipeline import EnsembleResult, perform_ensemble
from armuto.ensembles.splitting import SplitFile, read_split, side_by_side, split
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.intake.recording import calibration
from armuto.kinematics.clip import Clip
from armuto.retarget.fitting import Fitting, NothingToPair, fit
from armuto.validation import reason

UNKNOWN_SIZE = 0.1  # metres: of a thing of which a recording tells the path alone


def perform_files(options: argparse.Namespace) -> int:
    ensemble, performers, clips = _recorded(options)
    own = {name: fit(row.skeleton, row.skeleton, row.parts, row.parts) for name, row in performers.items()}
    recording = read_recording(ensemble, clips, own)
    if not options.cast:
        return _print_recording(recording, options.json)
    output = _output(options)
    characters, fittings = _cast(options, performers)
    casting = _casting(options, fittings)
    result = perform_ensemble(recording, fittings, casting)
    measures = measure_ensemble(result)
    written = _write(output, result, characters, options.origin)
    if options.json:
        print_json(
            {"ensemble": model.to_json(ensemble), "space": round(result.space, 6)}
            | _rows(measures)
            | {"written": written}
        )
        return 0
    for line in in_words(measures, ensemble):
        print(line)
    for row in written:
        print(f"{row['output']}: {', '.join(row['performers'])}")
    return 0


def _recorded(options: argparse.Namespace) -> tuple[Ensemble, dict[str, Document], dict[str, Clip]]:
    """What was recorded: of one file, its bodies and things; of several, a performer each."""
    documents: dict[str, Document] = {}
    things: dict[str, Document] = {}
    names: dict[str, str] = {}
    for path in options.files:
        parts: Sequence[SplitFile] = split(content_of(path), str(path))
        if parts:
            found = read_split(parts, import_options_of(options))
            documents |= {f"{path.stem}:{name}": row for name, row in found.performers.items()}
            things |= {f"{path.stem}:{name}": row for name, row in found.things.items()}
            names |= {f"{path.stem}:{name}": name for name in (*found.performers, *found.things)}
        else:
            documents[path.stem] = read(path, import_options_of(options))
            names[path.stem] = path.stem
    for clip, row in documents.items():
        if not row.clips:
            raise BadInput(f"{clip}: there is no motion in it; name a file with a clip.")
    alone = {clip: row for clip, row in documents.items() if ":" not in clip}
    for group in side_by_side([row.clips[0].renamed(clip) for clip, row in alone.items()]):
        names |= {list(alone)[number]: name for number, name in group.members}
    clips = {clip: row.clips[0].renamed(clip) for clip, row in (documents | things).items()}
    if options.ensemble:
        ensemble = model.from_file(content_of(options.ensemble), str(options.ensemble))
    else:
        ensemble = Ensemble(
            options.files[0].stem if len(options.files) == 1 else "ensemble",
            tuple(Performer(names[clip], clip) for clip in documents),
            tuple(Prop(names[clip], (Shape("box", (UNKNOWN_SIZE,) * 3),), recorded=clip) for clip in things),
        )
    wanted = {performer.name: performer.clip for performer in ensemble.performers}
    for name, clip in wanted.items():
        if clip not in documents:
            raise BadInput(f"{options.ensemble}: the clip “{clip}” of “{name}” is in none of the files; name its file.")
    return (
        _without_calibration(ensemble, clips, options.keep_calibration),
        {name: documents[clip] for name, clip in wanted.items()},
        clips,
    )


def _without_calibration(ensemble: Ensemble, clips: Mapping[str, Clip], keep: bool) -> Ensemble:
    """Cut for all at once, so that nobody's calibration frames are left and the common time is kept."""
    if keep or ensemble.first is not None:
        return ensemble
    starts = [
        performer.start + found.frames
        for performer in ensemble.performers
        if performer.clip in clips and (found := calibration(clips[performer.clip]))
    ]
    return replace(ensemble, first=max(starts)) if starts else ensemble


def _output(options: argparse.Namespace) -> Path:
    if options.output is None:
        raise BadInput("Name the file, or the folder for a file of each performer, that is to be written with -o.")
    return Path(options.output)


def _cast(
    options: argparse.Namespace, performers: Mapping[str, Document]
) -> tuple[dict[str, Document], dict[str, Fitting]]:
    paths: dict[str, Path] = {}
    for row in options.cast:
        name, equals, path = row.partition("=")
        if not equals or name not in performers:
            known = ", ".join(performers)
            raise BadInput(f"--cast: “{row}” is not of the form PERFORMER=FILE; the performers are {known}.")
        paths[name] = Path(path)
    missing = [name for name in performers if name not in paths]
    if missing:
        raise BadInput(f"--cast: nobody plays {', '.join(missing)}; say who with --cast {missing[0]}=FILE.")
    characters = {name: read(path, import_options_of(options, "character_")) for name, path in paths.items()}
    fittings = {}
    for name, character in characters.items():
        source = performers[name]
        try:
            made = fit(source.skeleton, character.skeleton, source.parts, character.parts)
        except NothingToPair:
            raise BadInput(
                f"{paths[name]}: nothing of it is like the skeleton of “{name}”; name another body."
            ) from None
        fittings[name] = replace(made, capsules=character.capsules)
    return characters, fittings


def _casting(options: argparse.Namespace, fittings: Mapping[str, Fitting]) -> Casting:
    sizes = {}
    for row in options.size:
        name, equals, value = row.partition("=")
        try:
            sizes[name] = float(value)
        except ValueError:
            equals = ""
        if not equals:
            raise BadInput(f"--size: “{row}” is not of the form PROP=RATIO.")
    try:
        return Casting("casting", dict.fromkeys(fittings, ""), options.space, sizes)
    except ValueError as problem:
        raise BadInput(f"--space, --size: {reason(problem)}.") from None


def _write(
    output: Path, result: EnsembleResult, characters: Mapping[str, Document], origin: bool
) -> list[dict[str, Any]]:
    if output.suffix:
        kind = kind_of(output)
        if kind not in SEVERAL_FIGURES or origin:
            other = "--origin" if origin else f".{kind}"
            raise BadInput(
                f"{output}: all in one file is a .glb or .usd in the common space; for {other} name a folder instead."
            )
        write(output, ensemble_file(result, characters, kind))
        return [{"output": str(output), "performers": [*result.clips, *result.props]}]
    written = []
    for name, clip in result.clips.items():
        row: dict[str, Any] = {}
        if origin:
            clip, start = at_origin(clip, result.actors[name].fitting)
            row["start"] = {key: round(value, 6) for key, value in asdict(start).items()}
        path = output / f"{result.recording.ensemble.name} {name}.glb"
        write(path, formats.write([clip], characters[name], "glb"))
        written.append({"output": str(path), "performers": [name]} | row)
    return written


def _print_recording(recording: Recording, as_json: bool) -> int:
    if as_json:
        print_json(model.to_json(replace(recording.ensemble, meetings=recording.meetings)))
        return 0
    for name in recording.clips:
        print(f"{name}: frames {recording.first} to {recording.last} of the common time")
    for name in recording.props:
        print(f"{name}: a prop")
    for meeting in recording.meetings:
        print(f"frames {meeting.first} to {meeting.last}: {meeting_in_words(meeting, recording.ensemble)}")
    if not recording.meetings:
        print("Nobody meets anybody or anything.")
    return 0


def _rows(measures: EnsembleMeasures) -> dict[str, Any]:
    return {
        "meetings": [
            {
                "meeting": model.to_plain(row.meeting),
                "before": round(row.before, 5),
                "gap": round(row.gap, 5),
                "frame": row.worst,
                "angle": None if row.angle is None else round(row.angle, 3),
            }
            for row in measures.meetings
        ],
        "performers": [
            {
                "name": row.name,
                "offset": round(row.offset, 5),
                "lowered": round(row.lowered, 5),
                "lean": round(row.lean, 3),
            }
            for row in measures.performers
        ],
        "pairs": [
            {
                "who": [row.first, row.second],
                "facing": round(row.facing, 3),
                "clipping": round(row.clipping, 5),
                "parts": row.parts,
            }
            for row in measures.pairs
        ],
    }


def in_words(measures: EnsembleMeasures, ensemble: Ensemble) -> list[str]:
    """What there is to say of a casting, in centimetres and degrees."""
    out = []
    for row in measures.meetings:
        angle = "" if row.angle is None or row.angle < 0.5 else f", turned by {row.angle:.0f}°"
        out.append(
            f"frames {row.meeting.first} to {row.meeting.last}: {meeting_in_words(row.meeting, ensemble)}: "
            f"{row.before * 100:.1f} cm apart before, {row.gap * 100:.1f} cm now{angle}"
        )
    for performer in measures.performers:
        if performer.offset > 1e-4 or performer.lean > 0.1 or performer.lowered > 1e-4:
            out.append(
                f"{performer.name}: the path is moved by {performer.offset * 100:.1f} cm, the hips lowered by "
                f"{performer.lowered * 100:.1f} cm, the trunk leans by {performer.lean:.0f}°"
            )
    for pair in measures.pairs:
        if pair.parts:
            out.append(
                f"{pair.first} and {pair.second}: {pair.parts[0]} and {pair.parts[1]} are {pair.clipping * 100:.1f} cm "
                f"in each other, frame {pair.frame}"
            )
    return out
