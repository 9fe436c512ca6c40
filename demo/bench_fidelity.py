"""Whether motion is right, and the grade true, on bodies nobody here made: a part of ``make bench``, or alone
``python -m demo.bench_fidelity``."""

from collections import Counter, defaultdict
from collections.abc import Callable, Mapping
from dataclasses import replace

import numpy as np

from armuto.body import estimation
from armuto.formats import Document, bvh, read
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.observed import Observed
from armuto.pairing.joint_mapping import JointDriver
from armuto.pipeline import retarget, transfer
from armuto.quality.findings import find, grade
from armuto.retarget import fitting
from armuto.retarget.context import RetargetContext
from armuto.retarget.settings import ROTATIONS_ALONE
from armuto.stance.shape import SURE
from armuto.tests import breaking, matching, rests, settled
from armuto.tests.files import DEMO
from armuto.tests.stances import Body, PoseEditor, reshaped

FIGURES = ("porter", "keeper", "bellringer", "striker")
CLIPS = ("walk", "sweep", "bow")
ROLLED = ("upper arm", "lower arm", "upper leg", "lower leg", "hand")


def _read(name: str) -> Document:
    return read((DEMO / name).read_bytes(), name.split("/")[-1])


def _turn(editor: PoseEditor, part: str, axis: FloatArray | list[float], degrees: float) -> None:
    joint = editor.joint(part)
    if joint is not None:
        editor.turn(joint, rotation.about(axis, np.radians(degrees)))


def _bend(editor: PoseEditor, part: str, degrees: float) -> None:
    """About the hinge that the limb would be expected to have."""
    upper = editor.joint(part.replace("lower", "upper"))
    if upper is not None:
        along, way = editor.shape().direction(upper), editor.shape().expected(upper)
        if along is not None and way is not None:
            _turn(editor, part, np.cross(along, way), degrees)


def _lowered(editor: PoseEditor, degrees: float) -> None:
    for side, sign in (("left", -1.0), ("right", 1.0)):
        _turn(editor, f"{side} upper arm", [0, 0, 1], sign * degrees)


def _carried(editor: PoseEditor) -> None:
    for side, sign in (("left", 1.0), ("right", -1.0)):
        _bend(editor, f"{side} lower arm", 10.0)
        _turn(editor, f"{side} lower arm", [0, 0, 1], sign * 8.0)
    _lowered(editor, 45.0)


def _bent(editor: PoseEditor) -> None:
    for side in ("left", "right"):
        _bend(editor, f"{side} lower arm", 40.0)
    _lowered(editor, 50.0)


def _sitting(editor: PoseEditor) -> None:
    for side in ("left", "right"):
        _turn(editor, f"{side} upper leg", [1, 0, 0], -85.0)
        _turn(editor, f"{side} lower leg", [1, 0, 0], 85.0)
    _lowered(editor, 60.0)


def _splayed(editor: PoseEditor) -> None:
    for side, sign in (("left", 1.0), ("right", -1.0)):
        _turn(editor, f"{side} upper leg", [0, 0, 1], sign * 18.0)


def _leaning(editor: PoseEditor) -> None:
    _turn(editor, "spine", [1, 0, 0], 25.0)


POSTURES: dict[str, Callable[[PoseEditor], None]] = {
    "T": lambda editor: None,
    "A": lambda editor: _lowered(editor, 45.0),
    "arms down": lambda editor: _lowered(editor, 80.0),
    "carrying angle": _carried,
    "arms bent": _bent,
    "sitting": _sitting,
    "splayed": _splayed,
    "leaning": _leaning,
}


def _cases(bodies: int) -> dict[str, list[tuple[FloatArray, list[float], list[float]]]]:
    """By rest, of every body and clip: distances of paired joints from the truth in mm, and turns of bones from the
    truth in degrees, of those whose roll the motion shows and of the others."""
    out = defaultdict(list)
    documents = [_read(f"hall/{name}.bvh") for name in CLIPS]
    for seed in range(bodies):
        rng = np.random.default_rng(seed)
        built = reshaped(Body(documents[0].skeleton, documents[0].parts, 0.0), rng)
        for document in documents:
            clip = replace(
                document.clips[0].cut(2, 70), skeleton=replace(built.skeleton, observed=estimation.Observed())
            )
            truth = clip.world()
            for kind in (*POSTURES, *rests.ZEROES):
                if kind in POSTURES:
                    editor = Body(clip.skeleton, document.parts, 0.0).editor()
                    POSTURES[kind](editor)
                    made = rests.resting(clip, editor.world.copy())
                else:
                    made = rests.rested(clip, rng, kind)
                out[kind].append(_apart(made, clip, document, truth.positions, truth.rotations))
    return out


