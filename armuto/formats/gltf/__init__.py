"""glTF 2.0: ``container`` holds the file, ``accessors`` its arrays, ``reading`` and ``writing`` go to and from the
core."""

from armuto.formats.gltf.binding import at_bind, bound, disagreement
from armuto.formats.gltf.container import GltfFile, parse
from armuto.formats.gltf.merging import merged
from armuto.formats.gltf.reading import GltfRig, rig
from armuto.formats.gltf.taking_apart import parts_of
from armuto.formats.gltf.writing import node_motion, self_contained, skeleton_only, with_clips

__all__ = [
    "GltfFile",
    "GltfRig",
    "at_bind",
    "bound",
    "disagreement",
    "merged",
    "node_motion",
    "parse",
    "parts_of",
    "rig",
    "self_contained",
    "skeleton_only",
    "with_clips",
]
