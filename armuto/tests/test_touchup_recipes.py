"""Touch-ups on clips with recipes: a key means the same moment of the take, and the same side of the body."""

import unittest

import numpy as np

from armuto import refining
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.pipeline import retarget
from armuto.refining import Recipe
from armuto.retarget.context import context_of
from armuto.retarget.fitting import Fitting
from armuto.tests.test_touchups import document, joint, layer, scene, shift, turn
from armuto.touchups import Layers
from armuto.touchups.applying import TouchUps


class Recipes(unittest.TestCase):
    """A key means the same moment of the take, and the same side of the body, whatever a recipe makes of it."""

    def refined(self, *steps: dict[str, object], first: int = 0) -> tuple[refining.Refined, Fitting]:
        take, fitting = scene("hall/wave_the_lantern.bvh", "porter.glb")
        recipe: Recipe = refining.from_json({"steps": list(steps)})
        parts = document("hall/wave_the_lantern.bvh").parts
        return recipe.refine(take.cut(first, take.frames - 1) if first else take, parts, first), fitting

    def turned(self, refined: refining.Refined, fitting: Fitting, layers: Layers, part: str) -> FloatArray:
        touched = TouchUps(layers, refined.frames / scene("hall/wave_the_lantern.bvh")[0].fps, refined.mirrored)
        a = retarget(refined.clip, fitting).clip.world()
        b = retarget(refined.clip, fitting, touchups=touched).clip.world()
        bone = joint(context_of(fitting), part)
        return np.asarray(np.degrees(rotation.angle_apart(a.rotations[:, bone], b.rotations[:, bone])))

    def test_trimmed_slowed_reversed(self) -> None:
        fps, time = scene("hall/wave_the_lantern.bvh")[0].fps, 1.5
        layers = Layers((layer(turn("left upper arm", (0, 0, 25.0), time)),))
        for steps, first in (
            ((), 0),
            ((), 20),
            (({"kind": "pace", "percent": 50.0},), 0),
            (({"kind": "backwards"},), 0),
        ):
            with self.subTest(steps=steps, first=first):
                refined, fitting = self.refined(*steps, first=first)
                sizes = self.turned(refined, fitting, layers, "left upper arm")
                frame = int(np.argmax(sizes))
                self.assertLess(abs(refined.frames[frame] / fps - time), 0.51 / fps)
                self.assertAlmostEqual(sizes[frame], 25.0, delta=0.5)
                apart = np.abs(refined.frames / fps - time)
                self.assertLess(sizes[apart > 0.26].max(), 1e-9)

    def test_mirrored_it_is_on_the_other_side(self) -> None:
        time = 1.5
        rows = (turn("left upper arm", (5.0, 10.0, 25.0), time), turn("chest", (0.0, 10.0, 5.0), time))
        for row in (
            *rows,
            shift("left hand", (0.05, 0.03, 0.02), time),
            shift("left hand", (0.05, 0.03, 0.02), time, against="chest"),
        ):
            with self.subTest(row=row):
                plain, fitting = self.refined()
                mirrored, _ = self.refined({"kind": "mirror"})
                context = context_of(fitting)
                layers = Layers((layer(row),))
                fps = plain.clip.fps
                frame = round(time * fps)
                made = []
                for refined in (plain, mirrored):
                    touched = TouchUps(layers, refined.frames / fps, refined.mirrored)
                    before = retarget(refined.clip, fitting).clip.world().positions[frame]
                    after = retarget(refined.clip, fitting, touchups=touched).clip.world().positions[frame]
                    made.append(after - before)
                facing = 1.0
                for part in ("hand", "lower arm"):
                    left, right = joint(context, f"left {part}"), joint(context, f"right {part}")
                    for own, other in ((left, right), (right, left)):
                        expected = made[0][own] * [-facing, 1, 1]
                        self.assertLess(
                            np.linalg.norm(made[1][other] - expected), 0.25 * np.linalg.norm(expected) + 0.004
                        )


if __name__ == "__main__":
    unittest.main()
