"""Putting what the core has read into the library."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any, Protocol

import numpy as np
from django.db import transaction

from armuto import refining
from armuto.body import estimation
from armuto.body.orientation import facing_angle
from armuto.body.parts import Assignment
from armuto.errors import BadInput
from armuto.formats import Document
from armuto.intake import naming, recording
from armuto.kinematics import observed
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip as ClipValue
from armuto.kinematics.loop import loops
from armuto.kinematics.skeleton import Skeleton as SkeletonValue
from armuto.plates import plate
from armuto.refining import Recipe, Refined
from studio.contents.models import Content
from studio.library import arrays
from studio.library.models import DERIVED, Clip, Motion, Original, Plate, RefinedMotion, Skeleton
from studio.platform.optimistic import VERSION_FIELDS

HIGHEST_FLOOR = 100.0  # metres


def keep_original(content: Content, name: str, kind: str) -> Original:
    """The file as an original; the same bytes are kept once, under the name they first came with."""
    given = {"name": name, "format": kind, "size": content.size, "content": content}
    return Original.objects.get_or_create(sha256=content.sha256, defaults=given)[0]


def keep_skeleton(document: Document, name: str) -> Skeleton:
    """The document's skeleton, or the one already there with the same identity."""
    value: SkeletonValue = document.skeleton
    names = value.names
    row, _ = Skeleton.objects.get_or_create(
        identity=arrays.identity(value),
        defaults={
            "name": name,
            "tree": arrays.skeleton_tree(value),
            "parts": {part: [names[bone.joint] for bone in bones] for part, bones in document.parts.items()},
            "readings": {
                names[bone.joint]: [bone.confidence, bone.reason] for bones in document.parts.values() for bone in bones
            },
            "joints": len(value),
            "height": document.height,
            "facing": facing_angle(value, document.parts)[0],
        },
    )
    observe(row, value)
    return row


def observe(row: Skeleton, value: SkeletonValue) -> None:
    """Take up what a file's motion shows of the skeleton's hinges, where it shows them more surely. What was fitted
    before keeps to what was known then."""
    known = observed.from_json(row.observed, value.index)
    better = {
        joint: hinge for joint, hinge in value.observed.hinges.items() if hinge.certainty > known.certainty_of(joint)
    }
    _keep_observed(row, replace(known, hinges={**known.hinges, **better}))


def observe_soles(row: Skeleton) -> None:
    """Take up how high feet rest in all clips of the skeleton, each above the floor that a person said it has, or else
    above zero."""
    # What was cut out of clips, or made of them, shows nothing that these do not.
    clips = row.clips.filter(segment_of=None).exclude(take__format=DERIVED).exclude(ground={})
    shown = clips.values_list("ground", "floor")
    heights = [None if ground["feet"] is None else ground["feet"] - (floor or 0.0) for ground, floor in shown]
    value = row.value()
    sole, clips_shown = estimation.sole_of_clips(heights, estimation.leg_length(value, row.assignment()))
    _keep_observed(row, replace(value.observed, sole=sole, sole_clips=clips_shown))


def _keep_observed(row: Skeleton, seen: observed.Observed) -> None:
    made = observed.to_json(seen, row.value().names)
    if made != row.observed:
        row.observed = made
        row.save(update_fields=["observed"])


def new_version(
    row: Clip, document: Document, clip: ClipValue, original: Original, skeleton: Skeleton, trim: tuple[int, int]
) -> None:
    """Another take for a clip that keeps its name, its tags and everything that was made for it.

    Raises :class:`BadInput` when it is on another skeleton: its fittings would not hold for that one.
    """
    if row.take.format == DERIVED:
        raise BadInput(f"{row.name}: it is spliced of other clips; bring in new versions of these.")
    if skeleton.pk != row.skeleton_id:
        raise BadInput(
            f"{document.file}: it is on another skeleton than “{row.name}”, which is on "
            f"“{row.skeleton.name}”; bring it in as "
            "a clip of its own."
        )
    row.take = original
    row.revision += 1
    row.segment_of = None
    row.claim(None, {"range": [row.first, row.last]}, {"range": list(trim)})
    _take_up(row, document, clip, trim)


def check_range(name: str, first: int, last: int, frames: int, least: int = 1) -> None:
    """Raises :class:`BadInput` where these are not at least so many frames, both included, of a clip's take."""
    if not (first >= 0 and first + least - 1 <= last < frames):
        raise BadInput(f"{name}: frames {first} to {last} are not a range of its take, which has 0 to {frames - 1}.")


