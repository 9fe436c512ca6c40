"""Many decimal numbers from text at once."""

from __future__ import annotations

import re

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.lazy import lazily

decimals = lazily("armuto.formats.decimals")
WORD = re.compile(rb"\S+")
SHARE = 5  # one of so many words may be left to Python before there has to be room for all of them


def numbers(text: bytes) -> FloatArray:
    """All numbers of a text of words between spaces and ends of lines, as Python's ``float`` reads each: exact to the
    last digit. Raises ValueError where a word is no decimal number, as "nan" and "inf" are none."""
    read = np.frombuffer(text, np.uint8)
    values = np.empty(decimals.count_words(read))
    for room in (len(values) // SHARE + 8, len(values)):
        left = np.empty(room, np.int64)
        count = decimals.read_words(read, values, left)
        if count >= 0:
            break
        if count == -1:
            raise ValueError("a word is no number")
    if count:
        words = (WORD.match(text, begin) for begin in left[:count].tolist())
        values[np.isnan(values)] = [float(word[0]) for word in words if word]
    return values
