"""Decimal numbers from text, exact to the last digit (compiled; :mod:`armuto.formats.numbers` is the way to it).

A decimal of at most 2⁵³ after its point is taken out, and with at most 22 digits behind it, is the quotient of two
floats that are exact, so that one division rounds it rightly (Clinger, *How to read floating point numbers accurately*,
PLDI 1990, his fast path). What is longer is left to Python's own reader.
"""

import numpy as np
from numba import njit, types

EXACT = 1 << 53
POWERS = np.array([10.0**power for power in range(23)])
_text = types.Array(types.uint8, 1, "C", readonly=True)


@njit(inline="always")
def _is_space(byte):
    return byte == 32 or 9 <= byte <= 13


@njit(types.int64(_text), cache=True)
def count_words(text):
    """How many words there are between spaces and ends of lines."""
    count, inside = 0, False
    for byte in text:
        space = _is_space(byte)
        count += inside and space
        inside = not space
    return count + inside


@njit(inline="always")
def _mantissa(text, at):
    """Digits from here on as a whole number, how many of them were read and how many of these stand behind a point, and
    the place after them. So many as make 1000 where it is longer than can be told exactly."""
    mantissa, digits, behind, point = 0, 0, 0, False
    while at < text.shape[0]:
        byte = text[at]
        if 48 <= byte <= 57:
            if mantissa < EXACT:
                mantissa = mantissa * 10 + (byte - 48)
                behind += point
            else:
                digits = 1000
            digits += 1
        elif byte == 46 and not point:
            point = True
        else:
            break
        at += 1
    return mantissa, digits, behind, at


@njit(inline="always")
def _exponent(text, at):
    """The exponent from here on, and the place after it; a negative place where there is none."""
    size, exponent = text.shape[0], 0
    below = at < size and text[at] == 45
    if at < size and (text[at] == 45 or text[at] == 43):
        at += 1
    if at >= size or not 48 <= text[at] <= 57:
        return 0, -1
    while at < size and 48 <= text[at] <= 57:
        exponent = min(exponent * 10 + (text[at] - 48), 100_000)
        at += 1
    return (-exponent if below else exponent), at


@njit(types.int64(_text, types.float64[::1], types.int64[::1]), cache=True)
def read_words(text, values, left):
    """Numbers into values. left: where the words begin that are left to somebody else, whose values are NaN.

    Returns how many these are; -1 where a word is no number, -2 where there is no room for more of them.
    """
    at, number, others, size = 0, 0, 0, text.shape[0]
    while True:
        while at < size and _is_space(text[at]):
            at += 1
        if at == size:
            return others
        begin, exponent = at, 0
        negative = text[at] == 45
        if negative or text[at] == 43:
            at += 1
        mantissa, digits, behind, at = _mantissa(text, at)
        if digits and at < size and (text[at] == 101 or text[at] == 69):
            exponent, at = _exponent(text, at + 1)
        if not digits or at < 0 or (at < size and not _is_space(text[at])):
            return -1
        power = exponent - behind
        if digits < 1000 and mantissa <= EXACT and -22 <= power <= 22:
            value = float(mantissa)
            value = value / POWERS[-power] if power < 0 else value * POWERS[power]
            values[number] = -value if negative else value
        elif others == left.shape[0]:
            return -2
        else:
            left[others] = begin
            others += 1
            values[number] = np.nan
        number += 1