def segment(row: Clip, first: int, last: int, name: str) -> Clip:
    """A stretch of a clip's take as a clip of its own, from the same take and with the same recipe. Raises
    :class:`BadInput` outside the take."""
    check_range(row.name, first, last, row.frames, least=2)
    whole = row.whole()
    made = Clip(
        name=free_name(" ".join(name.split())[:240] or row.name),
        skeleton=row.skeleton,
        take=row.take,
        tags=row.tags,
        calibration=row.calibration,
        segment_of=row,
        frames=row.frames,
        fps=row.fps,
        content=row.content,
        notes=row.notes,
        contacts=row.contacts,
        floor=row.floor,
        recipe=row.recipe,
    )
    parts = row.skeleton.assignment()
    refined = set_motion(made, whole, first, last, parts)
    made.save()
    Motion.objects.create(
        clip=made, rotations=row.motion.rotations, moving=row.motion.moving, translations=row.motion.translations
    )
    keep_motion(made, refined, parts)
    return made


def _take_up(row: Clip, document: Document, clip: ClipValue, trim: tuple[int, int]) -> None:
    parts = row.skeleton.assignment()
    refined = take_up_facts(row, document, clip, trim, parts)
    row.save()
    observe_soles(row.skeleton)
    Motion.objects.update_or_create(clip=row, defaults=motion_of(clip))
    keep_motion(row, refined, parts)


def take_up_facts(row: Clip, document: Document, clip: ClipValue, trim: tuple[int, int], parts: Assignment) -> Refined:
    """What a row says of a take and of the range of it that is the clip, as its recipe has it. parts: of its
    skeleton."""
    found = recording.calibration(clip)
    row.frames, row.fps = clip.frames, clip.fps
    row.calibration = found.frames if found else 0
    row.notes = [*document.notes, *recording.findings_in_words(clip)]
    row.content = arrays.content_hash(clip, arrays.identity(document.skeleton))
    return set_motion(row, clip, *trim, parts)


def motion_of(clip: ClipValue) -> dict[str, Any]:
    """The columns of a take's motion."""
    return {
        "rotations": arrays.packed(clip.rotations),
        "moving": clip.moving.tolist(),
        "translations": arrays.packed(clip.translations),
    }


def set_motion(row: Clip, take: ClipValue, first: int, last: int, parts: Assignment) -> Refined:
    """What a row says of its range of a take as its recipe has it. Raises :class:`BadInput` where the recipe cannot be
    followed there."""
    try:
        refined = row.steps.refine(take.cut(first, last), parts, first)
    except BadInput as problem:
        raise BadInput(f"{row.name}: {problem}") from None
    row.first, row.last = first, last
    row.refined_frames = refined.clip.frames if row.steps.active else None
    row.travel, row.loop = recording.travel(refined.clip), loops(refined.clip)
    row.ground = estimation.ground(refined.clip, parts)
    return refined


def keep_motion(row: Clip, refined: Refined, parts: Assignment) -> None:
    """Keep what a recipe has made of a clip, and the clip's plate."""
    if row.refined_frames is None:
        RefinedMotion.objects.filter(clip=row).delete()
    else:
        RefinedMotion.objects.update_or_create(clip=row, defaults=refined_motion_of(refined))
    keep_plate(row, refined.clip, parts)


def refined_motion_of(refined: Refined) -> dict[str, Any]:
    """The columns of what a recipe has made of a take."""
    frames = refined.frames.astype("<f8").tobytes()
    return motion_of(refined.clip) | {"frames": frames, "mirrored": refined.mirrored}


def plate_of(clip: ClipValue, parts: Assignment) -> dict[str, Any]:
    """The plate of a clip as plain data: strokes in whole centimetres' tenths, y up from the floor."""
    drawn = plate(clip, parts)

    def tenths(values: FloatArray) -> list[list[int]]:
        rows: list[list[int]] = np.round(values.reshape(len(values), -1) * 1000).astype(int).tolist()
        return rows

    return {
        "width": round(drawn.width * 1000),
        "height": round(drawn.height * 1000),
        "frames": list(drawn.frames),
        "sides": list(drawn.sides),
        "fine": list(drawn.fine),
        "poses": tenths(drawn.strokes),
        "heads": tenths(drawn.heads),
    }


def keep_plate(row: Clip, clip: ClipValue, parts: Assignment) -> None:
    """Make the plate of a clip's present range and keep it."""
    Plate.objects.update_or_create(clip=row, defaults={"drawing": plate_of(clip, parts)})


