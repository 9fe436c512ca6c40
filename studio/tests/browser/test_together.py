"""Two people at one fitting: each sees what the other does, and neither writes over it."""

import json

from django.test import Client
from playwright.sync_api import expect

from studio.cast.models import Character
from studio.fittings.models import Fitting
from studio.library.models import Clip
from studio.patterns.models import Pattern
from studio.tests.browser.fitting_case import STRIKER, FittingCase


class Together(FittingCase):
    def setUp(self) -> None:
        super().setUp()
        self.open(STRIKER)
        self.pause()
        self.fitting = Fitting.objects.get()

    def somebody_else(self, op: str, key: str) -> None:
        body = {"op": op, "keys": [key], "mirror": False, "add": False}
        answer = Client(headers={"Armuto-Session": "bert"}).post(
            f"/api/fittings/{self.fitting.pk}/edits", json.dumps(body), content_type="application/json"
        )
        self.assertEqual(answer.status_code, 200, answer.content)

    def pair(self, key: str) -> dict | None:
        fitting = Client().get(f"/api/fittings/{self.fitting.pk}").json()
        return next((pair for pair in fitting["pairs"] if pair["key"] == key), None)

    def test_what_another_does_is_seen_and_kept(self) -> None:
        hips = self.page.locator('[data-id="source Hips"]')
        self.changed(lambda: self.somebody_else("confirm", "hips"))
        expect(self.page.get_by_text("Somebody else has changed this fitting: confirmed hips.")).to_be_visible()
        expect(hips).to_have_attribute("aria-label", "Hips, hips, paired with 001, confirmed")
        # Undo is for one's own steps, of which there is none yet.
        undo = self.page.get_by_role("button", name="Undo")
        expect(undo).to_be_disabled()
        self.page.locator('[data-id="source Spine"]').focus()
        self.changed(lambda: self.page.keyboard.press("c"))
        expect(undo).to_be_enabled()
        self.changed(lambda: self.page.keyboard.press("Control+z"))
        self.assertEqual((self.pair("spine")["confirmed"], self.pair("hips")["confirmed"]), (False, True))

    def test_the_same_changed_by_both_is_asked_about(self) -> None:
        # This window is not looked at, so that it does not hear of the other in time.
        self.page.evaluate("Object.defineProperty(document, 'hidden', { get: () => true })")
        self.somebody_else("confirm", "hips")
        self.page.locator('[data-id="source Hips"]').focus()
        self.changed(lambda: self.page.keyboard.press("x"))
        expect(self.page.get_by_text("Somebody else has changed the pair “hips” since")).to_be_visible()
        self.assertTrue(self.pair("hips")["confirmed"])
        expect(self.page.locator('[data-id="source Hips"]')).to_have_attribute(
            "aria-label", "Hips, hips, paired with 001, confirmed"
        )
        self.changed(lambda: self.page.get_by_role("button", name="Apply again").click())
        self.assertIsNone(self.pair("hips"))
        self.console.clear()  # the browser notes the 409

    def test_a_pattern_that_another_has_changed_is_removed_once_that_is_said_again(self) -> None:
        pattern = Pattern.objects.order_by("name", "id")[0]
        self.go("/fittings/patterns")
        self.page.get_by_role("list", name="Patterns").get_by_role("button", name=pattern.name).click()
        # What is typed stays, and so does the version that it was typed on.
        about = self.page.get_by_label("What it is for")
        about.fill("what the left hand does")
        self.changes(f"/api/patterns/{pattern.pk}", about="what the right hand does")
        self.page.get_by_role("button", name="Remove").click()
        expect(self.page.get_by_text("Somebody else has changed").first).to_be_visible()
        self.assertTrue(Pattern.objects.filter(pk=pattern.pk).exists())
        expect(about).to_have_value("what the left hand does")
        self.page.get_by_role("button", name="Apply again").click()
        expect(self.page.get_by_text(f"The pattern “{pattern.name}” was removed.")).to_be_visible()
        self.assertFalse(Pattern.objects.filter(pk=pattern.pk).exists())
        self.console.clear()  # the browser notes the 409

    def changes(self, path: str, **fields: object) -> None:
        answer = Client().patch(path, json.dumps(fields), content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)

    def test_what_another_does_to_clips_and_characters_is_seen_and_asked_about(self) -> None:
        clip, character = Clip.objects.get(), Character.objects.get()
        path = f"/api/library/clips/{clip.pk}"
        self.go(f"/library/clips/{clip.pk}")
        self.page.get_by_role("tab", name="About").click()
        name = self.page.get_by_label("Name of the clip")
        expect(name).to_have_value(clip.name)
        self.changes(path, name="first round", tag=["lantern"])
        expect(name).to_have_value("first round")
        expect(self.page.get_by_label("Take out tag lantern")).to_be_visible()
        # While one types, the other's waits; then it is asked whose stays.
        name.fill("second round")
        self.changes(path, name="third round", tag=["ladder"])
        expect(self.page.get_by_label("Take out tag ladder")).to_be_visible()
        expect(name).to_have_value("second round")
        name.press("Enter")
        expect(self.page.get_by_text("Somebody else has named this “third round” since")).to_be_visible()
        expect(name).to_have_value("third round")
        self.page.get_by_role("button", name="Apply again").click()
        expect(name).to_have_value("second round")
        self.assertEqual(Clip.objects.get().name, "second round")
        # A range on which nobody draws follows the other's.
        self.changes(path, first=7)
        expect(self.page.get_by_text("kept 7 to")).to_be_visible()
        self.nav("Cast")
        self.changes(f"/api/cast/{character.pk}", name="night porter")
        expect(self.page.locator(".label", has_text="night porter")).to_be_visible()
        self.nav("Library")
        self.changes(path, name="fourth round")
        expect(self.page.get_by_text("fourth round")).to_be_visible()
        self.console.clear()  # the browser notes the 409
