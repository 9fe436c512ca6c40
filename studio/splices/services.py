"""Making splices: of which clips, where they meet, and the clip that comes of it."""

import json
import threading
from collections import OrderedDict
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Any

from django.db import transaction

from armuto.errors import BadInput
from armuto.kinematics.clip import Clip as ClipValue
from armuto.pipeline import transfer
from armuto.refining import body_of
from armuto.retarget.fitting import NothingToPair, fit
from armuto.splicing import model as core
from armuto.splicing.candidates import candidates
from armuto.splicing.features import PreparedClip, prepare
from armuto.splicing.joining import Spliced, at_rate, splice_clips
from armuto.splicing.model import Span
from studio.contents.services import store
from studio.library import services as library
from studio.library.derived import create_derived_clip, renew_derived_clip
from studio.library.models import DERIVED, Clip, Skeleton
from studio.platform.optimistic import VERSION_FIELDS
from studio.splices.models import Splice, SplicedClip

ROOM = 200 * 1024 * 1024  # bytes of clips that are kept prepared


def create(ids: Sequence[int], name: str = "") -> Splice:
    """A splice of clips in their order, each pair at its best candidate. Raises :class:`BadInput` for clips that are
    not there, or that are themselves too short to be joined."""
    clips = parts_of([str(pk) for pk in ids])
    if len(ids) < 2:
        raise BadInput("A splice is made of at least two clips; tick another.")
    first = clips[str(ids[0])]
    plain = core.Splice(tuple(Span(str(pk)) for pk in ids))
    spliced = placed(plain, range(len(ids) - 1), clips)
    name = library.free_name(library.shortened(name) or " then ".join(clips[str(pk)].name for pk in ids)[:100])
    made = splice_clips(spliced, prepared(spliced, clips))
    with transaction.atomic():
        named = replace(spliced, name=name[: core.LONGEST_NAME])
        original = library.keep_original(store(file_of(named, clips)), f"{name}.json", DERIVED)
        clip = create_derived_clip(name, first.skeleton, original, made.clip)
        row = Splice.objects.create(clip=clip, data=_data(spliced), made_from=_digests(clips))
        _keep_parts(row, clips)
    return row


def placed(splice: core.Splice, joins: Iterable[int], clips: dict[str, Clip]) -> core.Splice:
    """The splice with some of its joins at their best candidates, in the last half of what there is of the one clip and
    the first half of the other; or where the one ends and the other begins."""
    at, spans = prepared(splice, clips), list(splice.spans)
    for number in sorted(set(joins)):
        if not 0 <= number < len(splice.joins):
            raise BadInput(f"There is no join {number} in this splice; they are counted from 0.")
        a, b = (at[span.clip] for span in spans[number : number + 2])
        out, into = ranges(replace(splice, spans=tuple(spans)), number, a, b)
        found = candidates(a.features, b.features, a.clip.fps, out, into, 1)
        frames = (found[0].out, found[0].into) if found else (a.clip.frames - 1, 0)
        spans[number] = replace(spans[number], end=frames[0] / a.clip.fps)
        spans[number + 1] = replace(spans[number + 1], start=frames[1] / a.clip.fps)
    return replace(splice, spans=tuple(spans))


