"""Layers of touch-ups on the command line: read from their file, counted, and looked for in what is checked."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from armuto import touchups
from armuto.cli.files import content_of
from armuto.kinematics.clip import Clip
from armuto.kinematics.world_motion import WorldMotion
from armuto.pipeline import RetargetTrace, retarget
from armuto.retarget.fitting import Fitting
from armuto.touchups import Layers
from armuto.touchups.applying import TouchUps


def layers_of(path: Path | None) -> Layers:
    """Those of a file, or none. Raises :class:`BadInput`."""
    return touchups.from_file(content_of(path), str(path)) if path else Layers()


def counted(layers: Layers, lost: Sequence[str], changed: int) -> dict[str, Any] | None:
    """How many layers and keys there are, what of them cannot be placed, and how many keys were set on other motion.

    None for no layers."""
    if not layers.layers:
        return None
    keys = sum(len(touchup.keys) for layer in layers.layers for touchup in layer.touchups)
    return {"layers": len(layers.layers), "keys": keys, "changed": changed, "lost": list(lost)}


def checked_against(
    layers: Layers, clip: Clip, rendition: Clip, fits: Fitting
) -> tuple[dict[str, Any] | None, RetargetTrace | None]:
    """What there is of layers in a rendition of a clip, and a trace by which it is measured: what was touched up on
    purpose is no fault."""
    if not layers.layers:
        return None, None
    done = retarget(clip, fits, touchups=TouchUps.of_take(layers, clip))
    assert done.trace is not None
    count = counted(layers, done.touchups.lost, len(done.touchups.changed))
    return count, replace(done.trace, motion=WorldMotion.of_clip(rendition))
