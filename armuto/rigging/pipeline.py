"""A bare mesh from file to character: landmarks, skeleton, weights, in one call each and all together."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from armuto import formats
from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.rigging.components import components_of, rigid_joints, with_rigid
from armuto.rigging.landmarks import Landmarks
from armuto.rigging.proposing import propose
from armuto.rigging.reading import KINDS, BareMesh, read_mesh
from armuto.rigging.skeleton import SkeletonOptions, skeleton_from
from armuto.rigging.solid import Solid, solid_of
from armuto.rigging.weights import Bone, bones_of, geodesic_weights
from armuto.rigging.writing import rigged_glb


@dataclass(frozen=True, eq=False)
class Rig:
    """A mesh with bones. weights ``(P, J)``; rigid: the joint that each piece follows which follows one as it is."""

    mesh: BareMesh
    landmarks: Landmarks
    skeleton: Skeleton
    weights: FloatArray
    rigid: dict[int, int]

    def glb(self) -> bytes:
        """The character's file."""
        return rigged_glb(self.mesh, self.skeleton, self.weights)


@dataclass(frozen=True)
class RiggedFile:
    """A file whose mesh was given bones, as .glb, and a sentence about them."""

    glb: bytes
    note: str


def only_mesh(file: str) -> bool:
    """Whether a file is of a format that holds meshes and nothing else."""
    return file.rpartition(".")[2].lower() in KINDS


def may_be_bare(data: bytes, file: str) -> bool:
    """Whether a file may be a mesh without bones: nothing but a mesh, or of a format that holds figures too."""
    return only_mesh(file) or formats.kind_of(data, file) in ("glb", "gltf", "dae", "usd")


def rig_file(data: bytes, file: str) -> RiggedFile:
    """A file without bones with such as its shape proposes. Raises :class:`BadInput`."""
    made = rig(read_mesh(data, file))
    note = f"It had no bones: {len(made.skeleton)} were made from its shape."
    if doubtful := made.landmarks.doubtful:
        # Both sides in one: what is seen of the one is seen of the other.
        names = list(dict.fromkeys(name.removeprefix("left ").removeprefix("right ") for name in doubtful))
        listed = ", ".join(names[:-1]) + (" and " if len(names) > 1 else "") + names[-1]
        note += f" It does not show clearly where {listed} lie: look how it moves there."
    return RiggedFile(made.glb(), note)


def solid_of_mesh(mesh: BareMesh) -> Solid:
    """The body of a mesh. Raises :class:`BadInput` where it has bones already, is flat, or is as good as a point."""
    if mesh.skinned:
        raise BadInput(f"{mesh.held.file}: it has bones already; bring it in as a character.")
    size = np.ptp(mesh.points[np.unique(mesh.faces)], axis=0)
    if size.min() < 0.005 * size.max():
        raise BadInput(f"{mesh.held.file}: it is flat, and bones need a body; export the figure itself.")
    return solid_of(mesh.points, mesh.faces)


def propose_landmarks(mesh: BareMesh, solid: Solid | None = None) -> Landmarks:
    """Landmarks from the shape. Raises :class:`BadInput`."""
    solid = solid or solid_of_mesh(mesh)
    try:
        return propose(solid)
    except BadInput as problem:
        raise BadInput(f"{mesh.held.file}: {problem}") from None


def rig(
    mesh: BareMesh,
    landmarks: Landmarks | None = None,
    options: SkeletonOptions | None = None,
    reached: Callable[[float], None] = lambda _: None,
) -> Rig:
    """Bones and weights for a mesh. landmarks: proposed where none are said. reached: told the share that is done, and
    may raise to stop. Raises :class:`BadInput`."""
    solid = solid_of_mesh(mesh)
    reached(0.1)
    landmarks = landmarks or propose_landmarks(mesh, solid)
    skeleton = skeleton_from(landmarks, options)
    reached(0.3)
    # What carries the whole figure moves no part of it.
    rooted = options is None or options.root
    moving = range(1 if rooted else 0, len(skeleton))
    weights, rigid = bind(mesh.points, mesh.faces, solid, bones_of(skeleton, moving), len(skeleton))
    reached(0.9)
    return Rig(mesh, landmarks, skeleton, weights, rigid)


def bind(
    points: FloatArray, faces: NDArray[np.int64], solid: Solid, bones: Sequence[Bone], joints: int
) -> tuple[FloatArray, dict[int, int]]:
    """Weights ``(P, J)`` of points ``(P, 3)`` for bones, and the joint that each piece follows which follows one as it
    is."""
    weights = geodesic_weights(points, faces, solid, bones, joints)
    components = components_of(points, faces)
    rigid = rigid_joints(components, weights)
    return with_rigid(weights, components, rigid), rigid
