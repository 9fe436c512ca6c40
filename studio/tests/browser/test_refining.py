"""Refining a clip on its page: what a single camera caught made clean, looped, mirrored, slowed and performed."""

import time
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
from django.test import Client
from playwright.sync_api import expect

from armuto import formats
from armuto.formats import bvh
from armuto.tests.files import BOW, DEMO, PORTER, WALK
from armuto.tests.leaps import leap
from studio.fittings.models import Fitting
from studio.ingest.services.reading import take_in
from studio.library.models import Clip
from studio.renditions.models import Rendition
from studio.renditions.queries import STATES, with_state
from studio.tests.browser.studio_case import PATIENCE, StudioCase

ROUND = DEMO / "camera" / "lantern_round.glb"


class Refining(StudioCase):
    def open(self, clip: Clip):
        self.go(f"/library/clips/{clip.pk}")
        self.page.wait_for_function("() => window.armuto?.stage?.positions().source")
        expect(self.page.get_by_text("Measuring it")).to_have_count(0)

    def kept(self, clip: Clip, holds: Callable[[Clip], bool]) -> Clip:
        """The clip as it is kept, once that holds of it."""
        end = time.monotonic() + PATIENCE / 1000
        while not holds(now := Clip.objects.get(pk=clip.pk)):
            self.assertLess(time.monotonic(), end, now.recipe)
            self.page.wait_for_timeout(100)
        return now

    def steps(self, clip: Clip) -> list[dict]:
        """The steps as they are kept, once there are as many as are shown."""
        count = self.page.locator(".step").count()
        return self.kept(clip, lambda now: len(now.recipe["steps"]) == count).recipe["steps"]

    def row(self, label: str):
        return self.page.get_by_role("listitem", name=label, exact=True)

    def add(self, label: str):
        before = self.page.locator(".step").count()
        self.page.get_by_role("combobox", name="Add a step").fill(label)
        self.page.get_by_role("option", name=label).first.click()
        expect(self.page.locator(".step")).to_have_count(before + 1)

    def test_what_is_proposed_at_intake_and_a_height_that_is_said(self):
        shaky, jumps = DEMO / "camera" / "late_sweep.glb", self.folder / "over_the_rope.bvh"
        jumps.write_bytes(bvh.serialise(bvh.from_clip(leap((0.5,), 1), unit=0.0564)))
        self.go("/library/intake")
        self.choose_files("Bring in motion", shaky, jumps)
        sweep, rope = self.page.locator(".item").first, self.page.locator(".item").last
        rope.get_by_role("button", name="unit: 5.").click()
        why = self.page.locator(".why:visible")
        expect(why).to_contain_text("which falls by 9.8")
        why.get_by_label("or its height, cm").fill("nine")
        why.get_by_role("button", name="Say so").click()
        expect(why.get_by_role("alert")).to_contain_text("Type a number")
        why.get_by_label("or its height, cm").fill("84")
        why.get_by_role("button", name="Say so").click()
        expect(rope.get_by_role("button", name="unit: 2.7")).to_have_class("plain fact told")
        self.page.get_by_role("button", name="Undo", exact=True).click()
        expect(rope.get_by_role("button", name="unit: 5.")).to_be_visible()
        self.page.get_by_role("button", name="Redo", exact=True).click()
        sweep.get_by_role("button", name="refine: 4 proposed").click()
        expect(why).to_contain_text("The floor leans by")
        why.get_by_role("button", name="Take all 4 that mend it").click()
        expect(sweep.get_by_role("button", name="refine: 4 of 5 taken")).to_be_visible()
        why.get_by_role("checkbox", name="Bones change their length").click()
        expect(sweep.get_by_role("button", name="refine: 3 of 5 taken")).to_be_visible()
        self.page.keyboard.press("Escape")
        self.page.get_by_role("button", name="Undo", exact=True).click()
        expect(sweep.get_by_role("button", name="refine: 4 of 5 taken")).to_be_visible()
        self.page.get_by_role("button", name="Accept 2 clips").click()
        expect(self.page.get_by_text("The intake has been accepted.")).to_be_visible()
        clip = Clip.objects.get(name="late sweep")
        kinds = [step["kind"] for step in clip.recipe["steps"]]
        self.assertEqual(kinds, ["spikes", "smooth", "steady", "ground"])
        self.assertEqual(Clip.objects.get(name="over the rope").recipe["steps"], [])
        self.open(clip)
        expect(self.row("Ground")).to_contain_text("lean")

    def test_what_a_camera_caught_is_made_clean_looped_mirrored_slowed_and_performed(self):
        take_in(ROUND.read_bytes(), "lantern round.glb")
        for path in (PORTER, DEMO / "keeper.glb"):
            take_in(path.read_bytes(), path.name)
        clip = Clip.objects.get()
        self.open(clip)
        expect(self.page.get_by_text("The floor leans by")).to_be_visible()
        expect(self.page.get_by_text("It trembles by")).to_be_visible()
        self.page.get_by_role("button", name="Take all").click()
        expect(self.row("Ground")).to_contain_text("drift")
        self.assertLessEqual({"spikes", "smooth", "steady", "ground"}, {step["kind"] for step in self.steps(clip)})
        # Clean, as far as the studio can tell; what is left to propose is a loop.
        expect(self.page.locator(".proposal")).to_have_count(1)
        self.page.locator(".proposal").get_by_role("button", name="Take").click()
        expect(self.row("Loop")).to_contain_text("seam")
        expect(self.page.get_by_role("region", name="Proposed")).to_have_count(0)
        self.steps(clip)
        length = Clip.objects.get(pk=clip.pk).length
        self.add("Mirror")
        mirrored = np.array(self.joints("source"))
        self.page.get_by_role("checkbox", name="Mirror").uncheck()
        self.page.wait_for_function(
            "was => Math.abs(window.armuto.stage.positions().source[10][0] - was) > 0.01", arg=mirrored[10][0]
        )
        self.page.get_by_role("checkbox", name="Mirror").check()
        # Slowed along a curve: keys by double clicks, one of them moved by arrows.
        self.add("Pace")
        curve = self.page.get_by_role("group", name="Curve of the pace")
        box = self.box_at_rest(curve)
        for share, high in ((0.2, 12), (0.8, 50)):
            count = self.page.get_by_role("slider", name="Key of the pace").count()
            self.page.mouse.dblclick(box["x"] + box["width"] * share, box["y"] + high)
            expect(self.page.get_by_role("slider", name="Key of the pace")).to_have_count(count + 1)
        key = self.page.get_by_role("slider", name="Key of the pace").last
        slow = int(key.get_attribute("aria-valuenow"))
        key.focus()
        self.page.keyboard.press("ArrowUp")
        expect(self.page.get_by_role("slider", name="Key of the pace").last).to_have_attribute(
            "aria-valuenow", str(slow + 5)
        )
        self.kept(clip, lambda now: now.length != length)
        self.kept(clip, lambda now: now.recipe["steps"][-1]["keys"][-1][1] == slow + 5)
        # Taken back and made again, across a reload: once the page has the answer, and so the step in its history.
        self.page.wait_for_function(
            "key => JSON.parse(sessionStorage.getItem(key) ?? '[]').at(-1)?.recipe.steps.at(-1).keys?.length === 2",
            arg=f"armuto.clip.{clip.pk}.past",
        )
        self.page.reload()
        expect(self.row("Pace")).to_be_visible()
        self.page.get_by_role("button", name="Undo", exact=True).click()
        expect(self.page.get_by_role("slider", name="Key of the pace").last).to_have_attribute(
            "aria-valuenow", str(slow)
        )
        self.page.get_by_role("button", name="Redo", exact=True).click()
        expect(self.page.get_by_role("slider", name="Key of the pace").last).to_have_attribute(
            "aria-valuenow", str(slow + 5)
        )
        # Kept as a variant, which goes its own way.
        self.page.get_by_role("button", name="Keep as a variant").click()
        self.page.get_by_role("link", name="Open it").click()
        expect(self.page.get_by_role("heading", name="lantern round variant")).to_be_visible()
        variant = Clip.objects.get(name="lantern round variant")
        self.assertEqual(variant.recipe, Clip.objects.get(pk=clip.pk).recipe)
        expect(self.row("Pace")).to_be_visible()
        self.page.get_by_role("button", name="Remove Pace").click()
        expect(self.row("Pace")).to_have_count(0)
        self.assertEqual(len(self.steps(variant)), len(Clip.objects.get(pk=clip.pk).recipe["steps"]) - 1)
        # Performed by two characters; a change afterwards marks exactly what was made of it.
        self.nav("Board")
        self.page.get_by_role("button", name="Sweep all").click()
        self.page.get_by_role("button", name="Transfer 4").click()
        self.kept(clip, lambda _: Rendition.objects.filter(newest__isnull=False).count() == 4)
        self.go(f"/library/clips/{variant.pk}")
        expect(self.row("Mirror")).to_be_visible()
        self.page.get_by_role("checkbox", name="Mirror").uncheck()
        self.kept(variant, lambda now: any(not step.get("on", True) for step in now.recipe["steps"]))
        of_variant = {("lantern round variant", "porter"), ("lantern round variant", "keeper")}
        self.assertEqual(self.out_of_date(), of_variant)
        # An exception changes one cell alone, and is taken back.
        fitting = Fitting.objects.get(character__name="porter")
        self.go(f"/fittings/{fitting.pk}?clip={clip.pk}")
        self.page.get_by_role("tab", name="Transfer").click()
        self.page.get_by_label("What I change is for lantern round alone").check()
        spread = self.page.get_by_label("Spread or tuck, °")
        spread.fill("8")
        spread.press("Enter")
        alone = self.page.get_by_role("region", name="For this clip alone")
        expect(alone).to_contain_text("arms spread")
        self.assertEqual(self.out_of_date(), of_variant | {("lantern round", "porter")})
        self.nav("Board")
        own = self.page.locator(".cell", has_text="settings of its own")
        expect(own).to_have_count(1)
        self.page.get_by_role("button", name="Sweep all").click()
        self.page.get_by_role("button", name="Take them back").click()
        expect(own).to_have_count(0)
        self.page.get_by_role("status").get_by_role("button", name="Undo").click()
        expect(own).to_have_count(1)
        self.page.go_back()
        self.page.get_by_role("tab", name="Transfer").click()
        alone.get_by_role("button", name="Take back arms spread").click()
        expect(alone).not_to_contain_text("arms spread")
        self.assertEqual(self.out_of_date(), of_variant)

    def out_of_date(self) -> set[tuple[str, str]]:
        rows = with_state(Rendition.objects.select_related("clip", "character"))
        return {(row.clip.name, row.character.name) for row in rows if STATES[row.state] == "out of date"}

    def test_a_recipe_for_many_clips(self):
        for path in (WALK, BOW):
            take_in(path.read_bytes(), path.name)
        walk, bow = Clip.objects.get(name="walk"), Clip.objects.get(name="bow")
        self.open(walk)
        self.add("Mirror")
        self.page.get_by_role("button", name="Kept recipes").click()
        kept = self.page.get_by_role("group", name="Kept recipes")
        kept.get_by_label("Name to keep the recipe under").fill("other side")
        kept.get_by_role("button", name="Keep", exact=True).click()
        expect(kept.get_by_text("other side")).to_be_visible()
        with self.page.expect_download() as download:
            kept.get_by_role("link", name="file").click()
        self.assertEqual(
            Path(download.value.path()).read_text(), '{\n "steps": [\n  {\n   "kind": "mirror"\n  }\n ]\n}\n'
        )
        self.page.keyboard.press("Escape")
        self.nav("Library")
        expect(self.page.locator(".clip")).to_have_count(2)
        self.page.keyboard.press("Control+a")
        self.page.get_by_role("button", name="Recipe", exact=True).click()
        self.page.get_by_text("other side").click()
        expect(self.page.get_by_text("2 clips refined by “other side”")).to_be_visible()
        self.assertEqual({len(self.kept(clip, lambda _: True).recipe["steps"]) for clip in (walk, bow)}, {1})
        self.page.get_by_role("button", name="Undo").click()
        self.kept(bow, lambda now: not now.recipe["steps"])

    def test_values_by_hand(self):
        take_in(WALK.read_bytes(), WALK.name)
        clip = Clip.objects.get()
        self.open(clip)
        self.add("Emphasis")
        gesture = self.page.get_by_label("Emphasis, gesture %")
        gesture.press("ArrowUp")
        gesture.press("Shift+ArrowUp")
        expect(gesture).to_have_value("175")
        gesture.press("Enter")
        expect(self.row("Emphasis")).to_contain_text("turning")
        self.kept(clip, lambda now: now.recipe["steps"][0]["quick"] == 175)
        self.row("Emphasis").get_by_role("button", name="every limb").click()
        self.page.get_by_role("group", name="Limbs").get_by_label("left arm").check()
        expect(self.row("Emphasis").get_by_role("button", name="left arm")).to_be_visible()
        self.page.keyboard.press("Escape")
        # A step that cannot be followed is refused in a sentence, and nothing changes.
        self.add("Loop")
        first = self.page.get_by_label("Loop, from")
        first.fill("149")
        first.press("Enter")
        expect(self.page.get_by_text("A loop has at least 4 frames between its ends")).to_be_visible()
        self.console.clear()  # the browser notes the 422
        self.page.get_by_role("button", name="Dismiss").click()
        # The order is changed by keys; the take is looked at and gone back from.
        self.row("Emphasis").get_by_role("button", name="Down").click()
        self.page.wait_for_function("() => document.querySelector('.step').getAttribute('aria-label') === 'Loop'")
        self.page.keyboard.press("t")
        expect(self.page.get_by_role("button", name="Take", exact=True)).to_have_attribute("aria-pressed", "true")
        expect(self.page.get_by_role("button", name="Trim", exact=True)).to_be_visible()
        self.page.keyboard.press("t")
        # Played again, what loops goes on along its path.
        self.page.get_by_role("button", name="Play").click()
        self.page.wait_for_function("() => window.armuto.stage.placeOf('source').z > 0.5")
        self.page.get_by_label("Goes on along its path").uncheck()
        self.page.wait_for_function("() => window.armuto.stage.placeOf('source').z === 0")
        self.page.get_by_role("button", name="Pause").click()
        # A cutoff for the noise of a bone, by the curve of what it takes off.
        self.page.get_by_label("Graph of the bone").select_option("residual")
        residual = self.page.get_by_role("slider", name="Cutoff for")
        box = self.box_at_rest(residual)
        self.page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        cutoff = self.page.get_by_label("Smooth, up to")
        expect(cutoff).to_have_value("6.8")
        residual.press("ArrowRight")  # at once: it is of the same step, whether the studio has answered or not
        expect(cutoff).to_have_value("7.3")
        self.kept(clip, lambda now: [step.get("cutoff") for step in now.recipe["steps"]] == [None, None, 7.3])
        # A bone's graph and its trace, before and after.
        self.page.get_by_label("Bone to look at").select_option(label="RightHand")
        self.page.get_by_label("Graph of the bone").select_option("height")
        expect(self.page.get_by_role("img", name="RightHand, height")).to_be_visible()
        self.page.get_by_label("Trace").check()
        self.page.get_by_label("As it was").check()
        self.page.wait_for_function("() => window.armuto.stage.positions().ghost")

    def test_a_long_take_is_cut_where_its_motion_changes(self):
        files = [DEMO / "hall" / f"{name}.bvh" for name in ("walk", "run")]
        walk, run = (formats.read(path.read_bytes(), path.name).clips[0] for path in files)
        run = run.cut(2, run.frames - 1)
        on = run.translations + (walk.translations[-1:] - run.translations[:1]) * [1, 0, 1]
        night = replace(
            walk,
            rotations=np.concatenate([walk.rotations[2:], run.rotations]),
            translations=np.concatenate([walk.translations[2:], on]),
        )
        take_in(bvh.serialise(bvh.from_clip(night)), "night.bvh")
        clip = Clip.objects.get()
        self.open(clip)
        cuts = self.page.get_by_role("region", name="Cuts")
        expect(cuts.get_by_role("listitem")).to_have_count(2)
        expect(cuts.get_by_role("button", name="Show runs")).to_be_visible()
        expect(cuts.locator("canvas, svg")).to_have_count(2)
        cuts.get_by_role("button", name="Show runs").click()
        expect(self.page.get_by_text("0 of 282")).to_have_count(0)
        cuts.get_by_role("checkbox").first.uncheck()
        cuts.get_by_role("button", name="Cut out 1 clip").click()
        expect(self.page.get_by_text("cut from this take")).to_be_visible()
        self.assertEqual(set(Clip.objects.values_list("name", flat=True)), {"night", "night runs"})

    def test_what_another_does_to_the_recipe_is_seen(self):
        take_in(WALK.read_bytes(), WALK.name)
        clip = Clip.objects.get()
        self.open(clip)
        answer = Client().patch(
            f"/api/library/clips/{clip.pk}",
            {"recipe": {"steps": [{"kind": "pace", "percent": 50}]}},
            content_type="application/json",
        )
        self.assertEqual(answer.status_code, 200)
        expect(self.row("Pace")).to_be_visible()
        expect(self.page.get_by_text("0 of 296")).to_be_visible()
