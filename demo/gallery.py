"""The gallery's library: a second two-legged set on a skeleton of its own, as another workshop records it.

Metres, resting in an A, joints framed along their bones, with roll bones in arms and legs and a bone above the pelvis
that carries travel. The motion is worked out on the hall's body and put on this one joint by joint.
"""

from dataclasses import replace

import numpy as np

from armuto.formats import gltf
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import local_rotations
from armuto.kinematics.skeleton import Skeleton
from demo.curves import eased, rotated, smooth, turn
from demo.gaits import TAU, Gait, Phases, go, times
from demo.hall import ArmCurve, HandCurve, Performance, perform, stood

SIZE = 1.07  # against the hall's body
LOWERED = 38.0  # degrees below the horizontal, at rest
NAMES = {
    "Hips": "Pelvis", "Spine": "Waist", "Chest": "Ribs", "Neck": "Neck", "Head": "Skull",
    "Collar": "Collar", "UpperArm": "Arm_Upper", "Forearm": "Arm_Lower", "Hand": "Hand",
    "Thigh": "Leg_Upper", "Shin": "Leg_Lower", "Foot": "Foot", "Toes": "Toes",
}  # fmt: skip
ROLLS = {"UpperArm": "Forearm", "Forearm": "Hand", "Thigh": "Shin"}  # a roll bone in the middle of each


def clips() -> list[Clip]:
    return [
        published(clip) for clip in (*map(go, gaits()), dust_the_case(), greet(), read_the_label(), wind_the_watch())
    ]


def gaits() -> list[Gait]:
    return [
        Gait("stroll", cycle=1.32, stride=1.12, cycles=3.5, strike=15, push=-36, lift=0.04, bounce=0.016, sway=0.032, lean=1,
             bend=(0, -1), twist=5, counter=5, arms=(76, 2, 15, 16, 9)),
        Gait("jog", cycle=0.76, stride=1.42, cycles=6, flat=0.09, off=0.2, swing=0.42, strike=4, push=-44, lift=0.12,
             width=0.055, toes_out=4, height=0.862, bounce=0.03, highest=0.5, sway=0.014, lean=6, head=-3, twist=7, counter=8,
             arms=(72, 4, 26, 74, 12), curl=0.6),
        Gait("tiptoe", cycle=1.5, stride=0.7, cycles=3.5, flat=0.2, off=0.3, swing=0.62, strike=0, push=-40, lift=0.07,
             height=0.885, bounce=0.012, lean=4, bend=(2, 2), head=-2, twist=3, counter=3, arms=(60, 6, 8, 40, 4), curl=0.05),
        Gait("carry the tray", cycle=1.16, stride=1.16, cycles=4, strike=14, push=-36, lift=0.04, bounce=0.012, sway=0.022,
             lean=0, bend=(-3, -4), twist=4, counter=2, hands=_tray),
    ]  # fmt: skip


def _tray(p: Phases) -> dict[str, HandCurve | ArmCurve]:
    """The right hand carries a tray beside the shoulder, level and steady; the left arm goes on swinging."""
    goal = np.stack([p.hips[:, 0] * 0.4 - 0.26, 1.33 + 0.4 * (p.hips[:, 1] - 0.877), p.hips[:, 2] + 0.16], axis=-1)
    facing = rotation.multiply(turn(y=62 + 0 * p.at), turn(x=172 + 0 * p.at))
    return {"Right": HandCurve(goal, np.tile([-0.55, -0.8, -0.45], (len(p.at), 1)), world=facing)}


