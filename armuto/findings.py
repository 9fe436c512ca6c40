"""Findings: measured problems of a rendition, each beside the same measure of its source.

Only what a person should look at is reported: a fault the source has in the same size is not the transfer's.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label

from armuto.fitting import Fitting
from armuto.leads import Lead
from armuto.rotation import FloatArray
from armuto.skeleton import Clip
from armuto.transfer import standing_heights

CONTACT_HEIGHT = 0.035  # of leg length, above the joint's own lowest height
CONTACT_SPEED = 0.35  # leg lengths per second
SHORTEST_CONTACT = 0.12  # seconds
SLIDE_SPEED = 3.0  # cm/s more than the source
SLIDE_LENGTH = 1.0  # cm more than the source
FLOOR_DEPTH = 1.5  # cm deeper than the source


@dataclass(frozen=True)
class Finding:
    """One measured problem: its kind, the part, the frames ``(first, last)``, its size and that of the source, in unit."""

    kind: str
    part: str
    frames: tuple[int, int]
    size: float
    source: float
    unit: str
    text: str


def contacts(positions: FloatArray, fps: float, leg: float) -> NDArray[np.bool_]:
    """Frames ``(F,)`` in which a foot joint at ``positions (F, 3)`` rests on the floor: low, slow and for long enough."""
    heights = positions[:, 1] - positions[:, 1].min()
    low = heights < CONTACT_HEIGHT * leg
    slow = speeds(positions, fps) < CONTACT_SPEED * leg
    runs, count = label(low & slow)
    lengths = np.bincount(runs, minlength=count + 1)
    return np.asarray((runs > 0) & (lengths[runs] >= SHORTEST_CONTACT * fps))


def speeds(positions: FloatArray, fps: float) -> FloatArray:
    """Speed over the ground ``(F,)`` in m/s, by central differences."""
    if len(positions) < 2:
        return np.zeros(len(positions))
    return np.asarray(np.linalg.norm(np.gradient(positions[:, [0, 2]], axis=0), axis=1) * fps)


def find(clip: Clip, rendition: Clip, fitting: Fitting) -> tuple[Finding, ...]:
    """The findings of a rendition of ``clip`` through ``fitting``."""
    out = [
        Finding(
            "unpaired",
            row.part,
            (0, clip.frames - 1),
            0.0,
            0.0,
            "",
            f"The {row.part} got no motion: "
            + {
                "source": "the library skeleton has no bone for it.",
                "target": "the character has no bone for it.",
                "both": "neither side has a bone for it.",
            }[row.side],
        )
        for row in fitting.missing
    ]
    led = {lead.part: lead for lead in fitting.leads().values() if lead.part}
    source, target = clip.world().positions, rendition.world().positions
    leg = _leg(led, fitting)
    for side in ("left", "right"):
        lead = led.get(f"{side} toes") or led.get(f"{side} foot")
        if lead is None or leg <= 0:
            continue
        there, here = source[:, lead.a], target[:, lead.target]
        out += _slides(lead, there, here, clip.fps, leg, fitting.scale)
        out += _floor(lead, there, here, fitting)
    return tuple(out)


def _leg(led: dict[str, Lead], fitting: Fitting) -> float:
    """Length of the source's leg from hip to ankle in metres, the mean of both sides."""
    lengths = []
    for side in ("left", "right"):
        chain = [led.get(f"{side} {kind}") for kind in ("upper leg", "lower leg", "foot")]
        places = [lead.place for lead in chain if lead]
        if len(places) == 3:
            lengths.append(float(np.linalg.norm(np.diff(places, axis=0), axis=1).sum()))
    return float(np.mean(lengths)) if lengths else 0.0


def _slides(lead: Lead, there: FloatArray, here: FloatArray, fps: float, leg: float, scale: float) -> list[Finding]:
    """Contacts of the source in which the target's foot slides clearly more than the source's own."""
    out = []
    runs, count = label(contacts(there, fps, leg))
    fast_here, fast_there = speeds(here, fps) * 100, speeds(there, fps) * 100 * scale
    for run in range(1, count + 1):
        frames = np.flatnonzero(runs == run)
        if len(frames) < 5:
            continue
        inner = frames[1:-1]  # the edges of a contact are already in motion
        way = float(np.linalg.norm(np.ptp(here[inner][:, [0, 2]], axis=0)) * 100)
        source_way = float(np.linalg.norm(np.ptp(there[inner][:, [0, 2]], axis=0)) * 100 * scale)
        speed, source_speed = float(np.percentile(fast_here[inner], 90)), float(np.percentile(fast_there[inner], 90))
        if speed > source_speed + SLIDE_SPEED and way > source_way + SLIDE_LENGTH:
            first, last = int(frames[0]), int(frames[-1])
            text = f"The {lead.part} slide {way:.1f} cm while they stand (source {source_way:.1f} cm)."
            if lead.part and not lead.part.endswith("toes"):
                text = text.replace(" slide ", " slides ").replace("they stand", "it stands")
            out.append(
                Finding(
                    "foot slide", lead.part or "", (first, last), round(speed, 2), round(source_speed, 2), "cm/s", text
                )
            )
    return out


def _floor(lead: Lead, there: FloatArray, here: FloatArray, fitting: Fitting) -> list[Finding]:
    """How much deeper the foot joint goes than the source's, each against its own standing height."""
    source_stand, target_stand = standing_heights(fitting)
    source_depth = (source_stand[lead.a] - there[:, 1]) * 100 * fitting.scale
    depth = (target_stand[lead.target] - here[:, 1]) * 100
    more = depth - np.maximum(source_depth, 0.0)
    worst = int(np.argmax(more))
    if more[worst] < FLOOR_DEPTH or depth[worst] < FLOOR_DEPTH:
        return []
    frames = np.flatnonzero(more > FLOOR_DEPTH)
    size, source_size = float(depth[worst]), max(0.0, float(source_depth[worst]))
    verb = "go" if (lead.part or "").endswith("toes") else "goes"
    return [
        Finding(
            "floor",
            lead.part or "",
            (int(frames[0]), int(frames[-1])),
            round(size, 2),
            round(source_size, 2),
            "cm",
            f"The {lead.part} {verb} {size:.1f} cm into the floor (source {source_size:.1f} cm).",
        )
    ]
