"""What layers of touch-ups do to a motion.

With R(t) the world rotation of a joint and v_1, v_2, … the offsets of its layers in its own frame, in their order, each
times the weight of its layer::

    R'(t) = R(t) exp(v_1(t)) exp(v_2(t)) …

and all it carries turns with it. Hips and what is above them are moved by the sum of their offsets. Then the head is
brought to its place, feet and hands that nobody touched are brought back to what they rest on, and touched ones to
their places, each moved from where it is by then, with the limb solved as contacts solve it
(:func:`armuto.constraints.limbs.reach`). A hand that keeps to another follows it last. Since places are solved from
the trunk outwards and add up, layers on different limbs commute; and each frame is computed by itself.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import groupby

import numpy as np

from armuto.constraints.feet import BRIDGE, EASE
from armuto.constraints.hands import BRIDGE as HAND_BRIDGE
from armuto.constraints.hands import EASE as HAND_EASE
from armuto.constraints.limbs import LimbChain, limb_chains, reach, turn_chain, turns_between
from armuto.contacts.model import Contact, ContactSet
from armuto.contacts.probes import ContactProbes
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.curves import blend_intervals
from armuto.kinematics.ik import SOFT, fabrik
from armuto.kinematics.vectors import lengths
from armuto.kinematics.world_motion import WorldMotion
from armuto.refining.refined import Refined
from armuto.retarget.context import RetargetContext
from armuto.touchups.curves import offsets, presence
from armuto.touchups.model import Layer, Layers
from armuto.touchups.report import TouchUpReport
from armuto.touchups.resolving import HEAD, PlacedTouchUp, place

NOTHING = 1e-12
SLIGHT = 1e-9  # metres, radians


@dataclass(frozen=True, eq=False)
class TouchUps:
    """The layers of a clip, and the seconds of its take that its frames show ``(F,)``. mirrored: its left is the take's
    right."""

    layers: Layers
    times: FloatArray
    mirrored: bool = False

    @classmethod
    def of_take(cls, layers: Layers, clip: Clip) -> TouchUps:
        """Layers over a clip as it was recorded."""
        return cls(layers, np.arange(clip.frames) / clip.fps)

    @classmethod
    def of_refined(cls, layers: Layers, refined: Refined, fps: float) -> TouchUps:
        """Layers over a clip as its recipe has it. fps: of its take."""
        return cls(layers, refined.frames / fps, refined.mirrored)

    @cached_property
    def active(self) -> bool:
        return bool(self.layers.active)


def apply(
    motion: WorldMotion,
    touchups: TouchUps,
    context: RetargetContext,
    contacts: ContactSet,
    probes: ContactProbes,
    across: FloatArray | None = None,
) -> TouchUpReport:
    """Layers over a motion, in place.

    Parameters
    ----------
    motion : WorldMotion
        Some frames of what a transfer has made, after travel; ``motion.numbers`` says which of the clip's they are.
    touchups : TouchUps
    context : RetargetContext
    contacts : ContactSet
        That feet and hands keep, at least those that reach into these frames, in frames of the clip.
    probes : ContactProbes
    across : array (3,), optional
        The normal of the plane the clip was mirrored in, for layers that were made before it was.

    Returns
    -------
    TouchUpReport
    """
    rows, lost = place(touchups.layers, context, touchups.mirrored, across)
    curves = [_Curve(row, touchups, motion) for row in rows]
    touched = _presence_by_limb(curves)
    curves = [curve for curve in curves if curve.there.any()]
    if not curves:
        return TouchUpReport(touched=touched, lost=lost)
    turning, moving, heads, ends = _by_kind(curves)
    reference = _reference(motion, [*turning, *moving, *heads])
    _turn(motion, turning)
    _move(motion, moving)
    short = _put(motion, heads)
    holding = _Holding(motion, reference, context, contacts, probes)
    holding.hold(_presence_by_limb(turning))
    short |= _put(motion, ends)
    holding.follow(_presence_by_limb([*turning, *ends]))
    return TouchUpReport(short, touched, lost, frozenset(curve.row.joint for curve in moving))


class _Curve:
    """A touch-up over the frames of a motion: offsets and turns ``(F, 3)``, how much of it is there ``(F,)``,
    weighted."""

    def __init__(self, row: PlacedTouchUp, touchups: TouchUps, motion: WorldMotion) -> None:
        self.row = row
        at = touchups.times[motion.numbers.astype(int)]
        period = _period(touchups.times, motion)
        weight = weight_of(row.layer, at)
        values, self.presence = over_time(row, at, period)
        values = values * weight[:, None]
        self.presence = self.presence * np.minimum(weight, 1.0)
        self.offsets, self.turns = values[:, :3], values[:, 3:]
        self.there: BoolArray = np.any(np.abs(values) > NOTHING, axis=1)


def _period(times: FloatArray, motion: WorldMotion) -> float | None:
    """Seconds after which a clip that loops shows the same again; None where it does not, or runs back and forth."""
    if motion.loop is None or motion.loop >= len(times) or not np.all(np.diff(times[: motion.loop + 1]) > 0):
        return None
    return float(times[motion.loop] - times[0])


def over_time(row: PlacedTouchUp, at: FloatArray, period: float | None = None) -> tuple[FloatArray, FloatArray]:
    """Offsets with turns ``(F, 6)`` of a touch-up at moments ``(F,)`` of the take, and how much of it is there
    ``(F,)``.

    period: of a clip that loops, over whose seam an ease goes on.
    """
    touchup = row.touchup
    times, ends = row.times, (touchup.ease_in, touchup.ease_out)
    if period is None and _is_elsewhere(times, *ends, at):
        return np.zeros((len(at), 6)), np.zeros(len(at))
    ways = [key.to_next for key in touchup.keys]
    rows = np.concatenate([row.values, row.turns], axis=1)
    values = offsets(times, rows, ways, *ends, at)
    presence_over_time = presence(times, *ends, at)
    if period is None or None in ends:
        return values, presence_over_time
    total = presence_over_time.copy()
    for by in (-period, period):
        values = values + offsets(times + by, rows, ways, *ends, at)
        total = total + presence(times + by, *ends, at)
    # Where two repetitions meet, they share.
    share = 1.0 / np.maximum(total, 1.0)
    return values * share[:, None], np.minimum(total, 1.0)


def _is_elsewhere(times: FloatArray, ease_in: float | None, ease_out: float | None, at: FloatArray) -> bool:
    """Whether nothing of a touch-up is there at any of these moments, which one frame among many tells at once."""
    before = ease_in is not None and float(at.max()) < times[0] - ease_in
    after = ease_out is not None and float(at.min()) > times[-1] + ease_out
    return bool(before or after)


def weight_of(layer: Layer, at: FloatArray) -> FloatArray:
    """The weight of a layer at moments ``(F,)`` of the take; that of its first and last key is kept beyond them."""
    if isinstance(layer.weight, tuple):
        times = np.array([key.time for key in layer.weight])
        values = np.array([[key.value] for key in layer.weight])
        return offsets(times, values, ["smooth"] * len(times), None, None, at)[:, 0]
    return np.full(len(at), float(layer.weight))


def _presence_by_limb(curves: Iterable[_Curve]) -> dict[str, FloatArray]:
    out: dict[str, FloatArray] = {}
    for curve in curves:
        limb = curve.row.limb
        out[limb] = np.maximum(out.get(limb, 0.0), curve.presence)
    return out


def _by_kind(curves: list[_Curve]) -> tuple[list[_Curve], list[_Curve], list[_Curve], list[_Curve]]:
    """What turns a joint, what moves the body, what moves the head, and what moves the end of another limb."""
    of = {
        channel: [curve for curve in curves if curve.row.touchup.channel == channel]
        for channel in ("rotation", "translation", "place")
    }
    heads = [curve for curve in of["place"] if curve.row.chain is not None and curve.row.chain.name == HEAD]
    return of["rotation"], of["translation"], heads, [curve for curve in of["place"] if curve not in heads]


def _reference(motion: WorldMotion, curves: list[_Curve]) -> WorldMotion:
    """What feet and hands keep to: the motion as it is, but for layers that are not to hold them."""
    reference = replace(motion, rotations=motion.rotations.copy(), positions=motion.positions.copy())
    turning, moving, heads, _ = _by_kind([curve for curve in curves if not curve.row.layer.hold])
    _turn(reference, turning)
    _move(reference, moving)
    _put(reference, heads)
    return reference


def _turn(motion: WorldMotion, curves: list[_Curve]) -> None:
    """Joints turned in their own frames, from the trunk outwards; those of several layers in the layers' order."""
    for joint, rows in groupby(sorted(curves, key=lambda curve: curve.row.joint), lambda curve: curve.row.joint):
        local = np.broadcast_to(rotation.IDENTITY, (motion.frames, 4))
        for curve in rows:
            local = rotation.multiply(local, rotation.from_vector(curve.offsets))
        now = motion.rotations[joint]
        q = rotation.multiply(rotation.multiply(now, local), rotation.inverse(now))
        motion.swing(joint, motion.below(joint), q)


