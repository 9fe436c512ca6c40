"""The table of truth of refining: what a simulated capture does to clean clips, and what is left of it. A part of
``make bench``, or alone ``python -m demo.bench_refining``."""

import time
from collections.abc import Callable, Iterator
from functools import cache

import numpy as np

from armuto import formats
from armuto.intake import recording
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.refining import Recipe, Refined, body_of
from armuto.refining.foot_locking import footing, steps_of
from armuto.refining.gaps import Gaps
from armuto.refining.ground import Ground
from armuto.refining.loop import Loop, seam_of
from armuto.refining.measures import slide
from armuto.refining.proposals import loops_of, propose
from armuto.refining.recipe import Step
from armuto.refining.refined import Body
from armuto.refining.smooth import Smooth
from armuto.refining.spikes import Spikes
from armuto.refining.steady import Steady
from armuto.tests.files import DEMO
from standins import camera

SEEDS = range(4)
EVERYTHING = camera.Faults(noise=(1.0, 1.0), spikes=0.3, gaps=15, lean=4.0, height=8.0, drift=60.0, swim=4.0)


@cache
def clean() -> tuple[tuple[str, Clip, Body], ...]:
    """The hall's clips, of which all that need a floor have one."""
    out = []
    for path in sorted((DEMO / "hall").glob("*.bvh")):
        document = formats.read(path.read_bytes(), path.name)
        clip = recording.without_calibration(document.clips[0])
        if path.stem != "climb_the_ladder":
            out.append((path.stem, clip, body_of(clip.skeleton, document.parts)))
    return tuple(out)


def spoilt(fault: Callable[[Clip, np.random.Generator], Clip]) -> Iterator[tuple[Clip, Clip, Body]]:
    """Every clip as it was, and with a fault in it, by every seed."""
    for _, clip, body in clean():
        for seed in SEEDS:
            yield clip, fault(clip, np.random.default_rng(seed)), body


def refined(step: Step, clip: Clip, body: Body) -> Clip:
    return step.refine(Refined.of_take(clip), body).clip


def off(a: Clip, b: Clip) -> FloatArray:
    return np.asarray(np.linalg.norm(a.world().positions - b.world().positions, axis=-1))


def rms(values: FloatArray) -> float:
    return float(np.sqrt((values**2).mean()))


def spread(values: list[float], unit: str, digits: int = 2) -> str:
    return f"{np.median(values):.{digits}f} {unit} (worst {max(values):.{digits}f})"


