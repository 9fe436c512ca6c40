"""Changing the stances of a fitting, its facing, floors and size: each change a step of its history."""

import json
from collections.abc import Mapping
from dataclasses import replace
from functools import lru_cache
from typing import Any

import numpy as np
from django.db import transaction

from armuto.body.mirror import mirrored
from armuto.body.plans import plan_of
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip as ClipValue
from armuto.pairing import Pair
from armuto.pairing.joint_mapping import JointDriver
from armuto.retarget import fitting as core
from armuto.retarget import fitting_file
from armuto.retarget.grounding import standing_places
from armuto.stance import Stance, making, value
from armuto.stance.aligning import align, mapped_parts, marks_of, shapes
from armuto.stance.measures import MEASURES
from armuto.stance.proposing import candidates
from studio.cast.queries import node_motion
from studio.fittings.models import Fitting
from studio.fittings.services.editing import parts_of
from studio.fittings.services.stance_sides import SIDES, Side, make, number_given, then
from studio.fittings.services.steps import step, value_of
from studio.library.models import Clip, Skeleton
from studio.stances import services


def change(row: Fitting, op: str, which: str, trial: bool = False, **arguments: object) -> core.Fitting:
    """Make one change to a stance, and keep it as a step unless it is a trial. Returns the fitting then.

    Raises :class:`BadInput` for what cannot be made.
    """
    fitting = value_of(row)
    side = Side(row, fitting, which)
    then, what = CHANGES[op](side, arguments)
    made = _again(fitting, then)
    if not trial and not _alike(fitting, made):
        with transaction.atomic():
            step(row, made, what)
            remember(row, fitting)
    return made


def remember(row: Fitting, before: core.Fitting) -> None:
    """What was set in a fitting, since it was as before, is what its skeletons begin with from now on."""
    now = value_of(row)
    source, character = row.skeleton, row.character
    if not _set_alike(before.source_stance, now.source_stance):
        services.remember(source, now.source_stance, f"in the fitting of {source.name} on {character.name}")
    if not _set_alike(before.target_stance, now.target_stance):
        services.remember(character.skeleton, now.target_stance, f"in the fitting of {source.name} on {character.name}")


def _again(fitting: core.Fitting, then: dict[str, Any]) -> core.Fitting:
    """The fitting with other stances or measures."""
    if set(then) == {"target", "parts"} and _by_hand_alone(fitting.target_stance, then["target"]):
        return core.turned_by_hand(fitting, then["target"])
    source_parts, target_parts = then.pop("parts")
    return core.fit(
        fitting.source,
        fitting.target,
        source_parts,
        target_parts,
        pairs=fitting.pairs,
        source_stance=then.get("source", fitting.source_stance),
        target_stance=then.get("target", fitting.target_stance),
        left_out=fitting.left_out,
        plan=fitting.plan,
        overrides=then.get("overrides", fitting.overrides),
        like=fitting,
    )


def _by_hand_alone(was: Stance, now: Stance) -> bool:
    return now.base is was.base and now.start is was.start


def _alike(first: core.Fitting, other: core.Fitting) -> bool:
    stances = ((first.source_stance, other.source_stance), (first.target_stance, other.target_stance))
    return first.overrides == other.overrides and all(_set_alike(a, b) for a, b in stances)


def _set_alike(first: Stance, other: Stance) -> bool:
    """Whether a person set the same: what alignment makes of it is not asked."""
    if first.name != other.name or first.aligned != other.aligned or set(first.turned) != set(other.turned):
        return False
    near = all(float(np.abs(q - other.turned[joint]).max()) < 1e-9 for joint, q in first.turned.items())
    return near and float(np.abs(first.begun - other.begun).max()) < 1e-9


