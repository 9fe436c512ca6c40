"""Foot locking: feet that rest stay where they rest, whatever a step has made of the body.

A point of a foot keeps, over the ground, the mean of where it is in each of its contacts, every frame counting as much
as the point bears the foot there; its height stays as it is. Legs reach for that by inverse kinematics
(:mod:`armuto.constraints.feet`), and ease in and out of it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from armuto.constraints import feet
from armuto.constraints.limbs import LimbChain, limb_chains
from armuto.contacts.detection import contacts_in
from armuto.contacts.model import Contact
from armuto.contacts.points import Point, target_paths
from armuto.contacts.probes import ContactProbes, SourceTracks, contact_probes, sample_tracks
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.curves import held
from armuto.kinematics.signals import runs
from armuto.kinematics.world_motion import WorldMotion
from armuto.refining.refined import Body
from armuto.retarget.context import RetargetContext, context_of
from armuto.retarget.fitting import NothingToPair, fit
from armuto.retarget.motion import local_clip


@dataclass(frozen=True, eq=False)
class Footing:
    """What a body stands on. points: heels and toes. legs: the chains that bring them somewhere, by limb."""

    context: RetargetContext
    probes: ContactProbes
    points: tuple[Point, ...]
    legs: dict[str, LimbChain]


@dataclass(frozen=True, eq=False)
class Steps:
    """Where feet are in a clip. paths: of heels and toes ``(F, 3)``, by name. contacts: theirs. floor: its height."""

    paths: dict[str, FloatArray]
    contacts: tuple[Contact, ...]
    floor: float


@lru_cache(maxsize=32)
def footing(body: Body) -> Footing | None:
    """None for a body of which no leg is known."""
    try:
        fitting = fit(body.skeleton, body.skeleton, body.parts, body.parts)
    except NothingToPair:
        return None
    context = context_of(fitting)
    probes = contact_probes(context)
    points = tuple(point for point in probes.points if point.is_foot)
    limbs = {point.limb for point in points}
    legs = {limb: chain for limb, chain in limb_chains(context).items() if limb in limbs}
    return Footing(context, probes, points, legs) if points and legs and probes.leg > 0 else None


def steps_of(clip: Clip, ground: Footing) -> Steps:
    """Where the feet of a clip are, and when they rest."""
    tracks = sample_tracks(clip, ground.probes.joints)
    found = contacts_in(tracks, ground.probes, ground.context, clip)
    names = {point.name for point in ground.points}
    contacts = tuple(contact for contact in found.contacts if contact.point in names and not contact.to)
    return Steps(_paths(clip, tracks, ground), contacts, found.floor)


def foot_paths(clip: Clip, ground: Footing) -> dict[str, FloatArray]:
    """Where heels and toes are, ``(F, 3)`` by name."""
    return _paths(clip, sample_tracks(clip, ground.probes.joints), ground)


def lock_feet(
    clip: Clip,
    body: Body,
    contacts: Sequence[Contact],
    drift: FloatArray | None = None,
    turned: FloatArray | None = None,
    steady: bool = False,
    like: Mapping[str, FloatArray] | None = None,
) -> Clip:
    """The clip with its feet at rest in their contacts, each near where it is anyhow; the clip itself where nothing is
    known of its feet.

    drift ``(F, 3)``: how the ground moves under it, which they go along with. turned ``(F,)``: radians by which the
    body was turned about up, which feet that rest are not turned by. steady: whether feet that rest do not turn about
    up of their own either. like ``(F, 3)``: paths as which points move and how high they are while they rest, wherever
    that is.
    """
    ground = footing(body)
    if ground is None or not contacts:
        return clip
    motion, every = WorldMotion.of_clip(clip), np.arange(clip.frames)
    if turned is not None:
        _turn_back(motion, ground, contacts, turned)
    if steady:
        _hold_yaw(motion, ground, contacts)
    own = target_paths(motion, ground.points)
    going = np.zeros((clip.frames, 2)) if drift is None else drift[:, [0, 2]]
    paths = {}
    for name, path in own.items():
        if like is not None:
            going = like[name][:, [0, 2]]
        off, rests = np.zeros((clip.frames, 2)), np.zeros(clip.frames, bool)
        for contact in contacts:
            if contact.point == name:
                rows = slice(contact.first, contact.last + 1)
                weight, place = bearing(own, contact, ground)[rows, None], path[rows][:, [0, 2]] - going[rows]
                off[rows], rests[rows] = (place * weight).sum(axis=0) / weight.sum() - place, True
        if rests.any():
            off = np.stack([np.interp(every, every[rests], values[rests]) for values in off.T], axis=1)
        paths[name] = path + np.stack([off[:, 0], np.zeros(clip.frames), off[:, 1]], axis=1)
        if like is not None:
            paths[name][:, 1] = like[name][:, 1]
    return _planted(clip, motion, body, ground, contacts, feet.FootTracks(paths, -np.inf, ground.probes.leg), True)


def _turn_back(motion: WorldMotion, ground: Footing, contacts: Sequence[Contact], turned: FloatArray) -> None:
    """Turn feet that rest about up, to where they are turned in the middle of their contact."""
    every = np.arange(motion.frames)
    for limb, chain in ground.legs.items():
        off, rests = np.zeros(motion.frames), _resting(motion.frames, ground, contacts, limb)
        for first, last in runs(rests):
            off[first : last + 1] = turned[(first + last) // 2] - turned[first : last + 1]
        if rests.any():
            back = rotation.about([0.0, 1.0, 0.0], np.interp(every, every[rests], off[rests]))
            motion.swing(chain.joints[-1], motion.below(chain.joints[-1]), back)


def _hold_yaw(motion: WorldMotion, ground: Footing, contacts: Sequence[Contact]) -> None:
    """Turn feet that rest about up to where they are turned in the mean of their contact; before and after it they ease
    into that."""
    every, ease = np.arange(motion.frames, dtype=float), feet.EASE * motion.fps
    for limb, chain in ground.legs.items():
        foot = chain.joints[-1]
        turned = rotation.multiply(motion.rotations[foot], rotation.inverse(motion.skeleton.rest.rotations[foot]))
        _, about_up = rotation.swing_and_twist(turned, np.array([0.0, 1.0, 0.0]))
        yaw = np.unwrap(2 * np.arctan2(about_up[:, 1], about_up[:, 3]))
        off, total = np.zeros(motion.frames), np.zeros(motion.frames)
        for first, last in runs(_resting(motion.frames, ground, contacts, limb)):
            weight = held(every, first, last, ease, ease)
            off += weight * (yaw[first : last + 1].mean() - yaw[np.clip(every.astype(int), first, last)])
            total += weight
        if np.any(off):
            back = rotation.about([0.0, 1.0, 0.0], off / np.maximum(total, 1.0))
            motion.swing(foot, motion.below(foot), back)


def _resting(frames: int, ground: Footing, contacts: Sequence[Contact], limb: str) -> BoolArray:
    """In which frames any point of a foot rests, ``(F,)``."""
    names = {point.name for point in ground.points if point.limb == limb}
    out = np.zeros(frames, bool)
    for contact in contacts:
        if contact.point in names:
            out[contact.first : contact.last + 1] = True
    return out


def keep_feet(clip: Clip, body: Body, before: Steps) -> Clip:
    """The clip with its feet where they rested before, and near the floor as high as they were."""
    ground = footing(body)
    if ground is None or not before.contacts:
        return clip
    source = feet.FootTracks(before.paths, before.floor, ground.probes.leg)
    return _planted(clip, WorldMotion.of_clip(clip), body, ground, before.contacts, source, False)


def _planted(
    clip: Clip,
    motion: WorldMotion,
    body: Body,
    ground: Footing,
    contacts: Sequence[Contact],
    source: feet.FootTracks,
    moved: bool,
) -> Clip:
    strengths = dict.fromkeys(ground.legs, 1.0)
    plants = feet.footplants(motion, ground.points, ground.legs, contacts, source, strengths, moved)
    lowered = feet.lower_pelvis(motion, plants, ground.probes.leg)
    translated = set(clip.moving.tolist())
    if np.any(lowered > 0):
        translated.add(body.hips)
        for joint in motion.below(body.hips):
            motion.positions[joint, :, 1] -= lowered
    feet.plant(motion, plants, lowered, {})
    return local_clip(clip.name, motion, translated)


def _paths(clip: Clip, tracks: SourceTracks, ground: Footing) -> dict[str, FloatArray]:
    """As :func:`~armuto.contacts.points.target_paths`, for which the tracks do where no mesh shows the sole."""
    if any(point.sole for point in ground.points):
        return target_paths(WorldMotion.of_clip(clip), ground.points)
    return {point.name: tracks.path(point) for point in ground.points}


def bearing(paths: dict[str, FloatArray], contact: Contact, ground: Footing) -> FloatArray:
    """How much a point bears its foot, ``(F,)``: half where it is so much higher than the lowest of the foot."""
    limb = next(point.limb for point in ground.points if point.name == contact.point)
    lowest = np.min([paths[point.name][:, 1] for point in ground.points if point.limb == limb], axis=0)
    return feet.bearing(paths[contact.point][:, 1] - lowest, ground.probes.leg)
