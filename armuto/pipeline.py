"""Transfer: a clip on one skeleton computed on another through a fitting.

First rotations alone. For each paired joint, with world rotations of source S and target T at frame t and in the stance::

    R_T(t) = D(t) · R_T(stance),   D(t) = C · R_S(t) · R_S(stance)⁻¹ · C⁻¹

C turns the source's facing to the target's. A joint led by two source joints takes the D between theirs. Unpaired joints keep
their stance against their parent. The hips, and a root bone above them, move as the source's do, in the target's leg lengths:

    p_T(t) = s_T + scale · C · (p_S(t) − s_S)

where s is the place of the joint when the body stands in its stance, its feet on the floor. Then what rotations leave undone is
settled (:mod:`armuto.settling`), and travel is put where it is wanted.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from armuto.constraints import travel
from armuto.constraints.feet import BRIDGE, telling
from armuto.constraints.root_bone import root_of
from armuto.constraints.solver import MARGIN, Report, ratios, settle, travelled
from armuto.contacts.probes import Ear, Found, Sound, ear, find, found_in
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import Pose, local_rotations
from armuto.kinematics.world_motion import Moving
from armuto.pairing.joint_mapping import Lead, first_leads
from armuto.pairing.twist_joints import Twist, twists
from armuto.retarget import influence
from armuto.retarget.fitting import Fitting
from armuto.retarget.grounding import standing_places
from armuto.retarget.settings import Travel

BLOCK = 1024  # frames


@dataclass(frozen=True)
class Performance:
    """A clip performed: the motion, the contacts it kept, and what settling did."""

    clip: Clip
    found: Found
    report: Report


def transfer(clip: Clip, fitting: Fitting) -> Clip:
    """The clip performed by the fitting's target, with the clip's name and frame rate."""
    return perform(clip, fitting).clip


def perform(
    clip: Clip, fitting: Fitting, found: Found | None = None, first: int = 0, last: int | None = None
) -> Performance:
    """The clip, or its frames first to last, performed by the fitting's target.

    found: its contacts, where they are known or set by hand; else they are looked for. Any frames come out as they would with
    the whole clip: those around them, and those that tell where its contacts stand, are worked through with them. Cost is
    linear in frames; rotations are worked through in blocks that fit a processor's cache.
    """
    last = clip.frames - 1 if last is None else last
    whole = first == 0 and last == clip.frames - 1
    led = fitting.leads()
    heard = ear(fitting, led)
    if found is None and not whole:
        found = find(clip, fitting, led)
    kept = found
    rows = np.arange(clip.frames)
    if found is not None and not whole:
        kept, rows = _near(clip, fitting, heard, found, first, last)
    part = (
        clip
        if len(rows) == clip.frames
        else replace(clip, rotations=clip.rotations[rows], translations=clip.translations[rows])
    )
    carriers = travelling(fitting, led)
    moving, sound, shifted = _turned(part, fitting, led, heard, carriers)
    if found is None or kept is None:
        found = kept = found_in(sound, heard, fitting, clip) if heard.leg > 0 and clip.frames > 2 else Found((), 0.0)
    report = settle(moving, sound, heard, kept, rows.astype(float), fitting, led, carriers)
    _place(moving, fitting, led, carriers)
    made = _local(clip, moving, sorted(shifted | _above(fitting, carriers)))
    shown = slice(int(np.searchsorted(rows, first)), int(np.searchsorted(rows, last)) + 1)
    if not (whole or len(rows) == last - first + 1):
        made = replace(made, rotations=made.rotations[shown], translations=made.translations[shown])
        report = report.cut(shown)
    return Performance(made, found, report)


def _near(clip: Clip, fitting: Fitting, heard: Ear, found: Found, first: int, last: int) -> tuple[Found, IntArray]:
    """The contacts that frames from first to last depend on, and the frames that have to be worked through for them."""
    margin = int(MARGIN * clip.fps)
    start, stop = max(0, first - margin), min(clip.frames - 1, last + margin)
    limb_of = {point.name: point.limb for point in heard.points}
    reach = int(BRIDGE * clip.fps) + 1
    contacts, told = telling(found.contacts, limb_of, start - reach, stop + reach, found.seam)
    wanted = told | set(range(start, stop + 1))
    if fitting.settings.travel != Travel():
        wanted |= set(range(min(clip.frames, int(fitting.settings.travel.smoothing * clip.fps) + 2)))
    return replace(found, contacts=contacts), np.array(sorted(wanted))


def _turned(
    clip: Clip, fitting: Fitting, led: dict[int, Lead], heard: Ear, carriers: list[int]
) -> tuple[Moving, Sound, set[int]]:
    """Rotations alone: the moving target, what was heard of the source, and the joints that move against their parents."""
    target, stance = fitting.target, fitting.target_pose
    turning = twists(target, led)
    shifts = shifting(clip, fitting, led)
    chosen = influence.chosen(fitting.settings.follow, led, target, fitting.plan)
    up = np.array([0.0, 1.0, 0.0])
    axes = np.stack([np.cross(up, fitting.forward), up, fitting.forward])
    count = clip.frames
    world = np.empty((len(target), count, 4))
    places = np.empty((len(target), count, 3))
    listened = sorted({*heard.joints, *(led[joint].a for joint in led), *(led[joint].a for joint in carriers)})
    positions = {joint: np.empty((count, 3)) for joint in listened}
    turns = {joint: np.empty((count, 4)) for joint in heard.joints}
    moved = {joint: np.empty((count, 3)) for joint in shifts}
    for start in range(0, count, BLOCK):
        frames = slice(start, min(start + BLOCK, count))
        part = replace(clip, rotations=clip.rotations[frames], translations=clip.translations[frames])
        source = part.world()
        block = _world_rotations(source, fitting, led, stance)
        _share_hands(block, fitting, led, stance)
        _twist(block, fitting, led, stance, turning)
        influence.follow_less(block, target, stance, fitting.target_stance.rotations, axes, chosen)
        world[:, frames] = block
        for joint, values in _shifted(part, fitting, led, stance.rotations, shifts).items():
            share = chosen[joint].shift if joint in chosen else 1.0
            moved[joint][frames] = target.rest_translation[joint] + share * (values - target.rest_translation[joint])
        for joint in listened:
            positions[joint][frames] = source.positions[:, joint]
        for joint in heard.joints:
            turns[joint][frames] = source.rotations[:, joint]
    sound = Sound(positions, turns)
    _carry(places, world, moved, positions, fitting, led, carriers, clip.fps)
    return Moving(target, world, places, clip.fps), sound, set(shifts)


def _carry(
    places: FloatArray,
    world: FloatArray,
    moved: dict[int, FloatArray],
    heard: dict[int, FloatArray],
    fitting: Fitting,
    led: dict[int, Lead],
    carriers: list[int],
    fps: float,
) -> None:
    """Fill in the places of all joints ``(J, F, 3)``: carriers of travel where the source's go, others where bones end."""
    target, ratio = fitting.target, ratios(fitting)
    source_stand, target_stand = standing_places(fitting, led)
    for joint in range(len(target)):
        above = int(target.parents[joint])
        if joint in carriers:
            away = rotation.rotate(fitting.turn, heard[led[joint].a] - source_stand[led[joint].a])
            places[joint] = target_stand[joint] + travelled(away, ratio, fps)
            continue
        local = moved.get(joint, target.rest_translation[joint])
        if above < 0:
            places[joint] = local
        else:
            places[joint] = places[above] + rotation.rotate(world[above], np.broadcast_to(local, (world.shape[1], 3)))


