"""``armuto splice``: clips joined with transitions, and where they could be."""

from __future__ import annotations

import argparse
from collections.abc import Container, Sequence
from dataclasses import asdict
from itertools import pairwise
from pathlib import Path
from typing import Any

from armuto.cli.files import content_of, import_options_of, print_json, read
from armuto.cli.refining import kind_of, write_clips
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.kinematics.clip import Clip
from armuto.pipeline import transfer
from armuto.refining.refined import body_of
from armuto.retarget.fitting import NothingToPair, fit
from armuto.splicing import model
from armuto.splicing.candidates import Candidate, candidates
from armuto.splicing.features import PreparedClip
from armuto.splicing.findings import findings, where_they_do_not_meet
from armuto.splicing.joining import prepare_clips, splice_clips
from armuto.splicing.model import Join, Span, Splice
from armuto.validation import reason


def splice_files(options: argparse.Namespace) -> int:
    kind = None if options.candidates else kind_of(_output(options))
    document, clips = _performed(options) if options.character else _clips(options)
    names = list(clips)
    splice = model.from_file(content_of(options.splice), str(options.splice)) if options.splice else None
    plain = splice or Splice(tuple(Span(name) for name in names))
    prepared = prepare_clips(plain, clips, body_of(document.skeleton, document.parts))
    if options.candidates:
        return _print_candidates(names, prepared, options.json)
    splice = splice or _placed(names, prepared, options)
    made = splice_clips(splice, prepared)
    written = write_clips(options.output, [made.clip], document, str(kind))
    wrong = findings(made.joins, [span.clip for span in splice.spans])
    rows = [
        {
            "first": join.first,
            "last": join.last,
            "blend": join.blend,
            "pivot": join.pivot,
            "turn": round(join.turn, 3),
            "candidate": asdict(join.candidate),
            "measures": asdict(join.measures),
        }
        for join in made.joins
    ]
    if options.json:
        print_json(
            {"splice": model.to_json(splice), "frames": made.clip.frames, "joins": rows, "findings": wrong}
            | {"written": written}
        )
        return 0
    for join in made.joins:
        span = splice.spans[join.span]
        how = "follows" if join.last < join.first else f"over {join.last - join.first + 1} frames"
        print(f"{span.clip}, frame {join.middle}: {how}, about the {join.pivot}, cost {join.candidate.cost:.1f} cm")
    for sentence in wrong:
        print(sentence)
    print(f"{written[0]['output']}: {made.clip.frames} frames")
    return 0


def _output(options: argparse.Namespace) -> Path:
    if options.output is None:
        raise BadInput("Name the file that is to be written with -o, or ask for --candidates alone.")
    return Path(options.output)


def _clips(options: argparse.Namespace) -> tuple[Document, dict[str, Clip]]:
    """The first clip of each file by its name, and the first file."""
    documents = [read(path, import_options_of(options)) for path in options.clips]
    out: dict[str, Clip] = {}
    for path, document in zip(options.clips, documents, strict=True):
        if not document.clips:
            raise BadInput(f"{path}: there is no motion in it to splice; name a file with a clip.")
        clip = document.clips[0]
        name = _free(clip.name, out)
        out[name] = clip.renamed(name)
    return documents[0], out


def _performed(options: argparse.Namespace) -> tuple[Document, dict[str, Clip]]:
    """The first clip of each file as a character performs it, each through a fitting of its own, and the character."""
    character = read(options.character, import_options_of(options, "character_"))
    out: dict[str, Clip] = {}
    for path in options.clips:
        document = read(path, import_options_of(options))
        if not document.clips:
            raise BadInput(f"{path}: there is no motion in it to splice; name a file with a clip.")
        try:
            fitting = fit(document.skeleton, character.skeleton, document.parts, character.parts)
        except NothingToPair:
            raise BadInput(f"{path}: nothing of its skeleton is like {options.character}; name another body.") from None
        clip = document.clips[0]
        out[_free(clip.name, out)] = transfer(clip, fitting)
    return character, out


def _free(name: str, taken: Container[str]) -> str:
    made, number = name, 2
    while made in taken:
        made, number = f"{name} {number}", number + 1
    return made


def _placed(names: Sequence[str], clips: dict[str, PreparedClip], options: argparse.Namespace) -> Splice:
    """A splice with every join where it was said to be, else at its best candidate."""
    if len(names) < 2 and not options.repeat:
        raise BadInput("A splice is made of at least two clips; name a second file, or --repeat the one.")
    fps = clips[names[0]].clip.fps
    overlap = None if options.overlap is None else options.overlap / fps
    join = _checked(Join, overlap=overlap, pivot=options.pivot, blend=options.blend, turn=options.turn)
    starts: list[float | None] = [None]
    ends: list[float | None] = []
    if len(options.at) > len(names) - 1:
        raise BadInput(
            f"--at: it is given {len(options.at)} times, more than there are joins between {len(names)} clips."
        )
    for number in range(len(names) - 1):
        a, b = clips[names[number]], clips[names[number + 1]]
        first = 0 if starts[-1] is None else round(starts[-1] * fps)
        frames = options.at[number] if number < len(options.at) else _best(names, number, a, b, first)
        for frame, clip in zip(frames, (a, b), strict=True):
            if not 0 <= frame < clip.clip.frames:
                raise BadInput(
                    f"--at: frame {frame} is not within {clip.clip.name}, which has 0 to {clip.clip.frames - 1}."
                )
        ends.append(frames[0] / fps)
        starts.append(frames[1] / fps)
    ends.append(None)
    spans = [
        _checked(Span, clip=name, start=start, end=end, repeat=options.repeat or 1)
        for name, start, end in zip(names, starts, ends, strict=True)
    ]
    return Splice(tuple(spans), (join,) * (len(spans) - 1), options.name)


def _best(names: Sequence[str], number: int, a: PreparedClip, b: PreparedClip, first: int) -> tuple[int, int]:
    last = a.clip.frames - 1
    found = candidates(a.features, b.features, a.clip.fps, (max(last // 2, min(first, last)), last))
    if not found:
        raise BadInput(where_they_do_not_meet(names[number], names[number + 1]))
    return found[0].out, found[0].into


def _checked(kind: Any, **values: Any) -> Any:
    try:
        return kind(**values)
    except ValueError as problem:
        raise BadInput(reason(problem)) from None


def _print_candidates(names: Sequence[str], clips: dict[str, PreparedClip], as_json: bool) -> int:
    rows = [(a, b, candidates(clips[a].features, clips[b].features, clips[a].clip.fps)) for a, b in pairwise(names)]
    if as_json:
        print_json([{"first": a, "second": b, "candidates": [asdict(row) for row in found]} for a, b, found in rows])
        return 0
    for a, b, found in rows:
        print(f"{a} into {b}:")
        for row in found:
            print("  " + _in_words(row))
        if not found:
            print("  " + where_they_do_not_meet(a, b))
    return 0


def _in_words(row: Candidate) -> str:
    costs = f"pose {row.pose:.1f}, feet {row.feet:.1f}, heading {row.heading:.1f}, speed {row.speed:.1f}"
    words = f"; {', '.join(row.words)}" if row.words else ""
    return f"{row.out},{row.into}  {row.cost:.1f} cm ({costs}){words}"
