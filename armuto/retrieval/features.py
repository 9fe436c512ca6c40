"""What a clip's motion does, in the geometric relations of its body: it travels forward, both feet leave the floor.

Relations of joints to each other tell motions apart better than numbers of single joints do (Müller, Röder, Clausen,
*Efficient content-based retrieval of motion capture data*, SIGGRAPH 2005). Theirs are true or false in each frame; here
each holds to a degree over the whole clip, and says its size. Lengths are measured in legs, and times in what takes a
grown person a second: bodies of different size move alike at the same Froude number v²/(g l), so that what is told of
a mouse is told of a giant (Alexander, *Optimization and gaits in the locomotion of vertebrates*, 1989).
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from armuto.body.estimation import leg_length
from armuto.body.parts import Assignment
from armuto.body.plans import is_footing
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import bridged, lasting, low_pass, runs, speed_of
from armuto.kinematics.statistics import median, percentile
from armuto.refining.path import way_of
from armuto.refining.refined import Body, body_of

RATE = 30.0  # frames per second that are enough to see a foot off the floor
LONGEST = 10_000  # frames; of longer clips as many are looked at, further apart
LEG = 0.85  # metres, of a grown person
SWAY = 1.0  # Hz: what turns more quickly is the body's own sway
STEADY = 8.0  # Hz: what trembles more quickly is the recording's
RESTING_SPEED = 0.5  # legs a second: of a foot on the floor
RESTING_SECONDS = 0.08
CLEAR = 0.04  # legs above the floor


@dataclass(frozen=True)
class MotionFeature:
    """degree: from 0, it does not, to 1, it does. sentence: how much of it there is, for people."""

    degree: float
    sentence: str


@dataclass(frozen=True)
class _Foot:
    """How high the lower of a foot and its toes is ``(F,)``, and when it rests on something."""

    heights: FloatArray
    rests: BoolArray


@dataclass(frozen=True)
class _Motion:
    """Joints of a body over time ``(F, J, 3)``, with the leg as the length that everything is measured by, and a
    second of this body as the time: fps frames go into that. forward: where the body faces, level, ``(F, 2)`` along X
    and Z; gaze: where the head does. None where that cannot be told."""

    body: Body
    positions: FloatArray
    way: FloatArray
    forward: FloatArray | None
    gaze: FloatArray | None
    rest: FloatArray
    leg: float
    second: float
    fps: float
    loop: bool
    feet: tuple[_Foot, ...]

    @property
    def seconds(self) -> float:
        """Its length in seconds of the body."""
        return (len(self.way) - 1) / self.fps

    @cached_property
    def lowest(self) -> FloatArray:
        """How high the lowest of its feet is, ``(F,)``."""
        return np.asarray(np.stack([foot.heights for foot in self.feet]).min(axis=0))

    @cached_property
    def rests(self) -> BoolArray:
        """When any of its feet rests, ``(F,)``."""
        return np.asarray(np.any([foot.rests for foot in self.feet], axis=0))

    @cached_property
    def floor(self) -> FloatArray:
        """How high that is on which its feet rest, and between two rests of them in proportion, ``(F,)``; where its
        feet are at their lowest, if none ever rests. So stairs are a floor, and so is one that leans."""
        if not self.rests.any():
            return np.full(len(self.lowest), self.lowest.min())
        resting = np.stack([np.where(foot.rests, foot.heights, np.inf) for foot in self.feet]).min(axis=0)
        rows = np.flatnonzero(self.rests)
        return np.asarray(np.interp(np.arange(len(self.lowest)), rows, resting[rows]))

    def at(self, part: str) -> FloatArray | None:
        joint = self.body.joint_of.get(part)
        return None if joint is None else self.positions[:, joint]


def features_of(clip: Clip, parts: Assignment) -> dict[str, MotionFeature]:
    """What a clip's motion does, by name; none of what the parts of its body do not tell."""
    body = body_of(clip.skeleton, parts)
    motion = _motion(clip, body)
    if motion is None:
        return {}
    found: dict[str, MotionFeature] = {}
    for measured in (_travel, _speed, _turning, _flight, _height, _trunk, _hands, _head, _loop):
        found |= dict(measured(motion))
    return found