def _above(fitting: Fitting, carriers: list[int]) -> set[int]:
    """The carriers of travel and all joints above them, whose translations are written on every frame."""
    return {joint for carrier in carriers for joint in (carrier, *fitting.target.ancestors(carrier))}


def _place(moving: Moving, fitting: Fitting, led: dict[int, Lead], carriers: list[int]) -> None:
    """Put travel where it is wanted."""
    said = fitting.settings.travel
    if said == Travel() or not carriers:
        return
    by_part = {lead.part: joint for joint, lead in led.items() if lead.part}
    lead = by_part.get(said.lead, carriers[-1])

    def path() -> travel.Path:
        turns = rotation.multiply(moving.rotations[lead], rotation.inverse(fitting.target_pose.rotations[lead]))
        return travel.path_of(moving.positions[lead].copy(), turns, fitting.forward, moving.fps, said.smoothing)

    travel.place(moving, path(), said)
    if said.mode == "in place":
        travel.take_out(moving, path(), said)
    elif said.mode == "root":
        root = root_of(fitting)
        if root is not None:
            travel.on_root(moving, root, path(), said, fitting.target_pose.rotations[root])


def _local(clip: Clip, moving: Moving, joints: list[int]) -> Clip:
    """The clip of a moving target: rotations against parents, and translations of the joints that have them."""
    target, count = moving.skeleton, moving.frames
    rotations = np.empty((count, len(target), 4))
    translations = np.empty((count, len(joints), 3))
    for start in range(0, count, BLOCK):
        frames = slice(start, start + BLOCK)
        world = np.moveaxis(moving.rotations[:, frames], 0, 1)
        rotations[frames] = rotation.normalised(local_rotations(target, world))
    for column, joint in enumerate(joints):
        above = int(target.parents[joint])
        place = moving.positions[joint]
        if above >= 0:
            back = rotation.inverse(moving.rotations[above])
            place = rotation.rotate(back, place - moving.positions[above])
        translations[:, column] = place
    return Clip(clip.name, target, clip.fps, rotations, np.array(joints, np.int64), translations)


