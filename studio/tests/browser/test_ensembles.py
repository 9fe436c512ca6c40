"""Ensembles in the browser: two clips become one, are cast twice, somebody is moved, and all is fetched in one file."""

import io

import numpy as np
from playwright.sync_api import expect

from armuto import formats
from armuto.ensembles.splitting import read_split, split
from armuto.tests.files import DEMO, PORTER
from studio.ensembles.models import Casting, Ensemble
from studio.ingest.services.reading import take_in
from studio.tests.browser.studio_case import StudioCase

HALL = DEMO / "hall"


class Ensembles(StudioCase):
    def setUp(self):
        super().setUp()
        files = (HALL / "hand_over_the_crate_giver.bvh", HALL / "hand_over_the_crate_receiver.bvh")
        for path in (*files, PORTER, DEMO / "bellringer.glb", DEMO / "keeper.glb"):
            take_in(path.read_bytes(), path.name)

    def positions(self, casting: Casting, frame: int) -> dict[str, np.ndarray]:
        """Where everybody is on the stage, once the casting is shown."""
        self.page.wait_for_function("() => window.armuto?.stage?.figure?.('giver')?.frames > 1")
        expect(self.page.get_by_text("Looking …")).to_have_count(0)
        found = self.page.evaluate("(at) => (window.armuto.stage.setFrame(at), window.armuto.stage.positions())", frame)
        return {who: np.array(rows) for who, rows in found.items()}

    def hand(self, who: str, rows: np.ndarray, casting: Casting, side: str = "left") -> np.ndarray:
        character = casting.roles.get(performer__name=who).character
        parts = character.skeleton.assignment()
        return rows[parts[f"{side} hand"][0].joint]

    def answered(self, method: str, part: str, work):
        with self.page.expect_response(lambda a: part in a.url and a.request.method == method) as answer:
            work()
        self.assertLess(answer.value.status, 300)
        return answer.value.json()

    def placed(self, casting: Casting, work) -> dict:
        """What a casting says after a change, once what it comes to has been fetched."""
        with self.page.expect_response(lambda a: a.url.endswith(f"/castings/{casting.pk}/motion")):
            return self.answered("PATCH", f"/castings/{casting.pk}", work)

    def pressed(self, name: str) -> dict:
        """What the ensemble is once a button of its meetings is pressed."""
        button = self.page.get_by_role("button", name=name, exact=True)
        return self.answered("PATCH", "/api/ensembles/", button.click)

    def test_from_two_clips_to_one_file(self):
        page = self.page
        self.go("/ensembles")
        expect(page.get_by_role("heading", name="There is no ensemble yet")).to_be_visible()
        page.get_by_role("link", name="To the library", exact=True).click()
        for role in ("giver", "receiver"):
            page.get_by_label(f"Select hand over the crate {role}", exact=True).check(force=True)
        page.get_by_role("button", name="Ensemble", exact=True).click()
        page.wait_for_url("**/ensembles/*")
        expect(page.get_by_role("heading", name="hand over the crate")).to_be_visible()
        ensemble = Ensemble.objects.get()
        meetings = page.get_by_role("table").get_by_role("row")
        expect(meetings).to_have_count(3)
        expect(page.get_by_role("button", name="left hand of giver and right hand of receiver").first).to_be_visible()

        # Cast, and kept on other bodies.
        page.get_by_label("Who plays giver").select_option(label="keeper")
        page.get_by_label("Who plays receiver").select_option(label="bellringer")
        page.get_by_role("button", name="Cast it").click()
        expect(page.get_by_text("all 2 meetings kept")).to_be_visible()
        casting = Casting.objects.get()
        placed = self.positions(casting, 62)
        apart = self.hand("giver", placed["giver"], casting) - self.hand(
            "receiver", placed["receiver"], casting, "right"
        )
        self.assertLess(float(np.linalg.norm(apart)), 0.25)

        # Once more with somebody else, and back by its name.
        made = self.answered("POST", "/castings", lambda: page.get_by_role("button", name="Keep as another").click())
        page.wait_for_url(f"**casting={made['id']}**")
        self.answered("PATCH", "/castings/", lambda: page.get_by_label("Who plays giver").select_option(label="porter"))
        self.assertEqual(Casting.objects.count(), 2)
        page.get_by_label("Casting", exact=True).select_option(label="keeper and bellringer")
        page.wait_for_url(f"**casting={casting.pk}**")
        expect(page.get_by_label("Who plays giver")).to_have_value(
            str(casting.roles.get(performer__name="giver").character_id)
        )

        # Somebody is moved and turned in a frame, by keys alone, and that is taken back and made again.
        page.get_by_role("slider", name="Frame").focus()
        page.keyboard.press("Home")
        aside = page.get_by_label("giver, along X cm")
        before = self.positions(casting, 0)["giver"]
        aside.fill("-30")
        changed = self.placed(casting, lambda: aside.press("Enter"))
        self.assertEqual(changed["placements"]["giver"], [{"frame": 2, "at": [-0.3, 0.0], "turn": 0.0}])
        turned = page.get_by_label("giver, turned °")
        turned.fill("15")
        self.placed(casting, lambda: turned.press("Enter"))
        after = self.positions(casting, 0)["giver"]
        self.assertAlmostEqual(float((after - before)[:, 0].mean()), -0.3, delta=0.1)
        self.placed(casting, lambda: page.keyboard.press("Control+z"))
        self.placed(casting, lambda: page.keyboard.press("Control+z"))
        casting.refresh_from_db()
        self.assertEqual(casting.data.get("placements", {}).get("giver", []), [])
        self.placed(casting, lambda: page.keyboard.press("Control+Shift+z"))
        casting.refresh_from_db()
        self.assertEqual(casting.data["placements"]["giver"][0]["at"], [-0.3, 0.0])

        # All in one file, read by readers that know nothing of the page.
        shown = self.positions(casting, 62)
        with page.expect_download() as download:
            page.get_by_role("link", name="Fetch all in one .glb").click()
        data = io.BytesIO(download.value.path().read_bytes()).getvalue()
        found = read_split(split(data, "all.glb"))
        self.assertEqual(list(found.performers), ["giver", "receiver"])
        for who, document in found.performers.items():
            skeleton = casting.roles.get(performer__name=who).character.skeleton.value()
            places = document.clips[0].world().positions[62]
            for name, place in zip(skeleton.names, shown[who], strict=True):
                off = places[document.skeleton.index[name]] - place
                self.assertLess(float(np.abs(off).max()), 1e-3, (who, name))
        self.assertEqual(formats.read(data, "all.glb").clips[0].frames, 139)
        self.assertEqual(ensemble.castings.count(), 2)

    def test_meetings_by_hand(self):
        self.go("/library")
        page = self.page
        for role in ("giver", "receiver"):
            page.get_by_label(f"Select hand over the crate {role}", exact=True).check(force=True)
        page.get_by_role("button", name="Ensemble", exact=True).click()
        page.wait_for_url("**/ensembles/*")
        first = page.get_by_label("The meeting, from f")
        expect(first).to_be_visible()
        was = int(first.input_value())
        first.fill(str(was + 4))
        changed = self.answered("PATCH", "/api/ensembles/", lambda: first.press("Enter"))
        self.assertEqual((changed["meetings"][0]["first"], changed["found"]), (was + 6, False))
        # The end of a tie is drawn by the pointer.
        tie = page.get_by_role("group", name="Meetings over time").get_by_role("button", pressed=True)
        box = tie.locator(".area").bounding_box()
        page.mouse.move(box["x"] + box["width"], box["y"] + 4)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] + 40, box["y"] + 4, steps=4)
        drawn = self.answered("PATCH", "/api/ensembles/", page.mouse.up)
        self.assertGreater(drawn["meetings"][0]["last"], changed["meetings"][0]["last"])
        page.get_by_text("Add a meeting").click()
        page.get_by_label("Who or what is met").select_option(label="receiver: head")
        added = self.pressed("Add from this frame on")
        self.assertEqual(added["meetings"][-1]["b"], {"who": "receiver", "part": "head"})
        removed = self.pressed("Remove")
        self.assertEqual(len(removed["meetings"]), len(added["meetings"]) - 1)
        again = self.pressed("Find them again")
        self.assertTrue(again["found"])
