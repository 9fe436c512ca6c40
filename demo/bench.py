"""Measure the speeds that docs/quality asks for, and write docs/benchmarks.md: ``python -m demo.bench``.

Every timing is the best of several runs and is given as a ratio to a reference run beside it, since machines differ and
are shared.
"""

import os
import platform
import resource
import tempfile
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path

import django
import numpy as np
import scipy
from django.core.management import call_command
from scipy.spatial.transform import Rotation

from armuto import formats, pairing
from armuto.formats import bvh
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.pairing import Pair
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.tests import bone_names, detections, figures, matching, stances
from demo.bench_board import report as board
from demo.bench_browser import report as changes
from demo.bench_ensembles import report as ensembles
from demo.bench_fidelity import report as fidelity
from demo.bench_live import report as live
from demo.bench_network import report as network
from demo.bench_refining import report as refining
from demo.bench_rigging import report as rigging
from demo.bench_settling import report as settling
from demo.bench_sources import report as sources
from demo.bench_speed import report as speed
from demo.bench_splicing import report as splicing

OUT = Path(__file__).parent.parent / "docs" / "benchmarks.md"
OTHERS = "## Eight people at once"
JOINTS, FRAMES = 65, 3000


def best(work: Callable[[], object], runs: int = 7) -> float:
    """Shortest time in seconds of several runs, after one to warm up."""
    work()
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def motion_of(body: Skeleton, frames: int, rng: np.random.Generator) -> Clip:
    q = Rotation.random(frames * len(body), rng=rng).as_quat().reshape(frames, len(body), 4)
    return Clip("bench", body, 30.0, q, np.array([0]), rng.normal(0, 1, (frames, 1, 3)))


def main() -> None:
    rng = np.random.default_rng(0)
    source = figures.with_extra_joints(figures.body(), JOINTS, rng)
    target = figures.disguised(source, rng, 0.4)
    parts = figures_parts(source)
    pairs = [
        Pair(parts.get(n), (a,), (b,), 1.0, ()) for n, (a, b) in enumerate(zip(source.names, target.names, strict=True))
    ]
    made = fitting.fit(source, target, pairs=pairs)
    clip, longer = motion_of(source, FRAMES, rng), motion_of(source, FRAMES * 10, rng)
    other = rotation.normalised(rng.normal(0, 1, clip.rotations.shape))

    product = best(lambda: rotation.multiply(clip.rotations, other))
    scipy_product = best(
        lambda: (
            Rotation.from_quat(clip.rotations.reshape(-1, 4)) * Rotation.from_quat(other.reshape(-1, 4))
        ).as_quat(),
        3,
    )
    once = best(lambda: transfer(clip, made))
    ten = best(lambda: transfer(longer, made), 3)

    held = figures.motion(figures.body(), rng, 3000)
    text = bvh.serialise(bvh.from_clip(held))
    block = text[text.index(b"Frame Time") :].split(b"\n", 1)[1]
    numbers = best(lambda: np.fromstring(block, sep=" "))
    whole = best(lambda: formats.read(text, "bench.bvh"), 3)
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024

    rows = [("a transfer with 10 times as many frames", "the same with 3,000", ten / once, "≤ 10.5")]
    reading_clip, keeping_clip, accepting_clip = intake_times()
    asides = [
        ("laying a clip of 150 frames out in the intake", "reading it in the core", keeping_clip / reading_clip),
        ("accepting it into the library", "reading it in the core", accepting_clip / reading_clip),
        ("SciPy’s rotation product with its conversions", "the same NumPy product", scipy_product / product),
        ("reading the same BVH into a clip, with detection", "NumPy parsing the same numbers", whole / numbers),
    ]
    fast = speed(best)
    matched = matcher(product)
    stood = standing(product)
    settled = settling(best)
    faithful = fidelity()
    mended = "\n".join(refining())
    spliced = splicing(best)
    together = ensembles(best)
    boned = rigging(best)
    watched = sources()
    performed = live()
    seen = changes()
    batches = board()
    lines = network()
    scores = detections.file_space() | {"calibration frames": detections.calibration()} | detections.tracks()
    detected = "\n".join(f"| {what} | {right} | {cases} |" for what, (right, cases) in scores.items())
    table = "\n".join(f"| {what} | {beside} | {ratio:.2f} | {goal} |" for what, beside, ratio, goal in rows)
    more = "\n".join(f"| {what} | {beside} | {ratio:.2f} |" for what, beside, ratio in asides)
    machine = f"{platform.machine()}, {platform.system()}, Python {platform.python_version()}"
    report = f"""# Benchmarks

Written by `make bench` on {date.today().isoformat()}: {machine}, NumPy {np.__version__}, SciPy {scipy.__version__}.
Each figure is the best of several runs, as a ratio to a reference run beside it; one quaternion product over
({FRAMES}, {JOINTS}, 4) took {product * 1000:.1f} ms here. The process needed {memory:.0f} MB at its peak, with
{FRAMES * 10} frames of {JOINTS} joints in memory.

| what | reference beside it | ratio | to reach |
|---|---|---|---|
{table}

For comparison:

| what | reference beside it | ratio |
|---|---|---|
{more}

{fast}

How often detection is right, on generated files of two-legged bodies where the truth is known:

| what | right | of |
|---|---|---|
{detected}

{matched}

{stood}

{settled}

{faithful}

{seen}

{batches}

{lines}

{mended}

{spliced}

## Ensembles

{together}

## Bones for a bare mesh

{boned}
{watched}

{performed}"""
    # What other commands measured stands at the end and is left as it is.
    _, heading, others = OUT.read_text("utf-8").partition(OTHERS)
    OUT.write_text(f"{report}\n{heading}{others}", "utf-8")
    print(report)


