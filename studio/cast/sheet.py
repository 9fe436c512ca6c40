"""What a character's file holds, in the words of its sheet."""

from armuto import intake
from armuto.formats import Document, gltf
from armuto.plans import plan_of
from armuto.roles import roles


def facts_of(document: Document) -> dict:
    """Everything the sheet says: size, facing, skeleton, skin, materials, textures, and whether bind and rest agree."""
    frame, skeleton = document.skeleton.file_frame, document.skeleton
    angle, why = intake.facing(skeleton, document.parts)
    plan = plan_of(document.parts)
    tree = document.original.json if isinstance(document.original, gltf.GltfFile) else {}
    weighted = document.rig.weighted if document.rig else frozenset()
    apart = gltf.disagreement(document.original) if isinstance(document.original, gltf.GltfFile) else (0.0, 0.0)
    evidence = list(frame.evidence)
    return {
        "format": document.format,
        "unit": next(name for name, metres in intake.UNITS.items() if metres == frame.unit),
        "up": frame.up,
        "turned": frame.turned,
        "facing": angle,
        "height": document.height,
        "joints": len(skeleton),
        "roots": int((skeleton.parents < 0).sum()),
        "skins": len(tree.get("skins", [])),
        "weighted": len(weighted),
        "plan": plan.name if document.parts else "",
        "parts": len(document.parts),
        "missing": [part for part in plan.required if part not in document.parts] if document.parts else [],
        "roles": [
            {"bone": skeleton.names[joint], "role": role, "reason": reason}
            for joint, (role, reason) in roles(skeleton, document.parts, weighted).items()
        ],
        "materials": [_material(row, tree) for row in tree.get("materials", []) if isinstance(row, dict)],
        "apart": apart[0] * frame.unit,
        "apart_degrees": apart[1],
        "clips": len(document.clips),
        "bounds": None if document.bounds is None else document.bounds.tolist(),
        "evidence": {"up": evidence[0], "unit": evidence[1], "facing": why},
        "notes": list(document.notes),
    }


def _material(row: dict, tree: dict) -> dict:
    """Name, colour in linear light and whether it has a texture."""
    surface = row.get("pbrMetallicRoughness")
    surface = surface if isinstance(surface, dict) else {}
    colour = surface.get("baseColorFactor", [1, 1, 1, 1])
    return {
        "name": str(row.get("name") or "material"),
        "colour": [float(v) for v in colour[:3]] if isinstance(colour, list) and len(colour) >= 3 else [1.0, 1.0, 1.0],
        "texture": "baseColorTexture" in surface,
    }
