"""Animation channels of glTF, sampled at whole frames."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from armuto.formats.bvh import RATES
from armuto.formats.gltf import accessors
from armuto.formats.gltf.container import GltfFile, Json
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray

PATHS = {"translation": 3, "rotation": 4, "scale": 3}
DEFAULT_RATE = 30.0


class Channel(NamedTuple):
    node: int
    path: str
    times: FloatArray
    values: FloatArray
    interpolation: str


def channels_of(held: GltfFile, animation: Json) -> list[Channel]:
    """The channels of one animation that move nodes, decoded and checked."""
    out = []
    samplers = animation.get("samplers", [])
    rows = animation.get("channels", [])
    if not isinstance(samplers, list) or not isinstance(rows, list):
        raise held.refuse("an animation has no lists of channels and samplers")
    for row in rows:
        target = row.get("target") if isinstance(row, dict) else None
        if not isinstance(target, dict):
            raise held.refuse("an animation channel has no target")
        path, node = target.get("path"), target.get("node")
        if path not in PATHS or node is None:
            continue  # morph weights and targets of extensions move no joint
        held.row("nodes", node)
        number = row.get("sampler")
        if not isinstance(number, int) or not 0 <= number < len(samplers) or not isinstance(samplers[number], dict):
            raise held.refuse(f"an animation channel refers to sampler {number}, which does not exist")
        sampler = samplers[number]
        times = accessors.read(held, sampler.get("input"))[:, 0]
        values = accessors.read(held, sampler.get("output"))
        interpolation = sampler.get("interpolation", "LINEAR")
        rows_per_key = 3 if interpolation == "CUBICSPLINE" else 1
        if values.shape != (len(times) * rows_per_key, PATHS[path]) or interpolation not in SAMPLE:
            raise held.refuse(f"the keys of an animation channel ({path} of node {node}) do not fit together")
        if len(times) == 0:
            continue
        if np.any(np.diff(times) < 0):
            raise held.refuse(f"the key times of {path} of node {node} run backwards")
        out.append(Channel(node, path, times, values, interpolation))
    return out


def _step(times: FloatArray, values: FloatArray, at: FloatArray, turns: bool) -> FloatArray:
    return np.asarray(values[np.clip(np.searchsorted(times, at + 1e-7, side="right") - 1, 0, len(times) - 1)])


def _linear(times: FloatArray, values: FloatArray, at: FloatArray, turns: bool) -> FloatArray:
    before, share = _segment(times, at)
    after = np.minimum(before + 1, len(times) - 1)
    if turns:
        return rotation.slerp(values[before], values[after], share)
    return np.asarray(values[before] + share[:, None] * (values[after] - values[before]))


def _cubic(times: FloatArray, values: FloatArray, at: FloatArray, turns: bool) -> FloatArray:
    """Cubic Hermite with the file's tangents (glTF 2.0, appendix C.5)."""
    tangent_in, value, tangent_out = values[0::3], values[1::3], values[2::3]
    before, share = _segment(times, at)
    after = np.minimum(before + 1, len(times) - 1)
    span, t = (times[after] - times[before])[:, None], share[:, None]
    out: FloatArray = (
        (2 * t**3 - 3 * t**2 + 1) * value[before]
        + span * (t**3 - 2 * t**2 + t) * tangent_out[before]
        + (3 * t**2 - 2 * t**3) * value[after]
        + span * (t**3 - t**2) * tangent_in[after]
    )
    return out


def _segment(times: FloatArray, at: FloatArray) -> tuple[NDArray[np.int64], FloatArray]:
    before = np.clip(np.searchsorted(times, at, side="right") - 1, 0, len(times) - 1)
    after = np.minimum(before + 1, len(times) - 1)
    span = times[after] - times[before]
    share = np.where(span > 0, (at - times[before]) / np.where(span > 0, span, 1.0), 0.0)
    return before, np.clip(share, 0.0, 1.0)


SAMPLE = {"STEP": _step, "LINEAR": _linear, "CUBICSPLINE": _cubic}


def frame_rate(channels: list[Channel]) -> float:
    """The usual rate on which the keys lie best: exact on frames if one fits, the densest spacing otherwise."""
    times = np.unique(np.round(np.concatenate([c.times for c in channels]), 6))
    times = times - times[0]
    if len(times) < 2:
        return DEFAULT_RATE
    for rate in (24.0, 25.0, 30.0, 48.0, 50.0, 60.0, 90.0, 100.0, 120.0):
        frames = times * rate
        if np.abs(frames - np.round(frames)).max() < 0.01:
            return rate
    closest = 1 / max(float(np.percentile(np.diff(times), 10)), 1 / 240)
    return float(min((rate for rate in RATES if rate >= 24), key=lambda rate: abs(rate - closest)))
