"""Taking a file in: all of it or nothing."""

from django.db import transaction

from armuto import formats
from armuto.errors import BadInput
from studio.cast.keeping import keep_character
from studio.library.keeping import keep_clips, keep_original, keep_skeleton

PLACES = ("auto", "library", "cast")


def take_in(data: bytes, name: str, goes_to: str = "auto") -> tuple[list[int], list[int]]:
    """Read a file and keep what it holds, in one transaction. Returns ids of clips and of characters.

    Left to itself, a file with a mesh bound to bones goes to the cast and any other to the library. Raises
    :class:`BadInput` and leaves nothing behind when the file cannot be used.
    """
    document = formats.read(data, name)
    with transaction.atomic():
        if goes_to == "cast" or (goes_to == "auto" and document.skinned):
            return [], [keep_character(document, data).pk]
        if not document.clips:
            raise BadInput(
                f"{name}: there is no motion in it; export it with at least one animation, or drop it in the Cast."
            )
        stem = name.rsplit(".", 1)[0].replace("_", " ")
        skeleton = keep_skeleton(document, f"skeleton of {stem}")
        original = keep_original(data, name, document.format)
        present = list(original.clips.values_list("pk", flat=True))
        if present:  # the very same file again: nothing new to keep
            return present, []
        return [clip.pk for clip in keep_clips(document, original, skeleton)], []
