"""Touch-ups carried from one cell to others: to other characters by parts, to other clips by time or by steps."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from armuto.contacts.probes import contact_probes
from armuto.errors import BadInput
from armuto.touchups import Layer, Layers, editing
from armuto.touchups.baseline import frame_of, keys_of
from armuto.touchups.carrying import by_phase, by_time, carry_in_time, carry_to_character, touchdowns
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.fittings.preview import contacts_of
from studio.fittings.services import touchups
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.steps import fitting_for
from studio.fittings.services.touchups import FittedClip, across_of
from studio.library.models import Clip
from studio.library.services import plate_of

AROUND = 0.6  # seconds on either side of a key that a preview shows


@dataclass(frozen=True)
class Carried:
    """What became of layers in a cell, not yet kept. fitted: where; None where there is none, as ``lost`` says."""

    clip: Clip
    character: Character
    fitted: FittedClip | None
    layers: Layers
    names: tuple[str, ...]
    lost: tuple[str, ...]


def carry(
    fitted: FittedClip,
    names: Sequence[str],
    clip: Clip,
    character: Character,
    by: Literal["time", "phase"],
    fetch: Callable[[int], Fitting],
) -> Carried:
    """Layers of one cell as another one would have them, beside what it has.

    fetch: a fitting by its id, in its author's name. Raises :class:`BadInput` for a layer that there is not.
    """
    chosen = [_as_shown(fitted, name) for name in names]
    try:
        row = fetch(fitting_for(clip.skeleton, character).pk)
    except BadInput as problem:
        return Carried(clip, character, None, Layers(), (), (str(problem),))
    target = FittedClip.of(row, clip)
    moment = _moments(fitted, target, by) if clip.pk != fitted.clip.pk else None
    layers, made, lost = target.layers, list[str](), list[str]()
    for layer in chosen:
        rows = _carried(layer, fitted, target, moment)
        lost += rows[1]
        if rows[0] is not None:
            # Carried again, it takes the place of what was carried before.
            layers = editing.with_layer(layers, layer.name, **_values(rows[0]))
            made.append(layer.name)
    return Carried(clip, character, target, layers, tuple(made), tuple(lost))


def _as_shown(fitted: FittedClip, name: str) -> Layer:
    """A layer as it is meant on its clip as that is shown, mirrored or not."""
    across = across_of(fitted)
    return editing.layer_named(editing.as_shown(fitted.layers, name, fitted.is_mirrored, fitted.context, across), name)


def _carried(
    layer: Layer, fitted: FittedClip, target: FittedClip, moment: Callable[[float], float | None] | None
) -> tuple[Layer | None, list[str]]:
    lost: list[str] = []
    made: Layer | None = layer
    if target.row.pk != fitted.row.pk:
        to_body = carry_to_character(layer, fitted.context, target.context, target.row.character.name)
        made = to_body.layer
        lost += to_body.lost
    if made is not None and moment is not None:
        in_time = carry_in_time(made, moment)
        lost += in_time.lost
        # As it is seen on the one clip, it is to be seen on the other.
        made = replace(in_time.layer, mirrored=target.is_mirrored) if in_time.layer else None
    return made, lost


def _values(layer: Layer) -> dict[str, object]:
    return {name: getattr(layer, name) for name in ("touchups", "on", "weight", "limbs", "hold", "mirrored")}


def _moments(fitted: FittedClip, target: FittedClip, by: Literal["time", "phase"]) -> Callable[[float], float | None]:
    """Where moments of one clip's take lie in another's: as long after the first frame that is shown, or in the same
    phase of steps."""
    if by == "phase":
        return by_phase(_steps(fitted), _steps(target))
    return by_time(target.time(0) - fitted.time(0))


def _steps(fitted: FittedClip) -> list[tuple[float, str]]:
    limbs = {point.name: point.limb for point in contact_probes(fitted.context).points if point.is_foot}
    contacts = contacts_of(fitted.value, fitted.clip).contacts
    return touchdowns(contacts, limbs, fitted.touchups(Layers()).times)


def preview(carried: Carried) -> dict[str, Any] | None:
    """Plates of the cell about the first key that was carried, as it is and as it would be; None where none is
    shown."""
    fitted = carried.fitted
    if fitted is None:
        return None
    made = fitted.touchups(carried.layers)
    layers = [layer for layer in carried.layers.layers if layer.name in carried.names]
    times = sorted(key.time for _, _, key in keys_of(layers))
    frames = [frame for time in times if (frame := frame_of(made, time)) is not None]
    if not frames:
        return None
    around = round(AROUND * fitted.clip.fps)
    first, last = max(0, frames[0] - around), min(len(made.times) - 1, frames[0] + around)
    parts = fitted.row.character.skeleton.assignment()

    def drawn(layers: Layers) -> dict[str, Any]:
        touchups = fitted.touchups(layers)
        return plate_of(retarget(fitted.row, fitted.value, fitted.clip, first, last, touchups=touchups).clip, parts)

    return {"frame": frames[0], "before": drawn(fitted.layers), "after": drawn(carried.layers)}


def keep(carried: Carried, origin: FittedClip) -> None:
    """Put what was carried in force in its cell, a step that can be undone there."""
    if carried.fitted is not None and carried.names:
        names = " and ".join(f"“{name}”" for name in carried.names)
        touchups.keep(carried.fitted, carried.layers, f"{names} from {origin.clip.name} of {origin.row.character.name}")
