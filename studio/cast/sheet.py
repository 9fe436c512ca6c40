"""What a character's file holds, in the words of its sheet."""

from typing import Any

from armuto.body.plans import plan_of
from armuto.formats import Document, gltf
from armuto.intake.roles import roles
from studio.library.evidence import detected


def facts_of(document: Document) -> dict[str, Any]:
    """Everything the sheet says: size, facing, skeleton, skin, materials, textures, and whether bind and rest agree."""
    skeleton = document.skeleton
    plan = plan_of(document.parts)
    tree = document.original.json if isinstance(document.original, gltf.GltfFile) else {}
    weighted = document.rig.weighted if document.rig else frozenset()
    apart = gltf.disagreement(document.original) if isinstance(document.original, gltf.GltfFile) else (0.0, 0.0)
    return detected(document) | {
        "roots": int((skeleton.parents < 0).sum()),
        "skins": len(tree.get("skins", [])),
        "weighted": len(weighted),
        "missing": [part for part in plan.required if part not in document.parts] if document.parts else [],
        "roles": [
            {"bone": skeleton.names[joint], "role": role, "reason": reason}
            for joint, (role, reason) in roles(skeleton, document.parts, weighted).items()
        ],
        "materials": [_material(row) for row in tree.get("materials", []) if isinstance(row, dict)],
        "apart": apart[0] * skeleton.file_frame.unit,
        "apart_degrees": apart[1],
        "clips": len(document.clips),
        "bounds": None if document.bounds is None else document.bounds.tolist(),
    }


def _material(row: dict[str, Any]) -> dict[str, Any]:
    """Name, colour in linear light and whether it has a texture."""
    surface = row.get("pbrMetallicRoughness")
    surface = surface if isinstance(surface, dict) else {}
    colour = surface.get("baseColorFactor", [1, 1, 1, 1])
    return {
        "name": str(row.get("name") or "material"),
        "colour": [float(v) for v in colour[:3]] if isinstance(colour, list) and len(colour) >= 3 else [1.0, 1.0, 1.0],
        "texture": "baseColorTexture" in surface,
    }
