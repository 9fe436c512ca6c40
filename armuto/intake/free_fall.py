"""Free fall: what the unit is, by how the body's centre of mass falls while nothing holds it.

Between taking off and landing the centre of mass of a body falls at g = 9.81 m/s², whoever it is. Where a clip shows
that, in units of its own, the unit is 9.81 divided by what is measured.

*Centre of mass.* That of the segments, with the masses and centres of de Leva, "Adjustments to Zatsiorsky-Seluyanov's
segment inertia parameters", Journal of Biomechanics 29 (1996), table 4, the mean of women and men.

*Flights.* Stretches in which the lowest point of every limb is off the ground or quick, of which the longest is taken
over which the centre follows a parabola: ``c(t) = c0 + v t - g t²/2`` upwards and even motion over the ground, by least
squares. The ground pushes upwards before a flight and after it; what is not pushed has not flown.

*How sure.* The centre is known to about a hundredth of the body's height, and what is wrong with it changes over about
the time of a flight: T seconds of flight measure g to about ``0.003 h (pi / T)²``. A jump tells it to a few
hundredths, a stride of a run to a quarter; flights are weighed by that.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view

from armuto.body.parts import Assignment
from armuto.body.plans import SIDES
from armuto.kinematics.arrays import BoolArray, FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import runs, speed_of

GRAVITY = 9.81  # m/s²
# Of the whole mass, and where along the segment its centre lies: from part, to part.
_TRUNK = (0.430, 0.55)
_HEAD = (0.068, 0.5)
_LIMBS = {
    ("upper arm", "lower arm"): (0.0263, 0.576),
    ("lower arm", "hand"): (0.0150, 0.457),
    ("hand", ""): (0.0059, 0.0),
    ("upper leg", "lower leg"): (0.1447, 0.385),
    ("lower leg", "foot"): (0.0457, 0.441),
    ("foot", "toes"): (0.0133, 0.4),
}
OFF = 0.012  # of the height, that a limb has to be above the lowest place around to be off the ground
STILL = 0.25  # heights per second: what is slower and low may rest
AROUND = 0.6  # seconds in which the ground shows itself
SHORTEST = 0.09  # seconds of a flight
LONGEST = 1.2
FEWEST = 5  # frames of a flight
EDGES = 2.2  # frames, of those that are left
STRAY = 0.004  # of the height: root mean square distance from the parabola
NEAR = 0.1  # of the way that the centre falls below its tangent: the same
SAG = 0.008  # of the height: the least by which the centre has to fall below its tangent within a flight
ASIDE = 0.25  # of the fall: most that it may be pushed sideways meanwhile
PUSHED = 0.12  # seconds before and after a flight in which the ground pushes
PUSH = 0.3  # of the fall: the least push, upwards
RATE = 60.0  # frames a second that are looked at, or up to twice as many
MOST = 6000  # frames that are looked at, of all clips
BLUR = 0.003  # of the height, that the centre is wrong by from one flight's time to the next


@dataclass(frozen=True)
class Fall:
    """acceleration: downwards, in the skeleton's units per second squared. sure: its standard error. flights: in how
    many stretches that was measured."""

    acceleration: float
    sure: float
    flights: int

    @property
    def metres(self) -> float:
        """Metres by the unit."""
        return GRAVITY / self.acceleration

    @property
    def spread(self) -> float:
        """Standard error of the unit's natural logarithm."""
        return self.sure / self.acceleration


def centre_of_mass(positions: FloatArray, parts: Assignment) -> FloatArray | None:
    """Where the body's mass has its centre, ``(F, 3)``, by joint positions ``(F, J, 3)``; None for a body whose trunk,
    legs or arms are not all known."""
    at = {name: positions[:, bones[0].joint] for name, bones in parts.items() if bones}
    top = next((at[name] for name in ("neck", "head", "chest") if name in at), None)
    if "hips" not in at or top is None or not all(f"{side} {part}" in at for side in SIDES for part, _ in _LIMBS):
        return None
    # Hips are often drawn above the line between the legs; where the trunk hangs from is between these.
    seat = (at["left upper leg"] + at["right upper leg"]) / 2
    head = at.get("head", top)
    share, along = _TRUNK
    total = share * (seat + along * (top - seat)) + _HEAD[0] * (head + _HEAD[1] * (head - top))
    mass = share + _HEAD[0]
    for side in SIDES:
        for (part, onward), (share, along) in _LIMBS.items():
            start = at[f"{side} {part}"]
            end = at.get(f"{side} {onward}", start)
            total = total + share * (start + along * (end - start))
            mass += share
    return np.asarray(total / mass)


def free_fall(clips: Sequence[Clip], parts: Assignment, up: FloatArray, height: float) -> Fall | None:
    """How fast a body falls in clips on a skeleton in its file's own unit; None where it is never seen to fly.

    up: the direction ``(3,)``. height: of the standing body, in the same unit.
    """
    if height <= 0:
        return None
    found: list[tuple[float, float]] = []
    left = MOST
    for clip in clips:
        if clip.frames > FEWEST and left > FEWEST:
            found += _flights(clip.cut(0, min(clip.frames, left) - 1), parts, up, height)
            left -= clip.frames
    if not found:
        return None
    measured, errors = np.array(found).T
    weights = errors**-2
    mean = float((measured * weights).sum() / weights.sum())
    # As far as flights differ more than their errors say, the errors are larger.
    variance = float((weights * (measured - mean) ** 2).sum() / max(1, len(found) - 1))
    error = float(np.sqrt(max(1.0, variance) / weights.sum()))
    # What is wrong with the centre in every flight alike does not go away by their number.
    return Fall(mean, max(error, float(errors.min()) / 2), len(found)) if mean > 3 * error else None