def _apart(
    made: Clip, clip: Clip, document: Document, positions: FloatArray, rotations: FloatArray
) -> tuple[FloatArray, list[float], list[float]]:
    found = read(bvh.serialise(bvh.from_clip(made, None, 0.01)), "take.bvh")
    fits = replace(fitting.fit(found.skeleton, clip.skeleton, found.parts, document.parts), settings=ROTATIONS_ALONE)
    world, drivers = transfer(found.clips[0], fits).world(), fits.joint_mapping
    joints = {driver.part: joint for joint, driver in drivers.items() if driver.part}
    off = (world.positions - positions)[:, sorted(joints.values())]
    shown: list[float] = []
    others: list[float] = []
    for part, joint in joints.items():
        if fits.plan.by_name[part].kind in ROLLED:
            turned = rotation.multiply(world.rotations[:, joint], rotation.inverse(rotations[:, joint]))
            rows = shown if _shown(fits.source.observed, drivers, joints, part) else others
            rows.append(float(np.degrees(rotation.angle(turned)).max()))
    return np.linalg.norm(off, axis=-1).ravel() * 1000, shown, others


def _shown(seen: Observed, drivers: Mapping[int, JointDriver], joints: Mapping[str, int], part: str) -> bool:
    """Whether the motion shows how a bone is rolled: by the hinge at its end or its beginning; a hand, by its
    fingers."""
    if part.endswith("hand"):
        return True
    upper = joints.get(part.replace("lower", "upper"))
    hinge = seen.hinges.get(drivers[upper].source) if upper is not None else None
    return hinge is not None and (hinge.second_certainty if "lower" in part else hinge.certainty) >= SURE


def same_body(bodies: int = 40) -> str:
    rows = []
    for kind, cases in _cases(bodies).items():
        far = np.concatenate([off for off, _, _ in cases])
        shown, others = ([turn for case in cases for turn in case[n]] for n in (1, 2))
        rows.append(
            f"| {kind} | {len(cases)} | {np.percentile(far, 95):.3f} | {far.max():.1f} | "
            + " | ".join(f"{np.percentile(turns, 95):.2f} | {max(turns):.1f}" for turns in (shown, others))
            + " |"
        )
    table = "\n".join(rows)
    return f"""The same body at other rests, {bodies} builds of the hall's skeleton, each with three clips, read from a BVH whose zero pose is the rest
named and performed by the body that rests in a T: distance of every paired joint from the truth in every frame (to reach: 1 mm at the
95th percentile), and how far upper arms, forearms, thighs, shins and hands are turned from the truth in their worst frame (to reach, where
the motion shows the hinge of the limb, 3° at the 95th percentile; a straight limb that hardly bends shows nothing of its roll).

| the source rests | cases | mm: 95 of 100 within | worst | turn where it shows, °: 95 of 100 within | worst | turn of the others, °: 95 of 100 within | worst |
|---|---|---|---|---|---|---|---|
{table}"""


def _parts_right(made: matching.Tally) -> str:
    """A row of a table for every kind of body that was tallied."""
    return "\n".join(
        f"| {kind} | {made.right[kind]} | {made.parts[kind]} | {made.right[kind] / made.parts[kind]:.4f} | {made.swapped[kind]} |"
        for kind in made.parts
    )


def rig_table(count: int = 600) -> str:
    made = matching.rig_tally(count, seed=7)
    rows = _parts_right(made)
    claims, right = made.sure(0.9)
    return f"""Rigs of other people's making, {count} of them (armuto/tests/rigs.py), in names by convention, in words no lexicon has, counted along limbs,
nonsense and numbers, all alike often (to reach: 97 % of parts, no side swapped):

| | parts right | of | share | parts swapped |
|---|---|---|---|---|
{rows}

All: {made.share():.4f}. Of {claims} claims at 0.9 or more {(1 - right) * 100:.2f} % are wrong (to reach: 0.2 %)."""


