"""Whether two bodies are built alike."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.vectors import lengths as lengths_of
from armuto.stance.shape import Shape

SAME_LENGTH = 0.02  # ratios and cosines within which two bodies are of the same build


def same_build(first: Shape, other: Shape, within: float = SAME_LENGTH) -> bool:
    """Whether two bodies differ in size and posture alone: all bones in one ratio, and branches at the same angles.

    within: so far ratios and cosines may differ.
    """
    ends = [(joint, child) for joint, below in first.limbs.next.items() for child in below]
    if not ends:
        return True
    bones = [
        np.array([body.at[b] for _, b in ends]) - np.array([body.at[a] for a, _ in ends]) for body in (first, other)
    ]
    lengths = [lengths_of(rows) for rows in bones]
    short = np.minimum(*lengths) < 1e-9
    if (np.maximum(*lengths)[short] > 1e-6).any():
        return False
    with np.errstate(divide="ignore", invalid="ignore"):
        ratios = lengths[1] / lengths[0]
        ways = [rows / long[:, None] for rows, long in zip(bones, lengths, strict=True)]
    if not short.all() and np.abs(ratios[~short] / np.median(ratios[~short]) - 1).max() >= within:
        return False
    at = np.flatnonzero(~short)
    pairs = [(m, n) for k, n in enumerate(at) for m in at[:k] if ends[m][0] == ends[n][0]]
    if not pairs:
        return True
    a, b = np.array(pairs).T
    cosines = [np.sum(rows[a] * rows[b], axis=1) for rows in ways]
    return bool(np.abs(cosines[0] - cosines[1]).max() <= within)