@transaction.atomic
def change_clip(
    row: Clip,
    name: str | None = None,
    tags: list[str] | None = None,
    tag: list[str] | None = None,
    untag: list[str] | None = None,
    retired: bool | None = None,
    first: int | None = None,
    last: int | None = None,
    floor: float | str | None = None,
    recipe: Mapping[str, Any] | None = None,
    base: int | None = None,
) -> None:
    """Change what is given. tags: all of them; tag, untag: some that are given and taken. floor: in metres, or
    "measured". base: the version of the row that this is made on.

    Another range, recipe or floor is another revision: what was made from the clip is then out of date. Raises
    :class:`BadInput` for a name that is empty or taken, for a range outside the take, for a recipe that cannot be
    followed, and for a floor far from anybody;
    :class:`studio.platform.optimistic.Conflict` where others have changed the same since.
    """
    before = row.first, row.last
    bounds = (row.first if first is None else first, row.last if last is None else last)
    steps = row.steps if recipe is None else parse_recipe(row.name, recipe)
    now = {
        "name": row.name,
        "tags": row.tags,
        "retired": row.retired,
        "range": before,
        "floor": row.floor,
        "recipe": row.steps,
    }
    given: dict[str, Any] = {
        "name": name and shortened(name),
        "tags": tags and changed_tags(tags, (), ()),
        "retired": retired,
    }
    if bounds != before:
        given["range"] = bounds
    if steps != row.steps:
        given["recipe"] = steps
    given = {field: value for field, value in given.items() if value is not None}
    if floor is not None:
        given["floor"] = None if isinstance(floor, str) else floor_said(row.name, floor)
    row.claim(base, now, given)
    if name is not None:
        row.name = shortened(name)
        if not row.name:
            raise BadInput(NAMELESS)
        if Clip.objects.filter(name=row.name).exclude(pk=row.pk).exists():
            raise BadInput(taken_name(row.name))
    row.tags = changed_tags(row.tags if tags is None else tags, tag, untag)
    if retired is not None:
        row.retired = retired
    if bounds != before or steps != row.steps:
        first, last = bounds
        check_range(row.name, first, last, row.frames)
        moves = bounds != before or steps.digest != row.steps.digest
        row.recipe = refining.to_json(steps)
        if moves:
            parts = row.skeleton.assignment()
            keep_motion(row, set_motion(row, row.whole(), first, last, parts), parts)
            row.revision += 1
    if "floor" in given:
        row.revision += given["floor"] != row.floor
        row.floor = given["floor"]
    extent = ("first", "last", "recipe", "refined_frames", "travel", "loop", "ground", "floor", "revision")
    row.save(update_fields=["name", "tags", "retired", *extent, *VERSION_FIELDS])
    if given.keys() & {"floor", "range", "recipe"}:
        observe_soles(row.skeleton)


class Renamed(Protocol):
    """A clip by its number, the name that it had, and the one that it is to have."""

    id: int
    was: str
    name: str


def rename(renames: Sequence[Renamed]) -> None:
    """Give clips other names, those of one another too. Clips that no longer have the name they had keep theirs.

    Raises :class:`BadInput` for a name that is empty, or that a clip has which is not among them.
    """
    present = dict(Clip.objects.values_list("pk", "name"))
    changed = {row.id: shortened(row.name) for row in renames if present.get(row.id) == row.was}
    taken = {name.casefold() for pk, name in present.items() if pk not in changed}
    for name in changed.values():
        if not name:
            raise BadInput(NAMELESS)
        if name.casefold() in taken:
            raise BadInput(taken_name(name))
        taken.add(name.casefold())
    set_names(changed)


def set_names(names: Mapping[int, str]) -> None:
    """Names of clips by their numbers, which have been checked."""
    rows = list(Clip.objects.filter(pk__in=names).only("name", *VERSION_FIELDS))
    for row in rows:
        row.claim(None, {"name": row.name}, {"name": names[row.pk]})
        row.name = names[row.pk]
    Clip.objects.bulk_update(rows, ["name", *VERSION_FIELDS], batch_size=100)


NAMELESS = "A clip needs a name; type one."


def taken_name(name: str) -> str:
    return f"{name}: another clip has this name; choose one that is free."


def shortened(name: str) -> str:
    """A name as it is kept: on a line, of a length that there is room for."""
    return " ".join(name.split())[:255]


def changed_tags(tags: Iterable[str], given: Iterable[str] | None, taken: Iterable[str] | None) -> list[str]:
    """The tags with those that are given and without those that are taken: each once, in alphabetical order."""
    words = {" ".join(tag.split())[:60] for tag in (*tags, *(given or ()))} - {""}
    return sorted(words - set(taken or ()), key=str.lower)


def floor_said(name: str, floor: float) -> float:
    """Raises :class:`BadInput` for a height where nobody's floor is."""
    if not abs(floor) <= HIGHEST_FLOOR:
        raise BadInput(f"{name}: a floor lies within {HIGHEST_FLOOR:.0f} m of zero; say it in centimetres.")
    return floor


def parse_recipe(name: str, recipe: Mapping[str, Any]) -> Recipe:
    """Raises :class:`BadInput` for what is no recipe."""
    try:
        return refining.from_json(recipe)
    except ValueError as problem:
        raise BadInput(f"{name}: {problem}; the recipe stays as it was.") from None


def free_name(name: str) -> str:
    """The name, or the name with the next free number behind it."""
    return naming.free(name, Clip.objects.filter(name__istartswith=name).values_list("name", flat=True))
