"""Spliced clips as a character performs them: each part through its own fitting, joined on the character.

A spliced clip is on the skeleton of its first span, and so is its fitting. Parts that were recorded on other skeletons
have fittings of their own on the character; where they are there, those skeletons do not stand in between.
"""

import threading
from collections import OrderedDict
from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import lru_cache
from typing import Any

from django.db.models import F

from armuto.kinematics.clip import Clip as ClipValue
from armuto.pipeline import transfer
from armuto.refining import body_of
from armuto.retarget import fitting as core
from armuto.splicing.features import PreparedClip, prepare
from armuto.splicing.joining import Spliced, at_rate, splice_like
from studio.fittings.models import Fitting
from studio.fittings.services.steps import value_of
from studio.library.models import Clip
from studio.platform.digests import digest
from studio.splices import services as splices
from studio.splices.models import Splice, SplicedClip

KEPT = 12  # performances of parts at hand
Perform = Callable[[core.Fitting, Clip], ClipValue]


def splice_of(clip: Clip) -> Splice | None:
    """The splice that a clip is made by, where the clip shows it as it was made; a recipe says what it is otherwise."""
    found = Splice.objects.select_related("clip__skeleton").filter(clip_id=clip.pk).first()
    return None if found is None or clip.recipe.get("steps") else found


def other_skeletons(clips: Iterable[int]) -> dict[int, set[int]]:
    """The skeletons that parts of spliced clips were recorded on, where they are not those of the clips, by clip."""
    out: dict[int, set[int]] = {}
    rows = SplicedClip.objects.filter(splice__clip__in=clips).exclude(clip__skeleton=F("splice__clip__skeleton"))
    for clip, skeleton in rows.values_list("splice__clip_id", "clip__skeleton_id"):
        out.setdefault(clip, set()).add(skeleton)
    return out


def fittings_of_parts(splice: Splice, character_id: int) -> dict[int, Fitting]:
    """The fittings of a character, by library skeleton, through which it performs parts that were recorded on another
    skeleton than the splice is on."""
    others = other_skeletons([splice.clip_id]).get(splice.clip_id)
    if not others:
        return {}
    rows = Fitting.objects.filter(skeleton__in=others, character_id=character_id).exclude(state=None)
    found = {row.skeleton_id: row for row in rows.select_related("state", "skeleton", "character__skeleton")}
    return {skeleton: row for skeleton, row in found.items() if row.state and row.state.data["pairs"]}


def parts_digest(clip_id: int, character_id: int) -> str:
    """Of what a rendition of a spliced clip depends on beside the clip and its fitting: its parts and the fittings that
    they are performed through. Empty where that is nothing."""
    splice = Splice.objects.filter(clip_id=clip_id).first()
    fittings = fittings_of_parts(splice, character_id) if splice else {}
    if splice is None or not fittings:
        return ""
    parts = splice.parts.order_by("clip_id").values_list("clip_id", "clip__digest")
    through = sorted((skeleton, row.state.digest) for skeleton, row in fittings.items() if row.state)
    return digest(list(parts), through)


def performed(row: Fitting, value: core.Fitting, clip: Clip, perform: Perform) -> ClipValue | None:
    """What a character does in a spliced clip with parts of other skeletons; None in any other clip, which its fitting
    performs as it is. A part that is a splice itself is performed as it is in the library.

    value: what its fitting says at the moment. perform: a clip through a fitting.
    """
    splice = splice_of(clip)
    others = fittings_of_parts(splice, row.character_id) if splice else {}
    if splice is None or not others or splice.problem or splices.outdated(splice):
        return None
    definition, first = splice.value(), splice.clip
    clips = splices.parts_of(definition.clips)
    at_hand: dict[str, PreparedClip] = {}
    for name, part in clips.items():
        own = others.get(part.skeleton_id)
        if own is not None:
            at_hand[name] = _kept(own, value_of(own), part, first.fps, perform)
        elif part.skeleton_id == row.skeleton_id:
            at_hand[name] = _kept(row, value, part, first.fps, perform)
        else:
            # No fitting of its own: by the skeleton of the splice, and what that one does by the character.
            through = splices.prepared(definition, clips)[name].clip
            at_hand[name] = _prepared(row, transfer(through, value), first.fps)
    scale = 1.0 if value.settings.path == "absolute" else value.settings.stride or value.scale
    made = splice_like(_in_the_library(splice.pk, first.motion_key), definition, at_hand, scale).clip
    return made.renamed(clip.name).cut(clip.first, clip.last)


@lru_cache(maxsize=4)
def _in_the_library(pk: int, motion_key: tuple[Any, ...]) -> Spliced:
    """The splice as its clip has it."""
    return splices.spliced(Splice.objects.select_related("clip__skeleton").get(pk=pk))


_at_hand: OrderedDict[tuple[Any, ...], tuple[core.Fitting, PreparedClip]] = OrderedDict()
_guard = threading.Lock()


def _kept(row: Fitting, value: core.Fitting, part: Clip, fps: float, perform: Perform) -> PreparedClip:
    """A part as the character performs it, kept while somebody works with what it is a part of."""
    key = id(value), row.character_id, part.pk, part.digest, part.motion_key, fps
    with _guard:
        if key in _at_hand:
            _at_hand.move_to_end(key)
            return _at_hand[key][1]
    made = _prepared(row, perform(value, part), fps)
    with _guard:
        _at_hand[key] = value, made  # the value is held, so that its id stands for nothing else
        while len(_at_hand) > KEPT:
            _at_hand.popitem(last=False)
    return made


def _prepared(row: Fitting, clip: ClipValue, fps: float) -> PreparedClip:
    character = row.character
    body = body_of(character.figure(), character.skeleton.assignment())
    return prepare(at_rate(replace(clip, skeleton=body.skeleton), fps), body)
