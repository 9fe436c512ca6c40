"""From an empty studio to a performed clip on disk, as a new user goes."""

from dataclasses import replace

import numpy as np
from playwright.sync_api import expect

from armuto import formats
from armuto.intake import recording
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.tests import sculptures
from armuto.tests.files import BOW, PORTER, WALK, bad_files, random_bvh
from armuto.tests.test_rigging_files import obj
from studio.cast.models import Character
from studio.tests.browser.studio_case import LONG, StudioCase


def truth(path, target=None):
    """Source and rendition positions of a demo clip by the core itself, and what it made; the porter's, unless another
    character is named."""
    source, target = (
        formats.read(path.read_bytes(), path.name),
        target or formats.read(PORTER.read_bytes(), "porter.glb"),
    )
    clip = recording.without_calibration(source.clips[0])
    made = transfer(clip, replace(fitting.fit(source.skeleton, target.skeleton), capsules=target.capsules))
    return clip.world().positions, made.world().positions, made


class FirstMinutes(StudioCase):
    reduced_motion = "no-preference"

    def bring_in_both(self):
        self.take_in_motion(WALK, BOW)
        self.take_in_character(PORTER)

    def open_walk(self):
        self.bring_in_both()
        self.nav("Library")
        card = self.page.locator(".clip", has_text="walk")
        card.get_by_role("button", name="See it on porter").click()
        self.page.wait_for_function(
            "() => window.armuto?.stage?.positions().source && window.armuto.stage.figure('character')?.frames > 1"
        )
        self.stand_still()

    def stand_still(self):
        """Whoever asks for a performance sees it move at once; then pause it at the first frame."""
        self.page.wait_for_function("() => window.armuto.stage.frame > 2")
        self.page.get_by_role("button", name="Pause").click()
        self.page.locator("canvas").focus()
        self.page.keyboard.press("Home")
        self.at_frame(0)

    def test_from_an_empty_studio_to_a_file(self):
        self.go("/")
        expect(self.page.get_by_role("heading", name="The library is empty")).to_be_visible()
        self.open_walk()
        expect(self.page.get_by_role("button", name="0 missing")).to_be_visible()

        # What the stage draws is the transfer the core computes, joint by joint, beside the source it came from.
        source, target, made = truth(WALK)
        apart = np.array(self.joints("character"))[0] - target[0, 0]
        for frame in (0, 1, 2, 148):
            if frame == 148:
                self.page.keyboard.press("End")
            elif frame:
                self.page.keyboard.press("ArrowRight")
            self.at_frame(frame)
            np.testing.assert_allclose(np.array(self.joints("character")) - apart, target[frame], atol=1e-4)
            np.testing.assert_allclose(np.array(self.joints("source")) + apart, source[frame], atol=1e-4)
        expect(self.page.get_by_text("148 of 148 · 4.93 s · 30 fps")).to_be_visible()

        # It plays by the clock, and pauses.
        self.page.keyboard.press("Home")
        self.page.keyboard.press("Space")
        self.page.wait_for_function("() => window.armuto.stage.frame > 10")
        self.page.keyboard.press("Space")
        held = self.page.evaluate("window.armuto.stage.frame")
        self.page.wait_for_timeout(300)
        self.assertEqual(self.page.evaluate("window.armuto.stage.frame"), held)

        # The rendition is made by the worker and fetched as both kinds of file.
        self.page.get_by_role("button", name="Transfer to porter").click()
        expect(self.page.locator(".rendition .state", has_text="good")).to_be_visible()
        for kind in ("glb", "bvh"):
            with self.page.expect_download() as download:
                self.page.get_by_role("link", name=f"Download .{kind}").click()
            path = self.folder / download.value.suggested_filename
            download.value.save_as(path)
            self.assertEqual(path.name, f"porter walk.{kind}")
            document = formats.read(path.read_bytes(), path.name)
            order = [document.skeleton.index[name] for name in made.skeleton.names]
            np.testing.assert_allclose(document.clips[0].world().positions[:, order], target, atol=1e-4)

    def test_dropping_motion_on_a_figure_performs_it(self):
        self.go("/cast")
        expect(self.page.get_by_role("heading", name="Nobody is in the cast yet")).to_be_visible()
        self.drop("main", PORTER)
        self.page.get_by_role("button", name="Accept porter").click()
        name = self.page.locator(".label:not(.waiting)", has_text="porter")
        expect(name).to_be_visible()
        box, canvas = self.box_at_rest(name), self.box_at_rest(self.page.locator("canvas"))
        across = (box["x"] + box["width"] / 2 - canvas["x"]) / canvas["width"]
        up = (box["y"] - canvas["y"] - 0.25 * canvas["height"]) / canvas["height"]
        self.drop("canvas", BOW, x=across, y=up)
        self.page.wait_for_url("**/fittings/*")
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.stand_still()
        _, target, _ = truth(BOW)
        self.page.keyboard.press("End")
        self.at_frame(126)
        here = np.array(self.joints("character"))
        np.testing.assert_allclose(here - here[0], target[126] - target[126, 0], atol=1e-4)

    def test_a_sculpture_without_bones_performs(self):
        """Dropped on the line-up and accepted, it bows as the core would have it bow."""
        row = sculptures.figure("keeper")
        path = self.folder / "clay.obj"
        path.write_bytes(obj(row.points, row.faces))
        self.go("/cast")
        self.drop("main", path)
        expect(self.page.get_by_text("It had no bones: 23 were made from its shape.")).to_be_visible(timeout=LONG)
        self.page.get_by_role("button", name="Accept clay").click()
        name = self.page.locator(".label:not(.waiting)", has_text="clay")
        expect(name).to_be_visible()
        self.take_in_motion(BOW)
        self.nav("Library")
        card = self.page.locator(".clip", has_text="bow")
        card.hover()
        card.get_by_role("button", name="See it on clay").click()
        self.page.wait_for_url("**/fittings/*")
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.stand_still()
        document = Character.objects.get().document()
        _, target, _ = truth(BOW, document)
        for key, frame in (("Home", 0), ("End", 126)):
            self.page.keyboard.press(key)
            self.at_frame(frame)
            here = np.array(self.joints("character"))
            np.testing.assert_allclose(here - here[0], target[frame] - target[frame, 0], atol=1e-4)

    def test_bad_files_are_said_one_by_one_and_the_good_one_comes_in(self):
        paths = []
        for name, (content, _) in bad_files().items():
            if content:  # an empty File cannot be told from a folder when dropped
                paths.append(self.folder / name)
                paths[-1].write_bytes(content)
        good = self.folder / "patrol.bvh"
        good.write_bytes(random_bvh())
        self.go("/library")
        expect(self.page.get_by_role("heading", name="The library is empty")).to_be_visible()
        self.drop("main", *paths, good)
        refusal = self.page.locator(".refused li")
        expect(refusal).to_have_count(len(paths))
        for path in paths:
            expect(refusal.filter(has_text=f"{path.name}:")).to_have_count(1)
        self.page.get_by_role("button", name="Accept 1 clip").click()
        expect(self.page.get_by_text("could not be taken in")).to_be_visible()
        expect(refusal).to_have_count(len(paths))
        self.nav("Library")
        expect(self.page.get_by_role("link", name="patrol", exact=True)).to_be_visible()

    def test_everything_from_the_keyboard_and_by_address(self):
        self.open_walk()
        self.page.keyboard.press("o")
        expect(self.page.get_by_role("button", name="Laid over")).to_have_attribute("aria-pressed", "true")
        np.testing.assert_allclose(
            np.array(self.joints("character"))[0, 2], np.array(self.joints("source"))[0, 2], atol=0.1
        )
        self.page.keyboard.press("Control+k")
        self.page.get_by_placeholder("Find a clip").fill("bow")
        self.page.keyboard.press("Enter")
        self.page.wait_for_url("**/library/clips/*")
        self.page.go_back()
        self.page.wait_for_url("**/fittings/*?*clip=*")
        self.page.wait_for_function("() => window.armuto?.stage?.figure('character')?.frames > 1")
        self.page.keyboard.press("?")
        expect(self.page.get_by_role("heading", name="Keys")).to_be_visible()
        self.page.keyboard.press("Escape")
        expect(self.page.get_by_role("heading", name="Keys")).to_be_hidden()
        self.go("/fittings/99")
        expect(self.page.get_by_role("heading", name="This fitting is no longer there")).to_be_visible()
        self.console.clear()  # the browser notes the 404

    def test_board_and_delivery(self):
        self.go("/board")
        expect(self.page.get_by_role("heading", name="The board is empty")).to_be_visible()
        self.bring_in_both()
        self.nav("Delivery")
        expect(self.page.get_by_role("heading", name="Nothing is ready to deliver")).to_be_visible()
        self.nav("Board")
        self.page.get_by_role("button", name="Sweep all").click()
        self.page.get_by_role("button", name="Transfer 2").click()
        expect(self.page.locator(".cell", has_text="good")).to_have_count(2)
        self.nav("Delivery")
        expect(self.page.get_by_text("Nothing has gone out yet")).to_be_visible()
        self.page.get_by_role("link", name="New delivery").click()
        expect(self.page.get_by_role("cell", name="porter bow.glb")).to_be_visible()
        with self.page.expect_download() as download:
            self.page.get_by_role("button", name="Deliver 2 files").click()
        self.assertEqual(download.value.suggested_filename, "delivery.zip")
