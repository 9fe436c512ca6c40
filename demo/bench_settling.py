"""What each step of settling is worth, on the demo's clips and figures and on generated ones, and what it costs."""

from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import numpy as np

from armuto import formats
from armuto.contacts.detection import detect_contacts
from armuto.intake import recording
from armuto.kinematics.clip import Clip
from armuto.pipeline import retarget
from armuto.quality.findings import beyond, worst
from armuto.quality.measures import measure
from armuto.retarget import fitting
from armuto.retarget.context import RetargetContext
from armuto.retarget.fitting import Fitting
from armuto.retarget.settings import PLAIN, RELATIONS, ROTATIONS_ALONE, Settings
from armuto.tests import settled

FILES = Path(__file__).parent / "files"
CASTS = {
    "hall": ("porter", "keeper", "bellringer", "striker"),
    "gallery": ("porter", "keeper", "bellringer", "striker"),
    "yard": ("fox",),
    "roof": ("heron",),
}
STEPS: dict[str, Settings] = {
    "rotations alone": ROTATIONS_ALONE,
    "feet hold their contacts": replace(ROTATIONS_ALONE, hold=1.0),
    "arms clear of the body": replace(ROTATIONS_ALONE, hold=1.0, clear=1.0),
    "hands keep their place": replace(ROTATIONS_ALONE, hold=1.0, clear=1.0, hands=dict.fromkeys(RELATIONS, 1.0)),
    "everything, limits soft": replace(PLAIN, limits="soft"),
}
SHOWN = {"foot slide": "cm/s", "floor": "cm", "reach": "cm", "clipping": "cm", "limit": "°", "flip": "°", "jerk": "×"}


def performed() -> Iterator[tuple[Clip, Fitting]]:
    """Every clip of the demo with every figure that can perform it."""
    figures = {
        name: formats.read((FILES / f"{name}.glb").read_bytes(), name + ".glb") for name in sum(CASTS.values(), ())
    }
    for library, names in CASTS.items():
        for path in sorted((FILES / library).iterdir()):
            source = formats.read(path.read_bytes(), path.name)
            for name in names:
                target = figures[name]
                made = fitting.fit(source.skeleton, target.skeleton, source.parts, target.parts)
                for clip in source.clips:
                    yield recording.without_calibration(clip), replace(made, capsules=target.capsules)


def generated(bodies: int = 50) -> Iterator[tuple[Clip, Fitting]]:
    """Four clips on so many bodies of other proportions (armuto/tests/settled.py)."""
    for clip in (settled.walk()[0], settled.stairs()[0], settled.carrying(), settled.hand_on_hip()):
        for seed in range(bodies):
            yield clip, settled.fitted(clip.skeleton, settled.built(np.random.default_rng(seed)))


def table(cases: Iterator[tuple[Clip, Fitting]]) -> tuple[str, int]:
    """The worst of every clip beyond its source, as median and worst of all cases, after each step; and how many
    cases."""
    found: dict[str, list[dict[str, float]]] = {step: [] for step in STEPS}
    for clip, made in cases:
        contacts = detect_contacts(clip, RetargetContext(made))
        for step, settings in STEPS.items():
            chosen = replace(made, settings=settings)
            measures = worst(measure(clip, retarget(clip, chosen, contacts).clip, chosen, contacts))
            found[step].append({kind: beyond(measured) for kind, measured in measures.items()})
    lines = []
    for step, rows in found.items():
        cells = []
        for kind in SHOWN:
            values = [row.get(kind, 0.0) for row in rows]
            cells.append(f"{np.median(values):.2f} / {max(values):.1f}")
        lines.append(f"| {step} | {' | '.join(cells)} |")
    return "\n".join(lines), len(found["rotations alone"])


def cost(best: Callable[..., float]) -> tuple[float, float]:
    """Time of everything over that of rotations alone, contacts found in both cases or in the first alone; 3,000
    frames."""
    clip, made = next(performed())
    times = -(-3000 // clip.frames)
    step = (clip.translations[-1] - clip.translations[0]) * [1, 0, 1]
    moved = np.concatenate([clip.translations + step * k for k in range(times)])[:3000]
    long = Clip("long", clip.skeleton, clip.fps, np.tile(clip.rotations, (times, 1, 1))[:3000], clip.moving, moved)
    contacts = detect_contacts(long, RetargetContext(made))
    alone = best(lambda: retarget(long, replace(made, settings=ROTATIONS_ALONE), contacts), 5)
    return best(lambda: retarget(long, made), 5) / alone, best(lambda: retarget(long, made, contacts), 5) / alone


def report(best: Callable[..., float]) -> str:
    head = f"| | {' | '.join(f'{kind}, {unit}' for kind, unit in SHOWN.items())} |\n|---|{'---|' * len(SHOWN)}"
    demo, count = table(performed())
    made, others = table(generated())
    whole, known = cost(best)
    return f"""What each step of settling is worth: the worst of every clip beyond its source, as median / worst of all cases (jerk as a ratio).
All {count} pairs of a demo clip and a figure of its kind:

{head}
{demo}

Four generated clips on 50 bodies of other proportions, {others} in all:

{head}
{made}

Everything takes {whole:.1f} times as long as rotations alone, contacts looked for, and {known:.1f} times where they are known (to reach: 4)."""
