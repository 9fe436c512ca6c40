"""Names and shape together: the parts of a skeleton, each with its confidence and its reasons in words."""

from __future__ import annotations

from collections.abc import Collection, Hashable
from dataclasses import dataclass, field, replace
from functools import lru_cache

import numpy as np

from armuto.body.lexicon import Lexicon, lexicon_for
from armuto.body.names import by_name, without_prefix
from armuto.body.parts import Assignment
from armuto.body.plans import NAMES, BodyPlan, body_plan
from armuto.body.tree import SkeletonTree
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing.bodies import find
from armuto.pairing.candidates import Body, Names
from armuto.pairing.limb_search import PartSearch
from armuto.pairing.sides import UPSET

POOR = -26.0  # a body that scores less is no body; it is then read by its names
PLAIN = 30.0  # a body that scores more, as names alone can make it, is not compared with other plans


def assign(
    skeleton: Skeleton,
    plan: BodyPlan | None = None,
    words: Lexicon | None = None,
    weighted: Collection[int] = (),
) -> Assignment:
    """Give each part of a body plan its bones, by names and by shape.

    Parameters
    ----------
    skeleton : Skeleton
    plan : BodyPlan, optional
        Without one, the plan that explains the skeleton best.
    words : Lexicon, optional
        The lexicon of the language the names are in; found out when it is not given.
    weighted : collection of int
        Joints that move skin, where that is known.

    Returns
    -------
    Assignment
        By part, its bones from the trunk outwards, each with a confidence from 0 to 1 and a reason. Parts that were not
        found are absent.

    Notes
    -----
    Names are read against a lexicon (:mod:`armuto.body.names`); shape scores every way to lay the plan's
    limbs on mirrored lines of joints (:mod:`armuto.pairing.limbs`). Where the two disagree, the surer one counts.

    Examples
    --------
    >>> from pathlib import Path
    >>> from armuto.formats import read
    >>> from armuto.pairing import assign
    >>> skeleton = read(Path("demo/files/striker.glb").read_bytes(), "striker.glb").skeleton
    >>> parts = assign(skeleton)  # its bones are called by numbers
    >>> skeleton.names[parts["left upper arm"][0].joint], parts["left upper arm"][0].confidence > 0.9
    ('008', True)
    """
    return read(skeleton, plan, words, weighted).parts


@dataclass(frozen=True)
class Reading:
    """What was read of a skeleton. score: how well a body plan fits it, and posture: how well it then stands, both as
    natural logarithms, at best about 0 without names; minus infinity where no body was found in its shape."""

    parts: Assignment
    score: float = -np.inf
    posture: float = -np.inf


def read(
    skeleton: Skeleton,
    plan: BodyPlan | None = None,
    words: Lexicon | None = None,
    weighted: Collection[int] = (),
) -> Reading:
    """As :func:`assign`, with how well the body fits.

    What was found is kept for a while: every take of a performer comes with a skeleton that is the same.
    """
    rest = (skeleton.parents, skeleton.rest_translation, skeleton.rest_rotation, skeleton.end_parents)
    arrays = (*rest, skeleton.end_offsets)
    contents = (skeleton.names, *(array.tobytes() for array in arrays), frozenset(weighted), id(plan), id(words))
    found = _read(_Arguments(contents, skeleton, plan, words, weighted))
    return replace(found, parts=dict(found.parts))


@dataclass(frozen=True)
class _Arguments:
    """Arguments of `_read`, equal where their contents are: what the answer depends on, as hashable values."""

    contents: tuple[Hashable, ...]
    skeleton: Skeleton = field(compare=False)
    plan: BodyPlan | None = field(compare=False)
    words: Lexicon | None = field(compare=False)
    weighted: Collection[int] = field(compare=False)


@lru_cache(maxsize=256)
def _read(arguments: _Arguments) -> Reading:
    skeleton, plan = arguments.skeleton, arguments.plan
    heads = without_prefix(skeleton.names)
    words = arguments.words or lexicon_for(heads)
    names = Names.of(skeleton, heads, words)
    plans = [plan] if plan else [body_plan(name) for name in NAMES]
    anatomy = SkeletonTree(skeleton, arguments.weighted)
    best: Body | None = None
    rival = -np.inf
    for candidate in plans if anatomy.size > 0 else ():
        body = find(anatomy, names, candidate)
        if body and body.score > max(POOR, best.score if best else POOR):
            rival = best.score if best else rival
            best = body
        elif body:
            rival = max(rival, body.score)
        if best and best.score > PLAIN and best.posture > UPSET:
            break
    if best:
        # Another plan that fits as well makes every claim unsure.
        best = replace(best, sure=min(best.sure, float(1 / (1 + np.exp(rival - best.score)))))
        named = by_name(skeleton, best.plan, words, names.read) if any(names.scores) else {}
        parts = _in_order(best.plan, PartSearch(anatomy, names, best).parts(named))
        return Reading(parts, best.score, best.posture)
    by_plan = [(plan, by_name(skeleton, plan, words, names.read)) for plan in plans]
    return Reading(_in_order(*max(by_plan, key=lambda found: explained(skeleton, *found))))


def _in_order(plan: BodyPlan, parts: Assignment) -> Assignment:
    return {part.name: parts[part.name] for part in plan.parts if part.name in parts}


def explained(skeleton: Skeleton, plan: BodyPlan, parts: Assignment) -> float:
    """How well a plan explains a skeleton, by the required parts found and by the lie of the trunk."""
    found = sum(part in parts for part in plan.required) / len(plan.required)
    at = skeleton.rest.positions
    legs = [leg for leg in plan.legs if leg[0].name in parts and leg[-1].name in parts]
    if plan.trunk == "any" or not legs or "hips" not in parts or "chest" not in parts:
        return found
    down = np.sum([at[parts[leg[-1].name][0].joint] - at[parts[leg[0].name][0].joint] for leg in legs], axis=0)
    trunk = at[parts["chest"][0].joint] - at[parts["hips"][0].joint]
    length = float(np.linalg.norm(down) * np.linalg.norm(trunk))
    level = 1 - abs(float(down @ trunk)) / length if length > 0 else 0.5
    return found + 0.5 * ((level if plan.trunk == "level" else 1 - level) - 0.5)
