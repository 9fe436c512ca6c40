"""Two who hand a crate over."""

from dataclasses import replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from demo.curves import eased, smooth, turn
from demo.gaits import TAU, times
from demo.hall import ArmCurve, HandCurve, Performance, perform, stood

APART = 1.3  # metres between the two who hand something over


def handover(role: str) -> Clip:
    """A crate changes hands. Both stand in one space, face to face; the giver's place is the origin."""
    at = times(4.6)
    giving = role == "giver"
    breath = np.sin(TAU * (at + (0 if giving else 0.8)) / 2.7)
    # Together from 1.7 s to 2.4 s, when both hold it.
    out = eased(at, (0.5, 0), (1.7, 1.0), (2.4, 1.0), (3.5, 0.0))
    has = eased(at, (2.0, 1.0), (2.4, 0.0)) if giving else eased(at, (1.75, 0.0), (2.15, 1.0))
    late = np.interp(at - 0.1, at, out)
    hips = np.stack([0 * at, 0.9 - 0.02 * out + 0.002 * breath, -0.01 + 0.045 * out - 0.012 * has], axis=-1)
    pelvis = turn(x=1 + 6 * out)
    local = {
        "Spine": turn(x=7 * out - 3 * has + 0.4 * breath),
        "Chest": turn(x=5 * late - 3 * has + 0.6 * breath),
        "Neck": turn(x=2 * late),
        "Head": turn(x=5 * late + 3 * has),
        "LeftCollar": turn(y=-9 * out),
        "RightCollar": turn(y=9 * out),
    }
    near, far = np.array([0.22, 1.06, 0.3]), np.array([0.22, 1.1, APART / 2 - 0.08])
    rest = np.array([0.25, 0.885, 0.06])
    free = (1 - out) * (1 - has)
    arms: dict[str, HandCurve | ArmCurve] = {}
    for side, sign in (("Left", 1), ("Right", -1)):
        held = near + (far - near) * out[:, None]
        goal = (held * (1 - free[:, None]) + rest * free[:, None]) * [sign, 1, 1]
        goal[:, 1] -= 0.012 * has * (1 - out)
        elbow = np.tile([sign * 0.55, -0.8, -0.35], (len(at), 1))
        level = 1 - smooth(free)
        facing = rotation.multiply(
            turn(y=sign * (-20 - 58 * level)), rotation.multiply(turn(z=-sign * 72 * (1 - level)), turn(x=-90 * level))
        )
        arms[side] = HandCurve(goal, elbow, world=facing)
    feet = {"Left": stood(at, 0.12, 0.06, 8), "Right": stood(at, -0.12, -0.06, -12)}
    clip = perform(
        Performance(f"hand over the crate {role}", hips, pelvis, feet, arms, local, {"Left": 0.2, "Right": 0.2})
    )
    return clip if giving else placed(clip, 180.0, [0.0, 0.0, APART])


def placed(clip: Clip, yaw: float, at: list[float]) -> Clip:
    """The whole clip turned about up through the origin and moved."""
    q = turn(y=yaw)[0]
    rotations, translations = clip.rotations.copy(), clip.translations.copy()
    rotations[:, 0] = rotation.multiply(q, rotations[:, 0])
    translations[:, 0] = rotation.rotate(q, translations[:, 0]) + at
    return replace(clip, rotations=rotations, translations=translations)