def dust_the_case() -> Clip:
    """Dusting a glass case at chest height: small circles that wander from right to left and back."""
    at = times(4.8)
    on = eased(at, (0.4, 0), (1.1, 1.0), (3.7, 1.0), (4.5, 0.0))
    over = eased(at, (1.0, -1.0), (2.3, 1.0), (3.6, -0.7))
    beat = TAU * at / 0.62
    late = np.interp(at - 0.12, at, over) * on
    hips = np.stack([0.03 * late, 0.895 - 0.018 * on, -0.01 + 0.02 * on], axis=-1)
    local = {
        "Spine": turn(x=7 * on, y=5 * late),
        "Chest": turn(x=6 * on, y=7 * late + 1.2 * np.cos(beat) * on),
        "Neck": turn(x=4 * on, y=4 * late),
        "Head": turn(x=7 * on, y=5 * over * on),
        "RightCollar": turn(y=9 * on, z=2 * on),
    }
    wipe = np.stack([0.17 * over - 0.1 + 0.05 * np.cos(beat), 1.19 + 0.05 * np.sin(beat), 0.47 + 0 * at], axis=-1)
    share = smooth(on)[:, None]
    goal = np.array([-0.25, 0.89, 0.05]) * (1 - share) + wipe * share + np.sin(np.pi * share) * [-0.05, 0, 0.04]
    flat = rotation.multiply(turn(y=58 * on), turn(z=74 - 20 * on))
    arms = {
        "Right": HandCurve(goal, np.tile([-0.8, -0.6, -0.3], (len(at), 1)), world=flat),
        "Left": ArmCurve(77 - 3 * on, 4 - 6 * on, 18 + 34 * on, turn(y=-6 + 0 * at)),
    }
    feet = {"Left": stood(at, 0.12, 0.08, 10), "Right": stood(at, -0.13, -0.05, -15)}
    return perform(Performance("dust the case", hips, turn(x=5 * on, y=3 * late), feet, arms, local))


def greet() -> Clip:
    """A hand to the brim and a nod to the colleague across the gallery."""
    at = times(3.4)
    up = eased(at, (0.4, 0), (0.55, -0.04), (1.15, 1.0), (1.9, 1.0), (2.8, 0.0))
    nod = eased(at, (1.0, 0), (1.35, 1.0), (1.6, 0.55), (1.85, 0.8), (2.6, 0.0))
    early = eased(at, (0.3, 0), (1.0, 1.0), (2.1, 1.0), (3.0, 0.0))
    hips = np.stack([-0.016 * early, 0.905 - 0.006 * nod, -0.01 + 0 * at], axis=-1)
    local = {
        "Spine": turn(x=2 * nod, z=1.5 * early),
        "Chest": turn(x=3 * nod - 2 * up, y=-4 * early, z=2 * early),
        "Neck": turn(x=7 * nod, y=4 * early),
        "Head": turn(x=13 * nod - 3 * up, y=8 * early),
        "RightCollar": turn(y=4 * up, z=-10 * up),
    }
    share = up[:, None]
    rest, out, brim = np.array([-0.25, 0.885, 0.05]), np.array([-0.52, 1.3, 0.3]), np.array([-0.155, 1.605, 0.155])
    goal = rest * (1 - share) ** 2 + 2 * out * share * (1 - share) + brim * share**2 - nod[:, None] * [0, 0.02, -0.03]
    palm = rotation.multiply(turn(y=8 + 30 * up, x=-20 * up), turn(z=76 - 132 * up))
    arms = {
        "Right": HandCurve(goal, np.tile([-0.9, -0.35, -0.25], (len(at), 1)), world=palm),
        "Left": ArmCurve(77 + 0 * at, 3 + 2 * early, 17 + 3 * nod, turn(y=-6 + 0 * at)),
    }
    feet = {"Left": stood(at, 0.1, 0.0, 11), "Right": stood(at, -0.1, 0.0, -11)}
    return perform(Performance("greet", hips, turn(y=-2 * early, z=-1.5 * early), feet, arms, local, {"Right": 0.05}))


def read_the_label() -> Clip:
    """Hands on the back, bent over a label in the case, reading it from left to right, line by line."""
    at = times(5.0)
    down = eased(at, (0.5, 0), (1.5, 1.0), (3.9, 1.0), (4.7, 0.0))
    line = eased(at, (1.5, 1.0), (2.25, -1.0), (2.5, 1.0), (3.25, -1.0), (3.5, 0.4)) * down
    breath = np.sin(TAU * at / 2.5)
    hips = np.stack([0 * at, 0.9 - 0.016 * down + 0.002 * breath, -0.015 - 0.105 * down], axis=-1)
    local = {
        "Spine": turn(x=15 * down),
        "Chest": turn(x=12 * down + 0.5 * breath),
        "Neck": turn(x=-3 * down, y=4 * line),
        "Head": turn(x=4 * down + 2 * np.abs(line), y=8 * line),
        "LeftCollar": turn(y=12 + 0 * at),
        "RightCollar": turn(y=-12 + 0 * at),
    }
    trunk = turn(x=38 * down)
    arms = {}
    for side, sign, low in (("Left", 1, 0.0), ("Right", -1, 0.045)):
        goal = hips + rotated(trunk, [sign * 0.055, 0.1 + low, -0.185])
        arms[side] = HandCurve(goal, np.tile([sign * 0.9, -0.1, -0.55], (len(at), 1)), turn(z=sign * 12 + 0 * at))
    feet = {"Left": stood(at, 0.1, 0.02, 9), "Right": stood(at, -0.1, -0.02, -9)}
    return perform(
        Performance("read the label", hips, turn(x=14 * down), feet, arms, local, {"Left": 0.5, "Right": 0.6})
    )


