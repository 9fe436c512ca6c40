"""What is asked of characters: motion as their own nodes take it."""

from armuto.formats import gltf
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from studio.cast.models import Character


def node_motion(clip: Clip, character: Character) -> tuple[FloatArray, FloatArray]:
    """Local rotations ``(F, J, 4)`` and translations ``(F, J, 3)`` of the character's own glTF nodes."""
    document = character.document()
    assert document.rig is not None
    return gltf.node_motion(clip, document.rig)
