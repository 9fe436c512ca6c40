"""The smoothest curve near values of which some count for more than others."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily

sparse = lazily("scipy.sparse")
linalg = lazily("scipy.sparse.linalg")


def smoothest(values: FloatArray, weight: FloatArray, cutoff: float) -> FloatArray:
    """Curves near values ``(F, K)`` of weights ``(F,)``, with λ = (2π cutoff)⁻⁴::

        min Σ w (v − values)² + λ Σ (Δ²v)²

    so that of what is quicker than the cutoff, in periods a frame, little is left where all weights are 1 (Whittaker,
    *On a new method of graduation*, 1923; Eilers, *A perfect smoother*, Anal. Chem. 75, 2003).
    """
    count = len(values)
    if count < 3:
        return np.broadcast_to(values.mean(axis=0), values.shape)
    second = sparse.diags([1.0, -2.0, 1.0], [0, 1, 2], shape=(count - 2, count))
    stiff = 1 / (2 * np.pi * cutoff) ** 4
    system = sparse.diags(weight + 1e-9) + stiff * (second.T @ second)
    return np.asarray(linalg.spsolve(system.tocsc(), weight[:, None] * values)).reshape(values.shape)
