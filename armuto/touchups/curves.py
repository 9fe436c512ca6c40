"""What is between keys: offsets over time, that come and go without a jolt.

Between keys that go on smoothly the curve is the monotone cubic of Fritsch and Carlson (*Monotone piecewise cubic
interpolation*, 1980): it goes through the keys, stands at every highest and lowest of them, and never beyond. An ease
is the same curve from or to nothing, so that a single key rises and falls as 3x² − 2x³.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily
from armuto.touchups.model import Interpolation

interpolate = lazily("scipy.interpolate")


def offsets(
    times: FloatArray,
    values: FloatArray,
    to_next: Sequence[Interpolation],
    ease_in: float | None,
    ease_out: float | None,
    at: FloatArray,
) -> FloatArray:
    """Offsets ``(F, C)`` at moments ``at (F,)`` of keys at ``times (K,)``, in order, with ``values (K, C)``.

    to_next: how the curve leaves each key. ease_in, ease_out: seconds over which it comes before the first and goes
    after the last; None where it is kept. Every moment is computed by itself.
    """
    starts = ease_in if ease_in is not None else 1.0
    ends = ease_out if ease_out is not None else 1.0
    first = values[:1] if ease_in is None else np.zeros_like(values[:1])
    last = values[-1:] if ease_out is None else np.zeros_like(values[-1:])
    nodes = np.concatenate([[times[0] - starts], times, [times[-1] + ends]])
    rows = np.concatenate([first, values, last])
    ways: list[Interpolation] = ["smooth", *to_next[:-1], "smooth"]
    keep = np.concatenate([[True], np.diff(nodes) > 1e-9])
    keep[0] = starts > 1e-9
    if not keep[0]:
        keep[1] = True
    # A segment is told by the node it begins at; one of no length is not there.
    ways = [way for way, length in zip(ways, np.diff(nodes), strict=True) if length > 1e-9]
    if ends <= 1e-9:
        keep[-1] = False
    nodes, rows = nodes[keep], rows[keep]
    out = _between(nodes, rows, ways, at)
    before, after = at < nodes[0], at > nodes[-1]
    out[before] = first if starts > 1e-9 else 0.0
    out[after] = last if ends > 1e-9 else 0.0
    return out


def _between(nodes: FloatArray, rows: FloatArray, ways: Sequence[Interpolation], at: FloatArray) -> FloatArray:
    if len(nodes) == 1:
        return np.broadcast_to(rows, (len(at), rows.shape[1])).copy()
    # Flat beyond its ends, so that it leaves and comes to them without speed.
    padded = np.concatenate([[nodes[0] - 1.0], nodes, [nodes[-1] + 1.0]])
    curve = _interpolator(padded.tobytes(), np.concatenate([rows[:1], rows, rows[-1:]]).tobytes())
    inside = np.clip(at, nodes[0], nodes[-1])
    out = np.asarray(curve(inside), dtype=float)
    segment = np.clip(np.searchsorted(nodes, inside, side="right") - 1, 0, len(nodes) - 2)
    for n, way in enumerate(ways):
        if way == "smooth":
            continue
        here = segment == n
        share = (inside[here] - nodes[n]) / (nodes[n + 1] - nodes[n])
        step = share[:, None] if way == "linear" else (share[:, None] >= 1.0)
        out[here] = rows[n] + step * (rows[n + 1] - rows[n])
    return out


@lru_cache(maxsize=1024)
def _interpolator(nodes: bytes, rows: bytes) -> Any:
    """The cubic through rows at nodes, the same as long as its keys are: while one of them is drawn, the others
    stay."""
    at = np.frombuffer(nodes)
    with np.errstate(over="ignore"):  # slopes next to none, which end as none
        return interpolate.PchipInterpolator(at, np.frombuffer(rows).reshape(len(at), -1))


def presence(times: FloatArray, ease_in: float | None, ease_out: float | None, at: FloatArray) -> FloatArray:
    """How much of a touch-up is there ``(F,)``: 1 from its first key to its last, eased outside them."""
    ends = np.array([times[0], times[-1]]) if len(times) > 1 else times
    ways: list[Interpolation] = ["smooth"] * len(ends)
    weight = offsets(ends, np.ones((len(ends), 1)), ways, ease_in, ease_out, at)[:, 0]
    return np.clip(weight, 0.0, 1.0)
