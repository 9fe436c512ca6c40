"""Touch-ups in the browser: a hand drawn to a place, its key moved, transferred and delivered; and by keys alone."""

import io
import zipfile

import numpy as np
from django.test import Client
from playwright.sync_api import expect

from armuto import formats
from armuto.tests.files import BOW, PORTER
from studio.fittings.models import Fitting
from studio.renditions.models import Rendition
from studio.tests.browser.fitting_case import FittingCase

FRAME = 40


class TouchUps(FittingCase):
    def open(self, figure=PORTER, clip=BOW):
        super().open(figure, clip)
        self.step_to(FRAME)
        self.page.get_by_role("tab", name="Touch up").click()
        expect(self.page.get_by_text("Nothing is touched up yet.")).to_be_visible()
        self.index = formats.read(figure.read_bytes(), figure.name).skeleton.index
        self.hand = self.index["wrist.L"]
        self.fitting = Fitting.objects.get()
        self.clip = self.page.evaluate("() => fetch('/api/library/clips').then((answer) => answer.json())")[0]["id"]

    def place(self, frame: int | None = None) -> np.ndarray:
        """Where the hand is on the stage, in a frame of the clip."""
        return np.array(
            self.page.evaluate(
                """([joint, frame]) => {
                    const { stage } = window.armuto
                    const at = stage.frame
                    if (frame !== null) stage.setFrame(frame)
                    const place = stage.positions().character[joint]
                    if (frame !== null) stage.setFrame(at)
                    return place
                }""",
                [self.hand, frame],
            )
        )

    def layers(self) -> list[dict]:
        path = f"/api/fittings/{self.fitting.pk}/touchups/{self.clip}"
        return self.page.evaluate("path => fetch(path).then((answer) => answer.json())", path)["layers"]

    def keys(self) -> list[float]:
        return [key["frame"] for layer in self.layers() for touchup in layer["touchups"] for key in touchup["keys"]]

    def shows_clip(self, want: np.ndarray, frame: int):
        """The whole clip has come behind the last change."""
        for _ in range(60):
            if np.abs(self.place(frame) - want).max() < 1e-4:
                return
            self.page.wait_for_timeout(250)
        np.testing.assert_allclose(self.place(frame), want, atol=1e-4)

    def test_a_hand_is_drawn_to_its_place_and_stays_there_until_it_is_delivered(self):
        self.open()
        before = {frame: self.place(frame) for frame in (0, 20, FRAME, 60)}
        x, y = self.page.evaluate(
            "joint => { const { x, y } = window.armuto.stage.ringAt('character', joint); return [x, y] }", self.hand
        )
        self.page.mouse.click(x, y)
        choice = self.page.locator(".rings, .menu").get_by_text("left hand")
        if choice.count():
            choice.first.click()
        expect(self.page.get_by_label("Bone to touch up")).to_have_value("wrist.L")
        grip = self.page.locator("[data-handle]")
        box = self.box_at_rest(grip)
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 20, y - 30, steps=4)
        # While it is drawn the hand is under the pointer, and nothing is kept yet.
        self.page.wait_for_function(
            """([joint, x, y]) => {
                const at = window.armuto.stage.ringAt('character', joint)
                return Math.hypot(at.x - x, at.y - y) < 2.5
            }""",
            arg=[self.hand, x + 20, y - 30],
        )
        self.assertEqual(self.layers(), [])
        self.changed(self.page.mouse.up)
        (layer,) = self.layers()
        (touchup,) = layer["touchups"]
        (key,) = touchup["keys"]
        self.assertEqual((touchup["channel"], touchup["part"], key["frame"]), ("place", "left hand", FRAME))
        drawn = before[FRAME] + key["value"]
        self.assertGreater(np.linalg.norm(key["value"]), 0.05)
        np.testing.assert_allclose(self.place(), drawn, atol=0.002)
        self.shows_clip(drawn, FRAME)
        for frame in (0, 20, 60):
            np.testing.assert_allclose(self.place(frame), before[frame], atol=1e-4)

        # The key is moved on the strip, taken back and made again.
        ring = self.box_at_rest(self.page.locator("[data-key='0.0'] .target"))
        x, y = ring["x"] + ring["width"] / 2, ring["y"] + ring["height"] / 2
        width = self.box_at_rest(self.page.locator(".strip svg"))["width"] - 48
        frames = self.page.evaluate("() => window.armuto.stage.figure('character').frames")
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 10 * width / (frames - 1), y, steps=5)
        self.changed(self.page.mouse.up)
        self.assertEqual(self.keys(), [FRAME + 10.0])
        self.changed(lambda: self.page.get_by_role("button", name="Undo", exact=True).click())
        self.assertEqual(self.keys(), [float(FRAME)])
        self.changed(lambda: self.page.get_by_role("button", name="Redo", exact=True).click())
        self.changed(lambda: self.page.get_by_role("button", name="Undo", exact=True).click())
        self.page.reload()
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.page.get_by_role("tab", name="Touch up").click()
        expect(self.page.locator("[data-key='0.0']")).to_be_attached()
        self.shows_clip(drawn, FRAME)

        # Transferred, and transferred anew, it is there; and so it is in what is delivered.
        self.page.get_by_role("button", name="Transfer to porter").click()
        expect(self.page.get_by_role("link", name="Review")).to_be_visible()
        client = Client()
        cells = [[self.clip, self.fitting.character_id]]
        made = client.post("/api/deliveries/", {"cells": cells, "name": "night"}, content_type="application/json")
        self.assertEqual(made.status_code, 201, made.content)
        content = b"".join(client.get(f"/api/deliveries/{made.json()['id']}/archive").streaming_content)
        with zipfile.ZipFile(io.BytesIO(content)) as archive:
            name = next(name for name in archive.namelist() if name.endswith(".glb"))
            delivered = formats.read(archive.read(name), "porter.glb")
        at = delivered.clips[0].world().positions[FRAME, delivered.skeleton.index["wrist.L"]]
        place = self.page.evaluate("() => window.armuto.stage.placeOf('character')")
        np.testing.assert_allclose(at + [place["x"], 0.0, place["z"]], drawn, atol=0.002)
        self.assertEqual(Rendition.objects.get().newest.touchups["layers"][0]["name"], layer["name"])

        # From its review into the touch-ups, and back at the same frame.
        self.page.get_by_role("link", name="Review").click()
        self.page.wait_for_url("**/review/*")
        self.page.wait_for_function("() => window.armuto?.stage?.frame !== undefined")
        expect(self.page.get_by_role("button", name="Accept")).to_be_enabled()
        self.page.keyboard.press("u")
        self.page.wait_for_url("**/fittings/*leaf=touchup*")
        expect(self.page.get_by_role("tab", name="Touch up")).to_have_attribute("aria-selected", "true")
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.step_to(30)
        self.page.keyboard.press("r")
        self.page.wait_for_url("**/review/*frame=30")

    def test_the_whole_way_by_keys(self):
        self.open()
        before = self.place()
        keyboard = self.page.keyboard
        self.page.get_by_label("Bone to touch up").focus()
        keyboard.type("left hand")
        expect(self.page.get_by_label("Bone to touch up")).to_have_value("wrist.L")
        field = self.page.get_by_label("Move up, centimetres")
        field.focus()
        keyboard.type("6,5")
        self.changed(lambda: keyboard.press("Enter"))
        np.testing.assert_allclose(self.place() - before, [0, 0.065, 0], atol=0.002)
        self.changed(lambda: keyboard.press("ArrowUp"))
        np.testing.assert_allclose(self.place() - before, [0, 0.075, 0], atol=0.002)
        turning = self.page.get_by_label("Turn about up, degrees")
        self.page.get_by_role("group", name="Axes of").get_by_text("World").focus()
        keyboard.press("Enter")
        turning.focus()
        keyboard.type("20")
        self.changed(lambda: keyboard.press("Enter"))
        (touchup,) = self.layers()[0]["touchups"]
        np.testing.assert_allclose(touchup["keys"][0]["turn"], [0, 20, 0], atol=0.1)
        # The key itself: on by ten frames, copied to the playhead, mirrored, removed.
        self.page.locator("[data-key='0.0']").focus()
        keyboard.press("Enter")
        self.changed(lambda: keyboard.press("Shift+ArrowRight"))
        self.assertEqual(self.keys(), [FRAME + 10.0])
        self.page.locator("[data-key='0.0']").focus()
        self.changed(lambda: keyboard.press("v"))
        self.assertEqual(self.keys(), [float(FRAME), FRAME + 10.0])
        self.changed(lambda: keyboard.press("t"))
        self.assertEqual([row["part"] for row in self.layers()[0]["touchups"]], ["left hand", "right hand"])
        self.changed(lambda: keyboard.press("Control+z"))
        self.changed(lambda: keyboard.press("l"))
        self.assertFalse(self.layers()[0]["on"])
        np.testing.assert_allclose(self.place(), before, atol=1e-4)
        self.changed(lambda: keyboard.press("Control+z"))
        # Its weight by keys of it, the first where the playhead is: lower, later, then together with the others.
        self.page.get_by_role("button", name="Key weight").focus()
        self.changed(lambda: keyboard.press("Enter"))
        weight = self.page.locator("[data-key='-1.0']")
        weight.focus()
        self.changed(lambda: keyboard.press("Shift+ArrowDown"))
        weight.focus()
        self.changed(lambda: keyboard.press("ArrowRight"))
        self.assertEqual(self.layers()[0]["weight"], [{"frame": FRAME + 1.0, "value": 0.75}])
        weight.focus()
        keyboard.press("Control+a")
        self.changed(lambda: keyboard.press("ArrowRight"))
        self.assertEqual(self.layers()[0]["weight"], [{"frame": FRAME + 2.0, "value": 0.75}])
        self.assertEqual(self.keys(), [FRAME + 1.0, FRAME + 11.0])
        for _ in range(4):
            self.changed(lambda: keyboard.press("Control+z"))
        keyboard.press("Escape")
        self.page.locator("[data-key='0.0']").focus()
        self.changed(lambda: keyboard.press("Delete"))
        self.assertEqual(self.keys(), [FRAME + 10.0])
        # By night the stage is opened anew, with what is touched on it.
        self.page.get_by_role("button", name="Night").click()
        self.page.wait_for_function("() => window.armuto.stage.positions().untouched")