def report() -> list[str]:
    begun = time.perf_counter()
    rows = ["| fault | what is left, over 16 clips and 4 seeds |", "|---|---|"]
    for degrees in (0.5, 1.0, 2.0):
        trembling = list(
            spoilt(lambda clip, rng, by=degrees: camera.trembling(clip, by, by, rng))  # type: ignore[misc]
        )
        shares = [rms(off(refined(Smooth(), bad, body), clip)) / rms(off(bad, clip)) for clip, bad, body in trembling]
        rows.append(f"| noise of {degrees:g}° and {degrees:g} cm | {spread(shares, 'of the error')} |")
    hits = mended = touched = good = 0
    for _, clip, body in clean():
        for seed in SEEDS:
            bad, hit = camera.spiking(clip, 0.3, np.random.default_rng(seed))
            made = refined(Spikes(), bad, body)
            left = rotation.angle_apart(made.rotations, clip.rotations)
            changed = rotation.angle_apart(made.rotations, bad.rotations) > 1e-9
            hits, mended = hits + int(hit.sum()), mended + int((left[hit] < np.radians(10)).sum())
            touched, good = touched + int((changed & ~hit).sum()), good + int((~hit).sum())
    rows.append(
        f"| spikes of 20 to 90° | {mended} of {hits} mended; {touched / good * 100:.3f} % of good frames touched |"
    )
    lost = [
        float(off(refined(Gaps(), bad, body), clip).max()) * 100
        for clip, bad, body in spoilt(lambda clip, rng: camera.losing(clip, 15, rng)[0])
    ]
    rows.append(
        f"| gaps of 5 to 15 frames in six bones | {spread(lost, 'cm', 1)}; {np.mean(np.array(lost) < 3) * 100:.0f} % of "
        "clips within 3 cm |"
    )
    leans, heights = [], []
    for clip, bad, body in spoilt(lambda clip, rng: camera.leaning(clip, 5.0, 10.0, rng)):
        made, ground = refined(Ground(feet=False), bad, body), footing(body)
        assert ground is not None
        turn = rotation.multiply(made.world().rotations[:, 0], rotation.inverse(clip.world().rotations[:, 0]))
        up = rotation.rotate(turn, np.array([0.0, 1.0, 0.0]))[:, 1].clip(-1, 1)
        leans.append(float(np.degrees(np.arccos(up)).max()))
        heights.append(abs(steps_of(made, ground).floor) * 100)
    rows.append(f"| floor leaning by 5°, 10 cm too high | {spread(leans, '°')}, {spread(heights, 'cm')} |")
    drifts = []
    for clip, bad, body in spoilt(lambda clip, rng: camera.drifting(clip, 60.0, rng)):
        made = refined(Ground(level=False, drift=True, feet=False), bad, body)
        path = (made.world().positions - clip.world().positions)[:, body.hips]
        drifts.append(float(np.linalg.norm((path - path[0])[:, [0, 2]], axis=1).max()) * 100)
    rows.append(f"| drift of 60 cm in 10 s | {spread(drifts, 'cm', 1)} |")
    swims = [
        rms(off(refined(Steady(), bad, body), clip)) / rms(off(bad, clip))
        for clip, bad, body in spoilt(lambda clip, rng: camera.swimming(clip, 5.0, rng))
    ]
    rows.append(f"| bones longer and shorter by 5 % | {spread(swims, 'of the error')} |")
    before, after, quiet, seams, slides, steps = [], [], 0, [], [], 0.0
    for _, clip, body in clean():
        quiet += {row.step.kind for row in propose(clip, body.parts)} <= {"loop"}
        bad = camera.capture(clip, EVERYTHING, 3)
        start = time.perf_counter()
        proposed = tuple(row.step for row in propose(bad, body.parts) if row.step.kind != "loop")
        made = Recipe(proposed).refine(bad, body.parts).clip
        steps += time.perf_counter() - start
        before.append(rms(about(bad, clip, body)) * 100)
        after.append(rms(about(made, clip, body)) * 100)
        for found in loops_of(Refined.of_take(clip), body, 1):
            looped = Loop(first=found.first, last=found.last, times=3)
            seams.append(seam_of(refined(looped, clip, body), body))
            slides.append((slide(refined(looped, clip, body), body) or 0.0) - (slide(clip, body) or 0.0))
    rows.append(f"| all at once, by what is proposed | {spread(before, 'cm', 1)} → {spread(after, 'cm', 1)} |")
    rows.append(f"| nothing at all | nothing but loops proposed for {quiet} of {len(clean())} clips |")
    return [
        "## Refining",
        "",
        "What a simulated single-camera capture (`standins/camera.py`) does to the hall's clips at 30 frames a second, and what "
        "is left once it is mended: in the median, and at worst.",
        "",
        *rows,
        "",
        f"Loops: {len(seams)} of {len(clean())} clips have one; seams of {max(seams):.2f}° at most, feet slide by "
        f"{max(slides):.1f} cm/s more at most than in the clip. Measuring and mending all at once takes "
        f"{steps / len(clean()):.2f} s a clip of five seconds; this table took {time.perf_counter() - begun:.0f} s.",
    ]


def about(clip: Clip, truth: Clip, body: Body) -> FloatArray:
    """How far joints are off, from where the hips are in the first frame."""
    a, b, flat = clip.world().positions, truth.world().positions, np.array([1.0, 0.0, 1.0])
    away = (a - a[0, body.hips] * flat) - (b - b[0, body.hips] * flat)
    return np.asarray(np.linalg.norm(away, axis=-1))


if __name__ == "__main__":
    print("\n".join(report()))
