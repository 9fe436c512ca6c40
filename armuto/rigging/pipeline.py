"""A bare mesh from file to character: landmarks, skeleton, weights, in one call each and all together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from armuto import formats
from armuto.errors import BadInput
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.progress import Report, unreported
from armuto.rigging.arranging import arranged
from armuto.rigging.components import components_of, rigid_joints, with_rigid
from armuto.rigging.corrections import corrected
from armuto.rigging.definition import RigDefinition, proposed_definition
from armuto.rigging.landmarks import Landmarks
from armuto.rigging.measures import BindingProblem, problems_of
from armuto.rigging.proposing import propose
from armuto.rigging.reading import KINDS, BareMesh
from armuto.rigging.skeleton import skeleton_from
from armuto.rigging.solid import Solid, solid_of
from armuto.rigging.weights import Bone, bones_of, geodesic_weights, heaviest
from armuto.rigging.writing import rigged_glb


@dataclass(frozen=True, eq=False)
class Rig:
    """A mesh with bones. weights ``(P, J)``; rigid: the joint that each piece follows which follows one as it is; kept
    ``(T,)``: triangles that are not left out; softness ``(P,)``: 0 to 1, of points that bend as cloth does."""

    mesh: BareMesh
    definition: RigDefinition
    skeleton: Skeleton
    weights: FloatArray
    rigid: dict[int, int]
    kept: BoolArray
    softness: FloatArray

    @property
    def landmarks(self) -> Landmarks:
        return self.definition.landmarks

    @property
    def names(self) -> dict[str, str]:
        """What bones are called in the file, by their own names."""
        return names_in_file(self.definition, self.skeleton)

    def glb(self) -> bytes:
        """The character's file."""
        named = replace(self.skeleton, names=tuple(self.names.values()))
        return rigged_glb(self.mesh, named, self.weights, self.kept)

    def problems(self, report: Report = unreported) -> list[BindingProblem]:
        mesh, cloth = self.mesh, self.softness > 0
        return problems_of(
            mesh.points, mesh.faces[self.kept], self.weights, self.skeleton, self.landmarks, cloth, report
        )


def names_in_file(definition: RigDefinition, skeleton: Skeleton) -> dict[str, str]:
    """What the bones of a definition's skeleton are called in the file that is written, by their own names."""
    return definition.naming.names_of(skeleton.names) if definition.naming else {name: name for name in skeleton.names}


def only_mesh(file: str) -> bool:
    """Whether a file is of a format that holds meshes and nothing else."""
    return file.rpartition(".")[2].lower() in KINDS


def may_be_bare(data: bytes, file: str) -> bool:
    """Whether a file may be a mesh without bones: nothing but a mesh, or of a format that holds figures too."""
    return only_mesh(file) or formats.kind_of(data, file) in ("glb", "gltf", "dae", "usd")


def solid_of_mesh(mesh: BareMesh, kept: BoolArray | None = None) -> Solid:
    """The body of a mesh. kept ``(T,)``: the triangles it is made of.

    Raises :class:`BadInput` where it has bones already, is flat, or is as good as a point.
    """
    if mesh.skinned:
        raise BadInput(f"{mesh.held.file}: it has bones already; bring it in as a character.")
    faces = mesh.faces if kept is None else mesh.faces[kept]
    size = np.ptp(mesh.points[np.unique(faces)], axis=0)
    if size.min() < 0.005 * size.max():
        raise BadInput(f"{mesh.held.file}: it is flat, and bones need a body; export the figure itself.")
    return solid_of(mesh.points, faces)


def note_on(made: Rig) -> str:
    """A sentence about bones that were made, and the landmarks that the shape does not show clearly."""
    note = f"It had no bones: {len(made.skeleton)} were made from its shape."
    if doubtful := made.landmarks.doubtful:
        # Both sides in one: what is seen of the one is seen of the other.
        names = list(dict.fromkeys(name.removeprefix("left ").removeprefix("right ") for name in doubtful))
        listed = ", ".join(names[:-1]) + (" and " if len(names) > 1 else "") + names[-1]
        note += f" It does not show clearly where {listed} lie: look how it moves there."
    return note


def propose_landmarks(mesh: BareMesh, solid: Solid | None = None, plan: str | None = None) -> Landmarks:
    """Landmarks from the shape. plan: what kind of body it is, where that is said. Raises :class:`BadInput`."""
    solid = solid or solid_of_mesh(mesh)
    try:
        return propose(solid, plan)
    except BadInput as problem:
        raise BadInput(f"{mesh.held.file}: {problem}") from None


def rig(mesh: BareMesh, definition: RigDefinition | None = None, report: Report = unreported) -> Rig:
    """Bones and weights for a mesh as it came. definition: what is proposed, where nothing is said. Raises
    :class:`BadInput`."""
    if definition is not None:
        mesh = arranged(mesh, definition.moves)
    components = mesh.components
    kept = np.ones(len(mesh.faces), bool)
    if definition is not None and definition.omitted:
        kept = ~np.isin(components[mesh.faces[:, 0]], list(definition.omitted))
        if not kept.any():
            raise BadInput(f"{mesh.held.file}: all of its pieces are left out; keep one.")
    report(0.0, "Filling the body")
    solid = solid_of_mesh(mesh, kept)
    definition = definition or proposed_definition(propose_landmarks(mesh, solid))
    definition.check_near(
        mesh.points[mesh.faces].min(axis=(0, 1)), mesh.points[mesh.faces].max(axis=(0, 1)), mesh.held.file
    )
    skeleton = skeleton_from(definition.landmarks, definition.options)
    # What carries the whole figure moves no part of it.
    moving = range(1 if definition.options.root else 0, len(skeleton))
    follows = {
        piece: None if bone is None else skeleton.index[bone]
        for piece, bone in definition.follows.items()
        if bone is None or bone in skeleton.index
    }
    bones = bones_of(skeleton, moving)
    softness = np.zeros(len(mesh.points))
    for piece, value in definition.softness.items():
        follows.setdefault(piece, None)
        softness[components == piece] = value
    report(0.2, "Measuring how far it is to the bones within the body")
    weights, rigid = bind(mesh.points, mesh.faces[kept], solid, bones, len(skeleton), components, follows, softness)
    plane = definition.landmarks.plane
    report(0.9, "Correcting weights as was said by hand")
    weights = corrected(weights, mesh.points, mesh.faces[kept], skeleton, definition.corrections, plane)
    return Rig(mesh, definition, skeleton, heaviest(weights), rigid, kept, softness)


def bind(
    points: FloatArray,
    faces: NDArray[np.int64],
    solid: Solid,
    bones: Sequence[Bone],
    joints: int,
    components: NDArray[np.int64] | None = None,
    follows: Mapping[int, int | None] = MappingProxyType({}),
    softness: FloatArray | None = None,
) -> tuple[FloatArray, dict[int, int]]:
    """Weights ``(P, J)`` of points ``(P, 3)`` for bones, and the joint that each piece follows which follows one as it
    is.

    components ``(P,)``: the pieces, where they are known. follows: the joint that a person lets a piece follow, or None
    for one that is to bend. softness ``(P,)``: as :func:`armuto.rigging.weights.geodesic_weights` has it.
    """
    weights = geodesic_weights(points, faces, solid, bones, joints, softness)
    components = components_of(points, faces) if components is None else components
    chosen = {**rigid_joints(components, weights), **follows}
    rigid = {piece: joint for piece, joint in chosen.items() if joint is not None}
    return with_rigid(weights, components, rigid), rigid