def wind_the_watch() -> Clip:
    """A pocket watch in the left hand, its crown turned by the right, then held to the ear."""
    at = times(5.4)
    up = eased(at, (0.3, 0), (1.1, 1.0), (4.3, 1.0), (5.1, 0.0))
    ear = eased(at, (2.9, 0), (3.5, 1.0), (4.2, 1.0), (4.8, 0.0))
    turning = smooth((at - 1.1) / 0.3) * smooth((2.9 - at) / 0.3)
    beat = np.sin(TAU * at / 0.42) * turning
    hips = np.stack([0.012 * ear, 0.905 - 0.004 * up, -0.01 + 0 * at], axis=-1)
    local = {
        "Spine": turn(x=2 * up, z=-2 * ear),
        "Chest": turn(x=4 * up, z=-2 * ear),
        "Neck": turn(x=8 * up - 7 * ear, z=-5 * ear),
        "Head": turn(x=15 * up - 14 * ear, y=9 * ear, z=-9 * ear),
        "LeftCollar": turn(z=7 * ear),
    }
    low, held, high = np.array([0.25, 0.885, 0.05]), np.array([0.06, 1.18, 0.27]), np.array([0.145, 1.555, 0.085])
    a, b = smooth(up)[:, None], smooth(ear)[:, None]
    left = low * (1 - a) + held * a + (high - held) * b * a + np.sin(np.pi * b) * [0.07, -0.02, 0.06]
    free = a * (1 - b)
    crown = np.array([-0.035, 1.225, 0.275])
    right = low * [-1, 1, 1] * (1 - free) + crown * free + np.stack([0.004 * beat, 0.006 * beat, 0 * at], axis=-1)
    arms = {
        "Left": HandCurve(left, np.tile([0.7, -0.75, -0.15], (len(at), 1)), turn(y=-16 * up, x=-70 * up + 50 * ear)),
        "Right": HandCurve(right, np.tile([-0.75, -0.7, -0.15], (len(at), 1)), turn(y=14 * up, x=-40 * up - 14 * beat)),
    }
    feet = {"Left": stood(at, 0.1, 0.03, 12), "Right": stood(at, -0.1, -0.03, -8)}
    curl = {"Left": 0.3 + 0.35 * up, "Right": 0.3 + 0.45 * up * (1 - ear)}
    return perform(Performance("wind the watch", hips, turn(z=-1.0 * ear), feet, arms, local, curl))


