"""A root joint above a skeleton that has none."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.skeleton import Skeleton, unique_names

NAME = "root"


def with_root(skeleton: Skeleton) -> Skeleton:
    """The skeleton under one more joint, at the origin, from which all its roots hang."""
    parents = np.where(skeleton.parents < 0, -1, skeleton.parents) + 1
    names = unique_names((*skeleton.names, NAME))
    return replace(
        skeleton,
        names=(names[-1], *names[:-1]),
        parents=np.concatenate([[-1], parents]),
        rest_translation=np.vstack([np.zeros(3), skeleton.rest_translation]),
        rest_rotation=np.vstack([rotation.IDENTITY, skeleton.rest_rotation]),
        end_parents=skeleton.end_parents + 1,
    )
