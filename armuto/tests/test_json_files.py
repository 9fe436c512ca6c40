"""Our own files (fittings, patterns, layers, splices, …) with anything in the place of anything: each is read, or
refused in one short sentence."""

from __future__ import annotations

import copy
import json
import random
import unittest
from collections.abc import Callable, Iterator
from typing import Any

from armuto import formats
from armuto.ensembles import model as ensembles
from armuto.errors import BadInput
from armuto.pairing import patterns
from armuto.refining import recipe
from armuto.retarget import fitting_file
from armuto.retarget.context import context_of
from armuto.retarget.fitting import fit
from armuto.rigging import definition, landmarks
from armuto.splicing import model as splices
from armuto.tests.files import DEMO, PORTER, WALK
from armuto.tests.sculptures import proposed
from armuto.touchups import model as touchups

TIMES = 250
WRONG: list[Any] = [
    *(None, True, -1, 0, 1.5, 1e308, float("inf"), float("nan"), 10**40, "", "x" * 5000, "\ud800", "\n", " ", "1"),
    *([], {}, [[]], [None], {"a": 1}, {"": ""}, [1] * 3, [0, 0, 0, 0], [float("nan")] * 3, ["a", "a"]),
]


def paths(value: Any, above: tuple[Any, ...] = ()) -> Iterator[tuple[Any, ...]]:
    """Everything within a table, by the keys that lead to it."""
    steps = value if isinstance(value, dict) else range(len(value)) if isinstance(value, list) else ()
    for step in steps:
        yield (*above, step)
        yield from paths(value[step], (*above, step))


def at(value: Any, path: tuple[Any, ...]) -> Any:
    for step in path:
        value = value[step]
    return value


def damaged(table: Any, chance: random.Random) -> Any:
    """A table with one to three values left out, doubled, misnamed, exchanged or replaced by something else."""
    table = copy.deepcopy(table)
    for _ in range(chance.randint(1, 3)):
        known = list(paths(table))
        if not known:
            break
        path = chance.choice(known)
        holder, step = at(table, path[:-1]), path[-1]
        kind = chance.random()
        if kind < 0.15:
            del holder[step]
        elif kind < 0.3 and isinstance(holder, list):
            holder.insert(step, copy.deepcopy(holder[step]))
        elif kind < 0.4 and isinstance(holder, dict):
            holder[chance.choice(["x", f"{step}2", ""])] = holder[step]
        elif kind < 0.5:
            holder[step] = copy.deepcopy(at(table, chance.choice(known)))
        else:
            holder[step] = copy.deepcopy(chance.choice(WRONG))
    return table


class JsonFiles(unittest.TestCase):
    def check(self, good: Any, read: Callable[[Any], object]) -> None:
        read(copy.deepcopy(good))
        for number in range(TIMES):
            table = damaged(good, random.Random(number))
            try:
                read(table)
            except (BadInput, ValueError) as problem:
                sentence = str(problem)
                with self.subTest(number=number, sentence=sentence[:200]):
                    self.assertIn(type(problem), (BadInput, ValueError))
                    self.assertLess(len(sentence), 500)
                    self.assertNotIn("\n", sentence)
                    sentence.encode()

    def test_layers_of_touch_ups(self) -> None:
        under = {"places": [[0, 0, 0]], "turn": [0, 0, 0, 1], "hips": [0, 0, 0], "hips_turn": [0, 0, 0, 1]}
        key = {"time": 1.0, "value": [0, 0, 12], "turn": [1, 2, 3], "to_next": "linear", "baseline": under}
        rows = [
            {"channel": "rotation", "part": "head", "keys": [key]},
            {"channel": "place", "part": "right hand", "against": "chest", "ease_in": None, "keys": [key]},
        ]
        weight = [{"time": 0, "value": 1}, {"time": 1, "value": 0.5}]
        layer = {"name": "a", "weight": weight, "limbs": ["left arm"], "hold": False, "touchups": rows}
        self.check({"layers": [layer]}, touchups.from_json)

    def test_splices_ensembles_and_recipes(self) -> None:
        spans = [{"clip": "walk", "end": 3.2, "repeat": 2}, {"clip": "bow", "start": 0.4}]
        joins = [{"overlap": 0.3, "pivot": "left foot", "turn": 30, "place": [0, 1]}]
        self.check({"name": "night", "spans": spans, "joins": joins}, splices.from_json)
        take = DEMO.parent / "takes" / "hand_over_the_crate.json"
        self.check(json.loads(take.read_text()), ensembles.from_json)
        kinds = ("mirror", "smooth", "loop", "ground", "gaps", "spikes", "emphasis", "path", "placement", "steady")
        steps = [{"kind": "pace", "percent": 80, "on": False}, *({"kind": kind} for kind in kinds)]
        self.check({"steps": steps}, recipe.from_json)

    def test_patterns_landmarks_and_bones(self) -> None:
        for pattern in patterns.shipped()[:2]:
            self.check(patterns.to_json(pattern), lambda table: patterns.from_json(json.dumps(table), "a.json"))
        marks = proposed("keeper")
        self.check(landmarks.to_json(marks), lambda table: landmarks.from_json(table, "a.json"))
        whole = definition.to_json(definition.RigDefinition(marks))
        self.check(whole, lambda table: definition.from_json(table, "a.json"))

    def test_fittings(self) -> None:
        source, target = (formats.read(path.read_bytes(), path.name) for path in (WALK, PORTER))
        fitting = fit(source.skeleton, target.skeleton, source.parts, target.parts)
        skeletons = source.skeleton, target.skeleton
        self.check(
            fitting_file.to_json(fitting),
            lambda table: fitting_file.from_json(json.dumps(table), "a.json", *skeletons),
        )
        # A part of a limb that follows nothing stays as it rests, and one whose name is blank is none.
        table = fitting_file.to_json(fitting)
        (foot,) = (row for row in table["pairs"] if row["part"] == "left foot")
        joint = target.skeleton.index[foot["target"][0]]
        self.assertIn(joint, context_of(fitting).mapping)
        foot["source"] = []
        held = fitting_file.from_json(json.dumps(table), "a.json", *skeletons)
        self.assertNotIn(joint, context_of(held).mapping)
        foot["part"] = " "
        fitting_file.from_json(json.dumps(table), "a.json", *skeletons)