def _motion(clip: Clip, body: Body) -> _Motion | None:
    leg = leg_length(clip.skeleton, body.parts)
    if leg <= 0 or clip.frames < 2:
        return None
    second = float(np.sqrt(leg / LEG))
    sampled = replace(clip, fps=clip.fps * second)
    every = max(round(sampled.fps / RATE), -(-clip.frames // LONGEST), 1)
    if every > 1:
        nth = slice(None, None, every)
        sampled = replace(
            clip,
            rotations=clip.rotations[nth],
            translations=clip.translations[nth],
            fps=sampled.fps / every,
        )
        if sampled.frames < 2:
            return None
    world, rest = sampled.world(), clip.skeleton.rest
    forward, gaze = _forward(world.positions, body, sampled.fps), None
    at_rest, head = _forward(rest.positions[None], body, sampled.fps), body.joint_of.get("head")
    if head is not None and at_rest is not None:
        ahead = np.array([at_rest[0, 0], 0.0, at_rest[0, 1]])
        since_rest = rotation.multiply(world.rotations[:, head], rotation.inverse(rest.rotations[head]))
        gaze = rotation.rotate(since_rest, ahead)[:, [0, 2]]
    way = way_of(sampled, body)[:, [0, 2]]
    feet = tuple(_feet(world.positions, body, leg, sampled.fps))
    return _Motion(
        body, world.positions, way, forward, gaze, rest.positions, leg, second, sampled.fps, clip.loop is not None, feet
    )


def _feet(positions: FloatArray, body: Body, leg: float, fps: float) -> Iterator[_Foot]:
    joints: dict[str, list[int]] = {}
    for part, joint in body.joint_of.items():
        if is_footing(part):
            joints.setdefault(part.rsplit(" ", 1)[0], []).append(joint)
    for own in joints.values():
        paths = low_pass(positions[:, own], STEADY, fps)
        speed = np.stack([speed_of(paths[:, n], fps) for n in range(len(own))]).min(axis=0)
        low = paths[..., 1].min(axis=1)
        # At the top of its swing a foot is slow as well, but does not stay.
        rests = lasting(speed < RESTING_SPEED * leg, RESTING_SECONDS * fps)
        yield _Foot(low, rests)


def _forward(positions: FloatArray, body: Body, fps: float) -> FloatArray | None:
    """Where a body faces: square to the line through both hips, as it is over a while."""
    joints = body.joint_of
    for part in ("upper leg", "hind upper leg", "upper arm"):
        left, right = joints.get(f"left {part}"), joints.get(f"right {part}")
        if left is not None and right is not None:
            across = positions[:, left] - positions[:, right]
            ahead = low_pass(np.stack([-across[:, 2], across[:, 0]], axis=1), SWAY, fps)
            length = np.linalg.norm(ahead, axis=1, keepdims=True)
            return np.asarray(ahead / np.maximum(length, 1e-9))
    return None


def _degree(value: float, lowest: float, highest: float) -> float:
    """How much of something there is: 0 at lowest and 1 at highest, which may lie either way round."""
    return float(np.clip((value - lowest) / (highest - lowest), 0.0, 1.0))


Found = Iterator[tuple[str, MotionFeature]]


def _travel(motion: _Motion) -> Found:
    """Over the ground, and whether ahead, back or to a side of where the body faces."""
    way, leg = motion.way, motion.leg
    extent = float(np.linalg.norm(way - way[0], axis=1).max())
    travels = _degree(extent / leg, 0.45, 1.1)
    gone = f"it travels {extent:.1f} m"
    yield "travels", MotionFeature(travels, gone)
    yield "stays in place", MotionFeature(1 - travels, f"its hips stay within {max(extent, 0.01):.2f} m")
    if motion.forward is None:
        return
    steps = np.diff(way, axis=0)
    total = float(np.linalg.norm(steps, axis=1).sum())
    if total < 1e-6 * leg:
        shares = (0.0, 0.0, 0.0)
    else:
        facing = motion.forward[:-1]
        ahead = (steps * facing).sum(axis=1)
        across = steps[:, 0] * facing[:, 1] - steps[:, 1] * facing[:, 0]
        shares = (
            float(ahead.clip(min=0).sum() / total),
            float((-ahead).clip(min=0).sum() / total),
            float(np.abs(across).sum() / total),
        )
    for name, share in zip(("forward", "backward", "sideways"), shares, strict=True):
        sentence = f"{gone}, {share * 100:.0f} % of it {name}"
        yield f"travels {name}", MotionFeature(travels * _degree(share, 0.4, 0.75), sentence)


def _speed(motion: _Motion) -> Found:
    """Of the hips over the ground, and of the whole body about them."""
    steps = np.linalg.norm(np.diff(motion.way, axis=0), axis=1) * motion.fps
    speed = percentile(steps, 70)
    pace = speed / motion.leg
    sentence = f"it goes at {speed / motion.second:.1f} m/s"
    yield "goes fast", MotionFeature(_degree(pace, 1.5, 2.5), sentence)
    yield "goes slowly", MotionFeature(_degree(pace, 1.4, 0.95) * _degree(pace, 0.14, 0.34), sentence)
    relative = motion.positions - motion.positions[:, [motion.body.hips]]
    busy = percentile(np.linalg.norm(np.diff(relative, axis=0), axis=2).mean(axis=1) * motion.fps, 80) / motion.leg
    still = min(_degree(busy, 0.35, 0.08), _degree(pace, 0.4, 0.14))
    moved = busy * motion.leg / motion.second * 100
    yield "holds still", MotionFeature(still, f"its joints move by {moved:.0f} cm a second")


def _turning(motion: _Motion) -> Found:
    if motion.forward is None:
        return
    heading = _bearing(motion.forward)
    turned, span = float(heading[-1] - heading[0]), float(np.ptp(heading))
    sentence = f"it turns by {abs(turned):.0f}° to its {'left' if turned > 0 else 'right'}"
    yield "turns", MotionFeature(_degree(span, 25, 60), f"where it faces turns by {span:.0f}°")
    yield "turns left", MotionFeature(_degree(turned, 25, 60), sentence)
    yield "turns right", MotionFeature(_degree(-turned, 25, 60), sentence)
    yield "turns around", MotionFeature(_degree(span, 90, 150), f"where it faces turns by {span:.0f}°")


def _flight(motion: _Motion) -> Found:
    """Feet against the floor under them: all of them at once off it, one of them lifted high, and how often."""
    if len(motion.feet) < 2:
        return
    lowest, rests = motion.lowest, motion.rests
    clear = lowest - motion.floor
    off = bridged((clear > CLEAR * motion.leg) & ~rests, 1) if rests.any() else ~rests
    longest = max((last - first + 1 for first, last in runs(off)), default=0) / motion.fps
    yield (
        "both feet leave the floor",
        MotionFeature(_degree(longest, 0.04, 0.12), f"no foot is on the floor for {longest * motion.second:.2f} s"),
    )
    # A foot is lifted against the other: of both at once that is a jump.
    lifted = max(float((foot.heights - lowest)[~off].max(initial=0.0)) for foot in motion.feet)
    sentence = f"a foot is {lifted * 100:.0f} cm above the other"
    yield "lifts a foot", MotionFeature(_degree(lifted / motion.leg, 0.4, 0.65), sentence)
    steps = sum(len(runs(lasting(~foot.rests, 0.1 * motion.fps))) for foot in motion.feet)
    per_second = steps / max(motion.seconds, 1e-6)
    yield "takes steps", MotionFeature(_degree(per_second, 0.4, 1.0), f"it takes {steps} steps")
    yield "feet stay", MotionFeature(_degree(per_second, 0.5, 0.1), f"it takes {steps} steps")


def _height(motion: _Motion) -> Found:
    """Of the hips over the floor, against how high they stand at rest; and of the floor under the feet."""
    joints = [joint for part, joint in motion.body.joint_of.items() if is_footing(part)]
    if not joints:
        return
    hips = motion.positions[:, motion.body.hips, 1]
    standing = float(motion.rest[motion.body.hips, 1] - motion.rest[joints, 1].min())
    if standing <= 0:
        return
    share = (hips - motion.floor) / standing
    if motion.rests.any():
        low = percentile(share[motion.rests], 10)
        sentence = f"its hips come down to {low * 100:.0f} % of standing"
        yield "crouches", MotionFeature(_degree(low, 0.85, 0.68), sentence)
        risen = float(np.ptp(motion.floor))
        sentence = f"where its feet rest goes {risen * 100:.0f} cm up or down"
        yield "climbs", MotionFeature(_degree(risen / motion.leg, 0.3, 0.7), sentence)
    edge = max(1, len(hips) // 12)
    begins, ends = median(hips[:edge]) / standing, median(hips[-edge:]) / standing
    sentence = f"its hips end {abs(ends - begins) * standing * 100:.0f} cm {'higher' if ends > begins else 'lower'}"
    yield "ends lower", MotionFeature(_degree(begins - ends, 0.12, 0.3), sentence)
    yield "ends higher", MotionFeature(_degree(ends - begins, 0.12, 0.3), sentence)


def _trunk(motion: _Motion) -> Found:
    """How far the trunk leans from how it stands at rest."""
    hips, chest = motion.at("hips"), motion.at("chest")
    if chest is None:
        chest = motion.at("neck")
    joint = motion.body.joint_of.get("chest", motion.body.joint_of.get("neck"))
    if hips is None or chest is None or joint is None or motion.forward is None:
        return
    at_rest = motion.rest[joint] - motion.rest[motion.body.hips]
    # Of bodies whose trunk lies level, leaning says nothing.
    if at_rest[1] < 0.7 * float(np.linalg.norm(at_rest)):
        return
    trunk = chest - hips
    level = np.linalg.norm(trunk[:, [0, 2]], axis=1)
    ahead = (trunk[:, [0, 2]] * motion.forward).sum(axis=1)
    lean = np.degrees(np.arctan2(ahead, trunk[:, 1]))
    most = percentile(lean, 95)
    yield "bends forward", MotionFeature(_degree(most, 22, 42), f"its trunk leans {most:.0f}° forward")
    lying = percentile(np.degrees(np.arctan2(level, trunk[:, 1])), 90)
    yield "lies down", MotionFeature(_degree(lying, 55, 78), f"its trunk leans {lying:.0f}° from upright")


def _hands(motion: _Motion) -> Found:
    """Hands above the head's joint, how quickly they go to and fro about the trunk, and which of them is at work."""
    head, chest = motion.at("head"), motion.at("chest")
    if chest is None:
        chest = motion.at("hips")
    hands = {side: motion.at(f"{side} hand") for side in ("left", "right")}
    known = {side: path for side, path in hands.items() if path is not None}
    if chest is None or not known:
        return
    moving = {side: _working(path - chest, motion) for side, path in known.items()}
    if head is not None:
        above = {side: path[:, 1] > head[:, 1] - 0.1 * motion.leg for side, path in known.items()}
        yield "raises a hand", _held(np.any(list(above.values()), axis=0), motion, "a hand is at the head or above")
        if len(above) == 2:
            both = np.all(list(above.values()), axis=0)
            yield "raises both hands", _held(both, motion, "both hands are at the head or above")
    if len(moving) < 2:
        return
    left, right = moving["left"], moving["right"]
    speeds = [speed / motion.second * 100 for speed in (left, right)]
    sentence = f"its hands move {speeds[0]:.0f} and {speeds[1]:.0f} cm a second about the trunk, left and right"
    share = left / max(left + right, 1e-9)
    busy = _degree(max(left, right) / motion.leg, 0.15, 0.45)
    yield "uses its left hand", MotionFeature(busy * _degree(share, 0.55, 0.72), sentence)
    yield "uses its right hand", MotionFeature(busy * _degree(share, 0.45, 0.28), sentence)
    yield "moves its hands", MotionFeature(busy, sentence)
    distance = np.linalg.norm(known["left"] - known["right"], axis=1)
    spread = float(np.std(distance)) / motion.leg
    carried = min(_degree(spread, 0.09, 0.03), _degree(percentile(_forehead(known, chest, motion), 30), 0.05, 0.2))
    yield (
        "holds something before it",
        MotionFeature(carried, f"its hands stay {median(distance) * 100:.0f} cm apart, to within {spread * 100:.0f} %"),
    )


def _forehead(hands: Mapping[str, FloatArray], chest: FloatArray, motion: _Motion) -> FloatArray:
    """How far before the chest the hands are, in legs ``(F,)``."""
    if motion.forward is None:
        return np.zeros(len(chest))
    middle = np.mean(list(hands.values()), axis=0) - chest
    return np.asarray((middle[:, [0, 2]] * motion.forward).sum(axis=1) / motion.leg)


def _working(path: FloatArray, motion: _Motion) -> float:
    """Metres that a hand goes about the trunk in a second of the body, in the mean."""
    return float(np.linalg.norm(np.diff(path, axis=0), axis=1).mean() * motion.fps)


def _held(holds: BoolArray, motion: _Motion, what: str) -> MotionFeature:
    longest = max((last - first + 1 for first, last in runs(holds)), default=0) / motion.fps
    return MotionFeature(_degree(longest, 0.1, 0.35), f"{what} for {longest * motion.second:.1f} s")


def _head(motion: _Motion) -> Found:
    """How far the head turns to and fro against the body."""
    if motion.gaze is None or motion.forward is None:
        return
    span = float(np.ptp(_bearing(motion.gaze) - _bearing(motion.forward)))
    yield "looks around", MotionFeature(_degree(span, 35, 70), f"its head turns by {span:.0f}° against the body")


def _bearing(directions: FloatArray) -> FloatArray:
    """Level directions ``(F, 2)`` as degrees from +Z towards +X, run on beyond whole turns."""
    return np.asarray(np.degrees(np.unwrap(np.arctan2(directions[:, 0], directions[:, 1]))))


def _loop(motion: _Motion) -> Found:
    sentence = "it ends as it began" if motion.loop else "it does not end as it began"
    yield "loops", MotionFeature(float(motion.loop), sentence)
