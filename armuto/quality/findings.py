"""Findings: measured problems of a rendition, in plain words, each beside the same measure of its source; and its
grade.

Only what a person should look at is reported: a fault the source has in the same size is not the transfer's.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

import numpy as np

from armuto.body.plans import SIDES
from armuto.contacts.model import ContactSet
from armuto.kinematics.clip import Clip
from armuto.pairing import Missing
from armuto.pipeline import RetargetTrace
from armuto.quality.comparison import Measurement
from armuto.quality.measures import measure
from armuto.retarget.fitting import Fitting
from armuto.touchups.report import TouchUpReport

GRADES = ("good", "look", "wrong")
SLIDE_WAY = (
    0.8  # cm more than the source: a foot that keeps its place to that does not slide, however briskly it settles
)

# From which size on, beyond the source's, a kind of finding is worth a look, and from which on it is wrong.
THRESHOLDS: Mapping[str, tuple[float, float]] = {
    "foot slide": (3.0, 15.0),  # cm/s
    "reach": (2.0, 8.0),  # cm
    "float": (1.5, 6.0),  # cm
    "floor": (1.0, 6.0),  # cm
    "sole": (1.2, 5.0),  # cm
    "size": (1.15, 1.5),  # times
    "clipping": (2.0, 8.0),  # cm
    "flip": (40.0, 120.0),  # degrees in one frame
    "jerk": (2.0, 6.0),  # times
    "limit": (8.0, 45.0),  # degrees
    "seam": (4.0, 20.0),  # degrees
    "up": (12.0, 35.0),  # degrees
    "gravity": (10.0, 35.0),  # degrees
    "lies": (10.0, 400.0),  # degrees
    "facing": (12.0, 40.0),  # degrees
    "twist": (45.0, 90.0),  # degrees
    "direction": (16.0, 40.0),  # degrees
    "roll": (30.0, 75.0),  # degrees
    "sides": (15.0, 50.0),  # of a hundred frames, or of a limb's names
    "height": (8.0, 18.0),  # of a hundred of the legs, or of the body
    "length": (3.0, 10.0),  # percent
    "proportion": (1.75, 2.1),  # times
}
TOUCHUP = "touch-up"
SHORT = 1.0  # cm that a limb may fall short of where a touch-up wants it
ALONE = ("flip", "jerk", "size", "proportion")
MENDS: Mapping[str, str] = {
    "foot slide": "hold",
    "reach": "stride",
    "float": "hold",
    "floor": "hold",
    "sole": "floor",
    "size": "size",
    "clipping": "clear",
    "flip": "pairs",
    "jerk": "hands",
    "limit": "limits",
    "seam": "travel",
    "up": "stance",
    "gravity": "clip",
    "lies": "clip",
    "facing": "facing",
    "twist": "pairs",
    "direction": "stance",
    "roll": "stance",
    "sides": "pairs",
    "height": "size",
    "length": "character",
    "proportion": "pairs",
    "unpaired": "pairs",
}


@dataclass(frozen=True)
class Finding:
    """One measured problem: its kind, the part, the frames ``(first, last)``, its size and that of the source, in unit.

    grade: "look" or "wrong". mend: the control by which it can be mended. spans: all stretches of frames in which
    it was found, of which frames, size and text say the worst.
    """

    kind: str
    part: str
    frames: tuple[int, int]
    size: float
    source: float
    unit: str
    text: str
    grade: str = "look"
    mend: str = ""
    spans: tuple[tuple[int, int], ...] = ()


def find(
    clip: Clip,
    rendition: Clip,
    fitting: Fitting,
    contacts: ContactSet | None = None,
    trace: RetargetTrace | None = None,
) -> tuple[Finding, ...]:
    """The findings of a rendition of a clip through a fitting.

    Parameters
    ----------
    clip : Clip
        On the fitting's source.
    rendition : Clip
        On its target, of as many frames.
    fitting : Fitting
        Its settings say from which size on a measure is worth a look, and from which it is wrong.
    contacts : ContactSet, optional
        That the rendition was made with; else they are looked for.
    trace : RetargetTrace, optional
        What the transfer that made it had worked out; else that is done again.

    Returns
    -------
    tuple of Finding
        What is worth a look or wrong beyond the source's own measure, in the order of kinds; empty for a good
        rendition.
    """
    out = findings(measure(clip, rendition, fitting, contacts, trace), fitting, clip.frames)
    return out if trace is None else (*out, *touchup_findings(trace.touchups, clip.frames))


def touchup_findings(report: TouchUpReport, frames: int) -> Iterable[Finding]:
    """What somebody should look at of touch-ups: keys set on another motion, and what could not be done."""
    for row in report.changed:
        label, frame = row.touchup.label, row.frame
        by = f"{row.far * 100:.1f} cm" if row.far * 100 >= row.turned else f"{row.turned:.0f}°"
        made = "on an earlier result: what is under it has moved"
        text = f"The touch-up “{row.layer}” of the {label} at frame {frame} was made {made} by {by} since."
        yield Finding(TOUCHUP, label, (frame, frame), round(row.far * 100, 2), 0.0, "cm", text, "look", TOUCHUP)
    for limb, far in report.short.items():
        worst = int(np.argmax(far))
        if far[worst] * 100 >= SHORT:
            size = float(far[worst]) * 100
            text = f"The {limb} falls {size:.1f} cm short of where a touch-up wants its end."
            yield Finding(TOUCHUP, limb, (worst, worst), round(size, 2), 0.0, "cm", text, "look", TOUCHUP)
    for sentence in report.lost:
        yield Finding(TOUCHUP, "", (0, frames - 1), 0.0, 0.0, "", sentence, "look", TOUCHUP)


def findings(measures: Iterable[Measurement], fitting: Fitting, frames: int) -> tuple[Finding, ...]:
    """What of the measures is worth a look, the worst first in each kind; and the parts that got no motion."""
    out = [_unpaired(row, frames) for row in fitting.missing]
    thresholds = dict(THRESHOLDS) | dict(fitting.settings.grades)
    graded = [(measure, grade_of(measure, thresholds)) for measure in measures]
    order = list(THRESHOLDS)
    worth = [(measurement, grade) for measurement, grade in graded if grade != "good"]
    # Where two are as wrong, the body plan's order counts, not their rounding.
    worth.sort(key=lambda row: (order.index(row[0].kind), round(row[0].source - row[0].size, 6)))
    # One finding for a part that shows the same again and again, led by where it is worst.
    for measurement, grade in worth:
        same = [other for other, _ in worth if (other.kind, other.part) == (measurement.kind, measurement.part)]
        if same[0] is not measurement:
            continue
        text = WORDS[measurement.kind](measurement)
        if len(same) > 1:
            text = f"{text[:-1]}, and so in {len(same) - 1} more {'place' if len(same) == 2 else 'places'}."
        spans = tuple(sorted((other.first, other.last) for other in same))
        size, source = round(measurement.size, 2), round(measurement.source, 2)
        frame = (measurement.first, measurement.last)
        out.append(
            Finding(
                measurement.kind,
                measurement.part,
                frame,
                size,
                source,
                measurement.unit,
                text,
                grade,
                MENDS[measurement.kind],
                spans,
            )
        )
    return tuple(out)


def grade_of(measurement: Measurement, thresholds: Mapping[str, tuple[float, float]] = THRESHOLDS) -> str:
    look, wrong = thresholds[measurement.kind]
    more = beyond(measurement)
    if measurement.kind == "foot slide" and measurement.way < SLIDE_WAY:
        return "good"
    return "wrong" if more >= wrong else "look" if more >= look else "good"


def grade(rows: Iterable[Finding]) -> str:
    """The grade of a rendition: that of its worst finding."""
    return max((row.grade for row in rows), key=GRADES.index, default="good")


def rank(rows: Iterable[Finding], thresholds: Mapping[str, tuple[float, float]] = THRESHOLDS) -> float:
    """How urgently a rendition wants a look, to put the worst first: 0 for one without findings.

    Of its worst finding the size beyond the source's over what is still good, and a little for every other one.
    """
    sizes = []
    for row in rows:
        more = row.size if row.kind in ALONE else max(row.size - row.source, 0.0)
        limit = thresholds[row.kind][0] if row.kind in thresholds else 1.0
        sizes.append(GRADES.index(row.grade) * 100 + min(more / limit, 99.0))
    return max(sizes) + 0.01 * len(sizes) if sizes else 0.0


def beyond(measurement: Measurement) -> float:
    """How much larger a measure is than the source's; of those in ALONE, which are told against it already, their
    size."""
    return measurement.size if measurement.kind in ALONE else max(measurement.size - measurement.source, 0.0)


def worst(measures: Iterable[Measurement]) -> dict[str, Measurement]:
    """Of every kind, the measure that is largest beyond the source's."""
    out: dict[str, Measurement] = {}
    for measurement in measures:
        if measurement.kind not in out or beyond(measurement) > beyond(out[measurement.kind]):
            out[measurement.kind] = measurement
    return out


