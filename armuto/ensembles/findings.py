"""Findings of a casting: where those who play miss each other, are in each other, or have a fault by themselves."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace

from armuto.ensembles.casting import Actor, Recording, off_stage
from armuto.ensembles.measures import EnsembleMeasures, MeetingMeasures, PairMeasures
from armuto.ensembles.model import Ensemble, Meeting
from armuto.ensembles.pipeline import EnsembleResult
from armuto.quality.findings import Finding, find

# From which size on a kind of finding is worth a look, and from which on it is wrong.
THRESHOLDS: Mapping[str, tuple[float, float]] = {
    "meeting": (1.0, 5.0),  # cm
    "meeting angle": (8.0, 25.0),  # degrees
    "performers": (2.0, 8.0),  # cm in each other
}
# What bodies give way by, so that what met meets, which the measures tell; and an ensemble is not played as a loop.
GIVEN_WAY = ("direction", "up", "height", "facing", "seam")
MENDS = "casting"


def find_in_ensemble(result: EnsembleResult, measures: EnsembleMeasures) -> tuple[Finding, ...]:
    """What a person should look at in a casting.

    Parameters
    ----------
    result : EnsembleResult
    measures : EnsembleMeasures
        Of the same.

    Returns
    -------
    tuple of Finding
        Frames count from the first that all have. First where those who play miss each other, then who is in whom,
        then of each performer what a single transfer is looked through for (:func:`armuto.quality.findings.find`), its
        part told with the performer's name.
    """
    meeting = {side.actor.name for row in result.constraints for side in row.sides}
    return (
        *(finding for row in measures.meetings for finding in _of_meeting(row, result.recording)),
        *(finding for row in measures.pairs for finding in _of_pair(row, result.recording.first)),
        *(finding for actor in result.actors.values() for finding in _of_actor(actor, actor.name in meeting)),
    )


def meeting_in_words(meeting: Meeting, ensemble: Ensemble) -> str:
    """The two sides of a meeting: "the left hand of giver and the crate at its rope"."""
    (a, b), props = (meeting.a, meeting.b), {prop.name for prop in ensemble.props}
    other = f"the {b.who}{f' at its {b.part}' if b.part else ''}" if b.who in props else f"the {b.part} of {b.who}"
    return f"the {a.part} of {a.who} and {other}"


def _grade(kind: str, size: float) -> str:
    look, wrong = THRESHOLDS[kind]
    return "wrong" if size >= wrong else "look" if size >= look else "good"


def _of_meeting(row: MeetingMeasures, recording: Recording) -> Iterator[Finding]:
    meeting, first = row.meeting, recording.first
    worst = row.worst - first
    spans = ((max(meeting.first - first, 0), max(meeting.last - first, 0)),)
    both, label = _capital(meeting_in_words(meeting, recording.ensemble)), f"{meeting.a.who}: {meeting.a.part}"
    gap, before = row.gap * 100, row.before * 100
    if (grade := _grade("meeting", gap)) != "good":
        text = f"{both} miss each other by {gap:.1f} cm (transferred alone {before:.1f} cm)."
        yield Finding(
            "meeting", label, (worst, worst), round(gap, 2), round(before, 2), "cm", text, grade, MENDS, spans
        )
    angle = row.angle or 0.0
    if (grade := _grade("meeting angle", angle)) != "good":
        text = f"{both} meet turned by {angle:.0f}° against the recording."
        yield Finding("meeting angle", label, spans[0], round(angle, 2), 0.0, "°", text, grade, MENDS, spans)


def _of_pair(row: PairMeasures, first: int) -> Iterator[Finding]:
    size = row.clipping * 100
    if row.parts and (grade := _grade("performers", size)) != "good":
        frame = row.frame - first
        text = f"The {row.parts[0]} of {row.first} is {size:.1f} cm in the {row.parts[1]} of {row.second}."
        label = f"{row.first}: {row.parts[0]}"
        yield Finding("performers", label, (frame, frame), round(size, 2), 0.0, "cm", text, grade, MENDS)


def _of_actor(actor: Actor, meets: bool) -> Iterator[Finding]:
    found = find(actor.clip, off_stage(actor), actor.fitting, actor.contacts)
    thrown = [finding for finding in found if finding.kind == "jerk"]
    for finding in found:
        if finding in thrown[1:]:
            continue  # where one part is thrown about, all that hangs on it is
        if finding.kind in GIVEN_WAY and (meets or actor.displacement.active):
            continue
        text = f"{_capital(actor.name)}: {finding.text[0].lower()}{finding.text[1:]}"
        if finding.kind == "jerk" and len(thrown) > 1:
            text = f"{text[:-1]}, and so {f'are {len(thrown) - 1} more parts' if len(thrown) > 2 else 'is one more'}."
        yield replace(finding, part=f"{actor.name}: {finding.part}", text=text)


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]
