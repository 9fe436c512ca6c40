"""Touch-ups of a clip in a fitting: their changes as steps of its history, and how they look to people."""

from collections import OrderedDict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from armuto.contacts.model import ContactSet
from armuto.contacts.probes import contact_probes
from armuto.errors import BadInput
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip as ClipValue
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import apply_layers, plane_of_mirror
from armuto.retarget import fitting as core
from armuto.retarget.context import RetargetContext, context_of
from armuto.retarget.motion import local_clip
from armuto.touchups import Layer, Layers, editing, posing
from armuto.touchups.applying import TouchUps
from armuto.touchups.baseline import frame_of, keys_of, with_baselines
from armuto.touchups.model import Channel
from armuto.touchups.resolving import joint_of, name_of
from studio.fittings.models import Fitting
from studio.fittings.preview import contacts_of, refined_value
from studio.fittings.services import clip_exceptions, layer_records
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.steps import step, value_of
from studio.library.models import Clip

USUAL_NAME = "Touch-up"
SINGLY = 5  # frames: more of them than that are worked out with the whole clip
CELLS = 8  # whose frames without layers are kept


@dataclass(frozen=True, eq=False)
class FittedClip:
    """A clip in a fitting whose layers are changed: the fitting as it is for this clip, and how its frames show the
    take."""

    row: Fitting
    clip: Clip
    value: core.Fitting
    context: RetargetContext

    @classmethod
    def of(cls, row: Fitting, clip: Clip) -> "FittedClip":
        value = clip_exceptions.for_clip(value_of(row), row, clip.pk)
        return cls(row, clip, value, context_of(value))

    @property
    def layers(self) -> Layers:
        return layer_records.of_clip(self.row.state, self.clip.pk)

    def touchups(self, layers: Layers) -> TouchUps:
        return layer_records.touchups_with(layers, self.clip)

    def near(self, frame: int) -> float:
        """Seconds of the take within which a key is at a frame: half the way to the one that is shown beside it."""
        frames = refined_value(self.clip).frames
        around = np.abs(np.diff(frames[max(0, frame - 1) : frame + 2]))
        return 0.5 * max(1.0, float(around.max(initial=0.0))) / self.clip.fps - 1e-6

    def time(self, frame: int) -> float:
        """The second of the take that a frame shows. Raises :class:`BadInput` for a frame that there is not."""
        frames = refined_value(self.clip).frames
        if not 0 <= frame < len(frames):
            raise BadInput(f"{self.clip.name}: it has no frame {frame}; its frames are 0 to {len(frames) - 1}.")
        return round(float(frames[frame]) / self.clip.fps, 6)

    def motion(self, layers: Layers, frame: int) -> WorldMotion:
        """One frame with layers over it."""
        return self._with_layers(layers, frame)[0]

    def pose(self, layers: Layers, frame: int) -> ClipValue:
        """One frame with layers over it, as a clip."""
        motion, moving = self._with_layers(layers, frame)
        return local_clip(self.clip.name, motion, moving)

    def _with_layers(self, layers: Layers, frame: int) -> tuple[WorldMotion, frozenset[int]]:
        """One frame with layers over it, and the joints that move against their parents: what is under them is known
        while somebody works on them, and each frame is computed by itself."""
        # While something is drawn, what it is drawn from stays.
        if known := self._base.layered.get((frame, layers)):
            return known
        motion = self.base([frame])
        assert motion is not None
        clip = refined_value(self.clip).clip
        contacts = contacts_of(self.value, self.clip) if self.value.settings.constrained else ContactSet()
        probes = contact_probes(self.context)
        done, _ = apply_layers(motion, self.touchups(layers), clip, self.context, contacts, probes)
        made = motion, self._base.moving | done.moved
        layered = self._base.layered
        layered[frame, layers] = made
        while len(layered) > SINGLY:
            layered.popitem(last=False)
        return made

    def base(self, frames: Iterable[int]) -> WorldMotion | None:
        """Some frames without layers, and before joints are held within their limits, as keys know them. None for no
        frame."""
        numbers = sorted(set(frames))
        if not numbers:
            return None
        known = self._base
        missing = [frame for frame in numbers if frame not in known.frames]
        settings = self.value.settings
        free = self.value if settings.limits == "off" else self.value.with_settings(replace(settings, limits="off"))
        whole = len(missing) > SINGLY
        for frame in missing if not whole else [0]:
            clip = retarget(self.row, free, self.clip, frame, None if whole else frame).clip
            made = WorldMotion.of_clip(clip)
            known.moving = frozenset(clip.moving.tolist())
            for number in missing if whole else [frame]:
                row = number - frame
                known.frames[number] = made.rotations[:, row].copy(), made.positions[:, row].copy()
        rotations, positions = (np.stack([known.frames[frame][n] for frame in numbers], axis=1) for n in (0, 1))
        fps, loop = self.clip.fps, refined_value(self.clip).clip.loop
        return WorldMotion(self.value.target, rotations, positions, fps, np.array(numbers, dtype=float), loop)

    @property
    def _base(self) -> "_BaseFrames":
        """What is known of single frames without layers, whatever layers are changed."""
        state, clip = self.row.state, self.clip
        assert state is not None
        own = clip_exceptions.digest_of(clip_exceptions.of_clip(state, clip.pk))
        key = (self.row.pk, self.row.character.digest, state.digest, own, clip.pk, clip.revision, clip.motion_key)
        known = _base_frames.setdefault(key, _BaseFrames())
        _base_frames.move_to_end(key)
        while len(_base_frames) > CELLS:
            _base_frames.popitem(last=False)
        return known

    @property
    def is_mirrored(self) -> bool:
        return refined_value(self.clip).mirrored

    def joint(self, bone: str) -> int:
        """Raises :class:`BadInput` for a bone that the character has not."""
        joint = self.value.target.index.get(bone)
        if joint is None:
            raise BadInput(f"{self.row.character.name}: it has no bone “{bone}”.")
        return joint


