"""A stand-in for motion capture from a single camera: what such a capture makes of a clip that is clean.

Each fault by itself is a function from clip to clip, from a seed; :func:`capture` does all of them. What was clean is
the truth that a repair is measured against.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.signals import low_pass

SLOW = 0.3  # Hz: a drift goes to and fro no quicker


@dataclass(frozen=True)
class Faults:
    """noise: degrees for each joint, and centimetres for each translation, that are drawn anew in every frame. spikes:
    how many in a hundred frames of each joint. gaps: how many frames the longest of a few lasts. lean: degrees, towards
    some side. height: centimetres. drift: centimetres after ten seconds. swim: how far bones change their length, in
    percent."""

    noise: tuple[float, float] = (0.0, 0.0)
    spikes: float = 0.0
    gaps: int = 0
    lean: float = 0.0
    height: float = 0.0
    drift: float = 0.0
    swim: float = 0.0


def capture(clip: Clip, faults: Faults, seed: int) -> Clip:
    """The clip as a camera would have it that makes all of these faults."""
    rng = np.random.default_rng(seed)
    if any(faults.noise):
        clip = trembling(clip, *faults.noise, rng)
    if faults.swim:
        clip = swimming(clip, faults.swim, rng)
    if faults.gaps:
        clip, _ = losing(clip, faults.gaps, rng)
    if faults.spikes:
        clip, _ = spiking(clip, faults.spikes, rng)
    if faults.drift:
        clip = drifting(clip, faults.drift, rng)
    if faults.lean or faults.height:
        clip = leaning(clip, faults.lean, faults.height, rng)
    return clip


def trembling(clip: Clip, degrees: float, centimetres: float, rng: np.random.Generator) -> Clip:
    """Gaussian noise in every frame: a joint is turned, and a translation moved, by so much in the root of the mean
    square."""
    off = rng.normal(size=(*clip.rotations.shape[:2], 3)) * np.radians(degrees) / np.sqrt(3)
    away = rng.normal(size=clip.translations.shape) * centimetres / 100 / np.sqrt(3)
    turned = rotation.multiply(clip.rotations, rotation.from_vector(off))
    return replace(clip, rotations=turned, translations=clip.translations + away)


def spiking(clip: Clip, percent: float, rng: np.random.Generator) -> tuple[Clip, BoolArray]:
    """Single frames in which a joint is turned by 20 to 90 degrees. Returns which, ``(F, J)``: never the first or last
    three, nor two within six frames of a joint."""
    hit = np.zeros(clip.rotations.shape[:2], bool)
    wanted = max(1, round(percent / 100 * hit.size))
    for frame, joint in zip(
        rng.integers(3, clip.frames - 3, 4 * wanted), rng.integers(0, hit.shape[1], 4 * wanted), strict=True
    ):
        if hit.sum() < wanted and not hit[max(0, frame - 6) : frame + 7, joint].any():
            hit[frame, joint] = True
    axes = rng.normal(size=(*hit.shape, 3))
    axes /= np.linalg.norm(axes, axis=-1, keepdims=True)
    angle = np.radians(rng.uniform(20, 90, hit.shape)) * hit
    return replace(clip, rotations=rotation.multiply(clip.rotations, rotation.about_each(axes, angle))), hit


def losing(
    clip: Clip, longest: int, rng: np.random.Generator, joints: Sequence[int] | None = None
) -> tuple[Clip, IntArray]:
    """Some joints, of all or of these, that keep the value they had for 5 to so many frames. Returns the gaps as rows
    of joint, first and last frame."""
    rotations, rows = clip.rotations.copy(), []
    for joint in rng.permutation(len(clip.skeleton) if joints is None else joints)[:6]:
        length = int(rng.integers(5, longest + 1))
        if clip.frames > length + 12:
            first = int(rng.integers(6, clip.frames - length - 6))
            rotations[first : first + length, joint] = rotations[first - 1, joint]
            rows.append((int(joint), first, first + length - 1))
    return replace(clip, rotations=rotations), np.array(rows)


def drifting(clip: Clip, centimetres: float, rng: np.random.Generator) -> Clip:
    """A slow walk without an aim along the way the camera looks, so far in ten seconds; farther away a body seems
    smaller, and its way over the ground shorter."""
    towards = rng.uniform(0, 2 * np.pi)
    view = np.array([np.sin(towards), 0.0, np.cos(towards)])
    pause = round(5 * clip.fps)  # that the filter has settled
    walk = low_pass(np.cumsum(rng.normal(size=(clip.frames + 2 * pause, 1)), axis=0), SLOW, clip.fps)[pause:-pause, 0]
    walk *= centimetres / 100 * min(1.0, clip.seconds / 10) / max(np.ptp(walk), 1e-9)
    roots = np.flatnonzero(clip.skeleton.parents < 0)
    places = clip.all_translations()
    places[:, roots] += ((walk - walk[0])[:, None] * view)[:, None]
    moving = np.union1d(clip.moving, roots)
    return replace(clip, moving=moving, translations=places[:, moving])


def leaning(clip: Clip, degrees: float, centimetres: float, rng: np.random.Generator) -> Clip:
    """The world turned by so much about a level axis, and raised by so much."""
    heading = rng.uniform(0, 2 * np.pi)
    turn = rotation.about([np.cos(heading), 0.0, np.sin(heading)], np.radians(degrees))
    roots = np.flatnonzero(clip.skeleton.parents < 0)
    rotations, places = clip.rotations.copy(), clip.all_translations()
    rotations[:, roots] = rotation.multiply(turn, rotations[:, roots])
    places[:, roots] = rotation.rotate(turn, places[:, roots]) + [0.0, centimetres / 100, 0.0]
    moving = np.union1d(clip.moving, roots)
    return replace(clip, rotations=rotations, moving=moving, translations=places[:, moving])


def swimming(clip: Clip, percent: float, rng: np.random.Generator) -> Clip:
    """Every bone longer and shorter from frame to frame by up to so much."""
    bones = np.flatnonzero(clip.skeleton.parents >= 0)
    places = clip.all_translations()
    share = low_pass(rng.normal(size=(clip.frames, len(bones))), 5.0, clip.fps)
    share *= percent / 100 / np.maximum(np.abs(share).max(axis=0), 1e-12)
    places[:, bones] *= 1 + share[..., None]
    return replace(clip, moving=np.arange(len(clip.skeleton)), translations=places)
