"""Transfer: a clip on one skeleton computed on another through a fitting.

For each paired target joint, with world rotations of source S and target T at frame t and in the stance::

    R_T(t) = D(t) · R_T(stance),   D(t) = C · R_S(t) · R_S(stance)⁻¹ · C⁻¹

C turns the source's facing to the target's. A joint led by two source joints takes the D between theirs. Unpaired joints keep
their stance against their parent. The hips, and a root bone above them, move as the source's do, in the target's leg lengths:

    p_T(t) = s_T + scale · C · (p_S(t) − s_S)

where s is the place of the joint when the body stands in its stance, its feet on the floor.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from armuto import rotation
from armuto.fitting import Fitting
from armuto.leads import Lead
from armuto.rotation import FloatArray
from armuto.skeleton import Clip, Pose, local_rotations
from armuto.stances.sizes import FOOTING
from armuto.twists import Twist, twists

BLOCK = 1024  # frames


def transfer(clip: Clip, fitting: Fitting) -> Clip:
    """The clip performed by the fitting's target, with the clip's name and frame rate.

    Cost is linear in frames. Frames are worked through in blocks that fit a processor's cache, so that memory beyond the
    clip and its result stays constant.
    """
    target, led = fitting.target, fitting.leads()
    stance = fitting.target_pose
    turning = twists(target, led)
    shifting = _shifting(clip, fitting, led)
    carriers = travelling(fitting, led)
    above = {joint for carrier in carriers for joint in (carrier, *target.ancestors(carrier))}
    moving = sorted(above | set(shifting))
    rotations = np.empty((clip.frames, len(target), 4))
    translations = np.empty((clip.frames, len(moving), 3))
    for start in range(0, clip.frames, BLOCK):
        frames = slice(start, start + BLOCK)
        part = replace(clip, rotations=clip.rotations[frames], translations=clip.translations[frames])
        source = part.world()
        world = _world_rotations(source.rotations, fitting, led, stance)
        _twist(world, fitting, led, stance, turning)
        moved = _shifted(part, fitting, led, stance.rotations, shifting)
        _travel(source.positions, fitting, led, carriers, world, moved)
        local = local_rotations(target, np.moveaxis(world, 0, 1))
        rotations[frames] = rotation.normalised(local)
        if moving:
            translations[frames] = np.stack([moved[joint] for joint in moving], axis=1)
    return Clip(clip.name, target, clip.fps, rotations, np.array(moving, np.int64), translations)


def _world_rotations(source: FloatArray, fitting: Fitting, led: dict[int, Lead], stance: Pose) -> FloatArray:
    """World rotations of the target ``(J, F, 4)``, joint first, from those of the source ``(F, J, 4)``."""
    target = fitting.target
    turns = _world_turns(source, fitting, led)
    world = np.empty((len(target), len(source), 4))
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
    target = fitting.target
    for twist in turning:
        upper, lower = world[twist.upper], world[twist.lower]
        back = rotation.inverse(stance.rotations[twist.upper])
        rest = rotation.multiply(back, stance.rotations[twist.lower])
        moved = rotation.multiply(rotation.multiply(rotation.inverse(upper), lower), rotation.inverse(rest))
        axis = rotation.rotate(back, stance.positions[twist.lower] - stance.positions[twist.upper])
        axis = axis / np.linalg.norm(axis)
        angle = 2 * np.arctan2(moved[..., :3] @ axis, moved[..., 3])
        angle = (angle + np.pi) % (2 * np.pi) - np.pi
        half = twist.share * angle[..., None] / 2
        turn = np.concatenate([np.sin(half) * axis, np.cos(half)], axis=-1)
        own = rotation.multiply(back, stance.rotations[twist.joint])
        world[twist.joint] = rotation.multiply(upper, rotation.multiply(turn, own))
    carried = {twist.joint for twist in turning}
    own_turn = set(carried)
    for joints in target.levels:
        for joint in joints:
            parent = int(target.parents[joint])
            if joint not in led and joint not in own_turn and parent in carried:
                world[joint] = rotation.multiply(world[parent], fitting.target_stance.rotations[joint])
                carried.add(int(joint))


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
    between = [lead for lead in leads if lead.share > 0]
    if between:
        rows = [lead.target for lead in between]
        shares = np.array([lead.share for lead in between])[:, None]
        out[rows] = rotation.slerp(out[rows], turned([lead.b for lead in between]), shares)
    return out


def _shifting(clip: Clip, fitting: Fitting, led: dict[int, Lead]) -> list[int]:
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


def standing_heights(fitting: Fitting) -> tuple[FloatArray, FloatArray]:
    """Heights of all joints, ``(J_S,)`` and ``(J_T,)``, when both bodies stand in their stances on the floor."""
    source, target = standing_places(fitting, fitting.leads())
    return source[:, 1], target[:, 1]


def standing_places(fitting: Fitting, led: dict[int, Lead]) -> tuple[FloatArray, FloatArray]:
    """Joint positions of source and target in their stances, set down until the lowest paired foot joint is as high above the
    floor as the fitting says."""
    source, target = fitting.source_pose.positions, fitting.target_pose.positions
    feet = [joint for joint, lead in led.items() if lead.part and lead.part.split()[-1] in FOOTING] or list(led)
    if not feet:
        return source, target
    under = _set_down(source, [led[joint].a for joint in feet], fitting.floors[0])
    return under, _set_down(target, feet, fitting.floors[1])


def _set_down(positions: FloatArray, feet: list[int], height: float) -> FloatArray:
    out = positions.copy()
    out[:, 1] += height - positions[feet, 1].min()
    return out


def _travel(
    source_positions: FloatArray,
    fitting: Fitting,
    led: dict[int, Lead],
    carriers: list[int],
    rotations: FloatArray,
    translations: dict[int, FloatArray],
) -> None:
    """Fill in the translations of joints that carry travel, and of everything above them. rotations: ``(J, F, 4)``."""
    target = fitting.target
    source_stand, target_stand = standing_places(fitting, led)
    frames = len(source_positions)
    places: dict[int, FloatArray] = {}
    for joint in sorted({j for carrier in carriers for j in (carrier, *target.ancestors(carrier))}):
        parent = int(target.parents[joint])
        if joint in carriers:
            lead = led[joint]
            away = source_positions[:, lead.a] - source_stand[lead.a]
            places[joint] = target_stand[joint] + fitting.scale * rotation.rotate(fitting.turn, away)
            local = places[joint]
            if parent >= 0:
                local = rotation.rotate(rotation.inverse(rotations[parent]), places[joint] - places[parent])
            translations[joint] = local
        else:
            local = np.broadcast_to(target.rest_translation[joint], (frames, 3))
            places[joint] = local if parent < 0 else places[parent] + rotation.rotate(rotations[parent], local)
            translations[joint] = local
