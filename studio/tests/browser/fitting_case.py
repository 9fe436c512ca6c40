"""A live studio with a fitting open: what tests of its leaves share."""

import numpy as np
from playwright.sync_api import expect

from armuto.tests.files import BOW, DEMO
from studio.tests.browser.studio_case import StudioCase
from studio.tests.snapshots import take_in_once

STRIKER = DEMO / "striker.glb"


class FittingCase(StudioCase):
    def open(self, figure, clip=BOW, *more):
        # How files come in by the page is tested where that is the matter.
        take_in_once(clip, figure, *more)
        self.go("/library")
        card = self.page.locator(".clip", has_text=clip.stem)
        card.get_by_role("button", name=f"See it on {figure.stem}").click()
        self.ready()

    def ready(self):
        self.page.wait_for_function(
            "() => window.armuto?.stage?.figure('character')?.frames > 1 && window.armuto.stage.positions().source"
        )
        expect(self.page.locator("#leaf > *").first).to_be_visible()

    def pause(self):
        pause = self.page.get_by_role("button", name="Pause")
        if pause.is_visible():
            pause.click()

    def step_to(self, frame: int):
        """Pause, and step to a frame by the keyboard, so that the view stands there, too."""
        self.pause()
        self.page.locator("canvas").first.focus()
        self.page.keyboard.press("Home")
        for _ in range(frame):
            self.page.keyboard.press("ArrowRight")
        self.page.wait_for_function("frame => window.armuto.stage.frame === frame", arg=frame)

    def hold(self, frame=60):
        """Pause, and stand at a busy frame."""
        self.pause()
        self.page.evaluate("frame => window.armuto.stage.setFrame(frame)", frame)

    def changed(self, act):
        """Do something that changes the fitting, and wait until the figure shows it."""
        was = self.page.evaluate("window.armuto.shown ?? null")
        act()
        self.page.wait_for_function("was => window.armuto.shown && window.armuto.shown !== was", arg=was)

    def check_pose(self, want: np.ndarray, atol: float = 1e-4):
        """The figure stands as the core has it, once the whole clip has been fetched again behind the last change."""
        for _ in range(40):
            frame, joints = self.page.evaluate(
                "() => [window.armuto.stage.frame, window.armuto.stage.positions().character]"
            )
            here = np.array(joints) - np.array(joints[0])
            if np.abs(here - want[frame]).max() < atol:
                break
            self.page.wait_for_timeout(250)
        np.testing.assert_allclose(here, want[frame], atol=atol)
