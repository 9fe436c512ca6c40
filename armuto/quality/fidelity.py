"""Whether a rendition stands, faces and moves as its source does: measured on joint positions alone, through the pairs.

Nothing here asks how the fitting was made. Stances, facing and sizes that a transfer assumes may be wrong together and
agree with each other; places of joints in the world do not. What is compared, frame by frame:

- the way from hips to head against gravity, and whether the source itself stands on a floor that lies below it;
- the lines through both hip joints and both shoulders; how far the trunk is turned in itself;
- the direction of every bone of an arm, a leg and the neck, of feet and necks beside how the two bodies are built;
- on which side of the body feet, knees and hands are, and what names and toes say of the sides;
- how high hips and head are carried, in the lengths of the body's own bones;
- how long bones are against their rest, and against each other.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import lru_cache
from itertools import pairwise

import numpy as np

from armuto.body.names import read_names
from armuto.body.plans import SIDES, Part
from armuto.intake.detection import unsteadiness
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.statistics import median, percentile, percentiles
from armuto.kinematics.vectors import angles_between, cross, dot, lengths
from armuto.pairing.joint_mapping import first_drivers
from armuto.quality.bodies import Bodies, Deviation
from armuto.retarget.fitting import Fitting
from armuto.stance.aligning import mapped_parts, shapes
from armuto.stance.shape import bends, roll_angle

UP = np.array([0.0, 1.0, 0.0])
OFTEN = 0.4  # of a direction's 95th percentile, which counts where it is more than the median
LIES = 55.0  # degrees from upright, in the median, from which on a body lies or goes on all fours throughout
HANGS = 125.0  # degrees from upright in the median: nobody hangs head down throughout
UPRIGHT = 15.0  # degrees within which a body at rest stands upright
BUILT = np.radians(35.0)  # by so much feet and necks may lie otherwise in another build
STANDS = 40.0  # degrees from upright within which a trunk stands
STEADY, STEADIER = 0.02, 1.6  # of the body's size: how steady a floor is; and how much steadier another axis has to be
CLEAR = 0.3  # of the width between hips or shoulders: nearer to the middle than this nothing is on a side
COLLAR = 1.7  # times: by so much more collar bones differ between bodies than the bones after them
FOLDING = 0.65  # of how a bone or a height deviates, on bodies that do not go upright


def deviations(bodies: Bodies) -> Iterator[Deviation]:
    """Everything of the list above, whatever its size."""
    yield from _upright(bodies)
    yield from _facing(bodies)
    yield from _twist(bodies)
    yield from _directions(bodies)
    yield from _rolls(bodies)
    yield from _sides(bodies)
    yield from _heights(bodies)
    yield from _lengths(bodies)
    yield from _proportions(bodies)


def _angle(a: FloatArray, b: FloatArray) -> FloatArray:
    """Degrees between directions ``(..., 3)``."""
    return np.degrees(angles_between(a, b))


def _top(at: Mapping[str, FloatArray]) -> str | None:
    return next((name for name in ("head", "neck", "chest") if name in at), None)


def _upright(bodies: Bodies) -> Iterator[Deviation]:
    top = _top(bodies.here)
    if top is None or "hips" not in bodies.here:
        return
    lean = [_angle(at[top] - at["hips"], UP) for at in bodies.both]
    deviation = np.abs(lean[1] - lean[0])
    yield Deviation("up", "trunk", _typical(deviation), 0.0, deviation)
    size = median(lean[0])
    if bodies.fitting.plan.trunk != "upright" or size < LIES:
        return
    # Bodies lie, crawl and tumble for a while. One that does throughout is read in wrong axes if its lowest points rest
    # on a floor somewhere else, or if it hangs head down; and may be if its legs go on straight from its trunk, as
    # standing.
    if size > HANGS or _floor_elsewhere(bodies):
        yield Deviation("gravity", "source", size, 0.0, lean[0])
    elif _in_line(bodies.there, top) < STANDS:
        yield Deviation("lies", "source", size, 0.0, lean[0])


def _in_line(at: Mapping[str, FloatArray], top: str) -> float:
    """Degrees between trunk and legs, in the median: none where legs go on straight from the trunk; 180 without
    legs."""
    legs = [at[f"{side} foot"] - at["hips"] for side in SIDES if f"{side} foot" in at]
    return median(_angle(at["hips"] - at[top], np.mean(legs, axis=0))) if legs else 180.0


def _floor_elsewhere(bodies: Bodies) -> bool:
    """Whether the source's lowest points keep their height along a level axis of the world clearly better than along
    +Y."""
    source_places = np.stack(list(bodies.there.values()), axis=1)
    if len(source_places) < 3:
        return False
    loose = {axis: value + STEADY / 10 for axis, value in unsteadiness(source_places).items() if axis != "-Y"}
    best = min(loose.values())
    return loose["+Y"] > STEADIER * best and best < STEADY


def _across(at: Mapping[str, FloatArray], kinds: tuple[str, ...]) -> FloatArray | None:
    """From right to left through a pair of joints of the first of these kinds that is there."""
    for kind in kinds:
        if f"left {kind}" in at and f"right {kind}" in at:
            line = at[f"left {kind}"] - at[f"right {kind}"]
            if median(lengths(line)) > 1e-6:
                return line
    return None


HIPS = ("upper leg", "hind upper leg")
CHEST = ("upper arm", "front upper leg", "upper wing", "shoulder", "front shoulder")


def _facing(bodies: Bodies) -> Iterator[Deviation]:
    for part, kinds in (("hips", HIPS), ("chest", CHEST)):
        lines = [_across(at, kinds) for at in bodies.both]
        if lines[0] is not None and lines[1] is not None:
            deviation = _angle(lines[0], lines[1])
            yield Deviation("facing", part, _typical(deviation), 0.0, deviation)
    # Where it stands to begin with, the body faces as its file has it.
    fitting = bodies.fitting
    stance = fitting.target_stance
    if stance.start is None:
        return
    flat = []
    for positions in (stance.first_pose(fitting.target).positions, fitting.target_pose.positions):
        at = {part: positions[driver.target] for part, driver in bodies.first.items()}
        line, top = _across(at, HIPS), _top(at)
        # Only a body that stands shows where it faces.
        if line is None or top is None or "hips" not in at or float(_angle(at[top] - at["hips"], UP)) > STANDS:
            return
        flat.append(line * [1.0, 0.0, 1.0])
    yield Deviation("facing", "body", float(_angle(flat[0], flat[1])))


def _twist(bodies: Bodies) -> Iterator[Deviation]:
    """How far hips and chest are turned against each other about the trunk in the stance, against how the body
    rests."""
    fitting, first = bodies.fitting, bodies.first
    if "hips" not in first or "chest" not in first:
        return
    start = fitting.target_stance.first_pose(fitting.target)
    hips, chest = first["hips"].target, first["chest"].target
    axis = start.positions[chest] - start.positions[hips]
    if float(np.linalg.norm(axis)) < 1e-6:
        return
    now = fitting.target_pose.rotations
    turns = [rotation.multiply(now[joint], rotation.inverse(start.rotations[joint])) for joint in (hips, chest)]
    between = rotation.against(turns[0], turns[1])
    _, twist = rotation.swing_and_twist(between, axis / np.linalg.norm(axis))
    yield Deviation("twist", "trunk", float(np.degrees(rotation.angle(twist))))


def _directions(bodies: Bodies) -> Iterator[Deviation]:
    if not bodies.bones:
        return
    built = bodies.directions[0].copy()
    for row, (part, onward) in enumerate(bodies.bones):
        if part.kind.endswith("foot") or part.limb == "neck":
            built[row] = _as_built(bodies, part, onward, built[row])
    # Legs of many bones that are held on the floor fold otherwise where bodies are built otherwise.
    every = _angle(built, bodies.directions[1]) * (1.0 if bodies.fitting.plan.trunk == "upright" else FOLDING)
    typical = np.maximum(percentiles(every, 50), OFTEN * percentiles(every, 95)).tolist()
    for (part, onward), deviation, size in zip(bodies.bones, every, typical, strict=True):
        if part.kind.endswith("shoulder") or min(bodies.usual_length(part, onward)) < 1e-4:
            continue  # collar bones lie as a body is built
        if part.limb in bodies.held:
            free = ~bodies.held[part.limb]
            if not free.any():
                continue
            deviation, size = np.where(free, deviation, 0.0), _typical(deviation[free])
        yield Deviation("direction", part.name, size, 0.0, deviation)


def _as_built(bodies: Bodies, part: Part, onward: Part, bone: FloatArray) -> FloatArray:
    """The source's bone of a foot or neck ``(F, 3)`` as it would lie in the target's build.

    A foot's bone goes steeply down from a high ankle, and a neck forward from a bowed back, on one body and not on
    another that stands alike. By how much is told from how both rest, where they stand upright at rest; else nothing
    is.
    """
    fitting, foot = bodies.fitting, part.kind.endswith("foot")
    if fitting.plan.trunk != "upright" or fitting.source.file_rest is not None:
        return bone
    slopes, across = [], _across(bodies.there, CHEST)
    for skeleton, which in ((fitting.source, "source"), (fitting.target, "target")):
        at = {name: skeleton.rest.positions[getattr(driver, which)] for name, driver in bodies.first.items()}
        top, line = _top(at), _across(at, CHEST)
        if top is None or "hips" not in at or line is None or float(_angle(at[top] - at["hips"], UP)) > UPRIGHT:
            return bone
        way = at[onward.name] - at[part.name]
        ahead = float(np.hypot(way[0], way[2])) if foot else float(way @ cross(line, UP)) / float(np.linalg.norm(line))
        slopes.append(np.arctan2(way[1], ahead) if foot else np.arctan2(ahead, way[1]))
    off = float(slopes[1] - slopes[0])
    if abs(off) > BUILT or across is None:
        return bone
    axis = cross(bone, UP) if foot else cross(UP, cross(across, UP))
    axis = axis / np.maximum(lengths(axis)[:, None], 1e-9)
    return rotation.rotate(rotation.about_each(axis, np.full(len(bone), off)), bone)


def _rolls(bodies: Bodies) -> Iterator[Deviation]:
    """How far upper arms and thighs are rolled about themselves from how the source's are, in their stances.

    By the way elbows and knees bend, or would bend in a straight limb: read where the body began, and carried along.
    """
    for part, degrees in rolls_of(bodies.fitting):
        yield Deviation("roll", part, degrees)


@lru_cache(maxsize=32)
def rolls_of(fitting: Fitting) -> tuple[tuple[str, float], ...]:
    """By part the degrees of :func:`_rolls`: of the stances, the same for every clip."""
    mapping = fitting.joint_mapping
    out = []
    first, then = fitting.target_stance.first_pose(fitting.target), fitting.target_pose
    own, other = shapes(fitting.target, first, mapped_parts(mapping), fitting.plan, fitting.model(mapping))
    turns = rotation.multiply(then.rotations, rotation.inverse(first.rotations))
    for part, driver in first_drivers(mapping).items():
        joint, kind = driver.target, fitting.plan.by_name[part].kind
        if not kind.endswith(("upper arm", "upper leg", "upper wing")):
            continue
        marks, ways = bends(own, other, joint), (own.direction(joint), other.direction(joint))
        if marks is None or ways[0] is None or ways[1] is None:
            continue
        current = rotation.rotate(turns[joint], ways[0])
        carried = rotation.rotate(rotation.between(current, ways[1]), rotation.rotate(turns[joint], marks[0]))
        out.append((part, abs(float(np.degrees(roll_angle(ways[1], carried, marks[1]))))))
    return tuple(out)


def _typical(deviation: FloatArray) -> float:
    """The median over the clip, or a share of the 95th percentile where that is more."""
    return max(median(deviation), OFTEN * percentile(deviation, 95))


def _sides(bodies: Bodies) -> Iterator[Deviation]:
    yield from _order(bodies)
    skeletons = bodies.fitting.source, bodies.fitting.target
    sides = [[name.side for name in read_names(skeleton.names)] for skeleton in skeletons]
    for run in bodies.runs():
        votes = [
            1 if sides[0][driver.source] == sides[1][driver.target] else -1
            for part in run
            if (driver := bodies.first[part.name]) and sides[0][driver.source] and sides[1][driver.target]
        ]
        if len(votes) >= 2 and sum(votes) < 0:
            yield Deviation("sides", run[0].limb, 100.0 * votes.count(-1) / len(votes), unit="%")
    toes = [_toes_agree(at) for at in bodies.both]
    if toes[0] is not None and toes[1] is not None and toes[0] > 0.3 and toes[1] < -0.3:
        yield Deviation("sides", "feet", 100.0, unit="%")


def _order(bodies: Bodies) -> Iterator[Deviation]:
    """In how many of a hundred frames left and right are the other way round than on the source, in the body's own
    frame."""
    for kind, kinds in (
        ("foot", CHEST),
        ("lower leg", CHEST),
        ("hand", HIPS),
        ("hind foot", CHEST),
        ("front foot", HIPS),
    ):
        aside = []
        for at in bodies.both:
            across, pair = _across(at, kinds), [at.get(f"{side} {kind}") for side in SIDES]
            if across is None or pair[0] is None or pair[1] is None:
                break
            width = lengths(across)
            aside.append(dot(pair[0] - pair[1], across) / np.maximum(width, 1e-9) ** 2)
        if len(aside) < 2:
            continue
        wrong = (np.abs(aside[0]) > CLEAR) & (np.abs(aside[1]) > CLEAR) & (aside[0] * aside[1] < 0)
        yield Deviation(
            "sides",
            f"{kind}s" if kind != "foot" else "feet",
            100.0 * float(wrong.mean()),
            0.0,
            wrong.astype(float),
            "%",
        )


def _toes_agree(at: Mapping[str, FloatArray]) -> float | None:
    """Whether toes point to where hips face, -1 to 1, in the median; None without toes."""
    across, top = _across(at, HIPS), _top(at)
    toes = [
        (at[f"{side} toes"] - at[f"{side} foot"]) for side in SIDES if f"{side} toes" in at and f"{side} foot" in at
    ]
    if across is None or top is None or not toes or "hips" not in at:
        return None
    forward = cross(across, at[top] - at["hips"])
    way = np.sum(toes, axis=0)
    cosine = dot(forward, way) / np.maximum(lengths(forward) * lengths(way), 1e-12)
    return median(cosine)


def _heights(bodies: Bodies) -> Iterator[Deviation]:
    """How high the hip joints and the head are above the lowest foot, in the length of the legs and of the whole
    body."""
    if bodies.fitting.settings.height is not None:
        return  # chosen on purpose
    plan, first = bodies.fitting.plan, bodies.first
    legs = [[part.name for part in leg if part.name in first] for leg in plan.legs]
    legs = [leg for leg in legs if len(leg) >= 3]
    top = _top(bodies.here)
    if not legs or top is None or "hips" not in first:
        return
    hips, heads = [], []
    for at in bodies.both:
        long = np.mean([np.sum([lengths(at[b] - at[a]) for a, b in pairwise(leg)], axis=0) for leg in legs], axis=0)
        low = np.min([at[leg[-1]][:, 1] for leg in legs], axis=0)
        joints = np.mean([at[leg[0]][:, 1] for leg in legs], axis=0)
        trunk = lengths(at[top] - at["hips"])
        hips.append((joints - low) / long)
        heads.append((at[top][:, 1] - low) / (long + trunk))
    parts = [("hips", hips)]
    if plan.trunk == "upright":  # elsewhere necks differ too much
        parts.append(("head", heads))
    for part, (source, target) in parts:
        deviation = 100 * np.abs(target - source) * (1.0 if plan.trunk == "upright" else FOLDING)
        yield Deviation("height", part, _typical(deviation), 0.0, deviation, "%")


def _lengths(bodies: Bodies) -> Iterator[Deviation]:
    """How far bones of limbs are from the length they rest at, in percent, beyond what the source's bones do."""
    if not bodies.bones:
        return
    off = []
    for skeleton, which, now in zip(
        (bodies.fitting.source, bodies.fitting.target), ("source", "target"), bodies.lengths, strict=True
    ):
        inner, outer = (
            skeleton.rest.positions[[getattr(bodies.first[part.name], which) for part in parts]]
            for parts in zip(*bodies.bones, strict=True)
        )
        rest = lengths(outer - inner)[:, None]
        off.append(np.where(rest > 1e-4, 100 * np.abs(now / np.where(rest > 1e-4, rest, 1.0) - 1), 0.0))
    source_sizes, target_sizes = (percentiles(values, 50).tolist() for values in off)
    for (part, _), size, source, over_time in zip(bodies.bones, target_sizes, source_sizes, off[1], strict=True):
        yield Deviation("length", part.name, size, source, over_time, "%")


def _proportions(bodies: Bodies) -> Iterator[Deviation]:
    """How unlike the bones of a limb are in length to those they are paired with: the ratio of their ratios, at least
    1.

    Bodies differ in size and limbs in length, but an upper arm stays about as long as its forearm, and a thigh as its
    shin. Bones that are paired one joint off are not.
    """
    for run in bodies.runs():
        inner = [part for part in run if part.required]
        collar = [part for part in run if part.kind.endswith("shoulder")]
        found = [_unlike(bodies, inner), _unlike(bodies, [*collar, *inner]) / COLLAR if collar else 0.0]
        if len(inner) >= 2 and max(found) > 0:
            yield Deviation("proportion", inner[0].limb, max(found), 1.0, unit="times")


def _unlike(bodies: Bodies, parts: list[Part]) -> float:
    """The largest ratio of the ratios of paired bones, in the median; 0 for fewer than two bones."""
    ratios = []
    for part, onward in pairwise(parts):
        source, target = bodies.usual_length(part, onward)
        if min(source, target) > 1e-4:
            ratios.append(np.log(target / source))
    return float(np.exp(np.ptp(ratios))) if len(ratios) >= 2 else 0.0