def _move(motion: WorldMotion, curves: list[_Curve]) -> None:
    for curve in curves:
        for joint in motion.below(curve.row.joint):
            motion.positions[joint] += curve.offsets


def _put(motion: WorldMotion, curves: list[_Curve]) -> dict[str, FloatArray]:
    """Ends of limbs to their places, moved from where they are, the sum of all layers; then turned. Returns by limb
    how far it falls short ``(F,)``."""
    short: dict[str, FloatArray] = {}
    for joint, group in groupby(sorted(curves, key=lambda curve: curve.row.joint), lambda curve: curve.row.joint):
        rows = list(group)
        chain = rows[0].row.chain
        assert chain is not None
        by, turn = np.zeros((motion.frames, 3)), np.broadcast_to(rotation.IDENTITY, (motion.frames, 4))
        for curve in rows:
            axes = _axes(motion, curve)
            by = by + (curve.offsets if axes is None else rotation.rotate(axes, curve.offsets))
            turns = curve.turns if axes is None else rotation.rotate(axes, curve.turns)
            turn = rotation.multiply(rotation.from_vector(turns), turn)
        frames = lengths(by) > NOTHING
        goal = motion.positions[joint] + by
        if frames.any():
            _reach(motion, chain, goal, frames)
            short[rows[0].row.limb] = np.where(frames, lengths(goal - motion.positions[joint]), 0.0)
        if any(np.any(curve.turns) for curve in rows):
            motion.swing(joint, motion.below(joint), turn)
    return short


