"""Layers of a USD file, looked through before they are composed: a stage opens whatever its layers refer to."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from pxr import Sdf

MOST_LAYERS = 200
FLATTENED = "export it flattened, or as one .usdz."


class Unusable(Exception):
    """What is wrong with the file, and what to do."""


def self_contained_layer(path: str) -> Any:
    """The root layer of a file that refers to nothing outside itself. Raises :class:`Unusable`.

    Sublayers, references and payloads, those in variants too, may name other files of the same .usdz and no others;
    expressions in their place, and value clips, are refused.
    """
    layer = Sdf.Layer.FindOrOpen(path)
    if layer is None:
        raise Unusable("it is damaged, USD's own library could not read it; export it again.")
    known = {layer.identifier}
    waiting = [layer]
    while waiting:
        for identifier in _referred_layers(waiting.pop(), path):
            if identifier not in known:
                known.add(identifier)
                opened = Sdf.Layer.FindOrOpen(identifier)
                if opened is None or len(known) > MOST_LAYERS:
                    raise Unusable(f"a file inside it (“{identifier[-60:]}”) is missing or damaged; {FLATTENED}")
                waiting.append(opened)
    return layer


def _referred_layers(layer: Any, package: str) -> Iterator[str]:
    """Identifiers of the layers that this one refers to, all within the package."""
    for name in layer.GetCompositionAssetDependencies():
        if not name:
            continue  # another prim of the same layer
        if not package.endswith(".usdz"):
            raise Unusable(f"it needs other files (“{name[:60]}”); {FLATTENED}")
        identifier = "" if "`" in name else Sdf.ComputeAssetPathRelativeToLayer(layer, name)
        if not identifier.startswith(f"{package}["):
            raise Unusable(f"it needs a file that is not inside it (“{name[:60]}”); {FLATTENED}")
        yield identifier
    clips: list[str] = []

    def visit(path: Any) -> None:
        held = layer.GetObjectAtPath(path)
        prim = held.primSpec if isinstance(held, Sdf.VariantSpec) else held
        if isinstance(prim, Sdf.PrimSpec) and prim.HasInfo("clips"):
            clips.append(str(path))

    layer.Traverse(Sdf.Path.absoluteRootPath, visit)
    if clips:
        raise Unusable(f"the motion of {clips[0][:60]} lies in files beside it (value clips); {FLATTENED}")