def _align(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    """Turn one side until it stands as the other does: the whole body, or one limb."""
    fitting, limb = side.fitting, arguments.get("limb")
    if side.which == "source":
        return _align_source(side, str(limb) if limb else None)
    if limb:
        joints, mapping = side.limb(str(limb)), fitting.joint_mapping
        local = align(
            side.skeleton,
            side.stance.rotations,
            mapped_parts(mapping),
            side.plan,
            fitting.model(mapping),
            only=joints,
            mapping=mapping,
        )
        aligned = side.stance.without_turns(joints) if side.stance.aligned else side.stance
        return then(side, target=aligned.with_rotations(local)), f"aligned the {limb}"
    stance = side.stance.without_turns()
    return then(side, target=replace(stance, start=stance.begun)), "aligned all"


def _align_source(side: Side, limb: str | None) -> tuple[dict[str, Any], str]:
    """The source turned to stand as the character does. From then on neither follows the other by itself."""
    fitting = side.fitting
    pairs = [Pair(p.part, p.target, p.source, p.confidence, p.reasons, p.confirmed, p.moves) for p in fitting.pairs]
    other = replace(fitting.target_stance, base=fitting.target_stance.rotations, turned={}, start=None)
    parts = parts_of(side.row.character.skeleton, side.plan), parts_of(side.row.skeleton, side.plan)
    back = core.fit(
        fitting.target,
        fitting.source,
        *parts,
        pairs=pairs,
        source_stance=other,
        target_stance=replace(side.stance, start=side.stance.begun, turned={}),
        plan=side.plan,
    )
    rotations = back.target_stance.rotations
    if limb:
        mapping = back.joint_mapping
        rotations = align(
            side.skeleton,
            side.stance.rotations,
            mapped_parts(mapping),
            side.plan,
            back.model(mapping),
            only=side.limb(limb),
            mapping=mapping,
        )
    name = f"As {side.row.character.name} stands"
    stance = Stance(name, f"turned to stand as {side.row.character.name} does", rotations)
    return then(side, source=stance, target=other), f"the source: aligned {f'the {limb}' if limb else 'all'}"


def _mirror(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    source = arguments.get("from_side")
    parts = {bone.joint: part for part, bones in side.parts.items() for bone in bones}
    rotations = making.mirrored(
        side.skeleton,
        side.stance.rotations,
        side.mirror_joints,
        parts,
        side.plan,
        side.forward,
        None if source is None else str(source),
    )
    what = "exchanged left and right" if source is None else f"copied {source} to {mirrored(f'{source} x').split()[0]}"
    return then(side, **{side.which: side.stance.with_rotations(rotations)}), f"{SIDES[side.which]}: {what}"


def _turn(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    bone, degrees = str(arguments.get("bone")), number_given(arguments, "degrees", 0.0)
    joint, axis = side.joint(bone), np.array(arguments.get("axis") or [0, 0, 0], float)
    if axis.shape != (3,):
        raise BadInput("A turn needs an axis of three numbers.")
    q = making.turned(side.skeleton, side.stance.rotations, joint, axis, degrees)
    stance = side.stance.with_turn(joint, q)
    if arguments.get("mirror"):
        twin = side.mirror_joints.get(joint)
        if twin is not None:
            across = np.cross([0.0, 1.0, 0.0], side.forward)
            other = -(axis - 2 * (axis @ across) * across)
            stance = stance.with_turn(twin, making.turned(side.skeleton, stance.rotations, twin, other, degrees))
    return then(side, **{side.which: stance}), f"turned {bone} by {degrees:.1f}°"


def _reset(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    bone, limb = arguments.get("bone"), arguments.get("limb")
    if bone:
        stance, what = side.stance.without_turns([side.joint(str(bone))]), str(bone)
    elif limb:
        stance, what = side.stance.without_turns(side.limb(str(limb))), f"the {limb}"
    else:
        stance, what = side.stance.without_turns(), "everything"
    return then(side, **{side.which: stance}), f"{SIDES[side.which]}: took back what was turned by hand at {what}"


def _name(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    name = " ".join(str(arguments.get("name") or "").split())
    if not name or len(name) > 120:
        raise BadInput("A stance needs a name of 1 to 120 letters; type one.")
    return then(side, **{side.which: side.stance.named(name)}), f"{SIDES[side.which]}: named its stance {name}"


def _facing(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    degrees = arguments.get("degrees")
    value = None if degrees is None else (float(str(degrees)) + 180) % 360 - 180
    changed: dict[str, Any] = {f"{side.which}_facing": value}
    measures = replace(side.fitting.overrides, **changed)
    what = "as measured" if value is None else f"{value:.1f}°"
    return then(side, overrides=measures), f"{SIDES[side.which]} faces {what}"


def _floor(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    height = arguments.get("height")
    value = None if height is None else float(str(height))
    if value is not None and not -5 <= value <= 5:
        raise BadInput(f"{value * 100:g} cm: feet are nearer to the floor than that; give centimetres.")
    changed: dict[str, Any] = {f"{side.which}_floor": value}
    measures = replace(side.fitting.overrides, **changed)
    what = "as measured" if value is None else f"{value * 100:.1f} cm"
    return then(side, overrides=measures), f"feet of {SIDES[side.which]} above the floor: {what}"


def _size(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    ratio, by = arguments.get("ratio"), arguments.get("by")
    if ratio is not None:
        size: str | float = float(str(ratio))
        if not 0.001 <= float(size) < 1000:
            raise BadInput(f"{float(size) * 100:g} %: a size is a share of the source's; give one from 0.1 % up.")
        what = f"{float(size) * 100:.1f} %"
    elif by in MEASURES:
        size, what = str(by), f"by the {by}"
    else:
        raise BadInput("The size follows legs, arms, spine or a number; choose one.")
    return then(side, overrides=replace(side.fitting.overrides, size=size)), f"size {what}"


def _hinges(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    by = arguments.get("by")
    if by not in ("motion", "rest"):
        raise BadInput("The roll of limbs is taken from their motion or from how they rest; choose one.")
    how = "how limbs bend in motion" if by == "motion" else "how limbs are bent at rest"
    return then(side, overrides=replace(side.fitting.overrides, hinges=by == "motion")), f"roll by {how}"


CHANGES = {
    "make": make,
    "align": _align,
    "mirror": _mirror,
    "turn": _turn,
    "reset": _reset,
    "name": _name,
    "facing": _facing,
    "floor": _floor,
    "size": _size,
    "hinges": _hinges,
}


def before(row: Fitting) -> core.Fitting:
    """The fitting as it was before its last change to a stance or a measure; as it is where there was none."""
    now = value_of(row)
    assert row.state is not None
    for state in row.states.filter(number__lt=row.state.number).order_by("-number")[:60]:
        was = fitting_file.from_json(json.dumps(state.data), row.character.name, now.source, now.target)
        if not _alike(was, now):
            return was
    return now


def offers(row: Fitting, which: str) -> list[dict[str, Any]]:
    """The postures a side's stance can be taken from, each with what it looks like."""
    skeleton = row.skeleton if which == "source" else row.character.skeleton
    calibrated = Clip.objects.filter(skeleton=skeleton, calibration__gt=0).values_list("pk", "revision", "retired")
    return _offers(skeleton.pk, skeleton.identity, json.dumps(skeleton.parts), str(list(calibrated)))


@lru_cache(maxsize=64)
def _offers(pk: int, identity: str, parts_kept: str, clips: str) -> list[dict[str, Any]]:
    """Kept as long as the skeleton's parts, and its clips with calibration frames, are the same."""
    skeleton = Skeleton.objects.get(pk=pk, identity=identity)
    parts = skeleton.assignment()
    rows = candidates(skeleton.value(), parts, plan_of(parts), services.postures_of(skeleton))
    kinds = {
        "Rest pose": "rest",
        value.FROM_MOTION: "rest",
        "Bind pose": "bind",
        "Calibration frames": "calibration",
        "All rotations zero": "zero",
    }
    return [{"kind": kinds[c.stance.name], "name": c.stance.name, "how": c.stance.how} for c in rows]


def blocks(row: Fitting, fitting: core.Fitting) -> list[FloatArray]:
    """Both bodies in their stances, feet on the floor.

    Of the source: positions of joints then end sites ``(P, 3)``, world rotations ``(J, 4)``, and where its bones bend
    to, ``(J, 3)`` in the world, zero where nothing shows it. Of the character: local rotations ``(N, 4)`` and
    translations ``(N, 3)`` of its nodes, and where its bones bend to ``(J, 3)``.
    """
    mapping = fitting.joint_mapping
    here, there = standing_places(fitting, mapping)
    lift = here[0] - fitting.source_pose.positions[0], there[0] - fitting.target_pose.positions[0]
    marks = _marks(fitting, mapping)
    pose = fitting.source_pose
    moving = np.flatnonzero(fitting.target.parents < 0)
    places = fitting.target.rest_translation[moving] + lift[1]
    clip = ClipValue("stance", fitting.target, 30.0, fitting.target_stance.rotations[None].copy(), moving, places[None])
    nodes, translations = node_motion(clip, row.character)
    return [
        np.concatenate([pose.positions, pose.ends]) + lift[0],
        pose.rotations,
        marks[0],
        nodes[0],
        translations[0],
        marks[1],
    ]


def _marks(fitting: core.Fitting, mapping: Mapping[int, JointDriver]) -> tuple[FloatArray, FloatArray]:
    source, target = np.zeros((len(fitting.source), 3)), np.zeros((len(fitting.target), 3))
    if not mapping:
        return source, target
    parts, model = mapped_parts(mapping), fitting.model(mapping)
    begun = fitting.target_stance.first_pose(fitting.target)
    own, other = shapes(fitting.target, begun, parts, fitting.plan, model)
    local = marks_of(begun, own, {joint: joint for joint in mapping})
    target = rotation.rotate(fitting.target_pose.rotations, local)
    back = rotation.inverse(fitting.turn)
    for joint, driver in mapping.items():
        mark = other.roll_marker(joint)
        if mark is not None and not source[driver.source].any():
            source[driver.source] = rotation.rotate(back, mark)
    return source, target
