"""What bones outside the body plan are for: twist, helper, end, prop or accessory, with the reason in words."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from armuto.body.lexicon import lexicon
from armuto.body.names import without_prefix
from armuto.body.parts import Assignment
from armuto.kinematics.skeleton import Skeleton

TWISTS = {"twist", "roll"}
ENDS = {"end", "nub", "tip", "site"}
PROPS = {"prop", "weapon", "socket", "attach"}
ACCESSORIES = {"cape", "hair", "skirt", "tail", "jiggle"}
TINY = 1e-4  # of body height


def roles(skeleton: Skeleton, parts: Assignment, weighted: Collection[int]) -> dict[int, tuple[str, str]]:
    """Role and reason of every joint that is no part of the body plan, by joint.

    Names first; then where a joint lies and whether it moves any skin: a leaf without weight is an end, one that lies
    on its parent a helper, one between a joint and the next on one line a twist bone.
    """
    taken = {bone.joint for bones in parts.values() for bone in bones}
    words, names = lexicon(), without_prefix(skeleton.names)
    at, size = skeleton.rest.positions, float(np.ptp(skeleton.rest.positions, axis=0).max()) or 1.0
    out: dict[int, tuple[str, str]] = {}
    for joint, name in enumerate(names):
        if joint in taken:
            continue
        word = words.read(name).helper
        parent, leaf = int(skeleton.parents[joint]), not skeleton.children[joint]
        heavy = joint in weighted
        if word in TWISTS:
            out[joint] = ("twist", f"its name says “{word}”")
        elif word in ENDS or (leaf and not heavy and weighted and parent >= 0 and word not in PROPS):
            out[joint] = (
                "end",
                f"its name says “{word}”" if word in ENDS else "nothing hangs from it and it moves no skin",
            )
        elif word in PROPS:
            out[joint] = ("prop", f"its name says “{word}”")
        elif word in ACCESSORIES:
            out[joint] = ("accessory", f"its name says “{word}”")
        elif word:
            out[joint] = ("helper", f"its name says “{word}”")
        elif parent >= 0 and float(np.linalg.norm(at[joint] - at[parent])) < TINY * size:
            out[joint] = ("helper", "it lies on the bone above")
        elif parent in taken and _on_the_way(skeleton, joint, taken):
            out[joint] = ("twist", "it lies on the line from one bone of a limb to the next")
        elif heavy:
            out[joint] = ("accessory", "it moves skin and is no part of the body plan")
        else:
            out[joint] = ("helper", "it moves no skin")
    return out


def _on_the_way(skeleton: Skeleton, joint: int, taken: Collection[int]) -> bool:
    """Whether a joint lies on the line from its parent to a part beside it."""
    at, parent = skeleton.rest.positions, int(skeleton.parents[joint])
    for other in skeleton.children[parent]:
        if other in taken:
            line, offset = at[other] - at[parent], at[joint] - at[parent]
            length = float(np.linalg.norm(line))
            share = float(offset @ line) / length**2 if length > 0 else 0.0
            if 0.05 < share < 1.0 and float(np.linalg.norm(offset - share * line)) < 0.03 * length:
                return True
    return False