def _published_tree(body: Skeleton) -> tuple[Skeleton, dict[int, int], dict[int, tuple[int, FloatArray]], FloatArray]:
    """The gallery's skeleton; body joint of every joint that has one; of every roll bone its bone and axis; the turn of
    each body joint from the T to this rest."""
    turned = np.tile(rotation.IDENTITY, (len(body), 1))
    for side, sign in (("Left", 1), ("Right", -1)):
        arm = rotation.about([0, 0, 1], -sign * np.radians(LOWERED))
        for joint in (body.index[f"{side}UpperArm"], *_below(body, body.index[f"{side}UpperArm"])):
            turned[joint] = arm
    offsets = body.rest_translation * SIZE
    jointed = body.parents >= 0
    offsets[jointed] = rotation.rotate(turned[body.parents[jointed]], offsets[jointed])
    at = replace(body, rest_translation=offsets).rest.positions
    at = at + [0, 0.07 * SIZE - at[:, 1].min(), 0] - [0, 0.045 * SIZE, 0]
    names, parents, places, of, rolls = ["Travel"], [-1], [np.zeros(3)], {}, {}
    number: dict[int, int] = {}
    for joint, name in enumerate(body.names):
        side = name.removeprefix("Left").removeprefix("Right")
        suffix = "_L" if name.startswith("Left") else "_R" if name.startswith("Right") else ""
        called = NAMES.get(side) or f"{side[:-1]}_{side[-1]}"
        number[joint] = len(names)
        of[len(names)] = joint
        names.append(called + suffix)
        parents.append(number[int(body.parents[joint])] if body.parents[joint] >= 0 else 0)
        places.append(at[joint])
        if side in ROLLS:
            child = body.index[name.replace(side, ROLLS[side])]
            rolls[len(names)] = (number[joint], at[child] - at[joint])
            names.append(f"{called}_Roll{suffix}")
            parents.append(number[joint])
            places.append((at[joint] + at[child]) / 2)
    world = np.empty((len(names), 4))
    world[0] = rotation.IDENTITY
    for n in range(1, len(names)):
        if n in rolls:
            world[n] = world[parents[n]]
            continue
        children = [c for c, p in enumerate(parents) if p == n and c not in rolls]
        ahead = (
            np.mean([places[c] for c in children], axis=0) - places[n] if children else places[n] - places[parents[n]]
        )
        # +X along the bone, as this workshop likes it; the others as upright as they can be.
        world[n] = rotation.between(np.array([1.0, 0, 0]), ahead)
    tree = Skeleton(tuple(names), np.array(parents), np.array(places), world)
    offsets = np.array(places)
    for n in range(1, len(names)):
        offsets[n] = rotation.rotate(rotation.inverse(world[parents[n]]), places[n] - places[parents[n]])
    return Skeleton(tree.names, tree.parents, offsets, local_rotations(tree, world[None])[0]), of, rolls, turned


def _below(body: Skeleton, joint: int) -> list[int]:
    return [other for other in range(len(body)) if joint in body.ancestors(other)]


def published(clip: Clip) -> Clip:
    """A clip of the hall's body on the gallery's skeleton. Travel and heading lie on the bone above the pelvis."""
    body, world = clip.skeleton, clip.world()
    tree, of, rolls, turned = _published_tree(body)
    frames, rest = clip.frames, tree.rest.rotations
    out = np.empty((frames, len(tree), 4))
    out[:, 0] = rotation.IDENTITY
    for n, joint in of.items():
        moved = rotation.multiply(world.rotations[:, joint], rotation.inverse(turned[joint]))
        out[:, n] = rotation.multiply(moved, rest[n])
    for n, (bone, axis) in rolls.items():
        # Half the twist of the next bone against this one, about this one's length.
        child = next(c for c in of if tree.parents[c] == bone)
        before = rotation.multiply(out[:, bone], rotation.inverse(rest[bone]))
        relative = rotation.multiply(
            rotation.inverse(before), rotation.multiply(out[:, child], rotation.inverse(rest[child]))
        )
        along = axis / np.linalg.norm(axis)
        angle = 2 * np.arctan2(relative[:, :3] @ along, relative[:, 3])
        angle = (angle + np.pi) % (2 * np.pi) - np.pi
        out[:, n] = rotation.multiply(rotation.multiply(before, rotation.about(along, angle / 2)), rest[n])
    path = world.positions[:, 0] * SIZE
    ground = path * [1, 0, 1]
    drop = tree.rest.positions[1][1] - 0.93 * SIZE  # the body's hips stand at 0.93 in its T
    hips = np.stack([np.zeros(frames), path[:, 1] + drop, np.zeros(frames)], axis=-1)
    # The sway stays with the hips: travel is the straight way.
    steady = np.stack(
        [np.polyval(np.polyfit(np.arange(frames), ground[:, axis], 1), np.arange(frames)) for axis in (0, 2)], axis=-1
    )
    if np.linalg.norm(steady[-1] - steady[0]) < 0.3:
        steady[:] = 0
    hips[:, [0, 2]] = ground[:, [0, 2]] - steady
    carried = np.stack([steady[:, 0], np.zeros(frames), steady[:, 1]], axis=-1)
    local = rotation.continuous(local_rotations(tree, out))
    return Clip(clip.name, tree, clip.fps, local, np.array([0, 1]), np.stack([carried, hips], axis=1))


def file_of(clip: Clip) -> bytes:
    return gltf.skeleton_only(clip.skeleton, [clip])