def ranges(
    splice: core.Splice, number: int, a: PreparedClip, b: PreparedClip
) -> tuple[tuple[int, int], tuple[int, int]]:
    """The frames in which a join is looked for: the last half of the one clip, after its span begins, and the first
    half of what the next span shows of the other."""
    fps, last = a.clip.fps, a.clip.frames - 1
    start, end = splice.spans[number].start, splice.spans[number + 1].end
    begins = 0 if start is None else round(start * fps)
    ends = b.clip.frames - 1 if end is None else min(round(end * fps), b.clip.frames - 1)
    return (max(last // 2, min(begins + 1, last)), last), (0, ends // 2)


def parse(row: Splice, data: Any) -> core.Splice:
    """Raises :class:`BadInput` for what is no splice."""
    try:
        return core.from_json({**data, "name": row.clip.name[: core.LONGEST_NAME]})
    except ValueError as problem:
        raise BadInput(f"{row.clip.name}: {problem}; the splice stays as it was.") from None


def change(row: Splice, data: Any, base: int | None) -> None:
    """Make something else of a splice. What is made is worked out before the lock is taken. Raises :class:`BadInput`
    for what cannot be made, and :class:`~studio.platform.optimistic.Conflict` where others have changed it since."""
    wanted = parse(row, data)
    clips = parts_of(wanted.clips)
    if row.clip_id in _made_of(clips.values()):
        raise BadInput(f"{row.clip.name}: a splice cannot be made of itself; take another clip.")
    made = splice_clips(wanted, prepared(wanted, clips))
    with transaction.atomic():
        row.refresh_from_db()
        row.claim(base, {"spans and joins": row.data}, {"spans and joins": _data(wanted)})
        _keep(row, wanted, clips, made)


def renew(row: Splice) -> None:
    """Make a splice of what its clips are now. What cannot be made any more stays as it was, with the reason."""
    wanted, version = row.value(), row.lock_version
    try:
        clips = parts_of(wanted.clips)
        made = splice_clips(wanted, prepared(wanted, clips))
        with transaction.atomic():
            row.refresh_from_db()
            if row.lock_version == version:  # else whoever has changed it has made it anew as well
                _keep(row, wanted, clips, made)
    except BadInput as problem:
        # Of what somebody has changed meanwhile it is not the problem.
        Splice.objects.filter(pk=row.pk, lock_version=version).update(problem=str(problem)[:500])


def outdated(row: Splice) -> list[str]:
    """The names of its clips that have changed since it was made."""
    return [part.clip.name for part in row.parts.all() if row.made_from.get(str(part.clip_id)) != part.clip.digest]


def spliced(row: Splice, wanted: core.Splice | None = None) -> Spliced:
    """What is made of a splice, or would be made of another state of it."""
    wanted = wanted or row.value()
    clips = parts_of(wanted.clips)
    return splice_clips(wanted, prepared(wanted, clips))


def parts_of(names: Sequence[str]) -> dict[str, Clip]:
    """Clips by their numbers as text. Raises :class:`BadInput` for one that is not there."""
    numbers = [int(name) for name in names if name.isdecimal() and len(name) < 19]
    found = {str(clip.pk): clip for clip in Clip.objects.select_related("skeleton").filter(pk__in=numbers)}
    for name in names:
        if name not in found:
            raise BadInput("A clip of this splice is not in the library; bring it in, or take its span out.")
    return found


def prepared(splice: core.Splice, clips: dict[str, Clip]) -> dict[str, PreparedClip]:
    """The clips on the skeleton of the first span, at its frame rate. Those of another skeleton as that one performs
    them."""
    first = clips[splice.spans[0].clip]
    return {name: _kept(clips[name], first) for name in splice.clips}


_at_hand: OrderedDict[tuple[Any, ...], PreparedClip] = OrderedDict()
_guard = threading.Lock()


def _kept(clip: Clip, first: Clip) -> PreparedClip:
    """A prepared clip, kept while somebody works with it: the last ones, as far as there is room for them."""
    key = clip.motion_key, first.skeleton_id, first.fps
    with _guard:
        if key in _at_hand:
            _at_hand.move_to_end(key)
            return _at_hand[key]
    made = _prepared(clip, first.skeleton, first.fps)
    with _guard:
        _at_hand[key] = made
        while len(_at_hand) > 1 and sum(each.nbytes for each in _at_hand.values()) > ROOM:
            _at_hand.popitem(last=False)
    return made


def _prepared(clip: Clip, skeleton: Skeleton, fps: float) -> PreparedClip:
    value = clip.value() if clip.skeleton_id == skeleton.pk else _performed(clip, skeleton)
    body = body_of(skeleton.value(), skeleton.assignment())
    return prepare(at_rate(replace(value, skeleton=body.skeleton), fps), body)


def _performed(clip: Clip, skeleton: Skeleton) -> ClipValue:
    try:
        fitting = fit(clip.skeleton.value(), skeleton.value(), clip.skeleton.assignment(), skeleton.assignment())
    except NothingToPair:
        raise BadInput(
            f"{clip.name}: nothing of its skeleton is like “{skeleton.name}”; splice clips of one kind of body."
        ) from None
    return transfer(clip.value(), fitting)


def file_of(splice: core.Splice, clips: dict[str, Clip]) -> bytes:
    """A splice as its file, with the names of its clips in place of their numbers, as the shell reads it."""
    spans = tuple(replace(span, clip=clips[span.clip].name) for span in splice.spans)
    return (json.dumps(core.to_json(replace(splice, spans=spans)), ensure_ascii=False, indent=1) + "\n").encode()


def _made_of(clips: Iterable[Clip]) -> set[int]:
    """The numbers of clips and of all that those of them are made of which are splices, and so on."""
    out: set[int] = set()
    fresh = {clip.pk for clip in clips}
    while fresh:
        out |= fresh
        fresh = set(SplicedClip.objects.filter(splice__clip__in=fresh).values_list("clip_id", flat=True)) - out
    return out


def _data(splice: core.Splice) -> dict[str, Any]:
    table = core.to_json(splice)
    return {"spans": table["spans"], "joins": table["joins"]}


def _digests(clips: dict[str, Clip]) -> dict[str, str]:
    return {name: clip.digest for name, clip in clips.items()}


def _keep(row: Splice, wanted: core.Splice, clips: dict[str, Clip], made: Spliced) -> None:
    row.data, row.made_from, row.problem = _data(wanted), _digests(clips), ""
    row.save(update_fields=["data", "made_from", "problem", *VERSION_FIELDS])
    _keep_parts(row, clips)
    before = row.clip.take
    named = replace(wanted, name=row.clip.name[: core.LONGEST_NAME])
    original = library.keep_original(store(file_of(named, clips)), f"{row.clip.name}.json", DERIVED)
    renew_derived_clip(row.clip, original, made.clip)
    if before.pk != original.pk and not before.clips.exists():
        before.delete()


def _keep_parts(row: Splice, clips: dict[str, Clip]) -> None:
    SplicedClip.objects.filter(splice=row).exclude(clip__in=clips.values()).delete()
    for clip in clips.values():
        SplicedClip.objects.get_or_create(splice=row, clip=clip)
