"""Computing what a character does: the same core function for the preview, the rendition and the delivered file."""

from functools import lru_cache

from armuto import formats
from armuto.fitting import Fitting
from armuto.formats import gltf
from armuto.rotation import FloatArray
from armuto.skeleton import Clip
from armuto.transfer import transfer
from studio.cast.models import Character
from studio.fittings.models import Rendition
from studio.library import arrays
from studio.library import models as library


def perform(fitting: Fitting, clip: library.Clip, first: int | None = None, last: int | None = None) -> Clip:
    """The clip, or its frames first to last, transferred through a fitting."""
    value = _clip(clip.pk, clip.revision, clip.first, clip.last)
    if first is not None or last is not None:
        stop = value.frames - 1
        start = min(max(first or 0, 0), stop)
        value = value.cut(start, min(max(stop if last is None else last, start), stop))
    return transfer(value, fitting)


@lru_cache(maxsize=6)
def _clip(pk: int, revision: int, first: int, last: int) -> Clip:
    """Motion is large; what somebody works with is kept, whatever pair they change."""
    return library.Clip.objects.select_related("skeleton", "motion").get(pk=pk).value()


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
