"""How near bones and weights that are made for a bare mesh come to those it had, and how long that takes. A part of
``make bench``, or alone ``python -m demo.bench_rigging``."""

import resource
import time
from collections import Counter
from collections.abc import Callable
from itertools import islice
from pathlib import Path

import numpy as np

from armuto import formats
from armuto.body.plans import plan_of
from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.vectors import lengths
from armuto.pipeline import transfer
from armuto.quality.findings import find, grade
from armuto.retarget.fitting import fit
from armuto.rigging.pipeline import bind, propose_landmarks, rig
from armuto.rigging.proposing import propose
from armuto.rigging.reading import read_mesh
from armuto.rigging.solid import solid_of
from armuto.rigging.weights import bones_of, geodesic_weights, nearest_weights
from armuto.tests.animals import four_legged
from armuto.tests.bodies import two_legged
from armuto.tests.files import DEMO
from armuto.tests.sculptures import TWO_LEGGED, bare, bent, figure, poses
from armuto.tests.skins import skin

INTRODUCTION = (
    "Figures whose weights were painted by the scripts that made them, stripped of these and bound anew to their own "
    "bones, then bent at random in twelve poses, limbs by up to 70°: how far points are from where the painted "
    "weights have them, beside plain weights of the nearest bone. To reach: half of that; and landmarks within 3 % of "
    "the height in 95 of 100 cases. Generated bodies have limbs of any proportion; where a shoulder lies in the trunk "
    "does not show on them."
)
BODIES = 60
SCULPTURES = Path(__file__).parent / "without_bones"
LOWEST = 65.0  # degrees by which arms hang at most
PARTS = {
    "shoulder": "upper arm",
    "elbow": "lower arm",
    "wrist": "hand",
    "hip": "upper leg",
    "knee": "lower leg",
    "ankle": "foot",
}


ANIMALS = 12
ON_FOUR_LEGS = {
    "left shoulder": "left front upper leg",
    "left elbow": "left front lower leg",
    "left wrist": "left front foot",
    "left hip": "left hind upper leg",
    "left knee": "left hind lower leg",
    "left ankle": "left hind foot",
    "skull": "head",
    "neck": "neck",
}


def report(_: Callable[..., float]) -> str:
    return "\n\n".join([INTRODUCTION, weights(), landmarks(), animals(), performances(), times()])


def weights() -> str:
    """Figures whose weights were painted, stripped of them and bound anew to their own bones."""
    rows = [
        "| figure | points | off, % of its height: median, 95th | of the nearest bone's: median, 95th | mean over mean |",
        "|---|---|---|---|---|",
    ]
    for name in (*TWO_LEGGED, "fox", "heron"):
        row = figure(name)
        skeleton = row.document.skeleton
        bones = bones_of(skeleton, sorted(np.flatnonzero(row.weights.sum(axis=0) > 0).tolist()))
        made, _ = bind(row.points, row.faces, solid_of(row.points, row.faces), bones, len(skeleton))
        local = poses(row, 12)
        wanted = bent(skeleton, local, row.points, row.weights)

        def off(own: FloatArray, row=row, local=local, wanted=wanted) -> FloatArray:
            return lengths(bent(row.document.skeleton, local, row.points, own) - wanted) / row.height * 100

        ours, nearest = off(made), off(nearest_weights(row.points, bones, len(skeleton)))
        numbers = [f"{np.median(far):.2f}, {np.percentile(far, 95):.2f}" for far in (ours, nearest)]
        rows.append(f"| {name} | {len(row.points):,} | {' | '.join(numbers)} | {ours.mean() / nearest.mean():.2f} |")
    return "\n".join(rows)


def landmarks() -> str:
    own = []
    for name in TWO_LEGGED:
        row = figure(name)
        found = propose_landmarks(read_mesh(bare(name), f"{name}.glb"))
        for side in ("left", "right"):
            for landmark, part in PARTS.items():
                there = row.place(f"{side} {part}") + [0.4, 0.0, -0.2]
                own.append((landmark, float(np.linalg.norm(found.at(f"{side} {landmark}") - there)) / row.height))
    made, refused, swapped = [], 0, 0
    for points, faces, places in islice(_bodies(), BODIES):
        try:
            found = propose(solid_of(points, faces))
        except BadInput:
            refused += 1
            continue
        height = float(np.ptp(points[:, 1]))
        swapped += float((places["left hip"] - places["right hip"]) @ np.array(found.side)) < 0
        for name, place in places.items():
            made.append((name.split()[1], float(np.linalg.norm(found.at(name) - place)) / height))
    rows = ["| landmark | figures of the museum: worst, % | generated: median, % | within 3 % |", "|---|---|---|---|"]
    for name in PARTS:
        worst = max(far for key, far in own if key == name) * 100
        off = np.array([far for key, far in made if key == name]) * 100
        rows.append(f"| {name} | {worst:.1f} | {np.median(off):.1f} | {(off <= 3).mean():.0%} |")
    whole = np.array([far for _, far in made])
    rows.append(f"| all | | | {(whole <= 0.03).mean():.0%} |")
    return (
        "\n".join(rows)
        + f"\n\nOf {BODIES} generated bodies left was taken for right in {swapped}, and {refused} were refused."
    )


