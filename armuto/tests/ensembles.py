"""Recordings of several performers for tests: the museum's, and bodies of any size to cast them with."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache

import numpy as np

from armuto import formats
from armuto.body.parts import Assignment, PartBone
from armuto.ensembles import model
from armuto.ensembles.casting import Recording, read_recording
from armuto.ensembles.model import Ensemble
from armuto.ensembles.pipeline import EnsembleResult
from armuto.ensembles.splitting import read_split, split
from armuto.formats import Document
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import lengths
from armuto.retarget.fitting import Fitting, fit
from armuto.tests.bodies import two_legged
from armuto.tests.files import DEMO

TAKES = DEMO.parent / "takes"
TOGETHER = ("hand over the crate", "push the cart", "carry the ladder", "wind the great clock", "shake hands")
HELD = 2  # frames before every take


@dataclass(frozen=True, eq=False)
class Recorded:
    """An ensemble, what its performers' skeletons were read from, the clips, and the recording."""

    ensemble: Ensemble
    performers: Mapping[str, Document]
    clips: Mapping[str, Clip]
    recording: Recording

    @property
    def own(self) -> dict[str, Fitting]:
        """Everybody on the very skeleton of the recording."""
        return own_fittings(self.performers)

    def cast(self, *figures: str) -> dict[str, Fitting]:
        """Figures of the museum in the order of the performers."""
        out = {}
        for (name, source), figure in zip(self.performers.items(), figures, strict=True):
            target = demo_figure(figure)
            made = fit(source.skeleton, target.skeleton, source.parts, target.parts)
            out[name] = replace(made, capsules=target.capsules)
        return out

    def sized(self, rng: np.random.Generator, least: float = 1.0, most: float = 2.2) -> dict[str, Fitting]:
        """Generated bodies, so many metres high."""
        out = {}
        for name, source in self.performers.items():
            skeleton, parts = sized_body(rng, float(rng.uniform(least, most)))
            out[name] = fit(source.skeleton, skeleton, source.parts, parts)
        return out


def own_fittings(performers: Mapping[str, Document]) -> dict[str, Fitting]:
    return {name: fit(row.skeleton, row.skeleton, row.parts, row.parts) for name, row in performers.items()}


@cache
def demo_figure(name: str) -> Document:
    path = DEMO / f"{name}.glb"
    return formats.read(path.read_bytes(), path.name)


@cache
def recorded(name: str) -> Recorded:
    """One of the museum's ensembles, without its calibration frames."""
    called = name.replace(" ", "_")
    ensemble = replace(model.from_json(json.loads((TAKES / f"{called}.json").read_text())), first=HELD)
    take = TAKES / f"{called}.bvh"
    performers: dict[str, Document] = {}
    clips: dict[str, Clip] = {}
    if take.exists():
        found = read_split(split(take.read_bytes(), take.name))
        performers = dict(found.performers)
        clips = {f"{called}:{who}": row.clips[0] for who, row in (*performers.items(), *found.things.items())}
    else:
        for performer in ensemble.performers:
            path = next(path for path in (*DEMO.rglob("*.bvh"), *TAKES.glob("*.bvh")) if path.stem == performer.clip)
            performers[performer.name] = formats.read(path.read_bytes(), path.name)
            clips[performer.clip] = performers[performer.name].clips[0]
    recording = read_recording(ensemble, clips, own_fittings(performers))
    return Recorded(ensemble, performers, clips, recording)


def sized_body(rng: np.random.Generator, height: float) -> tuple[Skeleton, Assignment]:
    """A generated body with hands, so many metres high at rest, and its parts."""
    skeleton, truth, _ = two_legged(rng, hands=True)
    rest = skeleton.rest
    ratio = height / float(np.ptp(np.concatenate([rest.positions, rest.ends])[:, 1]))
    larger = replace(
        skeleton, rest_translation=skeleton.rest_translation * ratio, end_offsets=skeleton.end_offsets * ratio
    )
    parts = {part: tuple(PartBone(joint, 1.0, "known") for joint in joints) for part, joints in truth.items()}
    return larger, parts


def gaps(result: EnsembleResult) -> list[float]:
    """By how much each meeting is missed at most, in metres."""
    return [
        float(lengths(row.gap(result.actors, result.props))[row.first : row.last + 1].max())
        for row in result.constraints
    ]