def animal_table(count: int = 300) -> str:
    made = matching.animal_tally(count, seed=7)
    rows = _parts_right(made)
    claims, right = made.sure(0.9)
    return f"""Animals on four legs, {count} of them (armuto/tests/animals.py), under names that say nothing:

| | parts right | of | share | parts swapped |
|---|---|---|---|---|
{rows}

Of {claims} claims at 0.9 or more {(1 - right) * 100:.2f} % are wrong (to reach: 0.2 %)."""


def grades() -> str:
    sources = [_read(f"hall/{name}.bvh") for name in CLIPS]
    figures = [_read(f"{name}.glb") for name in FIGURES]
    grades: dict[str, Counter[str]] = defaultdict(Counter)
    rng = np.random.default_rng(2)
    for source in sources:
        clip = source.clips[0].cut(2, 90)
        for figure in figures:
            made = replace(
                fitting.fit(source.skeleton, figure.skeleton, source.parts, figure.parts), capsules=figure.capsules
            )
            for kind, broken in breaking.KINDS.items():
                value = broken(made, rng)
                if value is not None:
                    value = replace(value, capsules=figure.capsules)
                    done = retarget(clip, value)
                    grades[kind][grade(find(clip, done.clip, value, done.contacts))] += 1
    rows = "\n".join(
        f"| {kind} | {counts['wrong']} | {counts['look']} | {counts['good']} |" for kind, counts in grades.items()
    )
    right = Counter()
    clips = [settled.walk(110)[0], settled.carrying(), settled.hand_on_hip(), settled.stairs()[0]]
    for seed in range(50):
        for clip in clips:
            made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(seed)))
            done = retarget(clip, made)
            right[grade(find(clip, done.clip, made, done.contacts))] += 1
    return f"""Grades of fittings that are broken on purpose, on three clips and four figures each (to reach: never good):

| broken | wrong | to look at | good |
|---|---|---|---|
{rows}

Of right ones, four generated clips on 50 bodies of other proportions: {right["good"]} good, {right["look"]} to look at, {right["wrong"]} wrong
(to reach: at most 3 % to look at, none wrong). All demo clips on the figures of their kind are good where each file is read by itself (a test)."""


def soles_and_hands() -> str:
    rows = []
    for name in FIGURES:
        figure, off = _read(f"{name}.glb"), []
        for clip in ("walk", "sweep", "carry_the_crate", "creep", "run"):
            source = _read(f"hall/{clip}.bvh")
            made = fitting.fit(source.skeleton, figure.skeleton, source.parts, figure.parts)
            off.append(settled.sole_heights(source.clips[0], made))
        all_of_them = np.abs(np.concatenate(off)) * 100
        rows.append(f"| {name} | {np.median(all_of_them):.2f} | {np.percentile(all_of_them, 95):.2f} |")
    table = "\n".join(rows)
    clip = settled.carrying()
    apart = []
    for seed in range(50):
        made = settled.fitted(clip.skeleton, settled.built(np.random.default_rng(seed)))
        at = retarget(clip, made).clip.world().positions[20:50]
        left, right = (made.target.index[f"{side}Hand"] for side in ("Left", "Right"))
        width = np.linalg.norm(at[:, left] - at[:, right], axis=1) / RetargetContext(made).hand_scale
        apart.append(float(np.abs(width - 0.3).max()) * 100)
    return f"""The lowest point of a figure's skin against the floor while its foot rests, in cm, over five clips (to reach: 0.3 in the median, 0.5 at the 95th
percentile):

| figure | median | 95 of 100 within |
|---|---|---|
{table}

Two hands on a crate, on 50 bodies with arms and legs of other lengths: they are at most {max(apart):.2f} cm further apart or nearer than they
were, in the hands' own size, {np.median(apart):.2f} in the median (to reach: 1)."""


def report() -> str:
    return "\n\n".join((same_body(), rig_table(), animal_table(), grades(), soles_and_hands()))


if __name__ == "__main__":
    print(report())