def _unpaired(row: Missing, frames: int) -> Finding:
    why = {
        "source": "the library skeleton has no bone for it.",
        "target": "the character has no bone for it.",
        "both": "neither side has a bone for it.",
    }[row.side]
    text = f"The {row.part} got no motion: {why}"
    return Finding("unpaired", row.part, (0, frames - 1), 0.0, 0.0, "", text, "look", MENDS["unpaired"])


def _many(part: str) -> bool:
    return part.endswith("toes")


def _slide(measurement: Measurement) -> str:
    if _many(measurement.part):
        return (
            f"The {measurement.part} slide at {measurement.size:.1f} cm/s while they stand (source "
            f"{measurement.source:.1f} cm/s)."
        )
    return (
        f"The {measurement.part} slides at {measurement.size:.1f} cm/s while it stands (source "
        f"{measurement.source:.1f} cm/s)."
    )


def _reach(measurement: Measurement) -> str:
    verb, own = ("are", "their") if _many(measurement.part) else ("is", "its")
    return f"The {measurement.part} {verb} pulled {measurement.size:.1f} cm off {own} place: the leg does not reach it."


def _float(measurement: Measurement) -> str:
    return (
        f"The {measurement.part} {'stand' if _many(measurement.part) else 'stands'} {measurement.size:.1f} "
        "cm above where the source's does."
    )