def matcher(product: float, count: int = 700) -> str:
    """How often the matcher is right on generated bodies, and what it costs."""
    made = matching.tally(count, seed=100)
    rows = "\n".join(
        f"| {style} | {made.right[style]} | {made.parts[style]} | {made.right[style] / made.parts[style]:.4f} | {made.swapped[style]} |"
        for style in bone_names.STYLES
    )
    claims = "\n".join(
        f"| {least:.2f} | {made.sure(least)[0]} | {made.sure(least)[1]:.4f} |" for least in (0.5, 0.8, 0.9, 0.95)
    )
    large = [skeleton for _, skeleton, _ in matching.generated(400, seed=200) if 72 <= len(skeleton) <= 88][:40]

    def pair_up() -> None:
        for first, second in zip(large[::2], large[1::2], strict=False):
            pairing.pair(first, pairing.assign(first), second, pairing.assign(second))

    each = best(pair_up, 3) / (len(large) // 2)
    return f"""The matcher, on {count} generated two-legged bodies (armuto/tests/bodies.py: any build, one to seven spine and one to six neck
bones, with and without clavicles, toes, palm bones, two to five fingers or none, bones for twist, ends, props, capes, tails, hair
and controls, doubled joints, up to three roots, T, A, arms down and splayed, facing any way, in arbitrary joint frames):

| names | parts right | of | share | parts swapped |
|---|---|---|---|---|
{rows}

“swapped” names lie about all sides; where a body has no toes, straight limbs and no thumb, nothing contradicts them.

| claimed at least | claims | right |
|---|---|---|
{claims}

Two skeletons of 80 bones are read and paired in {each * 1000:.0f} ms, {each / product:.2f} of the quaternion product above (to reach: 50 ms)."""


def standing(product: float, count: int = 40) -> str:
    """What alignment leaves of the truth on generated bodies, the worst of each kind of part; proposals; and what it
    costs."""
    rows = []
    for kind in stances.RESTS:
        far = max(stances.position_error(seed, kind) for seed in range(count)) * 1000
        left = [row for seed in range(count) for row in stances.left_of(seed, kind) if row.seen]
        bones = [row for row in left if not row.part.endswith("foot")]
        cells = []
        for chosen in (
            bones,
            [row for row in left if row.part.endswith("foot") and not row.by_toes],
            [row for row in left if row.by_toes],
        ):
            worst = max(chosen, key=lambda row: row.direction, default=None)
            rolled = max((row for row in chosen if row.roll is not None), key=lambda row: row.roll or 0, default=None)
            cells.append("—" if worst is None else f"{worst.direction:.2f}" + _where(worst, worst.direction))
            cells.append("—" if rolled is None else f"{rolled.roll or 0:.2f}" + _where(rolled, rolled.roll or 0))
        rows.append(f"| {kind} | {far:.4f} | {' | '.join(cells)} |")
    proposals = [stances.proposed_right(seed) for seed in range(304)]
    origins = "\n".join(
        f"| {origin} | {sum(ok for ok, where, _ in proposals if where == origin)} | {sum(where == origin for _, where, _ in proposals)} |"
        for origin in stances.ORIGINS
    )
    source, target = figures.body(), figures.posed(figures.body(), {"LeftArm": (0, 0, -45), "RightArm": (0, 0, 45)})
    made = fitting.fit(source, target)
    each = best(
        lambda: fitting.fit(
            source, target, pairs=made.pairs, source_stance=made.source_stance, target_stance=made.target_stance
        )
    )
    table = "\n".join(rows)
    return f"""Stances, on {count} generated bodies resting in each way (armuto/tests/stances.py), each brought to a source that stands as the truth
does. *Same build*: the farthest any joint is from the truth in a busy clip, in mm of the source (to reach: 0.5). *Another build*
(limbs, hips, shoulders, feet and ankles longer, shorter, wider, higher): the worst direction and roll left at any part, in degrees
(to reach: 1 and 3); feet that stand on the floor, and feet in the air of which only the toes tell how they lie, apart.

| rests | same build, mm | direction | roll | standing feet: direction | roll | feet by their toes: direction | roll |
|---|---|---|---|---|---|---|---|
{table}

Feet in the air without a tip of their toes show no sole and are not counted; nor is the roll of a straight arm.

The stance to begin with, proposed for skeletons of which the truth is known:

| how the skeleton came | right | of |
|---|---|---|
{origins}

Fitting a body of 22 bones anew, aligned and measured, takes {each * 1000:.1f} ms, {each / product:.2f} of the quaternion product above."""


def _where(left: stances.Left, most: float) -> str:
    return f" ({left.part}, body {left.seed})" if most > 0.5 else ""


def intake_times(count: int = 500) -> tuple[float, float, float]:
    """Seconds per clip: read by the core, laid out in the intake, accepted; in a studio of its own."""
    clips = [figures.motion(figures.body(), np.random.default_rng(n), 150) for n in range(count)]
    files = [bvh.serialise(bvh.from_clip(clip)) for clip in clips]
    with tempfile.TemporaryDirectory() as folder:
        os.environ |= {"DJANGO_SETTINGS_MODULE": "studio.settings", "ARMUTO_DATA": folder}
        django.setup()
        call_command("migrate", verbosity=0)
        from studio.contents.services import store
        from studio.ingest.models import IntakeFile
        from studio.ingest.services.acceptance import accept, begin
        from studio.ingest.services.staging import lay_out

        start = time.perf_counter()
        for data in files:
            formats.read(data, "x.bvh")
        read = time.perf_counter()
        for number, data in enumerate(files):
            lay_out(IntakeFile.objects.create(path=f"{number}.bvh", content=store(data)))
        laid = time.perf_counter()
        for pk in begin(IntakeFile.objects.all()):
            accept(pk)
        done = time.perf_counter()
    return (read - start) / count, (laid - read) / count, (done - laid) / count


def figures_parts(body: Skeleton) -> dict[int, str]:
    return {bone.joint: part for part, bones in pairing.assign(body).items() for bone in bones}


if __name__ == "__main__":
    main()
