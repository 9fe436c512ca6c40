"""Whether the motion under a touch-up is still the one that it was made on.

Of every key the places of the touched bone and of those between it and the trunk are kept as they were under the
layers, with those of the hips. What has changed since is told against the hips, so that a body that merely goes
elsewhere is the same; where a touch-up is meant in the world's axes, it is told of the hips' own turn, too.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.world_motion import WorldMotion
from armuto.retarget.context import RetargetContext
from armuto.touchups.applying import TouchUps
from armuto.touchups.model import Baseline, Key, Layer, Layers, TouchUp
from armuto.touchups.report import ChangedKey
from armuto.touchups.resolving import joint_of, limb_of, reflected, side_of, twins

FAR = 0.03  # metres
TURNED = 8.0  # degrees
DIGITS = 5


def frame_of(touchups: TouchUps, time: float) -> int | None:
    """The frame of the clip that shows a moment of its take best; None where none does within half a frame's time."""
    distances = np.abs(touchups.times - time)
    frame = int(np.argmin(distances))
    steps = np.abs(np.diff(touchups.times))
    return frame if distances[frame] <= max(0.5 * float(steps.max(initial=0.0)), 1e-3) + 1e-9 else None


def bones_of(joint: int, context: RetargetContext) -> tuple[int, ...]:
    """A joint and those above it in its limb, nearest first."""
    limb, target = limb_of(joint, context), context.fitting.target
    return joint, *(above for above in target.ancestors(joint) if limb and limb_of(above, context) == limb)


def baseline_at(motion: WorldMotion, row: int, joint: int, context: RetargetContext) -> Baseline:
    """What a key on a joint is set on, in a row of a motion without layers."""
    hips = context.hips if context.hips is not None else 0

    def rounded(values: FloatArray) -> tuple[float, ...]:
        return tuple(round(float(value), DIGITS) for value in values)

    places = tuple(rounded(motion.positions[bone, row]) for bone in bones_of(joint, context))
    turn, hips_turn = rounded(motion.rotations[joint, row]), rounded(motion.rotations[hips, row])
    return Baseline(places, turn, rounded(motion.positions[hips, row]), hips_turn)  # type: ignore[arg-type]


def with_baselines(
    layers: Layers, touchups: TouchUps, motion: WorldMotion, context: RetargetContext, anew: bool = False
) -> Layers:
    """Layers whose keys know what they are set on, as far as the clip shows them.

    motion: all frames without layers, or those that show keys. anew: also of those that know already, since somebody
    has looked at them. Nothing is known of a key whose layer was made on the clip's mirror image.
    """
    rows = {int(number): row for row, number in enumerate(motion.numbers)}

    def known(layer: Layer, touchup: TouchUp, key: Key) -> Key:
        joint, frame = joint_of(touchup, context), frame_of(touchups, key.time)
        if (key.baseline is not None and not anew) or joint is None or frame is None or frame not in rows:
            return key
        if layer.mirrored != touchups.mirrored:
            return replace(key, baseline=None)
        return replace(key, baseline=baseline_at(motion, rows[frame], joint, context))

    return Layers(
        tuple(
            replace(
                layer,
                touchups=tuple(
                    replace(touchup, keys=tuple(known(layer, touchup, key) for key in touchup.keys))
                    for touchup in layer.touchups
                ),
            )
            for layer in layers.layers
        )
    )


def changed_keys(touchups: TouchUps, motion: WorldMotion, context: RetargetContext) -> list[ChangedKey]:
    """Keys of active layers under which the motion has changed by more than :data:`FAR` or :data:`TURNED`.

    motion: all frames without layers, or those that show keys.
    """
    rows = {int(number): row for row, number in enumerate(motion.numbers)}
    out = []
    for layer, touchup, key in keys_of(touchups.layers.active):
        joint, frame = joint_of(touchup, context), frame_of(touchups, key.time)
        if key.baseline is None or joint is None or frame is None or frame not in rows:
            continue
        swap = layer.mirrored != touchups.mirrored
        now = baseline_at(motion, rows[frame], twins(context).get(joint, joint) if swap else joint, context)
        if swap:
            far, turned = _mirrored_apart(key.baseline, now, context), 0.0
        else:
            far, turned = _apart(key.baseline, now, touchup.channel != "rotation" and not touchup.against)
        if far > FAR or turned > TURNED:
            out.append(ChangedKey(layer.name, touchup, key, frame, far, turned))
    return out


def key_frames(touchups: TouchUps) -> list[int]:
    """The frames of the clip that show keys of active layers."""
    found = (frame_of(touchups, key.time) for _, _, key in keys_of(touchups.layers.active))
    return sorted({frame for frame in found if frame is not None})


def keys_of(layers: Sequence[Layer]) -> Iterator[tuple[Layer, TouchUp, Key]]:
    for layer in layers:
        for touchup in layer.touchups:
            for key in touchup.keys:
                yield layer, touchup, key


def _apart(was: Baseline, now: Baseline, in_world: bool) -> tuple[float, float]:
    """How far bones are apart ``m`` as seen from the hips, and how much the touched one is turned ``°``."""
    seen = [_from_hips(row) for row in (was, now)]
    turned = _degrees(seen[0][1], seen[1][1])
    if in_world:
        turned = max(turned, _degrees(np.array(was.hips_turn), np.array(now.hips_turn)))
    return _furthest(seen[0][0], seen[1][0]), turned


def _mirrored_apart(was: Baseline, now: Baseline, context: RetargetContext) -> float:
    """How far bones are from where the mirror image of the others has them ``m``, seen from the hips: of turns
    nothing is told, since bones of two sides have axes of their own."""
    hips = context.hips if context.hips is not None else 0
    back = rotation.inverse(context.fitting.target_pose.rotations[hips])
    across = rotation.rotate(back[None], side_of(context)[None])[0]
    return _furthest(reflected(_from_hips(was)[0], across), _from_hips(now)[0])


def _furthest(a: FloatArray, b: FloatArray) -> float:
    count = min(len(a), len(b))
    return float(np.linalg.norm(a[:count] - b[:count], axis=1).max(initial=0.0))


def _from_hips(row: Baseline) -> tuple[FloatArray, FloatArray]:
    back = rotation.normalised(rotation.inverse(np.array(row.hips_turn)))
    offsets = np.array(row.places).reshape(-1, 3) - np.array(row.hips)
    return rotation.rotate(np.broadcast_to(back, (len(offsets), 4)), offsets), rotation.multiply(
        back, np.array(row.turn)
    )


def _degrees(a: FloatArray, b: FloatArray) -> float:
    a, b = rotation.normalised(a), rotation.normalised(b)
    return float(np.degrees(rotation.angle_apart(a[None], b[None])[0]))
