"""What was detected in a file, in the form the interface shows it: each thing with its evidence."""

from typing import Any

from armuto.body.orientation import facing_angle
from armuto.body.plans import plan_of
from armuto.choices import unit_name
from armuto.formats import Document


def detected(document: Document) -> dict[str, Any]:
    """Unit, up and facing with the evidence for each, the body plan, and what else a person should know of the file."""
    frame, skeleton = document.skeleton.file_frame, document.skeleton
    angle, why = facing_angle(skeleton, document.parts)
    up, unit = frame.evidence[0], frame.evidence[1]
    return {
        "format": document.format,
        "unit": unit_name(frame.unit),
        "up": frame.up,
        "turned": frame.turned,
        "facing": angle,
        "height": document.height,
        "joints": len(skeleton),
        "plan": plan_of(document.parts).name if document.parts else "",
        "parts": len(document.parts),
        "evidence": {"up": up, "unit": unit, "facing": why}
        | ({"rest": frame.evidence[-1]} if skeleton.file_rest is not None else {}),
        "notes": list(document.notes),
    }