def _world_rotations(source: Pose, fitting: Fitting, led: dict[int, Lead], stance: Pose) -> FloatArray:
    """World rotations of the target ``(J, F, 4)``, joint first, from the source's world pose."""
    target = fitting.target
    turns = _world_turns(source.rotations, fitting, led)
    _along_the_trunk(turns, source, fitting, led)
    world = np.empty((len(target), len(source.rotations), 4))
    for joints in target.levels:
        free = np.array([joint for joint in joints if joint not in led], np.int64)
        firm = np.array([joint for joint in joints if joint in led], np.int64)
        if len(firm):
            world[firm] = rotation.multiply(turns[firm], stance.rotations[firm][:, None])
        if len(free):
            local, above = fitting.target_stance.rotations[free][:, None], target.parents[free]
            world[free] = rotation.multiply(world[above], local) if above[0] >= 0 else local
    return world


def _twist(world: FloatArray, fitting: Fitting, led: dict[int, Lead], stance: Pose, turning: tuple[Twist, ...]) -> None:
    """Give bones for twist their share of the turn of the next joint about the bone they lie on; carry what hangs from them.

    With P and N the bone that is served and the one after it, a the axis between them in P's frame::

        twist = the part of P⁻¹ N (P⁻¹ N in the stance)⁻¹ that turns about a;   T = P · twist^share · (P⁻¹ T in the stance)
    """
    if not turning:
        return
    target, said = fitting.target, fitting.settings
    for twist in turning:
        upper = world[twist.upper]
        back = rotation.inverse(stance.rotations[twist.upper])
        axis = rotation.rotate(back, stance.positions[twist.lower] - stance.positions[twist.upper])
        axis = axis / np.linalg.norm(axis)
        angle = twist.share * said.twist * _turn_about(world, twist.upper, twist.lower, stance, axis)
        above = int(target.parents[twist.upper])
        if said.thigh and above >= 0:
            own = rotation.rotate(stance.rotations[twist.upper], axis)
            along = rotation.rotate(rotation.inverse(stance.rotations[above]), own)
            angle = angle - said.thigh * (1 - twist.share) * _turn_about(world, above, twist.upper, stance, along)
        own = rotation.multiply(back, stance.rotations[twist.joint])
        world[twist.joint] = rotation.multiply(upper, rotation.multiply(rotation.about(axis, angle), own))
    carried = {twist.joint for twist in turning}
    own_turn = set(carried)
    for joints in target.levels:
        for joint in joints:
            parent = int(target.parents[joint])
            if joint not in led and joint not in own_turn and parent in carried:
                world[joint] = rotation.multiply(world[parent], fitting.target_stance.rotations[joint])
                carried.add(int(joint))


