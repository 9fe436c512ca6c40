"""The first visit: an empty studio is tried with the museum's figures, and a note at a time says what is where."""

import shutil
import tempfile
from pathlib import Path

from playwright.sync_api import expect

from armuto.tests.files import DEMO
from studio.cast.models import Character
from studio.library.models import Clip, Skeleton
from studio.tests.browser.full_studio import FullStudio
from studio.tests.browser.studio_case import StudioCase

RING = """() => {
    const ring = document.querySelector('.steps .ring')?.getBoundingClientRect()
    return ring && document.elementFromPoint(ring.x + ring.width / 2, ring.y + ring.height / 2)
        .closest('button, a, [role]')?.textContent.trim()
}"""


class EmptyStudio(StudioCase):
    def test_it_is_tried_with_the_museums_figures(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        for name in ("hall/bow.bvh", "gallery/greet.glb", "fox.glb"):
            to = Path(folder.name) / name
            to.parent.mkdir(exist_ok=True)
            shutil.copy(DEMO / name, to)
        with self.settings(DEMO_FILES=folder.name):
            self.go("/cast")
            expect(self.page.get_by_text("Nobody is in the cast yet")).to_be_visible()
            self.page.get_by_role("button", name="Try with the museum's figures").click()
            expect(self.page.locator(".label", has_text="fox")).to_be_visible()
            self.nav("Library")
            expect(self.page.locator(".clip")).to_have_count(2)
            self.assertEqual(set(Clip.objects.values_list("name", flat=True)), {"bow", "greet"})
            # Skeletons are called after the halls that their clips lie in.
            names = set(Skeleton.objects.filter(clips__isnull=False).values_list("name", flat=True))
            self.assertEqual(names, {"hall", "gallery"})
            self.assertEqual(Character.objects.get().name, "fox")
            # They are for an empty studio.
            answer = self.page.evaluate(
                "async () => { const token = document.cookie.match(/armuto_csrf=([^;]+)/)?.[1] ?? '';"
                "const answer = await fetch('/api/arrivals/museum', {method: 'POST', headers: {'X-CSRFToken': token}});"
                "return [answer.status, (await answer.json()).detail] }"
            )
            self.assertEqual(answer[0], 422)
            self.assertIn("not empty any more", answer[1])
        self.console.clear()  # the refusal that was asked for


class FirstSteps(FullStudio):
    def test_a_note_at_a_time_until_they_are_put_away(self) -> None:
        notes = self.page.get_by_role("complementary", name="First steps")
        self.go("/library")
        expect(self.page.locator(".clip").first).to_be_visible()
        expect(notes).to_have_count(0)  # put away for all tests but this
        self.page.keyboard.press("?")
        self.page.get_by_role("button", name="Show the first steps again").click()
        expect(notes).to_contain_text("See it on")
        self.page.wait_for_function(f"() => ({RING})()?.startsWith('See it on')")
        notes.get_by_role("button", name="I see").click()
        expect(notes).to_have_count(0)
        self.page.get_by_role("button", name="See it on").first.click()
        self.page.get_by_role("listitem").filter(has_text="porter").click()
        expect(notes).to_contain_text("which bone follows which")
        self.page.wait_for_function(f"() => ({RING})() === 'Pair'")
        self.fits()
        notes.get_by_role("button", name="I see").click()
        expect(notes).to_contain_text("transfer it")
        self.page.wait_for_function(f"() => ({RING})()?.startsWith('Transfer')")
        # Along the links from one to the next; what was read does not come back.
        for link, begins in (("board", "Every clip"), ("review", "The worst"), ("delivery", "What is accepted")):
            notes.get_by_role("link", name=f"On to the {link}").click()
            expect(notes).to_contain_text(begins)
            self.page.wait_for_selector(".steps .ring")
            self.fits()
        notes.get_by_role("button", name="I see").click()
        expect(notes).to_have_count(0)
        self.nav("Board")
        expect(self.page.get_by_role("grid")).to_be_visible()
        expect(notes).to_have_count(0)
        # Put away they stay away.
        self.page.keyboard.press("Control+k")
        self.page.get_by_label("Find a clip").fill("first steps")
        self.page.keyboard.press("Enter")
        expect(notes).to_contain_text("Every clip")
        notes.get_by_role("button", name="Put these away").click()
        expect(notes).to_have_count(0)
        self.page.reload()
        expect(self.page.get_by_role("grid")).to_be_visible()
        self.nav("Library")
        expect(self.page.locator(".clip").first).to_be_visible()
        expect(notes).to_have_count(0)

    def fits(self) -> None:
        """With the note nothing is pushed out of the window, at any size there is."""
        for width, height in ((1280, 800), (1024, 768)):
            self.page.set_viewport_size({"width": width, "height": height})
            self.page.wait_for_timeout(100)
            over = self.page.evaluate(
                "() => { const root = document.documentElement;"
                "return [root.scrollWidth - innerWidth, root.scrollHeight - innerHeight] }"
            )
            self.assertLessEqual(max(over), 0, (width, self.page.url))
        self.page.set_viewport_size({"width": 1280, "height": 800})
