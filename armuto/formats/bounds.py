"""What a skeleton may have at most. Everything that reads names and trees takes a time in proportion to these."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from armuto.errors import BadInput
from armuto.kinematics.skeleton import Skeleton

MOST_JOINTS = 10_000
LONGEST_CHAIN = 1_000
LONGEST_NAME = 255  # letters


def check_bounds(skeleton: Skeleton, clips: Iterable[str], file: str) -> None:
    """Raises :class:`BadInput` for more joints, longer chains and longer names than anybody works with.

    clips: names of the file's motions.
    """
    if len(skeleton) > MOST_JOINTS:
        raise BadInput(f"{file}: it has {len(skeleton):,} joints, more than {MOST_JOINTS:,}; export fewer at once.")
    for what, names in (("bone", skeleton.names), ("motion", clips)):
        for name in names:
            if len(name) > LONGEST_NAME:
                raise BadInput(
                    f"{file}: the name of a {what} has {len(name):,} letters, more than {LONGEST_NAME} "
                    f"(“{name[:20]}…”); rename it and export again."
                )
    depth = np.ones(len(skeleton), np.int64)
    for joint, parent in enumerate(skeleton.parents.tolist()):
        if parent >= 0:
            depth[joint] = depth[parent] + 1
    if depth.max(initial=0) > LONGEST_CHAIN:
        count = int(depth.max())
        raise BadInput(
            f"{file}: {count:,} joints follow one another, more than {LONGEST_CHAIN:,}; export fewer at once."
        )