@dataclass
class _BaseFrames:
    """Frames of a cell without layers: world rotations ``(J, 4)`` and positions ``(J, 3)`` by number. moving: the
    joints that move against their parents."""

    frames: dict[int, tuple[FloatArray, FloatArray]] = field(default_factory=dict)
    moving: frozenset[int] = frozenset()
    layered: "OrderedDict[tuple[int, Layers], tuple[WorldMotion, frozenset[int]]]" = field(default_factory=OrderedDict)


_base_frames: OrderedDict[Any, _BaseFrames] = OrderedDict()


def edit(fitted: FittedClip, change: Mapping[str, Any]) -> tuple[Layers, str]:
    """The layers after a change, and what it was in words. change: as
    :class:`~studio.fittings.touchup_schemas.TouchUpEdit` says. Raises :class:`BadInput`."""
    layers = fitted.layers
    op, name = change["op"], change.get("layer") or ""
    if op == "add":
        name = editing.free_name(layers, name or USUAL_NAME)
        return editing.with_layer(layers, name, mirrored=fitted.is_mirrored), f"layer “{name}”"
    if op == "order":
        return editing.in_order(layers, change["names"]), "layers in another order"
    if op in ("key", "turn", "move") and not any(layer.name == name for layer in layers.layers):
        name = name or editing.free_name(layers, USUAL_NAME)
        layers = editing.with_layer(layers, name, mirrored=fitted.is_mirrored)
    editing.layer_named(layers, name)
    if op == "remove":
        return editing.without_layer(layers, name), f"layer “{name}” removed"
    if op == "layer":
        changes = {key: value for key, value in change["changes"].items() if value is not None}
        if "name" in changes:
            changes["name"] = " ".join(str(changes["name"]).split())
        return editing.with_layer(layers, name, **changes), f"layer “{name}”: {_described(changes)}"
    if op == "weight":
        frame = change["frame"]
        made = editing.set_weight_key(layers, name, fitted.time(frame), fitted.near(frame), change["weight"])
        return made, f"layer “{name}”: weight at frame {frame}"
    if fitted.is_mirrored != editing.layer_named(layers, name).mirrored:
        layers = editing.as_shown(layers, name, fitted.is_mirrored, fitted.context, across_of(fitted))
    if op in ("key", "turn", "move"):
        return _by_hand(fitted, layers, name, change)
    if op == "confirm":
        return _confirmed(fitted, layers, name), f"“{name}” kept as it is"
    return _of_keys(fitted, layers, name, change)


