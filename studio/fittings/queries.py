"""What is asked of the touch-ups of a clip in a fitting: as people see them, in frames of the clip."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from armuto.errors import BadInput
from armuto.touchups import Layer, Layers, TouchUp, editing
from armuto.touchups.applying import TouchUps, over_time, weight_of
from armuto.touchups.baseline import changed_keys, frame_of, keys_of
from armuto.touchups.model import Channel
from armuto.touchups.resolving import chain_to, joint_of, limb_of, movable, name_of, place
from studio.fittings.services.touchups import FittedClip, across_of

CURVE = 400  # moments of a curve that are drawn


def shown(fitted: FittedClip) -> dict[str, Any]:
    """The layers of the clip as people see them: in its frames, with what there is to touch."""
    layers = fitted.layers
    touchups = fitted.touchups(layers)
    _, lost = place(
        layers, fitted.context, touchups.mirrored, across_of(fitted) if _swapped(layers, touchups) else None
    )
    key_frames = [frame_of(touchups, key.time) for _, _, key in keys_of(layers.active)]
    base = fitted.base(frame for frame in key_frames if frame is not None) if layers.active else None
    changed = [] if base is None else changed_keys(touchups, base, fitted.context)
    moved = {(row.layer, row.touchup.target, row.key.time): row for row in changed}
    return {
        "layers": [
            {
                "name": layer.name,
                "on": layer.on,
                "weight": layer.weight
                if isinstance(layer.weight, float)
                else [{"frame": _frame(touchups, key.time), "value": key.value} for key in layer.weight],
                "limbs": layer.limbs,
                "hold": layer.hold,
                "touchups": [_touchup_out(fitted, touchups, layer, touchup, moved) for touchup in layer.touchups],
            }
            for layer in layers.layers
        ],
        "lost": lost,
        "limbs": list(
            dict.fromkeys(filter(None, (limb_of(joint, fitted.context) for joint in fitted.context.mapping)))
        ),
    }


def _swapped(layers: Layers, touchups: TouchUps) -> bool:
    return any(layer.mirrored != touchups.mirrored for layer in layers.layers)


def _frame(touchups: TouchUps, time: float) -> float | None:
    """Where a moment of the take lies between the clip's frames; None where it does not show it."""
    frame = frame_of(touchups, time)
    if frame is None:
        return None
    times = touchups.times
    for other in (frame + 1, frame - 1):
        if 0 <= other < len(times) and (times[other] - time) * (times[frame] - time) < 0:
            share = (time - times[frame]) / (times[other] - times[frame])
            return round(float(frame + share * (other - frame)), 3)
    return float(frame)


def _touchup_out(
    fitted: FittedClip, touchups: TouchUps, layer: Layer, touchup: TouchUp, changed: Mapping[Any, Any]
) -> dict[str, Any]:
    joint = joint_of(touchup, fitted.context)
    fps = fitted.clip.fps
    keys = []
    for key in touchup.keys:
        row = changed.get((layer.name, touchup.target, key.time))
        keys.append(
            {
                "frame": _frame(touchups, key.time),
                "time": key.time,
                "value": key.value,
                "turn": key.turn,
                "to_next": key.to_next,
                "moved": None if row is None else {"far": round(row.far * 100, 2), "turned": round(row.turned, 1)},
                "limb_then": [] if row is None or key.baseline is None else [list(p) for p in key.baseline.places],
            }
        )
    begin, end = touchup.keys[0].time, touchup.keys[-1].time
    return {
        "channel": touchup.channel,
        "part": touchup.part,
        "bone": fitted.value.target.names[joint] if joint is not None else touchup.bone,
        "label": touchup.label,
        "limb": limb_of(joint, fitted.context) if joint is not None else "",
        "against": touchup.against,
        "ease_in": touchup.ease_in,
        "ease_out": touchup.ease_out,
        "first": 0.0 if touchup.ease_in is None else _nearest(touchups, begin - touchup.ease_in, fps),
        "last": float(len(touchups.times) - 1)
        if touchup.ease_out is None
        else _nearest(touchups, end + touchup.ease_out, fps),
        "keys": keys,
    }


def _nearest(touchups: TouchUps, time: float, fps: float) -> float:
    """The frame that shows what comes nearest to a moment."""
    frame = _frame(touchups, time)
    return float(np.argmin(np.abs(touchups.times - time))) if frame is None else frame


def touchable(fitted: FittedClip) -> list[dict[str, Any]]:
    """Every bone of the character: how it is called, and what can be done with it beside turning it."""
    target, context = fitted.value.target, fitted.context
    out = []
    for joint, bone in enumerate(target.names):
        part, number, _ = name_of(joint, context)
        moves: Channel | None = (
            "place" if chain_to(joint, context) else "translation" if joint in movable(context) else None
        )
        out.append({"bone": bone, "part": part, "number": number, "limb": limb_of(joint, context), "moves": moves})
    return out


def curve(fitted: FittedClip, name: str, number: int) -> dict[str, Any]:
    """The offset of a touch-up over the clip's frames, without and with the weight of its layer.

    Values in degrees or centimetres, at most :data:`CURVE` frames.
    """
    layers = fitted.layers
    layer = editing.layer_named(layers, name)
    if not 0 <= number < len(layer.touchups):
        raise BadInput(f"“{name}” has no such touch-up; it was removed meanwhile.")
    touchup = layer.touchups[number]
    touchups = fitted.touchups(Layers((replace(layer, touchups=(touchup,), on=True, limbs=()),)))
    rows, lost = place(touchups.layers, fitted.context, layer.mirrored)
    if lost:
        raise BadInput(lost[0])
    frames = np.unique(np.linspace(0, len(touchups.times) - 1, min(CURVE, len(touchups.times))).round().astype(int))
    if not rows:
        return {"frames": frames.tolist(), "values": [], "turns": []}
    at = touchups.times[frames]
    values = over_time(rows[0], at)[0] * weight_of(layer, at)[:, None]
    scale = np.degrees(1.0) if touchup.channel == "rotation" else 100.0
    turns = np.degrees(values[:, 3:]) if np.any(values[:, 3:]) else values[:0, 3:]
    return {
        "frames": frames.tolist(),
        "values": (values[:, :3] * scale).round(3).tolist(),
        "turns": turns.round(3).tolist(),
    }
