"""Computing what a character does: the same core function for the preview, the rendition and the delivered file."""

from armuto import formats
from armuto.formats import gltf
from armuto.rotation import FloatArray
from armuto.skeleton import Clip
from armuto.transfer import transfer
from studio.cast.models import Character
from studio.fittings.keeping import value_of
from studio.fittings.models import Fitting, Rendition
from studio.library import arrays
from studio.library import models as library


def perform(row: Fitting, clip: library.Clip) -> Clip:
    """The clip transferred through the fitting's present state."""
    return transfer(clip.value(), value_of(row))


def for_the_stage(clip: Clip, character: Character) -> tuple[FloatArray, FloatArray]:
    """Local rotations ``(F, J, 4)`` and translations ``(F, J, 3)`` of the character's own glTF nodes."""
    document = character.document()
    assert document.rig is not None
    return gltf.node_motion(clip, document.rig)


def stored(rendition: Rendition) -> Clip:
    """The motion of a finished rendition."""
    motion = rendition.motion
    skeleton = rendition.character.skeleton.value()
    return arrays.clip_value(rendition.clip.name, skeleton, motion.fps, motion.frames, motion)


def file_of(rendition: Rendition, kind: str) -> bytes:
    """The rendition as a file: the character's own .glb with the motion, or its skeleton's motion as .bvh."""
    return formats.write([stored(rendition)], rendition.character.document(), kind)
