"""Animations of COLLADA documents as tracks of nodes."""

from __future__ import annotations

from typing import TYPE_CHECKING
from xml.etree.ElementTree import Element

import numpy as np
from numpy.typing import NDArray

from armuto.formats.collada_curves import Curve
from armuto.formats.collada_nodes import (
    MEMBER,
    SPACE,
    WIDTH,
    number_of,
    taken_apart,
)
from armuto.formats.gltf.building import Track
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray

if TYPE_CHECKING:
    from armuto.formats.collada import Scene


def read_animations(scene: Scene) -> None:
    library = scene.root.findall(f"{SPACE}library_animations/{SPACE}animation")
    clips = scene.root.findall(f"{SPACE}library_animation_clips/{SPACE}animation_clip")
    if not clips:
        tracks = _tracks(scene, library)
        if tracks:
            named = library[0].get("name") if len(library) == 1 else None
            scene.parts.animations.append((named or "animation", tracks))
        return
    for number, clip in enumerate(clips, 1):
        used = [
            scene.find(use.get("url"), "an animation of a clip") for use in clip.findall(f"{SPACE}instance_animation")
        ]
        span = (number_of(clip.get("start", "0")), number_of(clip.get("end", "inf")))
        tracks = _tracks(scene, used, span)
        if tracks:
            scene.parts.animations.append((clip.get("name") or clip.get("id") or f"clip {number}", tracks))


def _tracks(scene: Scene, animations: list[Element], span: tuple[float, float] = (0.0, np.inf)) -> list[Track]:
    """Keys of all nodes that the animations move, as translation, rotation and scale."""
    curves: dict[int, list[tuple[int, NDArray[np.int64], Curve]]] = {}
    for animation in animations:
        for element in animation.iter(f"{SPACE}animation"):
            for channel in element.findall(f"{SPACE}channel"):
                found = _target(scene, channel.get("target", ""))
                if found is None:
                    continue
                number, at, columns = found
                curve = _curve(scene, scene.find(channel.get("source"), "the sampler of an animation"), len(columns))
                curves.setdefault(number, []).append((at, columns, curve))
    out = []
    for number, moved in curves.items():
        times = np.unique(np.concatenate([curve.key_times() for _, _, curve in moved]))
        if np.isfinite(span[1]):
            inner = times[(times > span[0]) & (times < span[1])]
            times = np.unique([span[0], *inner, span[1]])
        transforms = scene.stacks[number]
        values = {n: np.tile(t.values, (len(times), 1)) for n, t in enumerate(transforms)}
        for at, columns, curve in moved:
            values[at][:, columns] = curve.at(times)
        local = [scene._local(transforms, {n: v[k] for n, v in values.items()}) for k in range(len(times))]
        name = scene.parts.nodes[number].name
        apart = [taken_apart(m, scene.refuse, name) for m in local]
        shifted = times - (span[0] if np.isfinite(span[1]) else 0.0)
        out.append(Track(number, "translation", shifted, np.array([t for t, _, _ in apart])))
        out.append(Track(number, "rotation", shifted, rotation.continuous(np.array([q for _, q, _ in apart]))))
    return out


def _target(scene: Scene, target: str) -> tuple[int, int, NDArray[np.int64]] | None:
    """Node, place in its stack, and the numbers of that transform which a channel drives."""
    node_id, _, rest = target.partition("/")
    number = scene.by_id.get(node_id)
    if number is None or not rest:
        return None
    sid, _, member = rest.partition(".")
    sid, brace, index = sid.partition("(")
    for at, transform in enumerate(scene.stacks[number]):
        if transform.sid != sid:
            continue
        width = WIDTH[transform.kind]
        if brace:
            digits = [int(part) for part in index.replace(")", "").split("(") if part.isdigit()]
            column = digits[0] * 4 + digits[1] if len(digits) == 2 else (digits[0] if digits else width)
            return (number, at, np.array([column])) if column < width else None
        if member:
            column = MEMBER.get(member.upper(), width)
            return (number, at, np.array([column])) if column < width else None
        return number, at, np.arange(width)
    return None


def _curve(scene: Scene, sampler: Element, width: int) -> Curve:
    what = "an animation sampler"
    times = scene.numbers(scene._source(sampler, "INPUT", what)[1], what)
    values = scene.numbers(scene._source(sampler, "OUTPUT", what)[1], what)
    if not len(times) or len(values) != len(times) * width or np.any(np.diff(times) < 0):
        raise scene.refuse("the keys of an animation do not fit together")
    kinds: list[str] = []
    tangents: dict[str, FloatArray] = {}
    for given in sampler.findall(f"{SPACE}input"):
        semantic = given.get("semantic", "")
        if semantic == "INTERPOLATION":
            kinds = (scene._source(sampler, semantic, what)[1].text or "").split()
        elif semantic in ("IN_TANGENT", "OUT_TANGENT"):
            read = scene.numbers(scene._source(sampler, semantic, what)[1], what)
            if width == 1 and len(read) == 2 * len(times):
                tangents[semantic] = read.reshape(-1, 2)
    if len(kinds) != len(times):
        kinds = ["LINEAR"] * len(times)
    return Curve(times, values.reshape(-1, width), kinds, tangents.get("IN_TANGENT"), tangents.get("OUT_TANGENT"))
