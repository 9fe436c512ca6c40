"""Computing what a character does: the same core function for the preview and the rendition."""

from collections import OrderedDict
from functools import lru_cache

from armuto.contacts.model import Contact
from armuto.contacts.probes import Ear, Found, ear, found_in, listen
from armuto.formats import gltf
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.pipeline import Performance
from armuto.pipeline import perform as perform_in_core
from armuto.retarget.fitting import Fitting
from studio.cast.models import Character
from studio.library import models as library

KEPT = 64


def perform(
    fitting: Fitting, clip: library.Clip, first: int | None = None, last: int | None = None, found: Found | None = None
) -> Performance:
    """The clip, or its frames first to last, transferred through a fitting. found: its contacts, where they are at hand."""
    value = clip_value(clip)
    stop = value.frames - 1
    start = min(max(first or 0, 0), stop)
    end = min(max(stop if last is None else last, start), stop)
    return perform_in_core(value, fitting, found or contacts_of(fitting, clip), start, end)


def clip_value(clip: library.Clip) -> Clip:
    """The clip as the core's value, kept while somebody works with it."""
    return _clip(clip.pk, clip.content, clip.first, clip.last)


@lru_cache(maxsize=6)
def _clip(pk: int, content: str, first: int, last: int) -> Clip:
    """Motion is large; what somebody works with is kept, whatever pair they change."""
    return library.Clip.objects.select_related("skeleton", "motion").get(pk=pk).value()


_found: OrderedDict[tuple, Found] = OrderedDict()


def contacts_of(fitting: Fitting, clip: library.Clip) -> Found:
    """The contacts of a clip: those that were set by hand, else those that are found.

    Finding them takes the whole clip; it is done again only where a change to the fitting moves a point that may touch.
    """
    heard = ear(fitting, fitting.leads())
    key = (clip.pk, clip.content, clip.first, clip.last, clip.skeleton_id, clip.floor, _told_by(heard))
    found = _found.get(key)
    if found is None:
        value = clip_value(clip)
        able = heard.leg > 0 and value.frames > 2
        found = found_in(listen(value, heard.joints), heard, fitting, value, clip.floor) if able else Found((), 0.0)
        _found[key] = found
        while len(_found) > KEPT:
            _found.popitem(last=False)
    _found.move_to_end(key)
    if clip.contacts is None:
        return found
    names = {point.name for point in heard.points}
    return Found(tuple(one for one in set_by_hand(clip) if one.point in names), found.floor, found.seam)


def set_by_hand(clip: library.Clip) -> list[Contact]:
    """The contacts that a person set, in frames of the clip, as far as they lie within its range."""
    out = []
    for row in clip.contacts or ():
        first, last = max(row["first"] - clip.first, 0), min(row["last"], clip.last) - clip.first
        if first <= last:
            out.append(Contact(row["point"], first, last, row["to"], 0.0, True))
    return out


def _told_by(heard: Ear) -> tuple:
    points = tuple((point.name, point.source, point.source_offset.round(6).tobytes()) for point in heard.points)
    return points, tuple(sorted(heard.parts.items())), round(heard.leg, 6)


def for_the_stage(clip: Clip, character: Character) -> tuple[FloatArray, FloatArray]:
    """Local rotations ``(F, J, 4)`` and translations ``(F, J, 3)`` of the character's own glTF nodes."""
    document = character.document()
    assert document.rig is not None
    return gltf.node_motion(clip, document.rig)