def _turn_about(world: FloatArray, above: int, joint: int, stance: Pose, axis: FloatArray) -> FloatArray:
    """By how much a joint is turned about an axis ``(3,)`` of the joint above it, against the stance: radians ``(F,)``."""
    rest = rotation.multiply(rotation.inverse(stance.rotations[above]), stance.rotations[joint])
    moved = rotation.multiply(rotation.inverse(world[above]), world[joint])
    moved = rotation.multiply(moved, rotation.inverse(rest))
    angle = 2 * np.arctan2(moved[..., :3] @ axis, moved[..., 3])
    return np.asarray((angle + np.pi) % (2 * np.pi) - np.pi)


def _share_hands(world: FloatArray, fitting: Fitting, led: dict[int, Lead], stance: Pose) -> None:
    """Let forearms make a share of the turn of their hands about them; the hands stay as they are."""
    share = fitting.settings.forearm
    if not share:
        return
    by_part = {lead.part: joint for joint, lead in led.items() if lead.part}
    for part, lower in by_part.items():
        hand = by_part.get(str(part).replace("lower arm", "hand"))
        if not str(part).endswith("lower arm") or hand is None:
            continue
        axis = rotation.rotate(
            rotation.inverse(stance.rotations[lower]), stance.positions[hand] - stance.positions[lower]
        )
        angle = share * _turn_about(world, lower, hand, stance, axis / np.linalg.norm(axis))
        world[lower] = rotation.multiply(world[lower], rotation.about(axis, angle))


def _along_the_trunk(turns: FloatArray, source: Pose, fitting: Fitting, led: dict[int, Lead]) -> None:
    """Let one bone between hips and neck stand for several: the trunk as a whole goes where the source's goes.

    With w(t) where the source's neck lies from its hips, turned as from its stance, the chest is turned by the smallest
    rotation that brings the target's neck into line with it; hips, and its turn about itself, stay as they are. In place.
    """
    found = _trunk(fitting, led)
    if found is None:
        return
    (hips, chest, neck), ends = found
    there = rotation.rotate(fitting.turn, source.positions[:, ends[1]] - source.positions[:, ends[0]])
    rest = rotation.rotate(
        fitting.turn, fitting.source_pose.positions[ends[1]] - fitting.source_pose.positions[ends[0]]
    )
    at = fitting.target_pose.positions
    own = at[neck] - at[hips]
    wanted = rotation.rotate(
        rotation.between_each(np.broadcast_to(rest, there.shape), there), np.broadcast_to(own, there.shape)
    )
    wanted = wanted / np.linalg.norm(wanted, axis=1, keepdims=True)
    foot = rotation.rotate(turns[hips], np.broadcast_to(at[chest] - at[hips], there.shape))
    bone = rotation.rotate(turns[chest], np.broadcast_to(at[neck] - at[chest], there.shape))
    # Where a bone of this length from the chest's place meets the line that is wanted.
    along = np.sum(wanted * foot, axis=1)
    room = along**2 - np.sum(foot**2, axis=1) + np.sum(bone**2, axis=1)
    goal = (along + np.sqrt(np.maximum(room, 0.0)))[:, None] * wanted - foot
    turns[chest] = rotation.multiply(rotation.between_each(bone, goal), turns[chest])


