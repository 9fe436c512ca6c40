"""Two people at one fitting: each sees what the other does, and neither writes over it."""

import json

from django.test import Client
from playwright.sync_api import expect

from studio.fittings.models import Fitting
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
