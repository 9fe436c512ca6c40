"""The performers of a recording: of one file that holds several bodies, and of files that lie side by side.

A file is taken apart into one for every tree of joints, as if each had been recorded alone, so that all else
(skeletons, parts, takes, calibration frames) goes the way of single files. The space stays common: whatever is detected
of unit and up axis of the first body counts for all.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from armuto import formats, pairing
from armuto.formats import Document, bvh, collada, gltf, usd
from armuto.formats.gltf.reading import tree_of
from armuto.intake.detection import NOTHING, ImportOptions
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.loop import carrier_of
from armuto.kinematics.skeleton import Skeleton, unique_names
from armuto.kinematics.vectors import lengths

FEWEST_PARTS = 6  # of a body plan, by which a tree is a body
FEWEST_JOINTS = 12  # of a tree that may be a body
SEPARATORS = ":|_-. "
ONE_PLACE = 0.06  # of a body's size: nearer to each other than this, two bodies are one figure
BESIDE = 0.25  # metres over the ground that two who share a space keep between their hips


@dataclass(frozen=True)
class SplitFile:
    """A file of its own for one tree of a file. name: of the performer or thing. is_body: whether its joints are parts
    of a body."""

    name: str
    file: str
    data: bytes
    is_body: bool


@dataclass(frozen=True, eq=False)
class SplitDocuments:
    """Performers and things of one file by name, all in its common space."""

    performers: Mapping[str, Document]
    things: Mapping[str, Document]


def split(data: bytes, file: str, files: Mapping[str, bytes] | None = None) -> tuple[SplitFile, ...]:
    """The trees of a file that holds several bodies as files of their own; nothing where it holds fewer than two.

    Parameters
    ----------
    data : bytes
    file : str
        Its name, which ends the names of the new files.
    files : mapping of str to bytes, optional
        What lies beside it.

    Returns
    -------
    tuple of SplitFile
        Bodies first. Of a BVH each is a BVH with the numbers of the original; of every other format a .glb of the
        joints and their animations, without meshes.

    Raises
    ------
    BadInput
        Where the file cannot be read.
    """
    kind = formats.kind_of(data, file)
    trees = _bvh_trees(data, file) if kind == "bvh" else _gltf_trees(data, file, kind, files or {})
    bodies = [tree for tree in trees if tree.is_body]
    if len(bodies) < 2 or any(_in_one_place(first, second) for first, second in combinations(bodies, 2)):
        return ()
    rows = sorted(trees, key=lambda tree: not tree.is_body)
    names = unique_names(
        tree.name or (f"performer {number}" if tree.is_body else "prop") for number, tree in enumerate(rows, 1)
    )
    stem = file.rpartition(".")[0] or file
    return tuple(
        SplitFile(name, f"{stem} {name}.{tree.ending}", tree.data, tree.is_body)
        for name, tree in zip(names, rows, strict=True)
    )


@dataclass(frozen=True, eq=False)
class _Tree:
    """A tree of a file as a file of its own. path ``(F, 3)``: where what carries it goes, in the file's unit; size: how
    far it reaches at rest."""

    name: str
    data: bytes
    ending: str
    is_body: bool
    path: FloatArray
    size: float

    @classmethod
    def of(cls, name: str, data: bytes, ending: str, skeleton: Skeleton, clip: Clip | None) -> _Tree:
        carrier = carrier_of(skeleton)
        path = skeleton.rest.positions[carrier][None] if clip is None else clip.world_by_joint().positions[carrier]
        return cls(name, data, ending, _is_body(skeleton), path, float(np.ptp(skeleton.rest.positions, axis=0).max()))


def _in_one_place(first: _Tree, second: _Tree) -> bool:
    """Whether two bodies are where one is, as the bones and the controls of one figure are."""
    distances = lengths(first.path - second.path) if len(first.path) == len(second.path) else np.array([np.inf])
    return bool(np.median(distances) < ONE_PLACE * max(first.size, second.size))


def read_split(
    parts: Sequence[SplitFile],
    options: ImportOptions = NOTHING,
    read: Callable[[bytes, str, ImportOptions], Document] = formats.read,
) -> SplitDocuments:
    """The files that :func:`split` made, read: all in the unit and with the up axis of the first body.
    read: what reads them.

    Raises :class:`BadInput` where one cannot be read.
    """
    performers: dict[str, Document] = {}
    things: dict[str, Document] = {}
    for part in parts:
        document = read(part.data, part.file, options)
        if part.is_body and not performers:
            frame = document.skeleton.file_frame
            options = replace(options, unit=frame.unit, height=None, up=frame.up)
        (performers if part.is_body else things)[part.name] = document
    return SplitDocuments(performers, things)


def _bvh_trees(data: bytes, file: str) -> list[_Tree]:
    original = bvh.parse(data, file)
    roots = [number for number, joint in enumerate(original.joints) if joint.parent < 0]
    if len(roots) < 2:
        return []
    starts = original.columns
    groups = [range(first, last) for first, last in zip(roots, [*roots[1:], len(original.joints)], strict=True)]
    prefixes = _prefixes([[original.joints[number].name for number in group] for group in groups])
    out: list[_Tree] = []
    for group, prefix in zip(groups, prefixes, strict=True):
        joints = tuple(
            replace(
                joint, name=joint.name[len(prefix) :], parent=joint.parent - group.start if joint.parent >= 0 else -1
            )
            for joint in original.joints[group.start : group.stop]
        )
        columns = [starts[number] + k for number in group for k in range(len(original.joints[number].channels))]
        if not columns:
            continue
        part = bvh.BvhFile(joints, original.frame_time, original.motion[:, columns])
        raw = bvh.to_clip(part, "tree")
        name = _called(prefix) or (joints[0].name if len(joints) == 1 else "")
        out.append(_Tree.of(name, bvh.serialise(part), "bvh", raw.skeleton, raw))
    return out


def _gltf_trees(data: bytes, file: str, kind: str | None, files: Mapping[str, bytes]) -> list[_Tree]:
    if kind == "dae":
        data, _ = collada.to_glb(data, file, files)
    elif kind == "usd":
        data, _ = usd.to_glb(data, file)
    held = gltf.parse(data, file, files)
    rig = gltf.rig(held)
    skeleton = rig.skeleton
    tops = _tops(skeleton)
    if len(tops) < 2:
        return []
    groups = [skeleton.subtree(top) for top in tops]
    above = _names_above(held, [rig.nodes[top] for top in tops])
    prefixes = [""] * len(groups) if above else _prefixes([[skeleton.names[n] for n in group] for group in groups])
    out: list[_Tree] = []
    for number, (group, prefix) in enumerate(zip(groups, prefixes, strict=True)):
        clips = [_of_joints(clip, group, prefix) for clip in rig.clips]
        tree = clips[0].skeleton if clips else _sub_skeleton(skeleton, group, prefix)
        name = above[number] if above else _called(prefix) or (tree.names[0] if len(group) == 1 else "")
        out.append(_Tree.of(name, gltf.skeleton_only(tree, clips), "glb", tree, clips[0] if clips else None))
    return out


def _names_above(held: gltf.GltfFile, nodes: Sequence[int]) -> list[str]:
    """What the topmost nodes are called that each carry one of these alone, where all have one with a name of its own;
    else nothing."""
    parents, rows = tree_of(held).parents, held.rows("nodes")
    above = [_ancestors(parents, node) for node in nodes]
    shared = set.intersection(*map(set, above))
    own = [[ancestor for ancestor in row if ancestor not in shared] for row in above]
    names = [str(rows[row[-1]].get("name", "")) if row else "" for row in own]
    return names if all(names) and len(set(names)) == len(names) else []


def _ancestors(parents: IntArray, node: int) -> list[int]:
    """The nodes above one, nearest first."""
    out = []
    while parents[node] >= 0:
        node = int(parents[node])
        out.append(node)
    return out


def may_hold_several(skeleton: Skeleton) -> bool:
    """Whether it is worth a look if a skeleton is several bodies: a quick answer, which is yes for all that are."""
    large = [joint for joint in _branches(skeleton) if len(skeleton.subtree(joint)) >= FEWEST_JOINTS]
    return len(large) > 1


def _branches(skeleton: Skeleton) -> list[int]:
    """The roots; or where there is one, what hangs from it, or from the first joint below it that several hang from."""
    tops = [int(joint) for joint in np.flatnonzero(skeleton.parents < 0)]
    while len(tops) == 1:
        tops = list(skeleton.children[tops[0]])
    return tops


def _tops(skeleton: Skeleton) -> list[int]:
    """The topmost joints of the trees: the roots, or what hangs from a joint that carries several bodies."""
    roots = [int(joint) for joint in np.flatnonzero(skeleton.parents < 0)]
    if len(roots) > 1:
        return roots
    below = _branches(skeleton) if may_hold_several(skeleton) else []
    bodies = [joint for joint in below if _is_body(_sub_skeleton(skeleton, skeleton.subtree(joint), ""))]
    return below if len(bodies) > 1 else roots


def _sub_skeleton(skeleton: Skeleton, joints: Sequence[int], prefix: str) -> Skeleton:
    place = {joint: number for number, joint in enumerate(joints)}
    top = joints[0]
    translation, turns = skeleton.rest_translation[list(joints)].copy(), skeleton.rest_rotation[list(joints)].copy()
    translation[0], turns[0] = skeleton.rest.positions[top], skeleton.rest.rotations[top]
    ends = [number for number, joint in enumerate(skeleton.end_parents) if int(joint) in place]
    return Skeleton(
        unique_names(skeleton.names[joint][len(prefix) :] for joint in joints),
        np.array([place.get(int(skeleton.parents[joint]), -1) for joint in joints]),
        translation,
        turns,
        np.array([place[int(skeleton.end_parents[number])] for number in ends], np.int64),
        skeleton.end_offsets[ends],
    )


def _of_joints(clip: Clip, joints: Sequence[int], prefix: str) -> Clip:
    """The motion of a subtree, in the world."""
    world, tree = clip.world(), _sub_skeleton(clip.skeleton, joints, prefix)
    rotations, translations = clip.rotations[:, list(joints)].copy(), clip.all_translations()[:, list(joints)]
    rotations[:, 0], translations[:, 0] = world.rotations[:, joints[0]], world.positions[:, joints[0]]
    moving = np.arange(len(joints))
    return Clip(clip.name, tree, clip.fps, rotations, moving, translations.copy())


def _is_body(skeleton: Skeleton) -> bool:
    """Whether a tree, in whatever unit, has the parts of a body."""
    return len(skeleton) >= FEWEST_PARTS and len(pairing.assign(skeleton)) >= FEWEST_PARTS


def _prefixes(trees: Sequence[Sequence[str]]) -> list[str]:
    """What stands before all the names of each tree, and tells it from the others: "giver:" of "giver:Hips"."""
    found = [_prefix(names) if len(names) > 1 else "" for names in trees]
    several = [prefix for prefix, names in zip(found, trees, strict=True) if len(names) >= FEWEST_PARTS]
    return found if all(several) and len(set(several)) == len(several) else [""] * len(trees)


def _prefix(names: Sequence[str]) -> str:
    first = names[0]
    best = ""
    for end, letter in enumerate(first, 1):
        if letter in SEPARATORS and end < len(first) and all(name.startswith(first[:end]) for name in names):
            best = first[:end]
    return best if all(len(name) > len(best) for name in names) else ""


def _called(prefix: str) -> str:
    return prefix.strip(SEPARATORS)


@dataclass(frozen=True, eq=False)
class SideBySide:
    """Clips that were recorded together. name: what their names have in common. members: number of each, and the
    performer's name."""

    name: str
    members: tuple[tuple[int, str], ...]


