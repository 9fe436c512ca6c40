"""A figure as a .glb: skeleton, skinned meshes, materials."""

import numpy as np

from armuto import rotation
from armuto.formats.gltf.building import Body, Material, Node, Parts, Skin, Surface, build
from armuto.rotation import FloatArray
from armuto.skeleton import Skeleton
from demo.solids import Mesh


def figure_glb(name: str, body: Skeleton, garments: list[tuple[str, str, Mesh, FloatArray]], materials: dict) -> bytes:
    """garments: name, material, mesh, weights ``(N, J)``. materials: colour, metal, roughness by name."""
    used = [key for key in materials if any(row[1] == key for row in garments)]
    rest = body.rest
    binds = np.tile(np.eye(4), (len(body), 1, 1))
    binds[:, :3, :3] = rotation.to_matrix(rotation.inverse(rest.rotations))
    binds[:, :3, 3] = -np.einsum("jab,jb->ja", binds[:, :3, :3], rest.positions)
    surfaces = [
        Surface(shape.points, shape.faces, used.index(material), shape.normals, weights=weight)
        for _, material, shape, weight in garments
    ]
    rows = zip(body.names, body.parents, body.rest_translation.round(7), body.rest_rotation, strict=True)
    return build(
        Parts(
            [Node(n, int(parent), t, q) for n, parent, t, q in rows],
            [Body(f"{name} body", 0, surfaces, 0)],
            [Skin(range(len(body)), binds)],
            [Material(key, (*materials[key][0], 1.0), *materials[key][1:]) for key in used],
        ),
        "Tidewater Clock Museum, demo/make.py",
    )
