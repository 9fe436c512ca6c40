"""``armuto rig``: bones and weights for a mesh that has none."""

from __future__ import annotations

import argparse
import json
from pathlib import Path

import numpy as np

from armuto import formats
from armuto.choices import UNITS
from armuto.cli.files import content_of, print_json, write
from armuto.errors import BadInput
from armuto.formats import archive
from armuto.rigging import landmarks
from armuto.rigging.components import components_of
from armuto.rigging.definition import RigDefinition
from armuto.rigging.pipeline import Rig, propose_landmarks, rig
from armuto.rigging.reading import KINDS, BareMesh, read_mesh
from armuto.rigging.skeleton import SkeletonOptions

NAMING = (".obj", ".gltf", ".dae")  # formats that name files beside them
MESHES = (*KINDS, "glb", "gltf", "dae", "usd", "usda", "usdc", "usdz")


def rig_file(options: argparse.Namespace) -> int:
    mesh = _read(options)
    if options.propose:
        found = landmarks.to_json(propose_landmarks(mesh))
        if options.output is None:
            print_json(found)
            return 0
        write(options.output, (json.dumps(found, ensure_ascii=False, indent=1) + "\n").encode())
        print(f"{options.output}: {len(found['landmarks'])} landmarks")
        return 0
    if options.output is None or options.output.suffix.lower() != ".glb":
        raise BadInput("Name the .glb that is to be written with -o, or ask for --propose.")
    if options.landmarks is None:
        own = propose_landmarks(mesh)
    else:
        own = landmarks.read(content_of(options.landmarks).decode(errors="replace"), str(options.landmarks))
    counts = SkeletonOptions(options.spine, options.neck, options.twists, not options.no_toes)
    made = rig(mesh, RigDefinition(own, counts))
    write(options.output, made.glb())
    if options.json:
        print_json(_told(options.output, made))
        return 0
    doubtful = made.landmarks.doubtful
    print(f"{options.output}: {len(made.skeleton)} joints, {len(mesh.points):,} points, {len(made.rigid)} rigid pieces")
    if doubtful:
        print(f"Look at these landmarks, which the shape does not show clearly: {', '.join(doubtful)}.")
    return 0


def _read(options: argparse.Namespace) -> BareMesh:
    path: Path = options.mesh
    unit = UNITS[options.unit] if options.unit else None
    data = content_of(path)
    if not formats.is_archive(data, str(path)):
        return read_mesh(data, str(path), _beside(path, data), unit, options.up)
    held = archive.unpack(data, str(path), archive.LARGEST)
    meshes = [name for name in held if name.rpartition(".")[2].lower() in MESHES]
    if len(meshes) != 1:
        raise BadInput(f"{path}: it holds {len(meshes)} files with a mesh; pack one, with what it needs.")
    folder = meshes[0].rpartition("/")[0]
    beside = {name.removeprefix(f"{folder}/") if folder else name: content for name, content in held.items()}
    return read_mesh(held[meshes[0]], f"{path}/{meshes[0]}", beside, unit, options.up)


def _beside(path: Path, data: bytes) -> dict[str, bytes]:
    """What lies in the folder of a file and is named in it, or in a list of materials that is."""
    out: dict[str, bytes] = {}
    if path.suffix.lower() not in NAMING:
        return out
    text = data
    for suffixes in ((".mtl", ".bin"), (".png", ".jpg", ".jpeg")):
        for other in sorted(path.parent.iterdir()):
            if other.suffix.lower() in suffixes and other.name.encode() in text and other.is_file():
                out[other.name] = content_of(other)
        text += b"".join(content for name, content in out.items() if name.endswith(".mtl"))
    return out


def _told(output: Path, made: Rig) -> dict[str, object]:
    pieces = components_of(made.mesh.points, made.mesh.faces)
    return {
        "output": str(output),
        "joints": list(made.skeleton.names),
        "points": len(made.mesh.points),
        "pieces": int(pieces.max()) + 1,
        "rigid": {str(piece): made.skeleton.names[joint] for piece, joint in made.rigid.items()},
        "bones_at_most": int(np.count_nonzero(made.weights, axis=1).max()),
        "evidence": list(made.mesh.frame.evidence),
        **landmarks.to_json(made.landmarks),
    }
