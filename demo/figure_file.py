"""A figure as a .glb: skeleton, skinned meshes, materials, in the unit and axes of the workshop that made it."""

from collections.abc import Callable

import numpy as np

from armuto.formats.gltf.building import Body, Material, Node, Parts, Skin, Surface, build
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from demo.solids import Mesh


def figure_glb(
    name: str,
    body: Skeleton,
    garments: list[tuple[str, str, Mesh, FloatArray]],
    materials: dict,
    called: Callable[[str], str] = str,
    workshop: tuple[float, FloatArray] | None = None,
) -> bytes:
    """garments: name, material, mesh, weights ``(N, J)``. materials: colour, metal, roughness by name.

    called: what the figure's maker calls each joint. workshop: the unit in metres and the turn to +Y up of a node above
    the skeleton, below which the skeleton is in that unit and those axes.
    """
    used = [key for key in materials if any(row[1] == key for row in garments)]
    unit, turn = workshop or (1.0, rotation.IDENTITY)
    translation, local = body.rest_translation / unit, body.rest_rotation.copy()
    translation[0] = rotation.rotate(rotation.inverse(turn), translation[0])
    local[0] = rotation.multiply(rotation.inverse(turn), local[0])
    above = [Node("workshop", -1, np.zeros(3), turn, np.full(3, unit))] if workshop else []
    rows = zip(body.names, body.parents, translation.round(7), local, strict=True)
    nodes = [Node(called(n), int(parent) + len(above), t, q) for n, parent, t, q in rows]
    rest = body.rest
    binds = np.tile(np.eye(4), (len(body), 1, 1))
    binds[:, :3, :3] = rotation.to_matrix(rotation.inverse(rest.rotations)) / unit
    binds[:, :3, 3] = -np.einsum("jab,jb->ja", binds[:, :3, :3], rest.positions)
    surfaces = [
        Surface(shape.points, shape.faces, used.index(material), shape.normals, weights=weight)
        for _, material, shape, weight in garments
    ]
    return build(
        Parts(
            [*above, *nodes],
            [Body(f"{name} body", 0, surfaces, 0)],
            [Skin(range(len(above), len(above) + len(body)), binds)],
            [Material(key, (*materials[key][0], 1.0), *materials[key][1:]) for key in used],
        ),
        "Tidewater Clock Museum, demo/make.py",
    )