def _axes(motion: WorldMotion, curve: _Curve) -> FloatArray | None:
    """How the part that a place is moved against is turned from its stance ``(F, 4)``."""
    if curve.row.stance is None:
        return None
    return rotation.multiply(motion.rotations[curve.row.against], rotation.inverse(curve.row.stance))


def _reach(motion: WorldMotion, chain: LimbChain, goal: FloatArray, frames: BoolArray) -> None:
    if chain.name != HEAD:
        reach(motion, chain, goal, frames)
        return
    at = [motion.positions[joint][frames] for joint in chain.joints]
    turn_chain(motion, chain.joints, turns_between(at, fabrik(at, goal[frames])), frames)


@dataclass(frozen=True, eq=False)
class _Holding:
    """Feet and hands, and what they rest on. reference: where they were before anything was touched, and are to be."""

    motion: WorldMotion
    reference: WorldMotion
    context: RetargetContext
    contacts: ContactSet
    probes: ContactProbes

    @cached_property
    def chains(self) -> Mapping[str, LimbChain]:
        return {limb: replace(chain, soft=SOFT) for limb, chain in limb_chains(self.context).items()}

    @cached_property
    def near(self) -> list[Contact]:
        """The contacts that bear on these frames: beyond the longest ease and bridge none does."""
        numbers, loop = self.motion.numbers, self.motion.loop
        far = max(EASE + BRIDGE, HAND_EASE + HAND_BRIDGE) * self.motion.fps + 1
        first, last = float(numbers[0]) - far, float(numbers[-1]) + far
        shifts = (0,) if loop is None else (0, -loop, loop)
        return [
            contact
            for contact in self.contacts.contacts
            if any(contact.last + by >= first and contact.first + by <= last for by in shifts)
        ]

    @cached_property
    def feet(self) -> dict[str, str]:
        """The limb of every point of a foot."""
        return {point.name: point.limb for point in self.probes.points if point.is_foot}

    @cached_property
    def hands(self) -> dict[str, str]:
        """The limb of every hand, by its part and by its point."""
        out = {}
        for point in self.probes.points:
            if not point.is_foot:
                out[point.part] = out[point.name] = point.limb
        return out

    def hold(self, own: Mapping[str, FloatArray]) -> None:
        """Bring back to the floor, or to the body, what rests there. own: how much each limb was turned by hand
        ``(F,)``, which lets go of it as far."""
        for limb in self.chains:
            resting = [
                contact
                for contact in self.near
                if (self.feet.get(contact.point) or self.hands.get(contact.point)) == limb
                and contact.to not in self.hands
            ]
            self._bring(limb, resting, 1.0 - own.get(limb, np.zeros(self.motion.frames)))

    def follow(self, touched: Mapping[str, FloatArray]) -> None:
        """Let a hand that nobody touched follow the one it keeps to."""
        still = np.zeros(self.motion.frames)
        for limb in self.chains:
            between = [
                contact
                for contact in self.near
                if limb in (self.hands.get(contact.point), self.hands.get(contact.to)) and contact.to in self.hands
            ]
            others = [other for contact in between for other in self._limbs(contact) if other != limb]
            if any(other in touched for other in others):
                self._bring(limb, between, 1.0 - touched.get(limb, still))

    def _limbs(self, contact: Contact) -> tuple[str, str]:
        return self.hands[contact.point], self.hands[contact.to]

    def _bring(self, limb: str, contacts: list[Contact], share: FloatArray) -> None:
        motion, end = self.motion, self.chains[limb].joints[-1]
        if not contacts or not np.any(share):
            return
        ease, bridge = (EASE, BRIDGE) if contacts[0].point in self.feet else (HAND_EASE, HAND_BRIDGE)
        by, about = np.zeros((motion.frames, 3)), np.zeros((motion.frames, 3))
        stretches = [(contact.first, contact.last) for contact in contacts]
        for interval in blend_intervals(stretches, ease * motion.fps, bridge * motion.fps, motion.loop):
            part, w = interval.weight(motion.numbers)
            for number, of_interval in interval.shares(motion.numbers[part], ease * motion.fps):
                contact = contacts[number]
                weight = (w * of_interval * share[part] * self._strength(limb, contact))[:, None]
                place, turned = self._goal(limb, end, contact, part)
                by[part] += weight * (place - motion.positions[end][part])
                difference = rotation.multiply(turned, rotation.inverse(motion.rotations[end][part]))
                about[part] += weight * rotation.vector(difference)
        frames = lengths(by) > SLIGHT
        reach(motion, self.chains[limb], motion.positions[end] + by, frames)
        if np.any(lengths(about) > SLIGHT):
            motion.swing(end, motion.below(end), rotation.from_vector(about))

    def _strength(self, limb: str, contact: Contact) -> float:
        settings = self.context.fitting.settings
        if contact.point in self.feet:
            return settings.holding(limb)
        return settings.keeping("floor" if not contact.to else "other hand" if contact.to in self.hands else "body")

    def _goal(self, limb: str, end: int, contact: Contact, part: slice) -> tuple[FloatArray, FloatArray]:
        """Where a contact wants an end ``(F, 3)``, and how it is turned there ``(F, 4)``: as in the reference, with
        what it rests on."""
        place, turned = self.reference.positions[end][part], self.reference.rotations[end][part]
        support = self._support(limb, contact)
        if support is None:
            return place, turned
        before, now = self.reference, self.motion
        by = rotation.multiply(now.rotations[support][part], rotation.inverse(before.rotations[support][part]))
        offset = rotation.rotate(by, place - before.positions[support][part])
        return now.positions[support][part] + offset, rotation.multiply(by, turned)

    def _support(self, limb: str, contact: Contact) -> int | None:
        """The joint that an end rests on; None where that is the floor, or a thing."""
        if contact.to not in self.hands:
            return self.context.first_joints.get(contact.to)
        own, other = self._limbs(contact)
        chain = self.chains.get(other if own == limb else own)
        return chain.joints[-1] if chain else None
