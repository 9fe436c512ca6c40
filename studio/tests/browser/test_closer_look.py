"""A closer look at motion: a range that is repeated, the poses around one, the trace and the curve of a bone."""

import numpy as np
from playwright.sync_api import expect

from studio.fittings.models import Fitting
from studio.renditions.models import Rendition
from studio.tests.browser.full_studio import FullStudio

POSITIONS = "key => armuto.stage.positions()[key]"
# Ghosts have no rings, so that nothing can be taken hold of; their places are those of their lines.
LINES = """n => {
    const lines = armuto.stage.source(`neighbour ${n}`)
    const {x, z} = lines.object.position
    return lines.object.visible
        ? Array.from({length: lines.tree.parents.length}, (_, k) =>
            [lines.positions[k * 3] + x, lines.positions[k * 3 + 1], lines.positions[k * 3 + 2] + z])
        : null
}"""
TRACE = """() => {
    const figure = armuto.stage.figure('character')
    const line = figure.object.getObjectByProperty('type', 'Line')
    if (!line) return null
    const at = line.geometry.attributes.position, point = figure.object.position.clone()
    return Array.from({length: at.count}, (_, n) =>
        figure.object.localToWorld(point.set(at.getX(n), at.getY(n), at.getZ(n))).toArray())
}"""


class CloserLook(FullStudio):
    def open(self, path: str) -> None:
        self.go(path)
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.page.wait_for_load_state("networkidle")

    def at(self, frame: int) -> None:
        self.page.wait_for_function("frame => armuto.stage.frame === frame", arg=frame)

    def places(self, frame: int) -> np.ndarray:
        """Where the figure's joints are in a frame, with the stage left as it was."""
        return np.array(
            self.page.evaluate(
                "frame => { const figure = armuto.stage.figure('character'), now = armuto.stage.frame;"
                "figure.pose(frame); const places = figure.worldPositions(); figure.pose(now); return places }",
                frame,
            )
        )

    def test_poses_trace_and_curve(self) -> None:
        fitting = Fitting.objects.get(character__name="porter").pk
        self.open(f"/fittings/{fitting}?leaf=transfer&frame=60")
        self.at(60)
        before = self.page.evaluate(POSITIONS, "character")
        for key in "ijy":
            self.page.keyboard.press(key)
        self.page.wait_for_function("() => armuto.stage.source('neighbour 5')")
        for n, by in enumerate((-5, 5, -10, 10, -15, 15)):
            np.testing.assert_allclose(self.page.evaluate(LINES, n), self.places(60 + by), atol=1e-4)
        self.assertEqual(self.page.evaluate(POSITIONS, "character"), before)
        # The trace of the bone that is chosen, through all frames.
        bone = self.page.get_by_label("Bone to look at")
        bone.select_option(label="wrist.L")
        joint = int(bone.input_value())
        path_of = np.array(self.page.evaluate(TRACE))
        for frame in (0, 31, len(path_of) - 1):
            np.testing.assert_allclose(path_of[frame], self.places(frame)[joint], atol=1e-4)
        graph = self.page.get_by_role("img", name="wrist.L, height")
        expect(graph).to_be_visible()
        height = round(100 * self.places(60)[joint][1])
        expect(self.page.locator(".numbers b")).to_have_text(f"{height} cm")
        # Beyond the clip there is nothing.
        self.page.keyboard.press("Home")
        self.page.wait_for_function(f"() => ({LINES})(0) === null")
        self.assertIsNotNone(self.page.evaluate(LINES, 1))
        for key in "ij":
            self.page.keyboard.press(key)
        self.page.wait_for_function("() => !armuto.stage.source('neighbour 0')")
        self.assertIsNone(self.page.evaluate(TRACE))
        for label in ("speed", "bend"):
            self.page.keyboard.press("y")
            expect(self.page.get_by_role("img", name=f"wrist.L, {label}")).to_be_visible()
        self.page.keyboard.press("y")
        expect(graph).to_have_count(0)

    def test_a_range_is_repeated_and_kept(self) -> None:
        fitting = Fitting.objects.get(character__name="porter").pk
        for path in (f"/fittings/{fitting}?leaf=transfer&", f"/review/{Rendition.objects.get(clip__name='bow').pk}?"):
            with self.subTest(path):
                self.open(f"{path}frame=30")
                self.at(30)
                self.page.keyboard.press("[")
                for _ in range(4):
                    self.page.keyboard.press("ArrowRight")
                self.page.keyboard.press("]")
                self.page.wait_for_url("**range=30-34**")
                self.page.reload()
                self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
                expect(self.page.get_by_role("slider", name="First frame of the range")).to_have_attribute(
                    "aria-valuenow", "30"
                )
                self.page.keyboard.press("Home")
                self.at(30)
                # All frames that are drawn while it is played go round within the range.
                self.page.evaluate(
                    "() => { window.seen = new Set(); const draw = armuto.stage.draw.bind(armuto.stage);"
                    "armuto.stage.draw = () => { seen.add(armuto.stage.frame); draw() } }"
                )
                self.page.keyboard.press("Space")
                self.page.wait_for_function("() => [30, 31, 32, 33, 34].filter(n => seen.has(n)).length > 2")
                self.page.wait_for_timeout(500)
                self.page.keyboard.press("Space")
                self.assertLessEqual(set(self.page.evaluate("() => [...seen]")), {30, 31, 32, 33, 34})
                edge = self.page.get_by_role("slider", name="Last frame of the range")
                edge.focus()
                self.page.keyboard.press("PageUp")
                expect(edge).to_have_attribute("aria-valuenow", "44")
                self.page.keyboard.press("z")
                expect(edge).to_have_count(0)
                self.page.keyboard.press("i")
                self.page.wait_for_function("() => armuto.stage.source('neighbour 5')")
                self.page.keyboard.press("i")
                self.page.wait_for_url(lambda url: "range=" not in url)
