"""What transfers of clips through fittings start from, kept while somebody works with it."""

from collections import OrderedDict
from functools import lru_cache
from typing import Any

from armuto.contacts.detection import contacts_in
from armuto.contacts.model import Contact, ContactSet
from armuto.contacts.probes import ContactProbes, contact_probes, sample_tracks
from armuto.kinematics.clip import Clip
from armuto.refining import Refined
from armuto.refining.contacts import contacts_shown
from armuto.retarget.context import context_of
from armuto.retarget.fitting import Fitting
from studio.library import models as library

KEPT = 64


def clip_value(clip: library.Clip) -> Clip:
    """The clip as the core's value, kept while somebody works with it."""
    return refined_value(clip).clip


def refined_value(clip: library.Clip) -> Refined:
    """The clip as its recipe has it, kept as long."""
    return _refined(clip.pk, clip.motion_key)


@lru_cache(maxsize=6)
def _refined(pk: int, motion_key: tuple[Any, ...]) -> Refined:
    """Motion is large; what somebody works with is kept, whatever pair they change."""
    return library.Clip.objects.select_related("skeleton").get(pk=pk).refined_value()


_detected: OrderedDict[tuple[Any, ...], ContactSet] = OrderedDict()


def contacts_of(fitting: Fitting, clip: library.Clip) -> ContactSet:
    """The contacts of a clip: those that were set by hand, else those that are detected.

    Detecting them takes the whole clip; it is done again only where a change to the fitting moves a point that may
    touch.
    """
    context = context_of(fitting)
    probes = contact_probes(context)
    key = (clip.pk, clip.motion_key, clip.floor, _probes_key(probes))
    detected = _detected.get(key)
    if detected is None:
        value = clip_value(clip)
        detected = contacts_in(sample_tracks(value, probes.joints), probes, context, value, clip.floor)
        _detected[key] = detected
        while len(_detected) > KEPT:
            _detected.popitem(last=False)
    _detected.move_to_end(key)
    if clip.contacts is None:
        return detected
    names = {point.name for point in probes.points}
    return ContactSet(tuple(contact for contact in set_by_hand(clip) if contact.point in names), detected.floor)


def set_by_hand(clip: library.Clip) -> list[Contact]:
    """The contacts that a person set, in frames of the clip, wherever it shows those of the take."""
    return contacts_shown(clip.contacts, refined_value(clip)) if clip.contacts else []


def _probes_key(probes: ContactProbes) -> tuple[Any, ...]:
    points = tuple((point.name, point.source, point.source_offset.round(6).tobytes()) for point in probes.points)
    return points, tuple(sorted(probes.parts.items())), round(probes.leg, 6)