def _bodies():
    """Generated bodies in a T, an A or between, with a skin, and the places of their joints by landmark."""
    seed = 0
    while True:
        rng = np.random.default_rng(seed)
        seed += 1
        skeleton, truth, _ = two_legged(rng, hands=True)
        at = skeleton.rest.positions
        arm = at[truth["left hand"][0]] - at[truth["left upper arm"][0]]
        if np.degrees(np.arcsin(-arm[1] / np.linalg.norm(arm))) > LOWEST:
            continue
        places = {
            f"{side} {name}": at[truth[f"{side} {part}"][0]]
            for side in ("left", "right")
            for name, part in PARTS.items()
        }
        yield *skin(rng, skeleton, truth), places


def animals() -> str:
    """Landmarks of generated dogs and horses, and of the fox."""
    rows = ["| landmark on four legs | fox, % | generated: median, % | within 3 % |", "|---|---|---|---|"]
    off: dict[str, list[float]] = {}
    for seed in range(ANIMALS):
        for kind in ("dog", "horse"):
            skeleton, truth, _ = four_legged(np.random.default_rng(seed), kind)
            if "left front toes" not in truth:
                continue
            points, faces = skin(np.random.default_rng(seed), skeleton, truth)
            try:
                found = propose(solid_of(points, faces), "four-legged")
            except BadInput:
                continue
            for name, part in ON_FOUR_LEGS.items():
                there = skeleton.rest.positions[truth[part][0]]
                off.setdefault(name, []).append(100 * lengths(found.at(name) - there) / np.ptp(points[:, 1]))
    fox = figure("fox")
    own = propose(solid_of(fox.points, fox.faces))
    for name, part in ON_FOUR_LEGS.items():
        far = 100 * lengths(own.at(name) - fox.place(part)) / fox.height
        share = np.mean(np.array(off[name]) < 3)
        rows.append(f"| {name.removeprefix('left ')} | {far:.1f} | {np.median(off[name]):.1f} | {share:.0%} |")
    every = np.concatenate([np.array(row) for row in off.values()])
    rows.append(f"| all | | {np.median(every):.1f} | {np.mean(every < 3):.0%} |")
    return "\n".join(rows)


def performances() -> str:
    """How the museum's clips are graded on its sculptures, and on its figures with bones that were made anew."""
    figures = {path.name: path.read_bytes() for path in sorted(SCULPTURES.glob("*.glb"))}
    figures |= {f"{name}.glb": bare(name) for name in (*TWO_LEGGED, "fox", "heron")}
    paths = [path for path in sorted(DEMO.rglob("*")) if path.suffix in (".bvh", ".glb")]
    sources = [source for source in (formats.read(path.read_bytes(), path.name) for path in paths) if source.clips]
    rows = ["| bones made for | good | look | wrong |", "|---|---|---|---|"]
    for name, data in figures.items():
        character = formats.read(rig(read_mesh(data, name)).glb(), name)
        counts: Counter[str] = Counter()
        for source in sources:
            if plan_of(source.parts).name != plan_of(character.parts).name:
                continue
            fitting = fit(source.skeleton, character.skeleton, source.parts, character.parts)
            counts.update(grade(find(clip, transfer(clip, fitting), fitting)) for clip in source.clips)
        numbers = " | ".join(str(counts[word]) for word in ("good", "look", "wrong"))
        rows.append(f"| {name.removesuffix('.glb')} | {numbers} |")
    return "\n".join(rows)


def times() -> str:
    row = read_mesh(bare("porter"), "porter.glb")
    start = time.perf_counter()
    rig(row)
    taken = time.perf_counter() - start
    # Every triangle in four, which is as many points as large sculptures have.
    fine = read_mesh(bare("keeper"), "keeper.glb")
    points, faces = _finer(fine.points, fine.faces)
    solid = solid_of(points, faces)
    made = rig(fine)
    start = time.perf_counter()
    geodesic_weights(points, faces, solid, bones_of(made.skeleton, range(1, len(made.skeleton))), len(made.skeleton))
    bound = time.perf_counter() - start
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    return (
        "| work | seconds |\n|---|---|\n"
        f"| landmarks, skeleton and weights of {len(row.points):,} points | {taken:.1f} |\n"
        f"| weights alone of {len(points):,} points | {bound:.1f} (the process has had {most:.0f} MB at most) |"
    )


def _finer(points: FloatArray, faces: np.ndarray) -> tuple[FloatArray, np.ndarray]:
    edges = np.sort(np.concatenate([faces[:, [0, 1]], faces[:, [1, 2]], faces[:, [2, 0]]]), axis=1)
    unique, place = np.unique(edges, axis=0, return_inverse=True)
    a, b, c = place.reshape(-1).reshape(3, -1) + len(points)
    x, y, z = faces.T
    return (
        np.concatenate([points, points[unique].mean(axis=1)]),
        np.concatenate([np.stack(row, axis=1) for row in ((x, a, c), (a, y, b), (c, b, z), (a, b, c))]),
    )


if __name__ == "__main__":
    print(report(lambda *_: 0.0))
