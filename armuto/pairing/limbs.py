"""Which bones of a line are which parts of a limb, by their lengths and what their names say.

All ways to lay the parts of a limb on a line of bones, in order, optional parts present or not, the limb ending early
or not, are scored at once:

    score = Σ −½ (ln(dₖ / (L sₖ)) / σₖ)² + Σ names(jₖ, k) − costs of bones that are passed over − costs of sharp bends

dₖ is the length from one part to the next, L the length of the limb's required parts, reckoned from those that are
there, sₖ and σₖ the share and spread that the body plan gives. The weights exp(score) of all ways together give the
probability of each bone being each part.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations, pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from armuto.body.plans import Part
from armuto.body.tree import ZERO, SkeletonTree
from armuto.kinematics.arrays import FloatArray

WORST = -6.0  # of one length
OPTIONAL = 0.4  # worth of an optional part that is there
ABSENT = 2.0  # cost of a required part at the end of a limb that is not there
LEAST = 2  # required parts of a limb that are there in any case
IDLE = 1.5  # cost of a bone that moves no skin, where others do
LONGEST = 14  # bones of a line that are looked at
SHARP = 1.5  # cost of a bend by LEAST_BEND + 60 degrees or more between required parts
LEAST_BEND = 40.0  # degrees
Measures = tuple[FloatArray, FloatArray, NDArray[Any], NDArray[Any], NDArray[Any], FloatArray]


@dataclass(frozen=True)
class Ways:
    """The ways found. score: of the best. best: part number to position on the line. probability: ``(line, parts)``."""

    score: float
    best: dict[int, int]
    probability: FloatArray


NONE = Ways(-np.inf, {}, np.zeros((0, 0)))


@lru_cache(maxsize=2048)
def _choices(line: int, parts: int) -> NDArray[np.int64]:
    return np.array(list(combinations(range(line), parts)), np.int64).reshape(-1, parts)


def ways(
    anatomy: SkeletonTree,
    lines: Sequence[tuple[int, ...]],
    parts: Sequence[Part],
    names: Sequence[FloatArray],
    fans: bool,
    straight_built: bool,
) -> Ways:
    """Lay the parts on twin lines of equally many bones, or on one line.

    names: for each line ``(bones, parts)``, what the names add. fans: whether fingers or the like spread from the last
    part. straight_built: whether such a limb is nearly straight at rest, as those of two-legged bodies are.
    """
    lines = [line[:LONGEST] for line in lines]
    bones = len(lines[0])
    shape = _shape_of(anatomy, lines)
    name_scores = np.sum([table[:bones] for table in names], axis=0)
    laid: list[tuple[FloatArray, NDArray[np.int64], tuple[int, ...]]] = []
    for chosen, missing in _presences(tuple(part.required for part in parts)):
        if len(chosen) <= bones:
            at = _choices(bones, len(chosen))
            score = _score(shape, parts, chosen, missing, at, fans, straight_built)
            score -= IDLE * shape.idle[at].sum(axis=1)
            laid.append((score * len(lines) + name_scores[at, list(chosen)].sum(axis=1), at, chosen))
    top = max((float(score.max()) for score, _, _ in laid), default=-np.inf)
    if not np.isfinite(top):
        return NONE
    probability = np.zeros((bones, len(parts)))
    total = 0.0
    best: dict[int, int] = {}
    for score, at, chosen in laid:
        weight = np.exp(score - top)
        total += float(weight.sum())
        for k, part in enumerate(chosen):
            np.add.at(probability[:, part], at[:, k], weight)
        if float(score.max()) == top and not best:
            row = at[int(np.argmax(score))]
            best = {part: int(row[k]) for k, part in enumerate(chosen)}
    return Ways(top / len(lines), best, probability / total)


@dataclass(frozen=True)
class _Shape:
    """Twin lines as one, see :func:`_measures`. turns: of each line. later: bones that still spread from a bone on.
    idle: of every bone, whether it moves nothing."""

    along: FloatArray
    straight: FloatArray
    fan: NDArray[np.int64]
    still: NDArray[np.bool_]
    leaf: NDArray[np.bool_]
    turns: list[FloatArray]
    later: NDArray[np.int64]
    idle: NDArray[np.bool_]


def _shape_of(anatomy: SkeletonTree, lines: Sequence[tuple[int, ...]]) -> _Shape:
    each = [_measures(anatomy, line) for line in lines]
    along, straight, fan, still, leaf, turns = each[0]
    if len(each) > 1:
        along, straight = (along + each[1][0]) / 2, (straight + each[1][1]) / 2
        fan, leaf = np.minimum(fan, each[1][2]), leaf & each[1][4]
    later = np.maximum.accumulate(np.append(fan, 0)[::-1])[::-1]
    idle = np.array([any(line[n] in anatomy.idle for line in lines) for n in range(len(lines[0]))])
    return _Shape(along, straight, fan, still, leaf, [turns, *(row[5] for row in each[1:2])], later, idle)


def _score(
    shape: _Shape,
    parts: Sequence[Part],
    chosen: tuple[int, ...],
    missing: int,
    at: NDArray[np.int64],
    fans: bool,
    straight_built: bool,
) -> FloatArray:
    """How well the chosen parts lie on these bones ``(choices, parts)``: by lengths, bends, and what is passed over."""
    own = [parts[n] for n in chosen]
    score = _lengths(shape.along, shape.straight, at, own)
    if straight_built:
        score -= _bends(shape.turns, at, own)
    score += OPTIONAL * sum(not part.required for part in own) - ABSENT * missing
    whole = fans and chosen[-1] == len(parts) - 1
    score += _passed(shape.still, shape.leaf, at, shape.fan if whole else np.zeros_like(shape.fan), whole)
    if whole:
        score += np.where(shape.fan[at[:, -1]] >= 2, 2.0, 0.0) - np.where(shape.later[at[:, -1] + 1] >= 2, 3.0, 0.0)
    elif fans:
        score -= np.where(shape.later[at[:, -1]] >= 2, 3.0, 0.0)
    return score


@lru_cache(maxsize=64)
def _presences(required: tuple[bool, ...]) -> list[tuple[tuple[int, ...], int]]:
    """The parts that may be there together, and how many required ones are then missing at the limb's end."""
    wanted = sum(required)
    out = []
    for missing in range(max(0, wanted - LEAST) + 1):
        given, last = wanted - missing, 0
        for n, needed in enumerate(required):
            given -= needed
            if given >= 0 and (needed or not missing):
                last = n
        optional = [n for n in range(last + 1) if not required[n]]
        for present in range(1 << len(optional)):
            chosen = [n for n in range(last + 1) if required[n] or present >> optional.index(n) & 1]
            if chosen:
                out.append((tuple(chosen), missing))
    return out


