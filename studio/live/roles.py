"""How a character performs what comes from a stage: by its fitting with the library's skeleton, where the stage's is
one of these, and else by one that is proposed for the moment."""

import struct
from dataclasses import dataclass

from armuto.errors import BadInput
from armuto.formats.gltf import GltfRig
from armuto.live.decoding import ChannelDecoder
from armuto.live.stream import StreamFrame
from armuto.retarget import fitting as core
from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.fittings.services.steps import fitting_for, of_character, value_of
from studio.library import arrays
from studio.library.models import Skeleton

NOT_KNOWN = "The library does not know this skeleton: paired by names and shape for now. Record a take to keep it."
POSE_HEAD = struct.Struct("<IId")  # character, number, seconds


@dataclass
class CastRole:
    """A character at work, and what it is made of. skeleton: what the library calls the one it performs. fitting: the
    row by which it does, None where it is proposed for the moment; state: of which step. frame: that was performed
    last; came: how many had come by then; skipped: how many of these were not performed."""

    character: int
    name: str
    digest: str
    value: core.Fitting
    rig: GltfRig
    skeleton: str = ""
    fitting: int | None = None
    state: int | None = None
    note: str = ""
    frame: StreamFrame | None = None
    came: int = 0
    skipped: int = 0

    def take(self, frame: StreamFrame, came: int) -> None:
        """Go on to a frame, so many having come by now."""
        if self.frame is not None:
            self.skipped += max(0, came - self.came - 1)
        self.frame, self.came = frame, came

    def message(self, values: bytes, captured: float) -> bytes:
        """The frame as the page gets it: character, number and when it was captured, in seconds since 1970 by the
        studio's clock; then what its nodes do, as :meth:`~armuto.live.process.PerformingProcess.perform` has it."""
        assert self.frame is not None
        return POSE_HEAD.pack(self.character, self.frame.number, captured) + values


def library_skeleton(decoder: ChannelDecoder) -> Skeleton | None:
    """The library's skeleton that is the stage's."""
    return Skeleton.objects.filter(identity=arrays.identity(decoder.skeleton)).first()


def cast_role(character_id: int, decoder: ChannelDecoder) -> CastRole:
    """Raises :class:`BadInput` where the character cannot perform this."""
    character = Character.objects.select_related("skeleton", "original").filter(pk=character_id, retired=False).first()
    if character is None:
        raise BadInput("This character is not in the cast any more.")
    rig = character.document().rig
    assert rig is not None
    skeleton = library_skeleton(decoder)
    if skeleton is not None:
        row = fitting_for(skeleton, character)
        value = value_of(row)
        return CastRole(character_id, character.name, character.digest, value, rig, skeleton.name, row.pk, row.state_id)
    try:
        value = core.fit(decoder.skeleton, character.figure(), decoder.parts)
    except core.NothingToPair:
        raise BadInput(f"{character.name}: no bone of it could be paired with one of this performer.") from None
    value = of_character(value, character)
    return CastRole(character_id, character.name, character.digest, value, rig, note=NOT_KNOWN)


def is_out_of_date(role: CastRole, decoder: ChannelDecoder) -> bool:
    """Whether the role's fitting or character has changed since, or the library has come to know its skeleton."""
    present = Character.objects.filter(pk=role.character).values_list("digest", "retired").first()
    if present != (role.digest, False):
        return True
    if role.fitting is None:
        return library_skeleton(decoder) is not None
    return not Fitting.objects.filter(pk=role.fitting, state=role.state).exists()
