"""``armuto rig``: bones and weights for a mesh that has none."""

from __future__ import annotations

import argparse
import json
from dataclasses import replace
from pathlib import Path

import numpy as np

from armuto import formats
from armuto.choices import UNITS
from armuto.cli.files import content_of, print_json, write
from armuto.errors import BadInput
from armuto.formats import archive
from armuto.pairing import patterns
from armuto.rigging import definition, landmarks
from armuto.rigging.components import components_of
from armuto.rigging.fingers import with_fingers
from armuto.rigging.landmarks import Landmarks
from armuto.rigging.naming import BoneNaming
from armuto.rigging.pipeline import Rig, propose_landmarks, rig
from armuto.rigging.reading import KINDS, BareMesh, read_mesh

NAMING = (".obj", ".gltf", ".dae")  # formats that name files beside them
MESHES = (*KINDS, "glb", "gltf", "dae", "usd", "usda", "usdc", "usdz")


def rig_file(options: argparse.Namespace) -> int:
    mesh = _read(options)
    if options.propose:
        found = landmarks.to_json(_with_fingers(mesh, propose_landmarks(mesh, plan=options.body), options.fingers))
        if options.output is None:
            print_json(found)
            return 0
        write(options.output, (json.dumps(found, ensure_ascii=False, indent=1) + "\n").encode())
        print(f"{options.output}: {len(found['landmarks'])} landmarks")
        return 0
    if options.output is None or options.output.suffix.lower() != ".glb":
        raise BadInput("Name the .glb that is to be written with -o, or ask for --propose.")
    if options.landmarks is None:
        proposed = definition.proposed_definition(propose_landmarks(mesh, plan=options.body))
    else:
        proposed = definition.read(content_of(options.landmarks).decode(errors="replace"), str(options.landmarks))
        if proposed.unit or proposed.up:
            mesh = _read(options, proposed.unit, proposed.up)
    counts = {name: getattr(options, name) for name in ("spine", "neck", "tail", "twists")}
    own = replace(proposed.options, **{name: count for name, count in counts.items() if count is not None})
    own = replace(own, toes=own.toes and not options.no_toes)
    found_landmarks = _with_fingers(mesh, proposed.landmarks, options.fingers)
    naming = _naming(options.names, found_landmarks.plan) if options.names else proposed.naming
    made = rig(mesh, replace(proposed, landmarks=found_landmarks, options=own, naming=naming))
    write(options.output, made.glb())
    if options.json:
        print_json(_told(options.output, made))
        return 0
    doubtful = made.landmarks.doubtful
    print(f"{options.output}: {len(made.skeleton)} joints, {len(mesh.points):,} points, {len(made.rigid)} rigid pieces")
    if doubtful:
        print(f"Look at these landmarks, which the shape does not show clearly: {', '.join(doubtful)}.")
    return 0


def _with_fingers(mesh: BareMesh, found: Landmarks, count: int | None) -> Landmarks:
    """With so many fingers of each hand, or as they are where nothing is said."""
    try:
        return found if count is None else with_fingers(found, mesh.points, mesh.faces, count)
    except BadInput as problem:
        raise BadInput(f"{mesh.held.file}: {problem}") from None


def _naming(name: str, plan: str) -> BoneNaming:
    """The names of a pattern that ships, or of a file of one."""
    shipped = {pattern.name.casefold(): pattern for pattern in patterns.shipped()}
    pattern = shipped.get(name.casefold())
    if pattern is None:
        if not Path(name).is_file():
            listed = ", ".join(sorted(row.name for row in shipped.values() if row.plan == plan))
            raise BadInput(f"{name}: there is no such file or pattern; of this kind of body there are {listed}.")
        pattern = patterns.from_json(content_of(Path(name)), name)
    if pattern.plan != plan:
        raise BadInput(f"{pattern.name}: it names bones of a {pattern.plan} body, and this one is {plan}.")
    return BoneNaming(pattern.name, pattern.parts)


def _read(options: argparse.Namespace, unit: float | None = None, up: str | None = None) -> BareMesh:
    """The mesh, in the unit and with the axis that are asked for, else those that are given."""
    path: Path = options.mesh
    unit = UNITS[options.unit] if options.unit else unit
    up = options.up or up
    data = content_of(path)
    if not formats.is_archive(data, str(path)):
        return read_mesh(data, str(path), _beside(path, data), unit, up)
    held = archive.unpack(data, str(path), archive.LARGEST)
    meshes = [name for name in held if name.rpartition(".")[2].lower() in MESHES]
    if len(meshes) != 1:
        raise BadInput(f"{path}: it holds {len(meshes)} files with a mesh; pack one, with what it needs.")
    folder = meshes[0].rpartition("/")[0]
    beside = {name.removeprefix(f"{folder}/") if folder else name: content for name, content in held.items()}
    return read_mesh(held[meshes[0]], f"{path}/{meshes[0]}", beside, unit, up)


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
        "joints": list(made.names.values()),
        "points": len(made.mesh.points),
        "pieces": int(pieces.max()) + 1,
        "rigid": {str(piece): made.skeleton.names[joint] for piece, joint in made.rigid.items()},
        "bones_at_most": int(np.count_nonzero(made.weights, axis=1).max()),
        "evidence": list(made.mesh.frame.evidence),
        **landmarks.to_json(made.landmarks),
    }