def _described(changes: Mapping[str, Any]) -> str:
    words = {"name": "named", "on": "on or off", "weight": "weight", "limbs": "limbs", "hold": "what keeps its place"}
    return ", ".join(f"named “{changes['name']}”" if key == "name" else words[key] for key in changes) or "as it was"


def _by_hand(fitted: FittedClip, layers: Layers, name: str, change: Mapping[str, Any]) -> tuple[Layers, str]:
    """A key at a frame: said in numbers, or by what a hand does to the figure there."""
    frame, joint = change["frame"], fitted.joint(change["bone"])
    time, near = fitted.time(frame), fitted.near(frame)
    part, number, bone = name_of(joint, fitted.context)
    label = f"{part}{f' {number + 1}' if number else ''}" or bone
    what = f"“{name}”: {label} at frame {frame}"
    if change["op"] == "key":
        channel: Channel = change.get("channel") or "rotation"
        if channel != "rotation":
            channel = editing.channel_of(joint, fitted.context)
        touchup = editing.touchup_on(joint, channel, fitted.context, change.get("against") or "")
        value, turn = change.get("value"), change.get("turn")
        return editing.set_key(layers, name, touchup, time, near, value, turn, change.get("to_next")), what
    motion = fitted.motion(layers, frame)
    if change["op"] == "turn":
        by = rotation.about(_unit(change["axis"]), np.radians(change["degrees"]))
        made = posing.turned(layers, name, joint, fitted.context, motion, time, near, by)
    else:
        by, against = np.array(change["by"], dtype=float), change.get("against") or ""
        made = posing.moved(layers, name, joint, fitted.context, motion, time, near, by, against)
    others = [other for other in change.get("also", ()) if other != frame]
    return _also(fitted, layers, made, name, frame, others), what


def _also(fitted: FittedClip, before: Layers, made: Layers, name: str, frame: int, others: Sequence[int]) -> Layers:
    """What a change has set at a frame, at others as well."""
    old = editing.layer_named(before, name).touchups
    time, near = fitted.time(frame), fitted.near(frame)
    for touchup in editing.layer_named(made, name).touchups:
        key = next((key for key in touchup.keys if abs(key.time - time) <= near), None)
        if key is None or touchup in old:
            continue
        for other in others:
            moment = fitted.time(other), fitted.near(other)
            made = editing.set_key(made, name, touchup, *moment, key.value, key.turn)
    return made


def _unit(axis: Sequence[float]) -> FloatArray:
    size = float(np.linalg.norm(axis))
    if not 1e-6 < size < 1e6:
        raise BadInput("The axis to turn about has no direction; say three numbers that are not all 0.")
    return np.array(axis, dtype=float) / size