def _flights(clip: Clip, parts: Assignment, up: FloatArray, height: float) -> Iterator[tuple[float, float]]:
    """The acceleration of every flight of a clip, and its error."""
    positions = clip.world().positions
    centre = centre_of_mass(positions, parts)
    if centre is None:
        return
    # A flight of some hundredths of a second shows itself at that rate, whatever that of the clip.
    every = max(1, int(clip.fps // RATE))
    positions, centre, fps = positions[::every], centre[::every], clip.fps / every
    if len(centre) <= FEWEST:
        return
    over = np.eye(3) - np.outer(up, up)
    for first, last in runs(~_may_rest(positions, parts, up, height, fps)):
        # Whether the ground still pushes tells the centre better than the feet: a little more is looked at.
        around = max(0, first - 1), min(len(centre) - 1, last + 1)
        found = _parabola(centre @ up, centre @ over, around, fps, height)
        if found:
            fall, frames = found
            blur = BLUR * height * (np.pi * fps / (frames - 1)) ** 2
            yield fall, float(np.hypot(blur, fall * (EDGES / frames) ** 2))


def _may_rest(positions: FloatArray, parts: Assignment, up: FloatArray, height: float, fps: float) -> BoolArray:
    """Frames in which some limb is low, for its time, and slow, ``(F,)``."""
    out = np.zeros(len(positions), bool)
    names = [f"{side} {part}" for side in SIDES for part in ("foot", "toes", "hand")]
    joints = {parts[name][0].joint for name in names if parts.get(name)}
    around = 2 * max(1, round(AROUND * fps)) + 1
    for joint in joints:
        path = positions[:, joint]
        level = path @ up
        low = level < _lowest_around(level, around) + OFF * height
        out |= low & (speed_of(path, fps) < STILL * height)
    return out


def _lowest_around(values: FloatArray, frames: int) -> FloatArray:
    """The lowest value of so many frames about each, ``(F,)``."""
    padded = np.pad(values, frames // 2, mode="edge")
    return np.asarray(sliding_window_view(padded, frames).min(axis=1))


def _parabola(
    level: FloatArray, ground: FloatArray, around: tuple[int, int], fps: float, height: float
) -> tuple[float, int] | None:
    """The acceleration of the longest free flight within a stretch, and how many frames it lasts."""
    first, last = around
    longest = min(last - first + 1, int(LONGEST * fps) + 1)
    for frames in range(longest, max(FEWEST, int(np.ceil(SHORTEST * fps)) + 1) - 1, -1):
        seconds = (frames - 1) / fps
        t = np.linspace(-seconds, seconds, frames) / 2
        # An orthogonal basis of parabolas: what is left of a stretch beside its parts along them is off its parabola.
        curved = t * t - np.mean(t * t)
        basis = np.stack([np.full(frames, frames**-0.5), t / np.sqrt(t @ t), curved / np.sqrt(curved @ curved)])
        rows = sliding_window_view(level[first : last + 1], frames)
        along = rows @ basis.T
        stray = np.sqrt(np.maximum(((rows - along @ basis) ** 2).mean(axis=1), 0.0))
        bent = 2 / np.sqrt(curved @ curved)
        fall = -bent * along[:, 2]
        sag = fall * seconds**2 / 8
        free = (stray < np.minimum(STRAY * height, NEAR * sag)) & (sag > SAG * height)
        if not free.any():
            continue
        aside = bent * (sliding_window_view(ground[first : last + 1], frames, axis=0) @ basis[2])
        free &= np.linalg.norm(aside, axis=1) < ASIDE * fall
        for start in np.flatnonzero(free)[np.argsort(stray[free])].tolist():
            if _pushed(level, first + start, first + start + frames - 1, fps, float(fall[start])):
                return _inside(level[first + start : first + start + frames], fps)
    return None


def _inside(level: FloatArray, fps: float) -> tuple[float, int]:
    """The acceleration of a flight, and by how many of its frames: without the first and the last, which may be half on
    the ground, where enough are left."""
    if len(level) >= FEWEST + 2:
        level = level[1:-1]
    fall = -2 * np.polynomial.polynomial.polyfit(np.arange(len(level)) / fps, level, 2)[2]
    return float(fall), len(level)


def _pushed(level: FloatArray, first: int, last: int, fps: float, fall: float) -> bool:
    """Whether the centre is pushed up before a flight, after it, or both, as far as these are seen."""
    reach = max(2, round(PUSHED * fps))
    before, after = level[max(0, first - reach) : first + 2], level[last - 1 : last + reach + 1]
    pushes = [float(np.diff(np.diff(part)).mean()) * fps**2 for part in (before, after) if len(part) > 3]
    return bool(pushes) and all(push > PUSH * fall for push in pushes)
