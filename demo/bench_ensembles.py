"""How well generated bodies of 1.0 to 2.2 m perform the museum's ensembles, and how long that takes. A part of
``make bench``, or alone ``python -m demo.bench_ensembles``."""

from collections.abc import Callable, Iterator

import numpy as np

from armuto.ensembles.measures import EnsembleMeasures, measure_ensemble
from armuto.ensembles.pipeline import EnsembleResult, perform_ensemble
from armuto.pipeline import transfer
from armuto.quality.measures import measure
from armuto.tests.ensembles import TOGETHER, Recorded, recorded

INTRODUCTION = (
    "Of each casting the largest of all its meetings, performers and feet; then the median of all castings and, in "
    "brackets, the worst. Gaps are against the recording. Of the 100 castings 99 have no gap that can be seen. The "
    "one is of a body of 1.02 m beside the cart, which keeps its size: its load is 1.07 m high, and the arm that lies "
    "on it, stretched upwards, ends at 1.06 m. Jerk is above 1.5 times the source's in 18 castings, and in as many "
    "where each performer is transferred alone: arms that are longer for their body's height than the source's are "
    "thrown about harder by the same turns. What an ensemble adds is above 1.5 times the transfers' in one, which has "
    "to reach down to the crate by half its height. Feet slide by more than 0.5 cm/s in two: the 0.60 of the ladder are "
    "those of the transfer alone; the 2.61 are of a body of 1.0 m that is led 44 cm aside to the cart's load and whose "
    "leg is too short to keep its toes to the end of a step."
)
CASTINGS = 20
SEED = 5


def report(best: Callable[..., float]) -> str:
    return "\n\n".join([INTRODUCTION, castings(), times(best)])


def castings() -> str:
    rows = [
        f"| {CASTINGS} castings of bodies of 1.0 to 2.2 m | gap, cm | angle, ° | path offset, cm | jerk, times the source's |"
        " times their transfers' alone | feet, cm/s |",
        "|---|---|---|---|---|---|---|",
    ]
    for name in TOGETHER:
        row = recorded(name)
        rng = np.random.default_rng(SEED)
        found = [tuple(_numbers(row, result)) for result in _results(row, rng)]
        columns = [f"{np.median(values):.2f} ({max(values):.2f})" for values in zip(*found, strict=True)]
        rows.append(f"| {name} | {' | '.join(columns)} |")
    return "\n".join(rows)


def _results(row: Recorded, rng: np.random.Generator) -> Iterator[EnsembleResult]:
    for _ in range(CASTINGS):
        yield perform_ensemble(row.recording, row.sized(rng))


def _numbers(row: Recorded, result: EnsembleResult) -> Iterator[float]:
    """Of a casting: the largest gap in cm, angle in degrees and offset in cm; the 90th of a hundred jerks over the
    source's, and over what it is where each performer is transferred alone; and what resting feet slide more than the source's, in cm/s."""
    measures: EnsembleMeasures = measure_ensemble(result)
    yield max(meeting.gap for meeting in measures.meetings) * 100
    yield max(meeting.angle or 0.0 for meeting in measures.meetings)
    yield max(performer.offset for performer in measures.performers) * 100
    jerks, alone, slides = [], [], [0.0]
    for who, clip in result.clips.items():
        source, fitting = row.recording.clips[who], result.actors[who].fitting
        alone += [found.size for found in measure(source, transfer(source, fitting), fitting) if found.kind == "jerk"]
        for found in measure(source, clip, fitting):
            if found.kind == "jerk":
                jerks.append(found.size)
            elif found.kind == "foot slide":
                slides.append(found.size - found.source)
    hard = float(np.percentile(jerks, 90))
    yield hard
    yield hard / max(float(np.percentile(alone, 90)), 1.0)
    yield max(slides)


def times(best: Callable[..., float]) -> str:
    """Of an ensemble as a whole against the transfers of its performers, each alone."""
    row = recorded("hand over the crate")
    fittings = row.cast("porter", "keeper")
    alone = best(lambda: [transfer(row.recording.clips[who], fitting) for who, fitting in fittings.items()], 3)
    whole = best(lambda: perform_ensemble(row.recording, fittings), 3)
    return (
        "| of two performers over 139 frames | times their transfers alone |\n|---|---|\n"
        f"| an ensemble with a prop and four meetings | {whole / alone:.1f} ({whole * 1000:.0f} ms) |"
    )


if __name__ == "__main__":
    from demo.bench import best

    print(report(best))
