"""Numbers that a change of the code must not change unless it means to: short clips on two bodies, one choice each.

What a case gives is told by a few weighted sums for each frame, in which every joint counts, and by everything that is
measured. ``python -m armuto.tests.golden_numbers`` writes them anew, for a change that is meant; the difference of the
file then shows what it does.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np

from armuto.body.joint_limits import Range
from armuto.contacts.model import Contact, ContactSet
from armuto.formats import Document, read
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.pipeline import retarget
from armuto.quality.findings import beyond, findings, rank, worst
from armuto.quality.measures import measure
from armuto.retarget.explanation import follows
from armuto.retarget.fitting import NOTHING, Fitting, FittingOverrides, fit
from armuto.retarget.settings import PLAIN, ROTATIONS_ALONE, RotationInfluence, Settings, Travel
from armuto.tests import settled
from armuto.tests.files import DEMO

FILE = Path(__file__).with_name("golden_numbers.json")
DIGITS = 6
NOTHING_SEEN = 1e-6  # of whatever unit a measure has


def cut(clip: Clip, first: int, last: int) -> Clip:
    rows = slice(first, last + 1)
    translations = clip.translations if len(clip.translations) == 1 else clip.translations[rows].copy()
    return replace(clip, rotations=clip.rotations[rows].copy(), translations=translations)


@cache
def demo(name: str) -> Document:
    return read((DEMO / name).read_bytes(), name)


CLIPS: dict[str, Callable[[], Clip]] = {
    "walk": cache(lambda: cut(settled.walk()[0], 10, 62)),
    "round": cache(lambda: cut(settled.walk()[0], 10, 78)),
    "stairs": cache(lambda: cut(settled.stairs()[0], 30, 80)),
    "carrying": cache(lambda: cut(settled.carrying(), 0, 34)),
    "hand on hip": cache(lambda: cut(settled.hand_on_hip(), 0, 34)),
    "trembling": cache(lambda: settled.noisy(cut(settled.walk()[0], 10, 62), np.random.default_rng(5), 0.01)),
    "hall/wind_the_key.bvh": lambda: cut(demo("hall/wind_the_key.bvh").clips[0], 40, 70),
    "hall/creep.bvh": lambda: cut(demo("hall/creep.bvh").clips[0], 30, 60),
    "hall/sit_down.bvh": lambda: cut(demo("hall/sit_down.bvh").clips[0], 36, 66),
    "hall/carry_the_crate.bvh": lambda: cut(demo("hall/carry_the_crate.bvh").clips[0], 60, 84),
    "hall/run.bvh": lambda: cut(demo("hall/run.bvh").clips[0], 20, 50),
    "gallery/stroll.glb": lambda: cut(demo("gallery/stroll.glb").clips[0], 20, 44),
    "yard/trot.bvh": lambda: cut(demo("yard/trot.bvh").clips[0], 10, 40),
    "roof/birds.glb": lambda: cut(demo("roof/birds.glb").clips[0], 10, 40),
}
# Generated bodies by the seed of their proportions; else figures of the demo.
BODIES: dict[str, int] = {"first": 3, "second": 11}


@dataclass(frozen=True)
class Case:
    """settings and overrides: what is chosen. contacts: set by hand. frames: those that are asked for. without: parts
    that are not paired. stance: bones of the target turned by hand, degrees as a rotation vector in their own frames.
    """

    clip: str
    body: str
    settings: Settings = PLAIN
    overrides: FittingOverrides = NOTHING
    contacts: tuple[Contact, ...] | None = None
    frames: tuple[int, int] | None = None
    without: tuple[str, ...] = ()
    stance: Mapping[str, tuple[float, float, float]] = field(default_factory=dict)


def _with(clip: str, body: str, **chosen: Any) -> Case:
    return Case(clip, body, Settings(**chosen))


BY_HAND = (Contact("left toes", 5, 30, by_hand=True), Contact("right hand", 8, 40, "left hand", by_hand=True))
RANGED = {"upper leg": (-20.0, 35.0), "lower leg": (-60.0, 5.0), "upper arm": (-30.0, 30.0)}

CASES: dict[str, Case] = {
    "walk": Case("walk", "first"),
    "walk, smaller": Case("walk", "second"),
    "round and round": Case("round", "first"),
    "stairs": Case("stairs", "first"),
    "carrying": Case("carrying", "second"),
    "hand on hip": Case("hand on hip", "first"),
    "trembling": Case("trembling", "second"),
    "porter": Case("hall/wind_the_key.bvh", "porter.glb"),
    "keeper": Case("hall/creep.bvh", "keeper.glb"),
    "fox": Case("yard/trot.bvh", "fox.glb"),
    "heron": Case("roof/birds.glb", "heron.glb"),
    "arms out of the way": Case("hall/sit_down.bvh", "keeper.glb"),
    "crate": Case("hall/carry_the_crate.bvh", "striker.glb"),
    "run": Case("hall/run.bvh", "bellringer.glb"),
    "stroll": Case("gallery/stroll.glb", "keeper.glb"),
    "some frames": Case("walk", "first", frames=(20, 31)),
    "some frames, at the origin": Case("walk", "second", Settings(travel=Travel(place="origin")), frames=(40, 52)),
    "the first frames, round and round": Case("round", "second", frames=(0, 6)),
    "one frame of the porter": Case("hall/wind_the_key.bvh", "porter.glb", frames=(12, 12)),
    "contacts by hand": Case("walk", "first", contacts=BY_HAND),
    "contacts by hand, some frames": Case("walk", "first", contacts=BY_HAND, frames=(12, 24)),
    "without arms": Case("walk", "first", without=("left upper arm", "left lower arm", "right hand")),
    "without feet": Case("stairs", "second", without=("left foot", "left toes", "right toes")),
    "without hips": Case("walk", "second", without=("hips",)),
    "in the size of the arms": Case("walk", "second", overrides=FittingOverrides(size="arms")),
    "in another size": Case("stairs", "first", overrides=FittingOverrides(size=0.7, hinges=False)),
    "facing elsewhere": Case("walk", "first", overrides=FittingOverrides(10.0, -35.0, 0.03, 0.05)),
    "another stance": Case(
        "carrying", "first", stance={"LeftArm": (20, 0, -30), "Spine": (5, 10, 0), "Head": (0, 0, 8)}
    ),
    "another stance of the keeper": Case("hall/creep.bvh", "keeper.glb", stance={"tower:LeftShoulder": (25, 10, 0)}),
    "rotations alone": Case("walk", "first", ROTATIONS_ALONE),
    "held by half": _with("walk", "first", hold=0.5),
    "a foot held less": _with("walk", "second", holds={"left leg": 0.3}),
    "hands held less": _with("carrying", "first", hands={"other hand": 0.4}),
    "a hand let go": _with("hand on hip", "second", hands={"body": 0.0}),
    "a hand moved": _with("hand on hip", "first", moved={"left arm": (0.05, 0.02, 0.04)}),
    "bent elsewhere": _with("walk", "first", bends={"left leg": 15.0, "right arm": -20.0}),
    "half out of the way": _with("hall/sit_down.bvh", "keeper.glb", clear=0.5),
    "long steps of the fox": _with("yard/trot.bvh", "fox.glb", stride=1.4),
    "spread": _with("walk", "second", spread=12.0),
    "tucked": _with("hall/creep.bvh", "porter.glb", spread=-15.0, clear=0.5),
    "clipping kept": _with("hand on hip", "second", clear=0.0),
    "long steps": _with("walk", "first", stride=1.3, height=0.9),
    "absolute": _with("stairs", "second", path="absolute"),
    "half a turn": _with("walk", "first", follow={"spine": RotationInfluence(0.5, 1.0, (3.0, -4.0, 5.0))}),
    "more of the arms": _with("walk", "second", follow={"left arm": RotationInfluence(1.4)}),
    "twist": _with("hall/wind_the_key.bvh", "striker.glb", twist=0.5, forearm=0.6, thigh=0.4),
    "soft limits": _with("stairs", "first", limits="soft", follow={"left leg": RotationInfluence(1.6)}),
    "hard limits": _with("walk", "second", limits="hard", follow={"right leg": RotationInfluence(1.6)}),
    "in place": _with("walk", "first", travel=Travel(mode="in place")),
    "in place, heading": _with("walk", "second", travel=Travel(mode="in place", up=True, heading=True)),
    "at the origin": _with("walk", "first", travel=Travel(place="origin")),
    "given": _with("stairs", "second", travel=Travel(place="given", at=(0.4, -1.2, 35.0), smoothing=0.2)),
}


@cache
def fitting(clip: str, body: str) -> Fitting:
    if body in BODIES:
        made = settled.fitted(CLIPS[clip]().skeleton, settled.built(np.random.default_rng(BODIES[body])))
        degrees = {kind: Range(bend, (-25.0, 25.0), (-20.0, 20.0)) for kind, bend in RANGED.items()}
        return replace(made, ranges={part.name: degrees[part.kind] for part in made.plan.parts if part.kind in degrees})
    source, target = demo(clip), demo(body)
    made = fit(source.skeleton, target.skeleton, source.parts, target.parts)
    return replace(made, capsules=target.capsules)


def fitted(case: Case) -> Fitting:
    made = fitting(case.clip, case.body)
    pairs = tuple(pair for pair in made.pairs if pair.part not in case.without)
    stance = made.target_stance
    for bone, degrees in case.stance.items():
        turn = rotation.about(degrees, float(np.radians(np.linalg.norm(degrees))))
        stance = stance.with_turn(made.target.index[bone], turn)
    if case.without or case.stance or case.overrides != NOTHING:
        made = replace(
            fit(
                made.source,
                made.target,
                pairs=pairs,
                source_stance=made.source_stance,
                target_stance=stance,
                overrides=case.overrides,
            ),
            ranges=made.ranges,
            capsules=made.capsules,
        )
    return replace(made, settings=case.settings)


def numbers(name: str) -> dict[str, Any]:
    """What a case comes to, as plain data."""
    case = CASES[name]
    clip, made = CLIPS[case.clip](), fitted(case)
    contacts = None if case.contacts is None else ContactSet(case.contacts, 0.0)
    done = retarget(clip, made, contacts, *(case.frames or ()))
    out: dict[str, Any] = {
        "contacts": [[row.point, row.to, row.first, row.last] for row in done.contacts.contacts],
        "frames": _sums(done.clip),
    }
    if case.frames is None:
        measured = measure(clip, done.clip, made, done.contacts)
        rows = findings(measured, made, clip.frames)
        # Where nothing is to be seen, the frame in which it is worst is one of rounding.
        out["measures"] = [
            f"{row.kind}, {row.part}, "
            f"{f'{row.first}–{row.last}' if abs(row.size) > NOTHING_SEEN else 'nowhere'}: "
            f"{_short(row.size)}, source {_short(row.source)}, way {_short(row.way)}"
            for row in measured
        ]
        out["findings"] = [[row.grade, row.text, row.mend, [list(span) for span in row.spans]] for row in rows]
        out["rank"] = _short(rank(rows))
        out["worst"] = {kind: _short(beyond(row)) for kind, row in worst(measured).items()}
    report = done.report
    out["report"] = {
        "short": {limb: _short(values.sum()) for limb, values in report.short.items()},
        "hits": {part: int(frames.sum()) for part, frames in report.hits.items()},
        "turned_out": {limb: _short(angles.sum()) for limb, angles in report.turned_out.items()},
        "lowered": _short(report.lowered.sum()),
    }
    out["fitting"] = {
        "facing": [round(made.source_facing, 4), round(made.target_facing, 4)],
        "floors": [round(floor, DIGITS) for floor in made.floors],
        "scale": round(made.scale, DIGITS),
        "left": {row.part: round(row.left, 3) for row in made.rows},
        "follows": [row.text for row in follows(made, {})],
    }
    return out


def _short(number: float) -> str:
    """Four digits at most, none behind the fourth place: an angle of nearly nothing differs from machine to machine."""
    return f"{round(float(number), 4) + 0.0:.4g}"


def _sums(clip: Clip) -> list[list[float]]:
    """Two numbers for each frame: of positions in metres, and of the directions of three axes of each joint."""
    rng = np.random.default_rng(1)
    world = clip.world()
    axes = rotation.rotate(world.rotations[..., None, :], np.eye(3))
    return np.stack([_weighted(rng, world.positions), _weighted(rng, axes)], axis=1).round(DIGITS).tolist()


def _weighted(rng: np.random.Generator, values: FloatArray) -> FloatArray:
    weights = rng.uniform(0.5, 1.5, values.shape[1:])
    return np.asarray((values * weights).reshape(len(values), -1).mean(axis=1))


if __name__ == "__main__":
    FILE.write_text(json.dumps({case: numbers(case) for case in CASES}, indent=1, ensure_ascii=False) + "\n", "utf-8")