def _measures(anatomy: SkeletonTree, line: tuple[int, ...]) -> Measures:
    """Lengths between the bones of a line along it and straight, how many bones fan out at each, who lies on its
    parent, who is last; and the unit vectors from each to each ``(bones, bones, 3)``. Kept with the anatomy, since
    several limbs are tried on one line.
    """
    given: Measures | None = anatomy.measured.get(line)
    if given is not None:
        return given
    joints = list(line)
    run = np.concatenate([[0.0], np.cumsum(anatomy.length[joints[1:]])])
    at = anatomy.at[joints]
    offsets = at[None] - at[:, None]
    straight = np.linalg.norm(offsets, axis=-1)
    way = offsets / np.maximum(straight, 1e-12)[..., None]
    children = anatomy.skeleton.children
    fan = np.array([sum(bool(children[c]) for c in children[joint]) for joint in joints])
    still = anatomy.length[joints] <= ZERO * anatomy.size
    leaf = np.array([not children[joint] and joint not in anatomy.ended for joint in joints])
    anatomy.measured[line] = made = (np.abs(run[:, None] - run[None]), straight, fan, still, leaf, way)
    return made


def _lengths(along: FloatArray, straight: FloatArray, at: NDArray[np.int64], parts: Sequence[Part]) -> FloatArray:
    rows, columns = at[:, :-1], at[:, 1:]
    far = along[rows, columns]
    inner = np.array([a.required and b.required for a, b in pairwise(parts)], bool)
    measure = far[:, inner].sum(axis=1, keepdims=True) if inner.any() else far.sum(axis=1, keepdims=True)
    share = np.array([part.share for part in parts[:-1]])
    # Of a limb that ends early, the parts that are there make up less of it.
    share = share / (share[inner].sum() if inner.any() else 1.0)
    spread = np.array([part.spread for part in parts[:-1]])
    with np.errstate(divide="ignore"):
        off = np.log(np.maximum(far, 1e-12) / np.maximum(measure * share, 1e-12)) / spread
    score = np.maximum(-0.5 * off**2, WORST).sum(axis=1)
    # A bone that is passed over should lie on the line from one part to the next, as bones for twist do.
    bent = (far - straight[rows, columns]) / np.maximum(far, 1e-12)
    return np.asarray(score - np.minimum(25 * bent, 3.0).sum(axis=1))


def _bends(turns: Sequence[FloatArray], at: NDArray[np.int64], parts: Sequence[Part]) -> FloatArray:
    """Costs of sharp bends at the required parts between the first and the last: a limb at rest is straighter at a knee
    than at an ankle. turns: of each line, unit vectors from bone to bone."""
    needed = [n for n, part in enumerate(parts) if part.required]
    cost = np.zeros(len(at))
    for a, b, c in zip(needed, needed[1:], needed[2:], strict=False):
        before, knee, after = at[:, a], at[:, b], at[:, c]
        cosine = np.mean([np.sum(way[before, knee] * way[knee, after], axis=1) for way in turns], axis=0)
        bend = np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0)))
        cost += SHARP * np.clip((bend - LEAST_BEND) / 60.0, 0.0, 1.0)
    return cost


def _passed(
    still: NDArray[Any], leaf: NDArray[Any], at: NDArray[np.int64], fan: NDArray[Any], whole: bool
) -> FloatArray:
    """Costs of bones before, between and after the parts; none for those after a last part from which others fan out.

    whole: the last part is one from which others may lead on, as fingers do from a hand.
    """
    places = np.maximum(np.cumsum(~still) - 1, 0)
    count = len(still)
    before = places[at[:, 0]] * 1.2 + (at[:, 0] - places[at[:, 0]]) * 0.1
    # Of joints that lie on each other, the last one is the part; at the end of a limb the first, from which the other
    # leads on.
    follows_still = np.append(still[1:], False)
    duplicate = follows_still[at[:, :-1]].sum(axis=1) * 0.4
    last = at[:, -1]
    leads_on = whole & (fan[last] < 2) & (last + 2 < count)
    duplicate = duplicate + np.where(leads_on, 0.0, follows_still[last] * 0.4)
    leading = np.where(whole & (count - last > 2), still[last], False)
    duplicate = duplicate + np.where(leading & (fan[last] < 2), 0.8, 0.0)
    between = (at[:, -1] - at[:, 0] + 1 - at.shape[1]) * 0.5
    solid = np.concatenate([np.cumsum((~leaf)[::-1])[::-1], [0]])
    after = solid[at[:, -1] + 1] * 0.8 + (count - 1 - at[:, -1] - solid[at[:, -1] + 1]) * 0.3
    after = np.where(fan[at[:, -1]] >= 2, 0.0, after)
    return np.asarray(-(before + duplicate + between + after))