def _floor(measurement: Measurement) -> str:
    verb = "go" if _many(measurement.part) else "goes"
    return (
        f"The {measurement.part} {verb} {measurement.size:.1f} cm into the floor (source {measurement.source:.1f} cm)."
    )


def _facing(measurement: Measurement) -> str:
    if measurement.part == "body":
        return f"The body stands turned by {measurement.size:.0f}° from where its own file has it face."
    verb, own = ("face", "do") if measurement.part == "hips" else ("faces", "does")
    return f"The {measurement.part} {verb} {measurement.size:.0f}° away from where the source's {own}."


def _height(measurement: Measurement) -> str:
    verb, of = ("are", "legs") if measurement.part == "hips" else ("is", "body")
    return (
        f"The {measurement.part} {verb} carried {measurement.size:.0f} of 100 of the {of} higher or lower "
        "than the source's."
    )


def _side(measurement: Measurement) -> str:
    if measurement.part.split()[0] in SIDES:
        return f"The names of the {measurement.part} say the other side than those they are paired with."
    if measurement.size >= 100:
        return "The feet point to the back of the body: left and right may be exchanged."
    return (
        f"Left and right {measurement.part} are on each other's side in {measurement.size:.0f} of 100 "
        "frames, and not so on the source."
    )


WORDS: Mapping[str, Callable[[Measurement], str]] = {
    "foot slide": _slide,
    "reach": _reach,
    "float": _float,
    "floor": _floor,
    "sole": lambda measurement: (
        f"The sole of the {measurement.part} stands {measurement.size:.1f} cm "
        f"{'above' if measurement.way > 0 else 'below'} the floor while it rests."
    ),
    "size": lambda measurement: f"The hips move by {measurement.way:.2f} of what is in keeping with the legs.",
    "clipping": lambda measurement: (
        f"The {measurement.part} is {measurement.size:.1f} cm in the body (source {measurement.source:.1f} cm)."
    ),
    "flip": lambda measurement: (
        f"The {measurement.part} turns by {measurement.size:.0f}° in one frame (source {measurement.source:.0f}°)."
    ),
    "jerk": lambda measurement: (
        f"The {measurement.part} is thrown about {measurement.size:.1f} times as hard as the source's."
    ),
    "limit": lambda measurement: (
        f"The {measurement.part} bends {measurement.size:.0f}° beyond its limits (source {measurement.source:.0f}°)."
    ),
    "seam": lambda measurement: (
        f"The {measurement.part} jumps by {measurement.size:.0f}° where the loop closes (source "
        f"{measurement.source:.0f}°)."
    ),
    "up": lambda measurement: f"The trunk leans {measurement.size:.0f}° otherwise than the source's.",
    "gravity": lambda measurement: (
        f"The source lies {measurement.size:.0f}° from upright throughout, and no floor is below it: "
        "it was read with the wrong axis up."
    ),
    "lies": lambda measurement: (
        f"The source lies {measurement.size:.0f}° from upright throughout: see whether the right axis is up."
    ),
    "facing": _facing,
    "twist": lambda measurement: (
        f"Hips and chest are turned against each other by {measurement.size:.0f}°, before anything moves."
    ),
    "direction": lambda measurement: (
        f"The {measurement.part} points {measurement.size:.0f}° away from where the source's does."
    ),
    "roll": lambda measurement: (
        f"The {measurement.part} is rolled by {measurement.size:.0f}° about itself against the source's."
    ),
    "sides": _side,
    "height": _height,
    "length": lambda measurement: (
        f"The {measurement.part} is {measurement.size:.0f} % longer or shorter than it rests."
    ),
    "proportion": lambda measurement: (
        f"The bones of the {measurement.part} are {measurement.size:.1f} times as unlike in length as the source's: "
        "they may be paired one joint off."
    ),
}
