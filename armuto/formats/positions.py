"""CSV of joint positions: a row for each frame, for whoever reads numbers."""

from __future__ import annotations

import csv
import io

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip


def write(clip: Clip, unit: float, turn: FloatArray, first: int = 0) -> bytes:
    """World positions of all joints as UTF-8 text: frame, seconds, then "joint x", "joint y" and "joint z".

    unit: metres per unit of the file. turn: quaternion from the file's axes to ours. first: the number of the first
    frame. Numbers have as many decimals as a hundredth of a millimetre asks for.
    """
    places = rotation.rotate(rotation.inverse(turn), clip.world().positions) / unit
    digits = int(np.clip(np.ceil(np.log10(unit / 1e-5)), 0, 9))
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(["frame", "seconds", *(f"{name} {axis}" for name in clip.skeleton.names for axis in "xyz")])
    for frame, row in enumerate(places.reshape(clip.frames, -1)):
        seconds = (first + frame) / clip.fps
        rows.writerow([first + frame, f"{seconds:.6f}", *(f"{value:.{digits}f}" for value in row.tolist())])
    return out.getvalue().encode()
