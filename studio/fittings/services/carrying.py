"""Touch-ups carried from one cell to others: to other characters by parts, to other clips by time or by steps."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from armuto.contacts.probes import contact_probes
from armuto.errors import BadInput
from armuto.touchups import Layer, Layers, editing
from armuto.touchups.baseline import frame_of, keys_of
from armuto.touchups.carrying import by_phase, by_time, carry_in_time, carry_to_character, touchdowns
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.fittings.preview import contacts_of, retarget
from studio.fittings.services import touchups
from studio.fittings.services.steps import fitting_for
from studio.fittings.services.touchups import FittedClip
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
    chosen = [editing.layer_named(fitted.layers, name) for name in names]
    try:
        row = fetch(fitting_for(clip.skeleton, character).pk)
    except BadInput as problem:
        return Carried(clip, character, None, Layers(), (), (str(problem),))
    there = FittedClip.of(row, clip)
    moment = _moments(fitted, there, by) if clip.pk != fitted.clip.pk else None
    layers, made, lost = there.layers, list[str](), list[str]()
    for layer in chosen:
        rows = _carried(layer, fitted, there, moment)
        lost += rows[1]
        if rows[0] is not None:
            # Carried again, it takes the place of what was carried before.
            layers = editing.with_layer(layers, layer.name, **_values(rows[0]))
            made.append(layer.name)
    return Carried(clip, character, there, layers, tuple(made), tuple(lost))


def _carried(
    layer: Layer, fitted: FittedClip, there: FittedClip, moment: Callable[[float], float | None] | None
) -> tuple[Layer | None, list[str]]:
    lost: list[str] = []
    made: Layer | None = layer
    if there.row.character_id != fitted.row.character_id or there.row.pk != fitted.row.pk:
        to_body = carry_to_character(layer, fitted.context, there.context, there.row.character.name)
        made = to_body.layer
        lost += to_body.lost
    if made is not None and moment is not None:
        in_time = carry_in_time(made, moment)
        made = in_time.layer
        lost += in_time.lost
    return made, lost


def _values(layer: Layer) -> dict[str, object]:
    return {name: getattr(layer, name) for name in ("touchups", "on", "weight", "limbs", "hold", "mirrored")}


def _moments(fitted: FittedClip, there: FittedClip, by: Literal["time", "phase"]) -> Callable[[float], float | None]:
    """Where moments of one clip's take lie in another's: as long after the first frame that is shown, or in the same
    phase of steps."""
    if by == "phase":
        return by_phase(_steps(fitted), _steps(there))
    return by_time(there.time(0) - fitted.time(0))


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
        return plate_of(retarget(fitted.value, fitted.clip, first, last, touchups=fitted.touchups(layers)).clip, parts)

    return {"frame": frames[0], "before": drawn(fitted.layers), "after": drawn(carried.layers)}


def keep(carried: Carried, origin: FittedClip) -> None:
    """Put what was carried in force in its cell, a step that can be undone there."""
    if carried.fitted is not None and carried.names:
        names = " and ".join(f"“{name}”" for name in carried.names)
        touchups.keep(carried.fitted, carried.layers, f"{names} from {origin.clip.name} of {origin.row.character.name}")
