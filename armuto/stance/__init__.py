"""Stances: the postures at which two skeletons are taken to be in the same shape.

value: what a stance is. making: postures from rest, frames, T, A, a mirror or by hand. proposing: the best one to begin
with. shape: what a posture shows of directions, frames and bends. aligning: turning one body until it stands as another
does, and what remains. sizes: how large one body is against the other, and where its soles are.
"""

from armuto.stance.aligning import AlignmentResidual, align, remaining
from armuto.stance.value import Stance

__all__ = ["AlignmentResidual", "Stance", "align", "remaining"]