def _of_keys(fitted: FittedClip, layers: Layers, name: str, change: Mapping[str, Any]) -> tuple[Layers, str]:
    op: str = change["op"]
    keys: list[tuple[int, int]] = [tuple(pair) for pair in change.get("keys") or ()]
    weights: list[int] = change.get("weight_keys") or []
    count = len(keys) + (len(weights) if op in ("shift", "copy", "delete") else 0)
    many = f"{count} key{'s' if count != 1 else ''}"
    if op == "shift":
        by: int = change["frames"]
        frames = refined_value(fitted.clip).frames

        def moment(time: float) -> float:
            """So many frames later in the clip as it is shown; beyond what it shows, so many of the take."""
            at = frame_of(fitted.touchups(layers), time)
            if at is None or not 0 <= at + by < len(frames):
                return round(time + by / fitted.clip.fps, 6)
            return round(time + float(frames[at + by] - frames[at]) / fitted.clip.fps, 6)

        made = editing.shifted_weight_keys(layers, name, weights, moment)
        return editing.shifted_keys(made, name, keys, moment), f"“{name}”: {many} moved by {by} frames"
    if op == "copy":
        layer = editing.layer_named(layers, name)
        times = [layer.touchups[n].keys[k].time for n, k in keys if _there(layer, n, k)]
        if isinstance(layer.weight, tuple):
            times += [key.time for n, key in enumerate(layer.weight) if n in weights]
        later = fitted.time(change["frame"]) - min(times, default=0.0)
        made = editing.copied_weight_keys(layers, name, weights, later)
        return editing.copied_keys(made, name, keys, later), f"“{name}”: {many} copied"
    if op == "delete":
        made = editing.without_weight_keys(layers, name, weights)
        return editing.without_keys(made, name, keys), f"“{name}”: {many} removed"
    if op == "mirror":
        facing = _facing(fitted, change.get("frame") or 0)
        return editing.mirrored_keys(layers, name, keys, fitted.context, facing), f"“{name}”: {many} mirrored"
    if op == "ease":
        begin, end = change.get("ease_in", "same"), change.get("ease_out", "same")
        return editing.eased(layers, name, change["touchup"], begin, end), f"“{name}”: ease"
    assert op == "interpolate"
    made = editing.ways_changed(layers, name, keys, change["to_next"])
    return made, f"“{name}”: {many} {change['to_next']}"


def _there(layer: Layer, touchup: int, key: int) -> bool:
    return 0 <= touchup < len(layer.touchups) and 0 <= key < len(layer.touchups[touchup].keys)


def _facing(fitted: FittedClip, frame: int) -> FloatArray:
    """Where the body faces in a frame, in the world ``(3,)``."""
    forward, hips = fitted.value.forward, fitted.context.hips
    if hips is None:
        return forward
    now = fitted.motion(Layers(), frame).rotations[hips, 0]
    turned = rotation.multiply(now, rotation.inverse(fitted.value.target_pose.rotations[hips]))
    return np.asarray(rotation.rotate(turned[None], forward[None])[0])


def across_of(fitted: FittedClip) -> FloatArray:
    return plane_of_mirror(refined_value(fitted.clip).clip, fitted.context)


def _confirmed(fitted: FittedClip, layers: Layers, name: str) -> Layers:
    """A layer whose keys are meant for what is under them now."""
    layer = editing.layer_named(layers, name)
    made = with_known_baselines(fitted, Layers((layer,)), anew=True).layers[0]
    return Layers(tuple(made if row is layer else row for row in layers.layers))


def with_known_baselines(fitted: FittedClip, layers: Layers, anew: bool = False) -> Layers:
    """Layers whose keys know what they are set on. anew: also of those that know already."""
    touchups = fitted.touchups(layers)
    missing = [
        frame
        for _, touchup, key in keys_of(layers.layers)
        if (anew or key.baseline is None)
        and joint_of(touchup, fitted.context) is not None
        and (frame := frame_of(touchups, key.time)) is not None
    ]
    motion = fitted.base(missing)
    return layers if motion is None else with_baselines(layers, touchups, motion, fitted.context, anew)


def keep(fitted: FittedClip, layers: Layers, what: str) -> None:
    """Put layers in force; a step that can be undone."""
    row, clip = fitted.row, fitted.clip
    assert row.state is not None
    rows = dict(row.state.data.get(layer_records.KEY, {}))
    table = layer_records.store(with_known_baselines(fitted, layers))
    if table == rows.get(str(clip.pk), {}):
        return
    rows[str(clip.pk)] = table
    kept = {key: row for key, row in rows.items() if row}
    step(row, None, f"touch-ups of {clip.name}: {what}"[:255], of_clips={layer_records.KEY: kept})
