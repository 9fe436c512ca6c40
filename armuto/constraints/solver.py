"""All constraints of a transfer, in their order, each on what the last has left.

Arms are spread, legs stand on their contacts (the body lowered where they are too short), arms keep clear of the body,
hands keep their places, joints keep within their limits. Travel comes after that, and touch-ups between it and the
limits (:mod:`armuto.pipeline`).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from armuto.body.joint_limits import ranges_of
from armuto.constraints import arms, feet, hands
from armuto.constraints.displacement import BodyDisplacement
from armuto.constraints.limbs import LimbChain, limb_chains
from armuto.constraints.limits import limit
from armuto.contacts.model import ContactSet
from armuto.contacts.probes import ContactProbes, SourceTracks
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.vectors import cross, dot, lengths
from armuto.kinematics.world_motion import WorldMotion
from armuto.retarget.context import RetargetContext
from armuto.retarget.scaling import knuckle, width_ratio

# Half a palm's thickness over the way from wrist to knuckles: 14 of 95 mm, where a source has no mesh (Tilley 1993).
PALM = 0.15
MARGIN = 2.0  # seconds on either side that a frame's result can depend on
UP = np.array([0.0, 1.0, 0.0])


@dataclass(frozen=True)
class ConstraintReport:
    """What the constraints did.

    short: by limb how far it falls short of its contacts ``(F,)``, in metres. hits: by part the frames in which a joint
    was held back by its limits. turned_out: by arm the angle it was turned out by ``(F,)``, in radians. lowered: how
    far the pelvis was lowered ``(F,)``, in metres.
    """

    short: Mapping[str, FloatArray] = field(default_factory=dict)
    hits: Mapping[str, BoolArray] = field(default_factory=dict)
    turned_out: Mapping[str, FloatArray] = field(default_factory=dict)
    lowered: FloatArray = field(default_factory=lambda: np.zeros(0))

    def cut(self, frames: slice) -> ConstraintReport:
        return ConstraintReport(
            {limb: values[frames] for limb, values in self.short.items()},
            {part: values[frames] for part, values in self.hits.items()},
            {limb: values[frames] for limb, values in self.turned_out.items()},
            self.lowered[frames],
        )


@dataclass(frozen=True)
class _Problem:
    """What all steps share. paths: of the source's points, by name, in the target's size and facing, ``(F, 3)``;
    offsets: from there to the target's hands through rotations alone, by part; legs, arms: chains that reach for
    something, by limb; swivels: radians by limb; chest, ahead: how the chest is turned ``(F, 4)`` and where it faces
    ``(F, 3)``."""

    motion: WorldMotion
    tracks: SourceTracks
    probes: ContactProbes
    contacts: ContactSet
    context: RetargetContext
    paths: Mapping[str, FloatArray]
    offsets: Mapping[str, FloatArray]
    legs: Mapping[str, LimbChain]
    arms: Mapping[str, LimbChain]
    swivels: Mapping[str, float]
    chest: FloatArray
    ahead: FloatArray


def solve_constraints(
    motion: WorldMotion,
    tracks: SourceTracks,
    probes: ContactProbes,
    contacts: ContactSet,
    context: RetargetContext,
    displaced: BodyDisplacement | None = None,
) -> ConstraintReport:
    """Everything between rotations alone and :func:`hold_limits`, on the motion in place. displaced: how the
    body was moved off its path, by which feet have to be brought back also where a copy would need nothing."""
    settings = context.fitting.settings
    problem = _problem(motion, tracks, probes, contacts, context)
    exact = displaced is None and is_exact_copy(context)
    held = np.zeros(motion.frames) if displaced is None else displaced.held
    lowered, short = (np.zeros(motion.frames), {}) if exact else _plant_feet(problem, held)
    volume = arms.body_volume(context, problem.arms)
    turned_out: dict[str, FloatArray] = {}
    allowed: dict[str, FloatArray] = {}
    if volume.trunk and settings.clear > 0:
        allowed = arms.source_depths(motion, problem.arms, volume, source_build(motion, tracks, context))
        turned_out = arms.clear(motion, problem.arms, volume, settings.clear, allowed, problem.chest)
    reached = {} if exact else _hold_hands(problem)
    if reached and turned_out:
        # What a hand keeps may have brought it back into the body.
        again = arms.clear(motion, problem.arms, volume, settings.clear, allowed, problem.chest)
        turned_out = {limb: angle + again.get(limb, 0.0) for limb, angle in turned_out.items()}
    return ConstraintReport(short | reached, {}, turned_out, lowered)


def hold_limits(motion: WorldMotion, context: RetargetContext) -> dict[str, BoolArray]:
    """The last of the constraints: joints back within their limits, on the motion in place, where that is chosen.
    Returns by part the frames ``(F,)`` in which one was held back."""
    fitting = context.fitting
    if fitting.settings.limits == "off":
        return {}
    ranges = ranges_of(fitting.plan, fitting.ranges)
    return limit(motion, fitting.joint_frames, ranges, fitting.settings.limits == "hard")


def _problem(
    motion: WorldMotion,
    tracks: SourceTracks,
    probes: ContactProbes,
    contacts: ContactSet,
    context: RetargetContext,
) -> _Problem:
    fitting, chains = context.fitting, limb_chains(context)
    point_of = {point.limb: point for point in probes.points}
    legs = {limb: chain for limb, chain in chains.items() if limb in point_of and point_of[limb].is_foot}
    reaching = {limb: chain for limb, chain in chains.items() if limb in point_of and not point_of[limb].is_foot}
    chest, ahead = motion.rotations[context.chest], chest_ahead(motion, context)
    if fitting.settings.spread:
        arms.spread(motion, reaching, fitting.settings.spread, ahead)
    scale = context.ratios.of_places()
    paths = {point.name: rotation.rotate(fitting.turn, tracks.path(point)) * scale for point in probes.points}
    offsets = {
        point.part: motion.positions[point.target] - paths[point.name] for point in probes.points if not point.is_foot
    }
    swivels = {limb: float(np.radians(degrees)) for limb, degrees in fitting.settings.bends.items()}
    return _Problem(motion, tracks, probes, contacts, context, paths, offsets, legs, reaching, swivels, chest, ahead)


def is_exact_copy(context: RetargetContext) -> bool:
    """Whether rotations alone make the very motion: on the source's own body, in whatever size, in the very stance, and
    where nothing was chosen that changes it. There is nothing to hold then, however a capture trembles."""
    fitting, settings = context.fitting, context.fitting.settings
    chosen = settings.bends or settings.follow or settings.spread or settings.moved or settings.forearm
    aligned = all(row.left < 0.01 for row in fitting.rows)
    return not chosen and context.ratios.uniform and aligned and fitting.same_build


def chest_ahead(motion: WorldMotion, context: RetargetContext) -> FloatArray:
    """Where the chest faces over time, ``(F, 3)``."""
    joint, fitting = context.chest, context.fitting
    local = rotation.rotate(rotation.inverse(fitting.target_pose.rotations[joint]), fitting.forward)
    return rotation.rotate(motion.rotations[joint], np.broadcast_to(local, (motion.frames, 3)))


def _plant_feet(problem: _Problem, held: FloatArray) -> tuple[FloatArray, dict[str, FloatArray]]:
    """Bring feet to their contacts. Returns how far the pelvis was lowered ``(F,)``, and by leg how far it falls short.
    held: how much the pelvis is not to be lowered for that ``(F,)``."""
    motion, context, probes = problem.motion, problem.context, problem.probes
    lowered = np.zeros(motion.frames)
    if probes.leg <= 0:
        return lowered, {}
    height = context.ratios.height
    leg = probes.leg * height
    source = feet.FootTracks(problem.paths, problem.contacts.floor * height, leg)
    strengths = {limb: context.fitting.settings.holding(limb) for limb in problem.legs}
    plants = feet.footplants(motion, probes.points, problem.legs, problem.contacts.contacts, source, strengths)
    if not plants:
        return lowered, {}
    lowered = feet.lower_pelvis(motion, plants, leg) * (1 - held)
    if np.any(lowered > 1e-7):
        lower_body(motion, context, lowered)
    return lowered, feet.plant(motion, plants, lowered, problem.swivels)


def lower_body(motion: WorldMotion, context: RetargetContext, by: FloatArray) -> None:
    """Lower the body by so many metres ``(F,)``, in place: the lowest carrier of travel and all it carries, not a root
    bone above it."""
    carriers = context.carriers
    for joint in motion.below(carriers[-1]) if carriers else range(len(motion.skeleton)):
        motion.positions[joint, :, 1] -= by


def source_build(motion: WorldMotion, tracks: SourceTracks, context: RetargetContext) -> FloatArray:
    """Where the target's joints would be on the source's build in the target's size, ``(J, F, 3)``.

    About the target's hips, or the topmost joint that has a source where they have none. Joints without a source stay
    where they are.
    """
    mapping, fitting = context.mapping, context.fitting
    positions = motion.positions.copy()
    tracked = [joint for joint, driver in mapping.items() if driver.source in tracks.positions]
    if not tracked:
        return positions
    centre = context.hips if context.hips in tracked else min(tracked)
    for joint in tracked:
        offset = tracks.positions[mapping[joint].source] - tracks.positions[mapping[centre].source]
        positions[joint] = motion.positions[centre] + fitting.scale * rotation.rotate(fitting.turn, offset)
    return positions


def _hold_hands(problem: _Problem) -> dict[str, FloatArray]:
    """Bring hands to what they keep their places to. Returns by arm how far it falls short ``(F,)``."""
    probes, context = problem.probes, problem.context
    fitting = context.fitting
    hand_of = {point.limb: (point.part, point.target) for point in probes.points if not point.is_foot}
    parts = {part for part, _ in hand_of.values()}
    contacts = [contact for contact in problem.contacts.contacts if contact.point in parts]
    strengths = {name: fitting.settings.keeping(name) for name in ("floor", "other hand", "body")}
    if not problem.arms or not contacts or not any(strengths.values()):
        return {}
    on_body = {
        (contact.point, contact.to): _place_on_body(problem, contact.point, contact.to)
        for contact in contacts
        if contact.to in probes.parts and not contact.to.endswith("hand")
    }
    left = cross(UP, problem.ahead)
    shifts = {
        limb: shift[0] * left + shift[1] * UP + shift[2] * problem.ahead
        for limb, shift in fitting.settings.moved.items()
        if limb in hand_of
    }
    carried = _carried_places(problem, [part for part, _ in hand_of.values() if part in probes.parts])
    targets = hands.HandTargets(problem.paths, carried, on_body, problem.offsets, shifts)
    return hands.hold(problem.motion, problem.arms, hand_of, contacts, targets, strengths, problem.swivels)


def _carried_places(problem: _Problem, parts: list[str]) -> dict[str, FloatArray]:
    """The source's hands in the size of the target's hands ``(F, 3)``, by part.

    Between hands lies what they carry, which is as large as they are, whatever arms and legs may be. Joints lie inside
    hands: with palms thicker or thinner than the source's, surfaces that touch would cut into each other or part, so
    that the places of two hands are moved apart or together until what lies between the palms keeps its width. It
    counts as far as a palm faces the other hand.
    """
    context, fitting, probes = problem.context, problem.context.fitting, problem.probes
    size = context.hand_scale
    places = {
        part: size * rotation.rotate(fitting.turn, problem.tracks.positions[probes.parts[part]]) for part in parts
    }
    if len(places) != 2:
        return places
    drivers, (first, second) = context.first_drivers, list(places)
    between = places[first] - places[second]
    distance = lengths(between)
    line = between / np.maximum(distance, 1e-6)[:, None]
    for part, sign in ((first, 1.0), (second, -1.0)):
        hand, finger = drivers.get(part), knuckle(drivers, part.split()[0])
        palm = fitting.target.observed.palms.get(hand.target) if hand else None
        if hand is None or palm is None or finger is None or not palm.any():
            continue
        at, half = fitting.target_pose.positions, float(np.linalg.norm(palm))
        source_palm = fitting.source.observed.palms.get(hand.source)
        usual = PALM * float(np.linalg.norm(at[finger.target] - at[hand.target]))
        thicker = half - (usual if source_palm is None else size * float(np.linalg.norm(source_palm)))
        faces = np.abs(dot(rotation.rotate(problem.motion.rotations[hand.target], palm / half), line))
        places[part] = places[part] + sign * np.maximum(thicker * faces, -0.5 * distance)[:, None] * line
    return places


def _place_on_body(problem: _Problem, hand: str, part: str) -> FloatArray:
    """Where a hand is on the target's body as it is on the source's: across by the width of the two, along by their
    size.

    With o the way from the part to the hand, in the axes of the body's stance as the part carries them.
    """
    motion, tracks, probes, context = problem.motion, problem.tracks, problem.probes, problem.context
    fitting, joint, source = context.fitting, context.first_joints[part], probes.parts[part]
    offset = tracks.positions[probes.parts[hand]] - tracks.positions[source]
    turned = rotation.multiply(tracks.rotations[source], rotation.inverse(fitting.source_pose.rotations[source]))
    offset = rotation.rotate(fitting.turn, rotation.rotate(rotation.inverse(turned), offset))
    kind = "upper leg" if part == "hips" or part.endswith("leg") else "upper arm"
    along = (offset @ UP)[:, None] * UP
    placed = fitting.scale * along + width_ratio(fitting, context.last_drivers, kind) * (offset - along)
    carried = rotation.multiply(motion.rotations[joint], rotation.inverse(fitting.target_pose.rotations[joint]))
    return np.asarray(motion.positions[joint] + rotation.rotate(carried, placed))
