"""Characters that perform live in the Cast: chosen, watched, recorded, and taken into the library."""

import re

from playwright.sync_api import expect

from armuto.tests.files import DEMO, PORTER, WALK
from standins.live_stage import LiveBehaviour, live_stage
from studio.cast.models import Character
from studio.library.models import Clip
from studio.tests.browser.reach import hindrances
from studio.tests.browser.studio_case import LONG, StudioCase
from studio.tests.live_server import live_server
from studio.tests.snapshots import take_in_once

MOVED = """([key, before]) => {
    const now = window.armuto?.stage?.positions()[key]
    return now && Math.max(...now.map((at, n) => Math.hypot(...at.map((x, k) => x - before[n][k])))) > 0.02
}"""


class LiveInTheCast(StudioCase):
    def setUp(self):
        super().setUp()
        served = live_server()
        self.host = served.__enter__()
        self.addCleanup(served.__exit__, None, None, None)
        self.behaviour = LiveBehaviour(performers=2, fps=30.0, lose=0.02)
        self.stage = live_stage(self.behaviour)
        self.address = self.stage.__enter__()
        self.addCleanup(lambda: self.stage and self.stage.__exit__(None, None, None))
        take_in_once(PORTER, DEMO / "bellringer.glb", WALK)

    def go(self, path: str):
        self.page.goto(f"http://{self.host}{path}")

    def moves(self, key: str):
        """Whether a figure performs, standing on the floor."""
        self.page.wait_for_function("key => window.armuto?.stage?.figure(key)", arg=key, timeout=LONG)
        before = self.joints(key)
        self.page.wait_for_function(MOVED, arg=[key, before], timeout=LONG)
        lowest = min(y for _, y, _ in self.joints(key))
        self.assertTrue(-0.03 < lowest < 0.2, lowest)

    def test_from_the_cast_to_a_take_in_the_library(self):
        page = self.page
        porter, bellringer = (Character.objects.get(name=name).pk for name in ("porter", "bellringer"))
        self.go("/cast")
        page.get_by_role("link", name="Live", exact=True).press("Enter")
        expect(page.get_by_text("A stage streams motion while it is captured.")).to_be_visible()
        page.get_by_label("Its address").fill(self.address)
        page.get_by_role("button", name="Connect").press("Enter")
        expect(page.get_by_text("Stage of the north gallery")).to_be_visible()
        expect(page.get_by_text("Nobody performs yet")).to_be_visible()
        chosen = page.get_by_role("combobox", name="Who performs what Ines does")
        chosen.select_option("porter")
        self.moves(f"character {porter}")
        ines = page.get_by_role("region", name="Ines")
        expect(ines.get_by_role("link", name="fitting")).to_be_visible(timeout=LONG)
        expect(ines.get_by_text(re.compile(r"^\d+ ms$"))).to_be_visible()
        page.get_by_role("combobox", name="Who performs what Tove does").select_option("bellringer")
        self.moves(f"character {bellringer}")
        # A reload, and whoever is sent the link, come to the same.
        page.wait_for_url(f"**roles={porter}.0,{bellringer}.1*")
        page.reload()
        self.moves(f"character {bellringer}")
        page.locator("canvas").first.focus()
        page.keyboard.press("w")
        expect(page.get_by_role("button", name="On the spot")).to_have_attribute("aria-pressed", "true")
        page.keyboard.press("r")
        expect(page.get_by_text(re.compile(r"recording, [1-9]\d* s"))).to_be_visible(timeout=LONG)
        page.keyboard.press("r")
        kept = page.get_by_role("region", name="Takes that were kept")
        expect(kept.get_by_role("listitem")).to_have_count(2, timeout=LONG)
        expect(kept.get_by_text("Ines take 01")).to_be_visible()
        self.assertEqual(hindrances(page, self.size), [])
        page.get_by_role("button", name="let go of bellringer").press("Enter")
        expect(page.get_by_role("button", name="let go of bellringer")).to_be_hidden()
        # The stage goes away, and that is said.
        stage, self.stage = self.stage, None
        stage.__exit__(None, None, None)
        expect(page.get_by_role("alert")).to_contain_text("it is asked again", timeout=LONG)
        kept.get_by_role("link", name="Intake").press("Enter")
        page.get_by_role("button", name="Accept 2 clips").press("Enter")
        expect(page.get_by_text("The intake has been accepted.")).to_be_visible(timeout=LONG)
        names = {clip.name for clip in Clip.objects.all()}
        self.assertEqual(names, {"walk", "Ines take 01", "Tove take 01"})
        takes = Clip.objects.exclude(name="walk")
        self.assertEqual({clip.skeleton_id for clip in takes}, {Clip.objects.get(name="walk").skeleton_id})
        self.go("/library/sources")
        expect(page.get_by_role("row", name="Ines take 01 came in")).to_be_visible()
        page.get_by_role("link", name="Perform live").press("Enter")
        expect(page.get_by_role("heading", name="Live")).to_be_visible()
