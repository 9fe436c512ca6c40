"""Two at a time: the chores that take more than one figure, with what they use, all in one space.

A take holds both performers, each joint with the performer's name before its own, and the things that were recorded with
them as joints of their own; but for two that came as files side by side, with the performer's name at the end of theirs.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from armuto.ensembles import model
from armuto.ensembles.model import Carried, Ensemble, Holder, Performer, Prop, Shape
from armuto.formats import bvh
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from demo.curves import eased, rotated, turn
from demo.gaits import TAU, Gait, Phases, go, times
from demo.hall import HELD, ArmCurve, HandCurve, Performance, perform, recorded, stood
from demo.handover import placed

LADDER, WALKED = 2.9, 1.9  # metres: its length, and how far those who carry it walk apart
CRANK, CRANK_HEIGHT = 0.17, 1.06  # metres: radius and height of its axle
ACROSS = 0.44  # metres from either hand that shakes another to its shoulder's line
RAIL = 0.98  # metres: height of the cart's rail

RUNGS = (0.1125 + 0.27 * np.arange(12)).round(4).tolist()  # metres above the floor, of the ladder to the dial
LADDER_SHAPES = (
    Shape("box", (0.06, 0.09, LADDER), (0.16, 0.0, 0.0)),
    Shape("box", (0.06, 0.09, LADDER), (-0.16, 0.0, 0.0)),
    *(
        Shape("cylinder", (0.035, 0.3, 0.035), (0.0, 0.0, z), (0.0, 0.0, 90.0))
        for z in np.linspace(-1.3, 1.3, 10).round(3)
    ),
)


@dataclass(frozen=True)
class Take:
    """What was recorded at once: performers by name, in their Ts, and the paths of things by name."""

    name: str
    performers: dict[str, Clip]
    things: dict[str, tuple[FloatArray, FloatArray]]


def takes() -> Iterator[Take]:
    yield carry_the_ladder()
    yield wind_the_great_clock()
    yield shake_hands()


def _still_arm(at: FloatArray, sign: int, swing: FloatArray | float = 0.0) -> ArmCurve:
    return ArmCurve(77 + 0 * at, 3 + swing + 0 * at, 17 + 0 * at, turn(y=-sign * 6 + 0 * at, z=-sign * 3))


def carry_the_ladder() -> Take:
    """The long ladder between two who walk one behind the other, each with the right hand on its side."""
    gait = Gait("carry the ladder", cycle=1.24, stride=1.06, cycles=4.0, strike=12, push=-36, lift=0.045, height=0.866)
    height, beside, seconds = 0.86, 0.30, gait.cycle * gait.cycles
    at = times(seconds)
    pace = gait.stride / gait.cycle

    def hands(p: Phases) -> dict[str, HandCurve | ArmCurve]:
        steady = np.polyval(np.polyfit(p.at, p.hips[:, 2], 1), p.at)
        goal = np.stack([np.full_like(p.at, -beside), np.full_like(p.at, height), steady + 0.06], axis=-1)
        elbow = np.tile([-0.45, -0.4, -0.8], (len(p.at), 1))
        # Palm up and inwards under the near rail, fingers ahead.
        facing = rotation.multiply(turn(y=80 + 0 * p.at), turn(x=-80 + 0 * p.at))
        return {"Right": HandCurve(goal, elbow, world=facing)}

    rear = go(replace(gait, hands=hands))
    # The one ahead is half a step later, as two who carry something are not to rock it.
    ahead = placed(
        _later(go(replace(gait, hands=hands, cycles=gait.cycles + 0.5)), gait.cycle / 4, pace), 0.0, [0, 0, WALKED]
    )
    ahead = ahead.cut(0, rear.frames - 1)
    hand = rear.world().positions[:, rear.skeleton.index["RightHand"]]
    steady = np.polyval(np.polyfit(at, hand[:, 2], 1), at)
    places = np.stack(
        [np.full_like(at, -beside - 0.225), np.full_like(at, height), steady + 0.06 + WALKED / 2], axis=-1
    )
    ladder = places, np.tile(rotation.IDENTITY, (len(at), 1))
    return Take("carry the ladder", {"rear": rear, "ahead": ahead}, {"ladder": ladder})


def _later(clip: Clip, seconds: float, pace: float) -> Clip:
    """The clip from a moment on, moved back by how far it has come."""
    first = round(seconds * clip.fps)
    return placed(clip.cut(first, clip.frames - 1), 0.0, [0.0, 0.0, -pace * first / clip.fps])


def wind_the_great_clock() -> Take:
    """Two at one crank, face to face, who turn it three times with their weight behind it."""
    rounds, seconds = 3, 7.4
    at = times(seconds)
    angle = TAU * rounds * _paced((at - 0.7) / (seconds - 1.4))
    bar = np.stack([0 * at, CRANK_HEIGHT + CRANK * np.sin(angle), CRANK * np.cos(angle)], axis=-1)
    performers = {}
    for name, yaw, spread in (("near", 0.0, 0.14), ("far", 180.0, 0.34)):
        back = turn(y=-yaw)
        own = rotated(np.broadcast_to(back, (len(at), 4)), bar - [0, 0, 0]) + [0, 0, 0.52]
        push = (own[:, 2] - 0.52) / CRANK
        down = (CRANK_HEIGHT - own[:, 1]) / CRANK
        hips = np.stack([0 * at, 0.885 - 0.02 * down, 0.02 + 0.035 * push], axis=-1)
        local = {
            "Spine": turn(x=5 + 4 * push + 2 * down),
            "Chest": turn(x=4 + 4 * push + 2 * down),
            "Neck": turn(x=-3 - 2 * push),
            "Head": turn(x=4 - 2 * push),
            "LeftCollar": turn(y=-8 - 3 * push),
            "RightCollar": turn(y=8 + 3 * push),
        }
        arms: dict[str, HandCurve | ArmCurve] = {}
        for side, sign in (("Left", 1), ("Right", -1)):
            goal = own + [sign * spread, 0.03, -0.075]
            elbow = np.tile([sign * 0.6, -0.8, -0.25], (len(at), 1))
            facing = rotation.multiply(turn(y=sign * -84 + 0 * at), turn(z=sign * 20 + 0 * at))
            arms[side] = HandCurve(goal, elbow, world=facing)
        feet = {"Left": stood(at, 0.13, 0.10, 8), "Right": stood(at, -0.14, -0.14, -14)}
        clip = perform(
            Performance(
                "wind the great clock", hips, turn(x=4 + 3 * push), feet, arms, local, {"Left": 0.85, "Right": 0.85}
            )
        )
        performers[name] = placed(placed(clip, 0.0, [0, 0, -0.52]), yaw, [0.0, 0.0, 0.0])
    return Take("wind the great clock", performers, {"crank": (bar, np.tile(rotation.IDENTITY, (len(at), 1)))})


def _paced(share: FloatArray) -> FloatArray:
    """0 to 1 at an even pace, with a soft start and a soft stop."""
    share, soft = np.clip(share, 0, 1), 0.15
    even = 1 - soft
    start, stop = share**2 / (2 * soft * even), 1 - (1 - share) ** 2 / (2 * soft * even)
    return np.where(share < soft, start, np.where(share > 1 - soft, stop, (share - soft / 2) / even))


def shake_hands() -> Take:
    """The change of shift: the one who goes and the one who comes shake hands under the clock."""
    at = times(4.4)
    out = eased(at, (0.5, 0), (1.25, 1.0), (3.0, 1.0), (3.8, 0.0))
    shake = eased(at, (1.3, 0), (1.5, 1.0), (2.5, 1.0), (2.8, 0.0)) * np.sin(TAU * 2.2 * (at - 1.3))
    performers = {}
    for name, yaw, lag in (("leaving", 0.0, 0.0), ("coming", 180.0, 0.12)):
        own = np.interp(at - lag, at, out) if lag else out
        # They meet only while both hands are there.
        own = np.where((at > 1.4) & (at < 2.9), out, own)
        breath = np.sin(TAU * (at + 3 * lag) / 2.9)
        hips = np.stack([-0.01 * own, 0.905 - 0.006 * own + 0.002 * breath, 0.03 * own], axis=-1)
        local = {
            "Spine": turn(x=3 * own + 0.4 * breath, y=4 * own),
            "Chest": turn(x=3 * own + 0.6 * breath, y=6 * own),
            "Neck": turn(x=-2 * own, y=-5 * own),
            "Head": turn(x=3 * own + 0 * at, y=-5 * own),
            "RightCollar": turn(y=9 * own),
        }
        # Palms lie against each other in the middle between the two, wrists a hand's length before it.
        there = np.stack([0.012 + 0 * at, 1.02 + 0.045 * shake, ACROSS - 0.085 + 0 * at], axis=-1)
        rest = np.array([-0.25, 0.885, 0.06])
        goal = rest + own[:, None] * (there - rest) + (np.sin(np.pi * own) * 0.05)[:, None] * [-1.0, 0.0, 0.3]
        elbow = np.tile([-0.55, -0.85, -0.3], (len(at), 1))
        facing = rotation.multiply(turn(y=20 + 66 * own), rotation.multiply(turn(z=72 * (1 - own)), turn(x=-90 * own)))
        arms: dict[str, HandCurve | ArmCurve] = {
            "Right": HandCurve(goal, elbow, world=facing),
            "Left": _still_arm(at, 1, 2 * own),
        }
        feet = {"Left": stood(at, 0.11, -0.03, 9), "Right": stood(at, -0.11, 0.05, -9)}
        clip = perform(
            Performance(
                "shake hands",
                hips,
                turn(x=1.5 * own, y=3 * own),
                feet,
                arms,
                local,
                {"Left": 0.3, "Right": 0.25 + 0.3 * own},
            )
        )
        performers[name] = placed(placed(clip, 0.0, [0, 0, -ACROSS]), yaw, [0.0, 0.0, 0.0])
    return Take("shake hands", performers, {})


def steady_the_load() -> Clip:
    """Beside the cart that somebody pushes, the right hand on what it carries."""
    gait = Gait(
        "push the cart steadier", cycle=1.34, stride=1.0, cycles=3.5, flat=0.1, off=0.34, swing=0.64, strike=8, push=-40
    )

    def hand(p: Phases) -> dict[str, HandCurve | ArmCurve]:
        steady = np.polyval(np.polyfit(p.at, p.hips[:, 2], 1), p.at)
        goal = np.stack([np.full_like(p.at, -0.58), np.full_like(p.at, 1.095), steady + 0.16], axis=-1)
        elbow = np.tile([-0.5, -0.7, -0.5], (len(p.at), 1))
        facing = rotation.multiply(turn(y=72 + 0 * p.at), turn(z=6 + 0 * p.at))
        return {"Right": HandCurve(goal, elbow, world=facing)}

    return placed(go(replace(gait, hands=hand, curl=0.15)), 0.0, [0.83, 0.0, 0.62])


def take_file(take: Take) -> bytes:
    """Everything that was recorded at once in one BVH with several roots, after the frames held for calibration."""
    joints: list[bvh.BvhJoint] = []
    columns: list[FloatArray] = []
    time = 0.0
    for name, clip in take.performers.items():
        file = bvh.from_clip(recorded(clip))
        start, time = len(joints), file.frame_time
        joints += [
            replace(joint, name=f"{name}:{joint.name}", parent=joint.parent + start if joint.parent >= 0 else -1)
            for joint in file.joints
        ]
        columns.append(file.motion)
    for name, (places, _) in take.things.items():
        joints.append(
            bvh.BvhJoint(name, -1, (0.0, 0.0, 0.0), ("Xposition", "Yposition", "Zposition"), ((0.0, 10.0, 0.0),))
        )
        columns.append(np.concatenate([np.repeat(places[:1], HELD, axis=0), places]) * 100)
    return bvh.serialise(bvh.BvhFile(tuple(joints), round(time, 7), np.concatenate(columns, axis=1).round(3)))


CRATE = Prop(
    "crate",
    (Shape("box", (0.41, 0.28, 0.34)),),
    at=(0.0, 1.06, 0.38),
    carried=(
        Carried(2, 60, (Holder("giver", "left hand"), Holder("giver", "right hand"))),
        Carried(
            61, 68, tuple(Holder(who, f"{side} hand") for who in ("giver", "receiver") for side in ("left", "right"))
        ),
        Carried(69, 140, (Holder("receiver", "left hand"), Holder("receiver", "right hand"))),
    ),
    handles={"left rope": (0.205, 0.06, 0.0), "right rope": (-0.205, 0.06, 0.0)},
)
CART = Prop(
    "cart",
    (
        Shape("box", (0.62, 0.1, 0.9), (0.0, -0.55, 0.5)),
        Shape("cylinder", (0.04, 0.6, 0.04), (0.0, 0.0, 0.0), (0.0, 0.0, 90.0)),
        Shape("box", (0.56, 0.58, 0.7), (0.0, -0.2, 0.5)),
        *(
            Shape("cylinder", (0.26, 0.05, 0.26), (x, -0.85, z), (0.0, 0.0, 90.0))
            for x in (-0.3, 0.3)
            for z in (0.15, 0.85)
        ),
    ),
    at=(0.0, RAIL, 0.62),
    carried=(Carried(2, 143, (Holder("pusher", "left hand"), Holder("pusher", "right hand"))),),
    scaling="kept",
    handles={"left grip": (0.24, 0.0, 0.0), "right grip": (-0.24, 0.0, 0.0)},
)
STANDING_LADDER = Prop(
    "ladder",
    (
        *(Shape("box", (0.04, 3.4, 0.05), (x, 1.7, 0.0)) for x in (-0.22, 0.22)),
        *(Shape("cylinder", (0.035, 0.44, 0.035), (0.0, y, 0.0), (0.0, 0.0, 90.0)) for y in RUNGS),
    ),
    at=(0.0, 0.0, 0.268),
    scaling="steps",
)
BENCH = Prop(
    "bench",
    (
        Shape("box", (1.2, 0.05, 0.4), (0.0, 0.425, 0.0)),
        *(Shape("box", (0.05, 0.4, 0.4), (x, 0.2, 0.0)) for x in (-0.5, 0.5)),
    ),
    at=(0.0, 0.0, -0.42),
    scaling="steps",
)


def ensembles() -> Iterator[Ensemble]:
    """What the museum's ensembles are, as files for the shell have it; clips by the names of their files."""
    yield Ensemble(
        "hand over the crate",
        tuple(Performer(role, f"hand_over_the_crate_{role}", 0) for role in ("giver", "receiver")),
        (CRATE,),
    )
    yield Ensemble(
        "push the cart",
        (Performer("pusher", "push_the_cart"), Performer("steadier", "push_the_cart_steadier")),
        (CART,),
    )
    yield Ensemble("climb the ladder", (Performer("climber", "climb_the_ladder"),), (STANDING_LADDER,))
    yield Ensemble("sit down", (Performer("sitter", "sit_down"),), (BENCH,))
    shapes: dict[str, tuple[Shape, ...]] = {
        "ladder": LADDER_SHAPES,
        "crank": (Shape("cylinder", (0.036, 0.9, 0.036), (0.0, 0.0, 0.0), (0.0, 0.0, 90.0)),),
    }
    scaling: dict[str, Any] = {"ladder": {}, "crank": {"anchored": True}}
    for take in takes():
        called = take.name.replace(" ", "_")
        yield Ensemble(
            take.name,
            tuple(Performer(name, f"{called}:{name}") for name in take.performers),
            tuple(Prop(name, shapes[name], recorded=f"{called}:{name}", **scaling[name]) for name in take.things),
        )


def file_of(ensemble: Ensemble) -> dict[str, Any]:
    return model.to_json(ensemble)
