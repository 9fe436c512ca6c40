"""How fast the core is, as multiples of merely copying an array of quaternions: ``python -m demo.bench_speed``."""

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np

from armuto import formats, pairing
from armuto.formats import bvh
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.pose import world_pose
from armuto.pairing import Pair
from armuto.pipeline import retarget
from armuto.quality.findings import findings, rank
from armuto.quality.measures import measure
from armuto.retarget import fitting
from armuto.retarget.settings import ROTATIONS_ALONE
from armuto.tests import figures

FILES = Path(__file__).parent / "files"
JOINTS, FRAMES = 65, 3000
#: What the code before the compiled kernels took in one run beside these, on the same machine.
BEFORE = {
    "quaternion product": 28.0,
    "transfer, rotations alone": 140.0,
    "the same, everything on": 400.0,
    "a clip of five seconds onto the porter: transfer, findings, .glb": 210.0,
}


def judged(clip: Clip, made: fitting.Fitting) -> Clip:
    """Perform a clip and grade it, as the studio does."""
    done = retarget(clip, made)
    measures = measure(clip, done.clip, made, done.contacts, done.trace)
    rank(findings(measures, made, clip.frames))
    return done.clip


def walking(frames: int) -> tuple[Clip, fitting.Fitting]:
    """A long walk of 65 joints, and a fitting onto a body of as many."""
    rng = np.random.default_rng(0)
    source = figures.with_extra_joints(figures.body(), JOINTS, rng)
    target = figures.disguised(source, rng, 0.4)
    parts = {bone.joint: part for part, bones in pairing.assign(source).items() for bone in bones}
    names = zip(source.names, target.names, strict=True)
    pairs = [Pair(parts.get(joint), (a,), (b,), 1.0, ()) for joint, (a, b) in enumerate(names)]
    return figures.motion(source, rng, frames), fitting.fit(source, target, pairs=pairs)


def short_clip() -> tuple[Clip, fitting.Fitting, formats.Document]:
    """A clip of five seconds of the demo, its fitting onto the porter, and him."""
    figure = formats.read((FILES / "porter.glb").read_bytes(), "porter.glb")
    source = formats.read((FILES / "hall/wave_the_lantern.bvh").read_bytes(), "wave_the_lantern.bvh")
    made = fitting.fit(source.skeleton, figure.skeleton, source.parts, figure.parts)
    return source.clips[0].cut(0, 150), replace(made, capsules=figure.capsules), figure


def rows(best: Callable[..., float]) -> list[tuple[str, float, str]]:
    """What, in copies, and what is to be reached."""
    clip, made = walking(FRAMES)
    a, b = np.array(clip.rotations), np.array(clip.rotations[::-1])
    copy = best(a.copy, 30)
    body = clip.skeleton
    shifts = clip.all_translations()
    alone = replace(made, settings=ROTATIONS_ALONE)
    short, onto, figure = short_clip()
    return [
        ("quaternion product", best(lambda: rotation.multiply(a, b), 20) / copy, "≤ 3"),
        ("forward kinematics", best(lambda: world_pose(body, a, shifts), 20) / copy, "≤ 8"),
        ("transfer, rotations alone", best(lambda: retarget(clip, alone), 7) / copy, "≤ 25"),
        ("the same, everything on", best(lambda: retarget(clip, made), 5) / copy, "≤ 60"),
        ("the same, with findings and grades", best(lambda: judged(clip, made), 5) / copy, "≤ 100"),
        (
            "a clip of five seconds onto the porter: transfer, findings, .glb",
            best(lambda: formats.write([judged(short, onto)], figure, "glb"), 15) / copy,
            "≤ 35",
        ),
    ]


def text_rows(best: Callable[..., float]) -> list[tuple[str, float, str]]:
    text = bvh.serialise(bvh.from_clip(figures.motion(figures.body(), np.random.default_rng(0), FRAMES)))
    block = text[text.index(b"Frame Time") :].split(b"\n", 1)[1]
    numbers = best(lambda: np.fromstring(block, sep=" "))
    return [
        (
            f"BVH of {len(text) / 1e6:.1f} MB, in NumPy’s parse of its numbers",
            best(lambda: bvh.parse(text, "x")) / numbers,
            "≤ 0.5",
        )
    ]


#: Begun by a process that is small itself: what it has counts as needed by what it begins.
MEASURED = """
import os, subprocess, sys, time
begin = time.perf_counter()
program = subprocess.Popen(sys.argv[1:], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
usage = os.wait4(program.pid, 0)[2]
print(time.perf_counter() - begin, usage.ru_maxrss / 1024)
"""


def started(*arguments: str) -> tuple[float, float]:
    """Seconds that a program takes on an empty studio, and the megabytes it needs."""
    with tempfile.TemporaryDirectory() as folder:
        command = [sys.executable, "-c", MEASURED, *arguments]
        environment = {**os.environ, "ARMUTO_DATA": folder}
        printed = subprocess.run(command, env=environment, capture_output=True, text=True, check=True).stdout
        seconds, memory = printed.split()
        return float(seconds), float(memory)


def start_rows() -> list[str]:
    """What it costs to begin, the quickest of five."""
    manage = (sys.executable, "manage.py")
    programs = {
        "`armuto --version`": (str(Path(sys.executable).with_name("armuto")), "--version"),
        "a command of the studio that is not told to do anything": (*manage, "backup", "--help"),
        "the whole application, every view of it": (*manage, "check"),
        "a new data file": (*manage, "migrate", "--skip-checks"),
    }
    rows = []
    for what, command in programs.items():
        seconds, memory = min(started(*command) for _ in range(5))
        rows.append(f"| {what} | {seconds:.2f} | {memory:.0f} |")
    return rows


def report(best: Callable[..., float]) -> str:
    lines = [
        f"| {what} | {BEFORE.get(what, '—')} | {ratio:.1f} | {goal} |"
        for what, ratio, goal in rows(best) + text_rows(best)
    ]
    return f"""How fast the core is, in copies: how often an array of ({FRAMES}, {JOINTS}, 4) could merely be copied meanwhile. Transfers are of
{FRAMES} frames and {JOINTS} joints where nothing else is said.

| what | before it was compiled | now | to reach |
|---|---|---|---|
{chr(10).join(lines)}

What it costs to begin:

| what | s | MB |
|---|---|---|
{chr(10).join(start_rows())}"""


if __name__ == "__main__":
    from demo.bench import best

    print(report(best))
