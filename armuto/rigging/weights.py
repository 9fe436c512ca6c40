"""Weights of a mesh for the bones of a skeleton, by how far each point is from them within the body.

Distances are measured through the solid (:mod:`.solid`) and not through the air, so that an arm that hangs beside the
trunk, or a chin above the chest, does not take along what is near it and not joined to it. Of every voxel the nearest
few bones are kept (Dijkstra's algorithm from all bones at once), and of these each point takes the more, the nearer.

References
----------
Dionne and de Lasa, *Geodesic voxel binding for production character meshes*, SCA 2013.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.lazy import lazily
from armuto.rigging.components import welded
from armuto.rigging.solid import Solid

sparse = lazily("scipy.sparse")
spatial = lazily("scipy.spatial")
kernels = lazily("armuto.rigging.kernels")

KEPT = 6  # nearest bones of a voxel among which weights are shared out
DETOUR = 1.1  # times the straight way, up to which a way through voxels counts as straight
FARTHEST = 2.5  # times as far as the nearest bone: farther ones take no part
SOFTNESS = 0.4  # of a bone's thickness, over which its share falls to a third
FORKED = 0.6  # of the way to each child, where the bones of a joint end that has several
TAKEN = 0.6  # share of a bone's thickness that its distances are lessened by
MOST_SOFT = 0.015  # of the longest side: no softer than that
LEAST = 0.5  # voxels: no softer than that
ROUNDS = 4  # in which it is found how thick bodies are
SMOOTH = 16  # rounds in which weights are evened out along the surface
SOFTER = 5.0  # times as gradual, and one, is what is quite soft
SMOOTH_CLOTH = 160  # more rounds of what is quite soft
MOST = 4  # bones that a point follows, as glTF has it


@dataclass(frozen=True)
class Bone:
    """A straight stretch that a joint moves, from its own place to where it ends, in metres."""

    joint: int
    start: FloatArray
    end: FloatArray


def bones_of(skeleton: Skeleton, moving: Sequence[int] | None = None) -> list[Bone]:
    """A bone from each joint to each of its children and end sites; one that has neither goes on as it came.

    moving: the joints that may carry weights, all where nothing is said. Where a joint forks, as the hips to the legs,
    its bones end at :data:`FORKED` of the way, since what is there is moved by what begins there.
    """
    at = skeleton.rest.positions
    ends: dict[int, list[FloatArray]] = {}
    for parent, end in zip(skeleton.end_parents, skeleton.rest.ends, strict=True):
        ends.setdefault(int(parent), []).append(end)
    out = []
    for joint in range(len(skeleton)) if moving is None else moving:
        children = skeleton.children[joint]
        share = FORKED if len(children) > 1 else 1.0
        targets = [at[joint] + share * (at[child] - at[joint]) for child in children] + ends.get(joint, [])
        if not targets:
            parent = int(skeleton.parents[joint])
            along = at[joint] - at[parent] if parent >= 0 else np.zeros(3)
            targets = [at[joint] + 0.7 * along]
        out += [Bone(joint, at[joint], np.asarray(target)) for target in targets]
    return out


def along_bones(bones: Sequence[Bone], pitch: float) -> tuple[FloatArray, NDArray[np.int64]]:
    """Points along bones at no more than half a voxel's distance ``(S, 3)``, and the number of the bone of each."""
    points, owners = [], []
    for number, bone in enumerate(bones):
        count = max(2, int(np.linalg.norm(bone.end - bone.start) / pitch * 2) + 1)
        share = np.linspace(0, 1, count)[:, None]
        points.append(bone.start + share * (bone.end - bone.start))
        owners.append(np.full(count, number))
    return np.concatenate(points), np.concatenate(owners)


def bone_distances(solid: Solid, bones: Sequence[Bone]) -> tuple[NDArray[np.int64], FloatArray]:
    """The nearest joints of each voxel and how far their bones are within the body, both ``(N, K)``; -1 and infinity
    where there are fewer."""
    points, owners = along_bones(bones, solid.pitch)
    cells = solid.cell_of(points)
    off = np.linalg.norm(solid.centres[cells] - points, axis=1)
    joints = np.array([bone.joint for bone in bones])
    # A bone that leaves the body still moves what is nearest to it, from as far as it is away.
    offsets = np.where(off > solid.pitch, off, 0.0)
    seeds = np.ascontiguousarray(np.stack([cells, joints[owners]], axis=1), np.int64)
    found, far = kernels.empty(len(solid.cells), KEPT)
    kernels.nearest_sources(solid.neighbours, solid.strides, seeds, np.ascontiguousarray(offsets), FARTHEST, found, far)
    alone = found[:, 0] < 0
    if alone.any():
        # A piece that touches nothing, and in which no bone lies, goes along with what is nearest to it.
        others = np.flatnonzero(~alone)
        gap, nearest = spatial.cKDTree(solid.centres[others]).query(solid.centres[alone])
        found[alone], far[alone] = found[others[nearest]], far[others[nearest]] + gap[:, None]
    return found, far


