"""Generated bodies and clips for settling: people who walk, stand on things, carry and hold on, known frame by
frame."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from armuto.body.plans import body_plan
from armuto.constraints.limbs import limb_chains, reach
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import local_rotations, world_pose
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import retarget
from armuto.retarget import fitting
from armuto.retarget.context import RetargetContext
from armuto.retarget.fitting import Fitting
from armuto.tests import figures

PLAN = body_plan()
FPS = 30.0
STRIDE, CYCLE = 0.62, 34  # metres a step, frames a cycle of two
STANDING = 20  # frames of a cycle in which each foot stands


def sole(body: Skeleton) -> Skeleton:
    """The test body with its soles on the floor: its toes reach down to 2 cm."""
    lifted = body.rest_translation.copy()
    lifted[0, 1] += 0.02 - body.rest.positions[body.index["LeftToe"], 1]
    return replace(body, rest_translation=lifted)


def source() -> Skeleton:
    return sole(figures.body())


def built(rng: np.random.Generator, even: bool = False) -> Skeleton:
    """The same body with other proportions: long or short legs, arms and trunk, wide or narrow; or just larger or
    smaller."""
    body = figures.body()
    size = float(np.exp(rng.uniform(-0.8, 0.5)))
    ratios = {
        key: float(np.exp(rng.uniform(-0.3, 0.3))) if not even else 1.0
        for key in ("leg", "arm", "trunk", "wide", "shin", "foot")
    }
    offsets = body.rest_translation.copy()
    for name, joint in body.index.items():
        kind = name.removeprefix("Left").removeprefix("Right")
        if kind in ("Leg", "Foot"):
            offsets[joint] *= ratios["leg"] * (ratios["shin"] if kind == "Foot" else 1.0)
        elif kind in ("ForeArm", "Hand"):
            offsets[joint] *= ratios["arm"]
        elif kind in ("Spine", "Chest", "Neck", "Head"):
            offsets[joint] *= ratios["trunk"]
        elif kind in ("UpLeg", "Arm", "Shoulder"):
            offsets[joint, 0] *= ratios["wide"]
        elif kind == "Toe":
            offsets[joint] *= ratios["foot"]
    made = replace(body, rest_translation=offsets * size)
    lowest = made.rest.positions[made.index["LeftToe"], 1]
    offsets = made.rest_translation.copy()
    offsets[0, 1] += 0.02 * size * ratios["foot"] - lowest
    return replace(made, rest_translation=offsets)


def fitted(body: Skeleton, target: Skeleton) -> Fitting:
    parts = {bone.joint: part for part, bones in fitting.pairing.assign(body).items() for bone in bones}
    return fitting.fit(body, target, pairs=figures.one_to_one(body, target, parts))


def clip_of(body: Skeleton, local: FloatArray, hips: FloatArray, goals: dict[str, FloatArray], name: str) -> Clip:
    """A clip whose ankles and wrists go where they are told: goals ``(F, 3)`` by limb, the rest as it stands."""
    frames = len(hips)
    local = np.broadcast_to(local, (frames, len(body), 4))
    places = np.broadcast_to(body.rest_translation, (frames, len(body), 3)).copy()
    places[:, 0] = hips
    world = world_pose(body, np.ascontiguousarray(local), places)
    motion = WorldMotion(
        body,
        np.moveaxis(world.rotations, 1, 0).copy(),
        np.moveaxis(world.positions, 1, 0).copy(),
        FPS,
        np.arange(frames, dtype=float),
    )
    own = fitted(body, body)
    for limb, goal in goals.items():
        reach(motion, limb_chains(RetargetContext(own))[limb], goal, np.ones(frames, bool))
    turns = local_rotations(body, np.moveaxis(motion.rotations, 0, 1))
    return Clip(name, body, FPS, turns, np.array([0]), hips[:, None])


def walk(frames: int = 140) -> tuple[Clip, dict[str, list[tuple[int, int]]]]:
    """A walk along +Z with feet kept level, and the frames in which each foot stands."""
    body = source()
    rest = body.rest.positions
    at = np.arange(frames)
    speed = STRIDE * 2 / CYCLE
    hips = rest[0] + np.stack(
        [0.02 * np.sin(2 * np.pi * at / CYCLE), -0.14 + 0.01 * np.cos(4 * np.pi * at / CYCLE), at * speed], axis=1
    )
    goals, stands = {}, {}
    for side, phase in (("left", 0), ("right", CYCLE // 2)):
        ankle = rest[body.index[f"{side.title()}Foot"]]
        step, within = np.divmod(at + phase, CYCLE)
        swing = np.clip((within - STANDING) / (CYCLE - STANDING), 0, 1)
        smooth = swing**3 * (10 - 15 * swing + 6 * swing**2)
        ahead = (step + smooth) * CYCLE * speed - phase * speed + STANDING / 2 * speed
        lift = 0.12 * np.sin(np.pi * smooth) ** 2
        goals[f"{side} leg"] = ankle + np.stack([0 * at, lift, ahead], axis=1)
        standing = within <= STANDING
        edges = np.flatnonzero(np.diff(np.concatenate([[0], standing.astype(int), [0]])))
        stands[f"{side} toes"] = [(int(a), int(b) - 1) for a, b in zip(edges[::2], edges[1::2], strict=True)]
    return clip_of(body, _arms_down(body), hips, goals, "walk"), stands


def _arms_down(body: Skeleton) -> FloatArray:
    local = body.rest_rotation.copy()
    for side, sign in (("Left", -1), ("Right", 1)):
        local[body.index[f"{side}Arm"]] = rotation.about([0, 0, 1], np.radians(72) * sign)
    return local


def stairs(frames: int = 150, height: float = 0.17) -> tuple[Clip, list[tuple[int, int, float]]]:
    """Up three steps, the left foot first: one contact for each, with its height."""
    body = source()
    rest = body.rest.positions
    at = np.arange(frames)
    goals = {}
    known = []
    for side, begin in (("left", 20), ("right", 60)):
        ankle = rest[body.index[f"{side.title()}Foot"]]
        z, y = np.zeros(frames), np.zeros(frames)
        for number, start in enumerate(range(begin, frames - 20, 80)):
            share = np.clip((at - start) / 24, 0, 1)
            smooth = share**3 * (10 - 15 * share + 6 * share**2)
            step = 1 if number == 0 and side == "left" else 2
            z += 0.3 * step * smooth
            y += height * step * smooth + 0.05 * np.sin(np.pi * share) ** 2 * (share < 1)
            until = start + 80 if start + 80 < frames - 20 else frames
            known.append((start + 24, until - 1, float(height * (number * 2 + (1 if side == "left" else 2)))))
        goals[f"{side} leg"] = ankle + np.stack([0 * at, y, z], axis=1)
    middle = (goals["left leg"] + goals["right leg"]) / 2 - (
        rest[body.index["LeftFoot"]] + rest[body.index["RightFoot"]]
    ) / 2
    hips = rest[0] + [0, -0.12, 0] + middle
    return clip_of(body, _arms_down(body), hips, goals, "stairs"), known


def carrying(frames: int = 110) -> Clip:
    """Both hands on one crate that goes up and to the side while the body stands."""
    body = source()
    rest, at = body.rest.positions, np.arange(frames)
    centre = np.stack([0.12 * np.sin(at / 18), 1.02 + 0.1 * np.sin(at / 14), 0.27 + 0 * at], axis=1)
    goals = {f"{side} arm": centre + [sign * 0.15, 0, 0] for side, sign in (("left", 1), ("right", -1))}
    for side in ("left", "right"):
        goals[f"{side} leg"] = np.tile(rest[body.index[f"{side.title()}Foot"]], (frames, 1))
    hips = np.tile(rest[0] + [0, -0.03, 0], (frames, 1))
    return clip_of(body, _arms_down(body), hips, goals, "carrying")


def hand_on_hip(frames: int = 100) -> Clip:
    """The left hand rests on the hip while the body sways; the right one hangs."""
    body = source()
    rest, at = body.rest.positions, np.arange(frames)
    hips = rest[0] + np.stack([0.06 * np.sin(at / 12), -0.03 + 0 * at, 0 * at], axis=1)
    goals = {"left arm": hips + [0.2, 0.06, 0.03]}
    for side in ("left", "right"):
        goals[f"{side} leg"] = np.tile(rest[body.index[f"{side.title()}Foot"]], (frames, 1))
    return clip_of(body, _arms_down(body), hips, goals, "hand on hip")


def noisy(clip: Clip, rng: np.random.Generator, size: float) -> Clip:
    """The clip as a capture shows it: joints turned by noise of ``size`` radians, the root shifted by as many
    decimetres."""
    turn = rng.normal(0, size, (*clip.rotations.shape[:2], 3)) / 2
    q = np.concatenate([turn, np.ones((*turn.shape[:2], 1))], axis=-1)
    rotations = rotation.multiply(clip.rotations, rotation.normalised(q))
    shift = rng.normal(0, size / 10, clip.translations.shape)
    return replace(clip, rotations=rotations, translations=clip.translations + shift)


def sole_heights(clip: Clip, made: Fitting) -> FloatArray:
    """Metres by which the lowest point of a foot's skin is above the clip's floor, in all frames in which it rests
    there."""
    done = retarget(clip, made)
    world, floor = done.clip.world(), done.contacts.floor * made.scale
    mapping, soles = made.joint_mapping, made.target.observed.soles
    out = [np.zeros(0)]
    for side in ("left", "right"):
        feet = [joint for joint in soles if joint in mapping and str(mapping[joint].part).startswith(side)]
        low = np.min(
            [
                (world.positions[:, j, None] + rotation.rotate(world.rotations[:, j, None], soles[j][None]))[
                    ..., 1
                ].min(axis=1)
                for j in feet
            ],
            axis=0,
        )
        rows = sorted(
            {
                frame
                for contact in done.contacts.contacts
                if contact.point.startswith(f"{side} ") and not contact.to and contact.height == 0
                for frame in range(contact.first + 1, contact.last)
            }
        )
        out.append(low[rows] - floor)
    return np.concatenate(out)
