"""Performing in a process of its own, so that what a server answers meanwhile is not held up by it."""

from __future__ import annotations

import logging
import multiprocessing
import threading
from collections.abc import Sequence
from dataclasses import dataclass, replace
from multiprocessing.connection import Connection
from typing import Any

import numpy as np

from armuto.formats import gltf
from armuto.formats.gltf import GltfRig
from armuto.isolation import Crashed
from armuto.kinematics.arrays import FloatArray
from armuto.live.decoding import ChannelDecoder
from armuto.live.performer import LivePerformer
from armuto.retarget.fitting import Fitting

logger = logging.getLogger(__name__)
PATIENCE = 20.0  # seconds for an answer
#: Forked from the server that also readers of files come from (:mod:`armuto.isolation`).
_context = multiprocessing.get_context("forkserver")


@dataclass(frozen=True)
class FrameToPerform:
    """key: of the role. values: a row of channels ``(C,)``. time: in seconds of the stream."""

    key: str
    values: FloatArray
    time: float


class PerformingProcess:
    """Performs roles, each a character and what it performs by a fitting. Its methods wait, and may be called from any
    thread; they raise :class:`~armuto.isolation.Crashed` where the process is gone, or does not answer."""

    def __init__(self) -> None:
        self.connection, other = _context.Pipe()
        self.process = _context.Process(target=_serve, args=(other,), daemon=True)
        self.process.start()
        other.close()
        self.lock = threading.Lock()

    def cast(self, key: str, decoder: ChannelDecoder, fitting: Fitting, rig: GltfRig) -> None:
        """Give a role, or give it anew: frames that the decoder reads are performed through the fitting, for the nodes
        of the rig."""
        self._ask("cast", key, decoder, fitting, rig)

    def perform(self, frames: Sequence[FrameToPerform]) -> list[bytes | None]:
        """For each frame the local rotations ``(J, 4)`` and translations ``(J, 3)`` of the rig's nodes as float32, or
        None where the role cannot perform it, or is not there."""
        return list(self._ask("perform", list(frames)))

    def close(self) -> None:
        self.connection.close()
        self.process.join(1)
        if self.process.is_alive():
            self.process.kill()

    def _ask(self, *question: Any) -> Any:
        with self.lock:
            try:
                self.connection.send(question)
                if not self.connection.poll(PATIENCE):
                    self.process.kill()
                    raise Crashed(f"no answer within {PATIENCE:.0f} s")
                return self.connection.recv()
            except (OSError, EOFError) as problem:
                raise Crashed("the process that performs ended") from problem


def _serve(connection: Connection) -> None:
    """Answer until the other end is closed, however its process ended."""
    roles: dict[str, tuple[ChannelDecoder, LivePerformer, GltfRig]] = {}
    while True:
        try:
            kind, *question = connection.recv()
        except (EOFError, OSError):
            return
        if kind == "cast":
            key, decoder, fitting, rig = question
            roles[key] = decoder, LivePerformer(fitting), rig
            connection.send(None)
        else:
            connection.send([_performed(roles, frame) for frame in question[0]])


def _performed(roles: dict[str, tuple[ChannelDecoder, LivePerformer, GltfRig]], frame: FrameToPerform) -> bytes | None:
    if frame.key not in roles:
        return None
    decoder, performer, rig = roles[frame.key]
    try:
        pose = replace(decoder.pose(frame.values[None]), skeleton=performer.fitting.source)
        rotations, translations = gltf.node_motion(performer.perform(pose, frame.time), rig)
    except (ArithmeticError, ValueError, LookupError, TypeError):
        logger.exception("A frame of role %s cannot be performed.", frame.key)
        del roles[frame.key]
        return None
    values = np.concatenate([rotations.ravel(), translations.ravel()])
    return values.astype("<f4").tobytes() if np.all(np.isfinite(values)) else None
