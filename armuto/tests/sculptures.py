"""Figures of the museum without their bones: what a sculptor would send, with the truth beside it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import NDArray

from armuto import formats
from armuto.formats import Document
from armuto.formats.gltf.building import Body, Node, Parts, Surface, build
from armuto.formats.gltf.simplification import simplified
from armuto.formats.gltf.skin import skin_of
from armuto.formats.gltf.taking_apart import parts_of
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.pose import world_pose
from armuto.kinematics.skeleton import Skeleton
from armuto.rigging.definition import RigDefinition
from armuto.rigging.landmarks import Landmarks
from armuto.rigging.pipeline import Rig, propose_landmarks, rig
from armuto.rigging.reading import BareMesh, read_mesh
from armuto.tests.files import DEMO

TWO_LEGGED = ("bellringer", "keeper", "porter", "striker")


@dataclass(frozen=True, eq=False)
class Sculpture:
    """A figure as it was: points ``(P, 3)`` in metres, faces ``(T, 3)``, weights ``(P, J)``."""

    document: Document
    points: FloatArray
    faces: NDArray[np.int64]
    weights: FloatArray

    @property
    def height(self) -> float:
        return float(np.ptp(self.points[:, 1]))

    def place(self, part: str) -> FloatArray:
        """Where the first joint of a part lies at rest."""
        return self.document.skeleton.rest.positions[self.document.parts[part][0].joint]


@cache
def figure(name: str) -> Sculpture:
    path = DEMO / f"{name}.glb"
    document = formats.read(path.read_bytes(), path.name)
    points, weights = skin_of(document.original, document.rig, document.skeleton.file_frame)
    faces, count = [], 0
    for body in parts_of(document.original).bodies:
        for surface in body.surfaces:
            if body.skin is not None and surface.weights is not None:
                faces.append(surface.faces + count)
                count += len(surface.points)
    weights = weights / np.maximum(weights.sum(axis=1, keepdims=True), 1e-9)
    return Sculpture(document, points, np.concatenate(faces), weights)


@cache
def bare(name: str, turned: float = 0.0) -> bytes:
    """A figure's .glb without bones, on a node that is turned by so many degrees and stands beside the origin."""
    row = figure(name)
    parts = parts_of(row.document.original)
    bodies, count = [], 0
    for body in parts.bodies:
        surfaces = []
        for surface in body.surfaces:
            if body.skin is None or surface.weights is None:
                continue
            points = row.points[count : count + len(surface.points)]
            surfaces.append(Surface(points, surface.faces, surface.material, surface.normals, surface.uv))
            count += len(points)
        if surfaces:
            bodies.append(Body(body.name, 0, surfaces))
    node = Node("sculpture", -1, np.array([0.4, 0.0, -0.2]), rotation.about([0, 1.0, 0], np.radians(turned)))
    return build(Parts([node], bodies, [], parts.materials, parts.images, []))


@cache
def coarse(name: str) -> bytes:
    """The same of a ninth of the triangles, where it does not matter how fine it is."""
    return simplified(bare(name), f"{name}.glb", 8_000)


@cache
def coarse_mesh(name: str) -> BareMesh:
    """The same of a ninth of the triangles, as it is read."""
    return read_mesh(coarse(name), f"{name}.glb")


@cache
def bare_mesh(name: str) -> BareMesh:
    """A figure's mesh without bones, as it is read."""
    return read_mesh(bare(name), f"{name}.glb")


@cache
def proposed(name: str) -> Landmarks:
    """The landmarks that a figure's shape proposes."""
    return propose_landmarks(bare_mesh(name))


@cache
def rigged(name: str) -> Rig:
    """A figure with the bones that its shape proposes."""
    return rig(bare_mesh(name), RigDefinition(proposed(name)))


def poses(row: Sculpture, count: int, seed: int = 3) -> FloatArray:
    """Local rotations ``(N, J, 4)`` of a figure bent at random: limbs by up to 70°, trunk and head less."""
    most = {"upper arm": 50, "lower arm": 70, "upper leg": 50, "lower leg": 70, "hand": 30, "foot": 25, "head": 25}
    skeleton, rng = row.document.skeleton, np.random.default_rng(seed)
    amount = np.full(len(skeleton), np.radians(12.0))
    for part, bones in row.document.parts.items():
        for kind, degrees in most.items():
            if part.endswith(kind):
                amount[[bone.joint for bone in bones]] = np.radians(degrees)
    axes = rng.normal(size=(count, len(skeleton), 3))
    axes /= np.linalg.norm(axes, axis=2, keepdims=True)
    turns = rotation.from_vector(axes * (amount * rng.uniform(0.3, 1, (count, len(skeleton))))[..., None])
    return rotation.multiply(skeleton.rest_rotation, turns)


def bent(skeleton: Skeleton, local: FloatArray, points: FloatArray, weights: FloatArray) -> FloatArray:
    """Points ``(N, P, 3)`` as poses ``(N, J, 4)`` have them (linear blend skinning)."""
    rest = skeleton.rest
    posed = world_pose(skeleton, local, np.broadcast_to(skeleton.rest_translation, (*local.shape[:2], 3)).copy())
    out = []
    for places, turns in zip(posed.positions, posed.rotations, strict=True):
        turned = rotation.multiply(turns, rotation.inverse(rest.rotations))
        matrices = np.stack([rotation.rotate(turned, axis) for axis in np.eye(3)], axis=2)
        shifts = places - np.einsum("jab,jb->ja", matrices, rest.positions)
        blended = (weights @ matrices.reshape(len(skeleton), 9)).reshape(-1, 3, 3)
        out.append(np.einsum("pab,pb->pa", blended, points) + weights @ shifts)
    return np.array(out)