def _trunk(fitting: Fitting, led: dict[int, Lead]) -> tuple[tuple[int, int, int], tuple[int, int]] | None:
    """Hips, chest, neck of a target with one bone for a trunk that the source has several for; the source's hips, neck."""
    first = first_leads(led)
    top = next((name for name in ("neck", "head") if name in first), None)
    if top is None or "hips" not in first or "chest" not in first or "spine" in first:
        return None
    hips, chest, neck = (first[name] for name in ("hips", "chest", top))
    source, target = fitting.source, fitting.target
    run = source.ancestors(chest.a)
    if hips.a not in run or chest.target not in target.ancestors(neck.target) or chest.share > 0:
        return None
    between = [joint for joint in run[: run.index(hips.a)] if np.linalg.norm(source.rest_translation[joint]) > 1e-6]
    return ((hips.target, chest.target, neck.target), (hips.a, neck.a)) if between else None


def _world_turns(rotations: FloatArray, fitting: Fitting, led: dict[int, Lead]) -> FloatArray:
    """D(t) of every led target joint, ``(J, F, 4)``; rows of other joints are unused."""
    stance, turn = fitting.source_pose.rotations, fitting.turn
    back = rotation.multiply(rotation.inverse(stance), rotation.inverse(turn))
    joints, leads = list(led), list(led.values())

    def turned(rows: list[int]) -> FloatArray:
        there = np.ascontiguousarray(np.moveaxis(rotations[:, rows], 1, 0))
        return rotation.multiply(rotation.multiply(turn, there), back[rows][:, None])

    out = np.empty((len(fitting.target), len(rotations), 4))
    out[joints] = turned([lead.a for lead in leads])
    for lead in leads:
        if lead.among:
            out[lead.target] = rotation.mean(turned(list(lead.among)))
    between = [lead for lead in leads if lead.share > 0]
    if between:
        rows = [lead.target for lead in between]
        shares = np.array([lead.share for lead in between])[:, None]
        out[rows] = rotation.slerp(out[rows], turned([lead.b for lead in between]), shares)
    return out


def shifting(clip: Clip, fitting: Fitting, led: dict[int, Lead]) -> list[int]:
    """Target joints below a root whose source moves against its parent at some time, as a slider or a jaw may."""
    column = {int(joint): k for k, joint in enumerate(clip.moving)}
    out = []
    for joint, lead in led.items():
        if (
            lead.a not in column
            or not lead.moves
            or lead.share > 0
            or fitting.target.parents[joint] < 0
            or fitting.source.parents[lead.a] < 0
        ):
            continue
        shift = clip.translations[:, column[lead.a]] - fitting.source.rest_translation[lead.a]
        if np.abs(shift).max(initial=0.0) > 1e-9:
            out.append(joint)
    return out


def _shifted(
    clip: Clip, fitting: Fitting, led: dict[int, Lead], stance: FloatArray, joints: list[int]
) -> dict[int, FloatArray]:
    """Local translations ``(F, 3)`` of those joints: the source's shift in the target's size and its parent's frame."""
    source, target = fitting.source, fitting.target
    column = {int(joint): k for k, joint in enumerate(clip.moving)}
    out: dict[int, FloatArray] = {}
    for joint in joints:
        there = led[joint].a
        shift = clip.translations[:, column[there]] - source.rest_translation[there]
        q = rotation.multiply(fitting.turn, fitting.source_pose.rotations[source.parents[there]])
        q = rotation.multiply(rotation.inverse(stance[target.parents[joint]]), q)
        out[joint] = target.rest_translation[joint] + fitting.scale * rotation.rotate(q, shift)
    return out


def travelling(fitting: Fitting, led: dict[int, Lead]) -> list[int]:
    """The target joints that carry travel, parents first: those whose parts say so, else the topmost paired joint."""
    plan = fitting.plan
    named = [joint for joint, lead in led.items() if lead.part in plan.by_name and plan.by_name[lead.part].travels]
    carriers = set(named or ([min(led)] if led else []))
    return sorted(carriers | {above for joint in carriers for above in fitting.target.ancestors(joint) if above in led})