def geodesic_weights(
    points: FloatArray,
    faces: NDArray[np.int64],
    solid: Solid,
    bones: Sequence[Bone],
    joints: int,
    softness: FloatArray | None = None,
) -> FloatArray:
    """Weights ``(P, J)`` that sum to one, of no more than :data:`MOST` joints each.

    points ``(P, 3)`` in metres, faces ``(T, 3)``; joints: how many the skeleton has. softness ``(P,)``: 0 to 1, how
    much more gradually than bodies points go over from one bone to the next, as cloth does.
    """
    found, far = bone_distances(solid, bones)
    cells = solid.cell_of(points)
    found, through = found[cells], far[cells]
    # Steps from voxel to voxel are up to 8 % longer than the straight way: where that is all by which they differ from
    # the distance through the air, the bone is in sight, and the latter counts.
    straight = np.full(found.shape, np.inf)
    for bone in bones:
        rows, columns = np.nonzero(found == bone.joint)
        direct = distance_to_segment(points[rows], bone.start, bone.end)
        straight[rows, columns] = np.minimum(straight[rows, columns], direct)
    distances = np.where(found >= 0, np.maximum(straight, through / DETOUR), np.inf)
    thick = thickness(found, distances, joints, inscribed(solid, bones, joints))
    beyond = np.where(found >= 0, distances - TAKEN * thick[np.maximum(found, 0)], np.inf)
    nearest = beyond.argmin(axis=1)
    owner = found[np.arange(len(points)), nearest]
    most = MOST_SOFT * float(np.ptp(solid.centres, axis=0).max())
    falloff = np.clip(SOFTNESS * thick[owner], min(LEAST * solid.pitch, most), most)
    if softness is not None:
        falloff = falloff * (1 + SOFTER * softness)
    share = np.exp(-(beyond - beyond.min(axis=1, keepdims=True)) / falloff[:, None])
    out = np.zeros((len(points), joints))
    for k in range(found.shape[1]):
        rows = np.flatnonzero(found[:, k] >= 0)
        out[rows, found[rows, k]] += share[rows, k]
    out /= np.maximum(out.sum(axis=1, keepdims=True), 1e-12)
    out = smoothed(points, faces, out, SMOOTH)
    for value in np.unique(softness[softness > 0]) if softness is not None else ():
        rows = softness == value
        own = faces[rows[faces].all(axis=1)]
        out[rows] = smoothed(points, own, out, round(float(value) * SMOOTH_CLOTH))[rows]
    return heaviest(out)


def inscribed(solid: Solid, bones: Sequence[Bone], joints: int) -> FloatArray:
    """The largest depth of the body along each joint's bones ``(J,)``."""
    points, owners = along_bones(bones, solid.pitch)
    depth = solid.depth[solid.cell_of(points)]
    out = np.zeros(joints)
    np.maximum.at(out, np.array([bone.joint for bone in bones])[owners], depth)
    return out


def thickness(found: NDArray[np.int64], distances: FloatArray, joints: int, most: FloatArray) -> FloatArray:
    """How far the surface is from each joint's bones ``(J,)``: the median of the points that are its own, which
    depends on how thick the others are, and is found in a few rounds; no more than ``most (J,)``."""
    out = np.zeros(joints)
    for _ in range(ROUNDS):
        beyond = np.where(found >= 0, distances - TAKEN * out[np.maximum(found, 0)], np.inf)
        nearest = beyond.argmin(axis=1)
        rows = np.arange(len(found))
        owner, far = found[rows, nearest], distances[rows, nearest]
        order = np.argsort(owner, kind="stable")
        numbers, first = np.unique(owner[order], return_index=True)
        medians = np.zeros(joints)
        for number, values in zip(numbers, np.split(far[order], first[1:]), strict=True):
            medians[number] = min(float(np.median(values)), float(most[number]))
        out = 0.5 * out + 0.5 * medians if out.any() else 0.5 * medians
    return out


def distance_to_segment(points: FloatArray, start: FloatArray, end: FloatArray) -> FloatArray:
    """From points ``(P, 3)`` to a segment ``(P,)``, such as a bone."""
    along = end - start
    share = np.clip((points - start) @ along / max(float(along @ along), 1e-12), 0, 1)
    return np.asarray(np.linalg.norm(points - start - share[:, None] * along, axis=1))


def smoothed(points: FloatArray, faces: NDArray[np.int64], weights: FloatArray, rounds: int) -> FloatArray:
    """Weights evened out along the surface, half of each point's and half of its neighbours' mean at a time."""
    first, same = welded(points)
    edges = same[np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]])]
    link = sparse.coo_matrix((np.ones(len(edges)), (edges[:, 0], edges[:, 1])), (len(first), len(first)))
    link = ((link + link.T) > 0).astype(float)
    total = np.asarray(link.sum(axis=1)).ravel()
    mean = sparse.diags(1 / np.maximum(total, 1)) @ link
    alone = (total == 0)[:, None]
    out = weights[first]
    for _ in range(rounds):
        out = np.where(alone, out, 0.5 * out + 0.5 * (mean @ out))
    return np.asarray(out[same])


def heaviest(weights: FloatArray, most: int = MOST) -> FloatArray:
    """Only the heaviest few of each point, summing to one. The next heaviest is taken from all of them, so that a bone
    that comes among the heaviest, from one point to its neighbour, comes in from nothing."""
    if weights.shape[1] > most:
        next_heaviest = np.partition(weights, -most - 1, axis=1)[:, -most - 1, None]
        weights = np.where(weights > np.maximum(next_heaviest, 1e-4), weights - next_heaviest, 0.0)
    return np.asarray(weights / np.maximum(weights.sum(axis=1, keepdims=True), 1e-12))


def nearest_weights(points: FloatArray, bones: Sequence[Bone], joints: int) -> FloatArray:
    """Each point moved by the bone that is nearest through the air alone, with which others are compared."""
    best = np.full(len(points), np.inf)
    owner = np.zeros(len(points), np.int64)
    for bone in bones:
        far = distance_to_segment(points, bone.start, bone.end)
        nearer = far < best
        best[nearer], owner[nearer] = far[nearer], bone.joint
    out = np.zeros((len(points), joints))
    out[np.arange(len(points)), owner] = 1.0
    return out
