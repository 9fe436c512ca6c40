"""Evidence where it is used, and overruled there: floors and axes of clips, hinges in the stance, findings in the
review."""

import json

import numpy as np
from playwright.sync_api import expect

from armuto.formats import bvh
from armuto.tests import rests
from armuto.tests.files import DEMO, WALK, clip_of
from studio.ingest.services.reading import take_in
from studio.library.models import Clip
from studio.renditions.models import Rendition
from studio.tests.browser.fitting_case import FittingCase
from studio.tests.browser.studio_case import StudioCase

PORTER = DEMO / "porter.glb"
SWEEP = DEMO / "hall" / "sweep.bvh"


class Floors(StudioCase):
    def test_a_rest_that_is_none_and_a_floor_at_intake_and_on_the_clips_page(self):
        made = rests.rested(clip_of(WALK), np.random.default_rng(3), "one axis")
        path = self.folder / "night_walk.bvh"
        path.write_bytes(bvh.serialise(bvh.from_clip(made, None, 1.0)))
        self.go("/library/intake")
        self.choose_files("Bring in motion", path)
        row = self.page.locator(".item")
        row.get_by_role("button", name="rest: from the motion").click()
        why = self.page.locator(".why:visible")
        expect(why).to_contain_text("lays all bones along one line")
        row.get_by_role("button", name="rest: from the motion").click()
        expect(why).to_have_count(0)
        row.get_by_role("button", name="floor: ").click()
        expect(why).to_contain_text("No other clip of this skeleton tells how thick its soles are")
        why.get_by_role("button", name="at zero").click()
        expect(row.get_by_role("button", name="floor: 0.0 cm")).to_have_class("plain fact told")
        self.page.get_by_role("button", name="Undo", exact=True).click()
        expect(row.get_by_role("button", name="floor: 0.0 cm")).not_to_have_class("plain fact told")
        self.page.get_by_role("button", name="Accept 1 clip").click()
        expect(self.page.get_by_text("The intake has been accepted.")).to_be_visible()
        clip = Clip.objects.get()
        self.go(f"/library/clips/{clip.pk}")
        self.page.get_by_role("tab", name="About").click()
        field = self.page.get_by_label("Height of the floor, centimetres")
        field.fill("4,5")
        field.press("Enter")
        expect(self.page.get_by_role("button", name="at: 4.5 cm")).to_be_visible()
        clip.refresh_from_db()
        self.assertAlmostEqual(clip.floor, 0.045)
        field.fill("deep")
        field.press("Enter")
        expect(field).to_have_value("4.5")
        self.page.get_by_role("button", name="at: 4.5 cm").click()
        self.page.locator(".why:visible").get_by_role("button", name="as measured").click()
        expect(self.page.get_by_role("button", name="at: 0.0 cm")).to_be_visible()
        # Another axis: the file waits in the intake, and the clip stays.
        self.page.get_by_role("button", name="was: +").click()
        self.page.locator(".why:visible").get_by_role("button", name="+Z", exact=True).click()
        self.page.get_by_text("To the intake").click()
        expect(self.page.locator(".item").get_by_role("button", name="up: +Z")).to_be_visible()


class Hinges(FittingCase):
    def test_the_roll_is_told_by_motion_or_by_the_rest(self):
        self.open(PORTER, SWEEP)
        self.page.get_by_role("tab", name="Stance").click()
        row = self.page.locator("button.row", has_text="left upper arm")
        expect(row).to_contain_text("% sure")
        group = self.page.get_by_role("group", name="What the roll of limbs is taken from")
        expect(group.get_by_role("button", name="how limbs bend in motion")).to_have_attribute("aria-pressed", "true")
        self.changed(lambda: group.get_by_role("button", name="at rest").click())
        expect(group.get_by_role("button", name="at rest")).to_have_attribute("aria-pressed", "true")
        expect(row.locator(".hinge")).to_have_count(0)
        self.page.keyboard.press("Control+z")
        expect(group.get_by_role("button", name="how limbs bend in motion")).to_have_attribute("aria-pressed", "true")


class Findings(FittingCase):
    def test_swapped_legs_are_wrong_and_shown_in_the_leaf_and_the_review(self):
        self.open(PORTER, WALK)
        fitting = self.page.url.split("/fittings/")[1].split("?")[0]
        keys = [f"{side} {kind}" for side in ("left", "right") for kind in ("upper leg", "lower leg", "foot", "toes")]
        body = json.dumps({"op": "swap", "keys": keys})
        answer = self.client.post(f"/api/fittings/{fitting}/edits", body, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.page.reload()
        self.ready()
        self.page.get_by_role("tab", name="Transfer").click()
        finding = self.page.locator(".findings li", has_text="turned against each other").or_(
            self.page.locator(".findings li", has_text="away from where the source's")
        )
        expect(finding.first).to_be_visible()
        self.page.get_by_role("button", name="Transfer to porter").click()
        expect(self.page.get_by_role("button", name="Transfer to porter")).to_have_count(0)
        for _ in range(200):
            row = Rendition.objects.exclude(newest=None).select_related("newest").first()
            if row is not None:
                break
            self.page.wait_for_timeout(200)
        self.assertEqual(row.newest.grade, "wrong")
        self.go(f"/review/{row.pk}")
        shown = self.page.get_by_role("list", name="Findings").get_by_role("button", name="show me").first
        shown.click()
        expect(self.page.get_by_role("button", name="Over each other")).to_have_attribute("aria-pressed", "true")


class Taken(StudioCase):
    def test_nothing_is_said_of_a_rest_that_is_a_posture(self):
        take_in(WALK.read_bytes(), WALK.name)
        self.go(f"/library/clips/{Clip.objects.get().pk}")
        self.page.get_by_role("tab", name="About").click()
        expect(self.page.get_by_role("button", name="at: 0.0 cm")).to_be_visible()
        self.page.get_by_role("button", name="was: +Y").click()
        expect(self.page.locator(".why:visible")).not_to_contain_text("rest pose")