@dataclass(frozen=True, eq=False)
class GroundPath:
    """What tells of a clip that it was recorded beside another: name, frames, frames a second, and where its body is
    over the ground, ``(P, 2)`` in metres, at times evenly spread over it."""

    name: str
    frames: int
    fps: float
    places: FloatArray


def ground_path(clip: Clip, most: int = 48) -> GroundPath:
    """Of a clip, at so many times at most."""
    at = np.unique(np.round(np.linspace(0, clip.frames - 1, min(most, clip.frames))).astype(int))
    places = clip.world_by_joint().positions[carrier_of(clip.skeleton)][at]
    return GroundPath(clip.name, clip.frames, clip.fps, np.ascontiguousarray(places[:, [0, 2]]))


def side_by_side(clips: Sequence[Clip]) -> tuple[SideBySide, ...]:
    """Clips that were recorded together; see :func:`beside`."""
    return beside([ground_path(clip) for clip in clips])


def beside(paths: Sequence[GroundPath]) -> tuple[SideBySide, ...]:
    """What was recorded together: of the same length, frame rate and name but for the performer's, by bodies that keep
    apart from each other throughout, as those of two takes that both begin at the origin do not."""
    words = [_words(path.name) for path in paths]
    groups: dict[tuple[tuple[str, ...], tuple[str, ...]], set[int]] = {}
    for first, second in combinations(range(len(paths)), 2):
        a, b = paths[first], paths[second]
        if a.frames != b.frames or abs(a.fps - b.fps) > 1e-3:
            continue
        start, end = _common(words[first], words[second])
        if not _differ_in_one_place(words[first], words[second]):
            continue
        if len(a.places) == len(b.places) and lengths(a.places - b.places).min() >= BESIDE:
            groups.setdefault((start, end), set()).update((first, second))
    out, taken = [], set[int]()
    for (start, end), members in sorted(groups.items(), key=lambda row: (-len(row[1]), min(row[1]))):
        free = sorted(members - taken)
        if len(free) < 2:
            continue
        taken.update(free)
        own = [" ".join(words[number][len(start) : len(words[number]) - len(end)]) for number in free]
        common = " ".join((*start, *end))
        names = unique_names(name or common for name in own)
        out.append(SideBySide(common, tuple(zip(free, names, strict=True))))
    return tuple(out)


def named_alike(first: str, second: str) -> bool:
    """Whether two names are the same but for one stretch of words, as those of performers of one take are."""
    return _differ_in_one_place(_words(first), _words(second))


def _words(name: str) -> list[str]:
    return re.findall(r"[^\W_]+", name)


def _differ_in_one_place(a: Sequence[str], b: Sequence[str]) -> bool:
    start, end = _common(a, b)
    return bool(start or end) and not len(start) + len(end) == len(a) == len(b)


def _common(a: Sequence[str], b: Sequence[str]) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """The words with which both begin, and those with which both end."""
    most = min(len(a), len(b))
    start = next((n for n in range(most) if a[n] != b[n]), most)
    end = next((n for n in range(most - start) if a[-1 - n] != b[-1 - n]), most - start)
    return tuple(a[:start]), tuple(a[len(a) - end :]) if end else ()
