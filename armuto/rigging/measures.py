"""What is wrong with a binding, measured where it is seen: in postures that try it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from armuto.body import capsules
from armuto.body.capsules import Capsule
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.pose import Pose, world_pose
from armuto.kinematics.skeleton import Skeleton
from armuto.progress import Report, unreported
from armuto.rigging.components import edges_of, welded
from armuto.rigging.exercise import POSTURES, TestPosture, posture_rotations
from armuto.rigging.landmark_sets import SIDES
from armuto.rigging.landmarks import Landmarks
from armuto.rigging.weights import distance_to_segment

STRETCHED = 2.0  # times its length at rest, from which an edge counts
SHORTEST = 0.005  # of the height: shorter edges count as that long, since nobody sees the seams they make
BESIDE = 0.02  # of the height: how far beyond the middle a point is surely on one side
WRONG_SHARE = 0.3  # of a point's weights that bones of the other side have
THINNED = 0.4  # of the volume about a joint, from which its loss is worth a look
RIGID = 0.005  # share of weights up to which a point counts as moved by one side of a joint alone
CLIPPED = 0.015  # of the height: how much deeper than at rest a point lies in a bone's capsule that is worth a look
APART = 3  # steps in the skeleton between bones whose surfaces have nothing to do with each other
LOOKED_AT = 300  # points of a bone that are looked at
FEWEST = 8  # triangles that bend, from which there is a volume to speak of


@dataclass(frozen=True)
class Bend:
    """A joint at which volume is measured: the bone that is turned, by how many degrees, and what turns it."""

    bone: str
    degrees: int
    posture: TestPosture


_KNEE_UP = "{side} knee up"
#: By the names of body plans, and of joints.
BENDS = {
    "two-legged": {
        "elbow": Bend("lower arm", 90, TestPosture("elbows bent", {}, {"lower arm": 90})),
        "knee": Bend("lower leg", 90, TestPosture(_KNEE_UP, {}, {"lower leg": 90})),
        "shoulder": Bend("upper arm", 90, TestPosture("arms ahead", {"upper arm": (0, 0, 1)}, {})),
        "hip": Bend("upper leg", 90, TestPosture(_KNEE_UP, {"upper leg": (0, 0, 1)}, {})),
    },
    "four-legged": {
        "elbow": Bend("front lower leg", 60, TestPosture("front legs lifted", {}, {"front lower leg": 60})),
        "wrist": Bend("front foot", 70, TestPosture("front legs lifted", {}, {"front foot": 70})),
        "knee": Bend("hind lower leg", 45, TestPosture("hind legs folded", {}, {"hind lower leg": 45})),
        "ankle": Bend("hind foot", 60, TestPosture("hind legs folded", {}, {"hind foot": 60})),
    },
    "winged": {
        "elbow": Bend("lower wing", 60, TestPosture("wings folded", {}, {"lower wing": 60})),
        "ankle": Bend("foot", 60, TestPosture("{side} foot lifted", {}, {"foot": 60})),
    },
}


@dataclass(frozen=True)
class BindingProblem:
    """kind: ``side``, ``volume``, ``stretch`` or ``clipping``. value: a share of points, of volume, times a length, or
    how deep in metres. count: points or edges. at ``(3,)``: where it is worst, at rest, in metres. posture: in which it
    is seen, if in one."""

    kind: str
    bone: str
    value: float
    count: int
    at: tuple[float, float, float]
    posture: str
    sentence: str


@dataclass(frozen=True, eq=False)
class Posed:
    """A figure in a posture: its joints, and where its points ``(P, 3)`` are."""

    posture: TestPosture
    pose: Pose
    points: FloatArray


def deformed(points: FloatArray, weights: FloatArray, skeleton: Skeleton, local: FloatArray) -> FloatArray:
    """Points ``(P, 3)`` where linear blend skinning takes them with local rotations ``(J, 4)``."""
    return skinned(points, weights, skeleton, _posed(skeleton, local))


def _posed(skeleton: Skeleton, local: FloatArray) -> Pose:
    return world_pose(skeleton, local[None], skeleton.rest_translation[None].copy()).frame(0)


def skinned(points: FloatArray, weights: FloatArray, skeleton: Skeleton, pose: Pose) -> FloatArray:
    """Points ``(P, 3)`` where linear blend skinning takes them with the joints of a pose."""
    turned = rotation.multiply(pose.rotations, rotation.inverse(skeleton.rest.rotations))
    matrices = rotation.to_matrix(turned)
    moved = pose.positions - np.einsum("jkl,jl->jk", matrices, skeleton.rest.positions)
    blended = weights @ np.concatenate([matrices.reshape(-1, 9), moved], axis=1)
    return np.asarray(np.einsum("pkl,pl->pk", blended[:, :9].reshape(-1, 3, 3), points) + blended[:, 9:])


def problems_of(
    points: FloatArray,
    faces: NDArray[np.int64],
    weights: FloatArray,
    skeleton: Skeleton,
    landmarks: Landmarks,
    cloth: BoolArray | None = None,
    report: Report = unreported,
) -> list[BindingProblem]:
    """Problems of a binding, the gravest kind first. cloth ``(P,)``: points that may follow both sides."""
    first, same = welded(points)
    own, bound = points[first], weights[first]
    corners = same[faces]
    height = float(np.ptp(own[:, 1]))
    posed = []
    postures = POSTURES[landmarks.plan]
    for number, posture in enumerate(postures):
        report(0.5 * number / len(postures), f"Trying it with {posture.name}")
        pose = _posed(skeleton, posture_rotations(skeleton, landmarks, posture))
        posed.append(Posed(posture, pose, skinned(own, bound, skeleton, pose)))
    report(0.5, "Looking for what tears and what goes into the body")
    return [
        *_wrong_side(own, bound, skeleton, landmarks, height, None if cloth is None else cloth[first]),
        *_stretched(own, corners, bound, skeleton, posed, height),
        *_clipped(own, bound, skeleton, posed, height),
        *_thinned(own, corners, bound, skeleton, landmarks),
    ]


def _wrong_side(
    points: FloatArray,
    weights: FloatArray,
    skeleton: Skeleton,
    landmarks: Landmarks,
    height: float,
    cloth: BoolArray | None,
) -> list[BindingProblem]:
    """Points clearly on one side that bones of the other move."""
    out = []
    beside = landmarks.plane.height(points)
    if cloth is not None:
        beside = np.where(cloth, 0.0, beside)
    for side, sign in (("left", -1), ("right", 1)):
        joints = [joint for joint, name in enumerate(skeleton.names) if name.startswith(f"{side} ")]
        share = weights[:, joints].sum(axis=1)
        rows = np.flatnonzero((sign * beside > BESIDE * height) & (share > WRONG_SHARE))
        if len(rows):
            worst = rows[int(share[rows].argmax())]
            bone = skeleton.names[joints[int(weights[worst, joints].argmax())]]
            sentence = f"{_points(len(rows))} of the other side follow{'s' if len(rows) == 1 else ''} {bone}."
            value = float(share[worst])
            out.append(BindingProblem("side", bone, value, len(rows), _triple(points[worst]), "", sentence))
    return out


def _stretched(
    points: FloatArray,
    faces: NDArray[np.int64],
    weights: FloatArray,
    skeleton: Skeleton,
    posed: Sequence[Posed],
    height: float,
) -> list[BindingProblem]:
    """Edges that are torn apart in the postures, by the bone that tears most."""
    edges = edges_of(faces)
    length = np.linalg.norm(points[edges[:, 0]] - points[edges[:, 1]], axis=1)
    most = np.ones(len(edges))
    when = np.zeros(len(edges), np.int64)
    for number, row in enumerate(posed):
        grown = np.linalg.norm(row.points[edges[:, 0]] - row.points[edges[:, 1]], axis=1)
        ratio = grown / np.maximum(length, SHORTEST * height)
        when[ratio > most] = number
        most = np.maximum(most, ratio)
    torn = np.flatnonzero(most > STRETCHED)
    out: list[BindingProblem] = []
    bones = weights[edges[torn, 0]].argmax(axis=1) if len(torn) else np.zeros(0, np.int64)
    for joint in np.unique(bones):
        rows = torn[bones == joint]
        worst = rows[int(most[rows].argmax())]
        seen = posed[int(when[worst])].posture.name
        bone = skeleton.names[int(joint)]
        sentence = (
            f"At {bone} {len(rows)} edge{'' if len(rows) == 1 else 's'} stretch{'es' if len(rows) == 1 else ''} up to "
            f"{most[worst]:.1f} times their length, most with {seen}."
        )
        middle = points[edges[worst]].mean(axis=0)
        out.append(BindingProblem("stretch", bone, float(most[worst]), len(rows), _triple(middle), seen, sentence))
    return sorted(out, key=lambda row: -row.value)


def _clipped(
    points: FloatArray, weights: FloatArray, skeleton: Skeleton, posed: Sequence[Posed], height: float
) -> list[BindingProblem]:
    """Points that go deeper into a bone's capsule than they lie in it at rest, of the bones of limbs, each where it is
    worst. Bones that are near each other in the skeleton fold onto each other by nature."""
    bodies = capsules.estimate(skeleton, points, weights)
    resting, *placed = (_segments(bodies, pose) for pose in (skeleton.rest, *(row.pose for row in posed)))
    radii = np.array([capsule.radius for capsule in bodies.values()])
    owner = weights.argmax(axis=1)
    own: dict[int, NDArray[np.int64]] = {}
    for joint, name in enumerate(skeleton.names):
        rows = np.flatnonzero(owner == joint)
        if name.startswith(SIDES) and len(rows) >= FEWEST:
            own[joint] = rows[:: max(1, len(rows) // LOOKED_AT)]
    worst: dict[int, tuple[int, BindingProblem]] = {}
    for joint, rows in own.items():
        # No point of a limb goes deeper into a capsule than a ball about all of them would.
        deepest = np.stack(
            [radii - _beyond_ball(row.points[rows], *ends) for row, ends in zip(posed, placed, strict=True)], axis=1
        )
        for number, other in enumerate(bodies):
            near = np.flatnonzero(deepest[number] >= CLIPPED * height).tolist()
            if not near or _steps_between(skeleton, joint, other) < APART:
                continue
            start, end = resting[0][number], resting[1][number]
            before = np.minimum(distance_to_segment(points[rows], start, end), radii[number])
            for posture in near:
                row = posed[posture]
                starts, ends = placed[posture]
                deeper = before - distance_to_segment(row.points[rows], starts[number], ends[number])
                value = float(deeper.max())
                if value < CLIPPED * height or (joint in worst and value <= worst[joint][1].value):
                    continue
                count = int(np.count_nonzero(deeper > CLIPPED * height))
                at = _triple(points[rows[int(deeper.argmax())]])
                sentence = (
                    f"{skeleton.names[joint]} goes up to {100 * value:.1f} cm into {skeleton.names[other]} "
                    f"with {row.posture.name}."
                )
                sentence = sentence[0].upper() + sentence[1:]
                bone = skeleton.names[joint]
                worst[joint] = other, BindingProblem("clipping", bone, value, count, at, row.posture.name, sentence)
    # Two that go into each other are said once.
    return [
        problem
        for joint, (other, problem) in sorted(worst.items(), key=lambda row: -row[1][1].value)
        if not (other in worst and worst[other][0] == joint and worst[other][1].value > problem.value)
    ]


def _steps_between(skeleton: Skeleton, joint: int, other: int) -> int:
    """From joint to joint along the skeleton."""
    ways = [[each, *skeleton.ancestors(each)] for each in (joint, other)]
    shared = set(ways[0]) & set(ways[1])
    return sum(next(n for n, each in enumerate(way) if each in shared) for way in ways)


def _segments(bodies: Mapping[int, Capsule], pose: Pose) -> tuple[FloatArray, FloatArray]:
    """Where the middle lines of capsules by joint begin and end in a pose, ``(C, 3)`` each."""
    joints = list(bodies)
    locals_ = np.array([(capsule.start, capsule.end) for capsule in bodies.values()]).reshape(-1, 2, 3)
    ends = pose.positions[joints][:, None] + rotation.rotate(pose.rotations[joints][:, None], locals_)
    return ends[:, 0], ends[:, 1]


def _beyond_ball(points: FloatArray, starts: FloatArray, ends: FloatArray) -> FloatArray:
    """How far segments ``(C, 3)`` lie beyond a ball about points ``(P, 3)``: ``(C,)``, negative within it."""
    centre = 0.5 * (points.min(axis=0) + points.max(axis=0))
    radius = np.linalg.norm(points - centre, axis=1).max()
    along = ends - starts
    share = np.einsum("ck,ck->c", centre - starts, along) / np.maximum(np.einsum("ck,ck->c", along, along), 1e-12)
    nearest = starts + np.clip(share, 0, 1)[:, None] * along
    return np.asarray(np.linalg.norm(centre - nearest, axis=1) - radius)


def _thinned(
    points: FloatArray,
    faces: NDArray[np.int64],
    weights: FloatArray,
    skeleton: Skeleton,
    landmarks: Landmarks,
) -> list[BindingProblem]:
    """Volume lost about joints that are bent."""
    out = []
    for name, bend in BENDS[landmarks.plan].items():
        for side in SIDES:
            joint, posture = skeleton.index[f"{side} {bend.bone}"], bend.posture
            local = posture_rotations(
                skeleton, landmarks, TestPosture(posture.name, posture.points, posture.bends, (side,))
            )
            lost = volume_lost(points, faces, weights, skeleton, local, joint)
            if lost > THINNED:
                bone = skeleton.names[joint]
                sentence = f"Bent by {bend.degrees}° the {side} {name} loses {lost:.0%} of its volume."
                at = _triple(skeleton.rest.positions[joint])
                out.append(BindingProblem("volume", bone, lost, 0, at, posture.name.format(side=side), sentence))
    return out


def volume_lost(
    points: FloatArray,
    faces: NDArray[np.int64],
    weights: FloatArray,
    skeleton: Skeleton,
    local: FloatArray,
    joint: int,
) -> float:
    """The share of the volume of what bends at a joint that a posture ``(J, 4)`` takes, in which that joint alone is
    turned.

    What bends are the triangles of which a corner moves neither quite with the joint nor quite without it. Their rims
    turn about the joint or stay, so that the pyramids from the joint to them have the volume of the body there.
    """
    share = weights[:, list(skeleton.subtree(joint))].sum(axis=1)
    blended = (share > RIGID) & (share < 1 - RIGID)
    bending = faces[blended[faces].any(axis=1)]
    at = skeleton.rest.positions[joint]
    before = _pyramids(points - at, bending)
    # What hangs on a body and encloses nothing has no volume to lose.
    if len(bending) < FEWEST or before < 1e-9:
        return 0.0
    return float(np.clip(1 - _pyramids(deformed(points, weights, skeleton, local) - at, bending) / before, 0, 1))


def _pyramids(points: FloatArray, faces: NDArray[np.int64]) -> float:
    """Volume between the origin and triangles."""
    a, b, c = (points[faces[:, k]] for k in range(3))
    return float(np.einsum("tk,tk->", a, np.cross(b, c))) / 6


def _points(count: int) -> str:
    return "1 point" if count == 1 else f"{count} points"


def _triple(row: Sequence[float] | FloatArray) -> tuple[float, float, float]:
    x, y, z = np.asarray(row, float).round(5).tolist()
    return x, y, z
