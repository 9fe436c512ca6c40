"""Ensembles in the browser: two clips become one, are cast twice, somebody is moved, and all is fetched in one file."""

import io
import json
import tempfile
import zipfile
from pathlib import Path

import numpy as np
from playwright.sync_api import expect

from armuto import formats
from armuto.ensembles import model as core
from armuto.ensembles.files import prop_file
from armuto.ensembles.prop_motion import PropMotion
from armuto.ensembles.splitting import read_split, split
from armuto.kinematics import rotation
from armuto.tests.ensembles import TAKES
from armuto.tests.files import DEMO, PORTER
from studio.cast.models import Character
from studio.ensembles import services
from studio.ensembles.models import Casting, Ensemble
from studio.library.models import Clip
from studio.renditions.models import Rendition
from studio.tests.browser.studio_case import StudioCase
from studio.tests.snapshots import take_in_once
from studio.tests.test_delivered_files import node, plain

HALL = DEMO / "hall"


class Ensembles(StudioCase):
    def setUp(self):
        super().setUp()
        files = (HALL / "hand_over_the_crate_giver.bvh", HALL / "hand_over_the_crate_receiver.bvh")
        take_in_once(*files, PORTER, DEMO / "bellringer.glb", DEMO / "keeper.glb")

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

    def crate(self) -> Casting:
        """The crate is handed from the porter to the bellringer, by nobody's hand on the page."""
        clips = Clip.objects.order_by("name")
        row = services.create([clip.pk for clip in clips])
        row.data = {"props": json.loads((TAKES / "hand_over_the_crate.json").read_text())["props"]}
        row.save()
        cast = {character.name: character.pk for character in Character.objects.all()}
        return services.cast(row, {"giver": cast["porter"], "receiver": cast["bellringer"]}, "first night")

    def test_run_from_the_board_reviewed_and_delivered_in_one_file(self):
        casting, page = self.crate(), self.page
        second = services.cast(
            casting.ensemble, {r.performer.name: r.character_id for r in casting.roles.all()}, "other"
        )
        self.go("/board")
        page.get_by_role("button", name="Ensembles", exact=True).click()
        page.wait_for_url("**rows=ensembles**")
        cell = page.get_by_role("gridcell", name="hand over the crate by first night: not yet")
        cell.click()
        expect(page.get_by_text("one casting of one ensemble")).to_be_visible()
        # Both by key: from the one to the other, then everything.
        page.keyboard.press("Shift+ArrowRight")
        expect(page.get_by_text("2 castings of one ensemble")).to_be_visible()
        page.get_by_role("button", name="Transfer", exact=False).click()
        done = page.get_by_role("gridcell", name="hand over the crate by first night: look")
        expect(done).to_be_visible()
        expect(page.get_by_role("gridcell", name="hand over the crate by other: look")).to_be_visible()

        # Reviewed whole, with the recording over it and beside it.
        done.click()
        done.dblclick()
        page.wait_for_url("**/review/*")
        expect(page.get_by_role("heading", name="hand over the crate by first night")).to_be_visible()
        self.page.wait_for_function("() => window.armuto?.stage?.figure?.('giver')?.frames > 1")
        expect(page.get_by_text("Looking …")).to_have_count(0)
        place = "(key) => { const { x, z } = window.armuto.stage.placeOf(key); return Math.hypot(x, z) }"
        self.assertGreater(page.evaluate(place, "source giver"), 1.0)
        page.get_by_role("button", name="Over each other").click()
        self.assertEqual(page.evaluate(place, "source giver"), 0)
        found = Rendition.objects.get(casting=casting).newest
        expect(page.get_by_role("list", name="Findings").get_by_role("listitem")).to_have_count(len(found.findings))
        page.keyboard.press("a")
        expect(page.get_by_text("hand over the crate by other").first).to_be_visible()
        page.wait_for_url(f"**/review/{Rendition.objects.get(casting=second).pk}**")
        page.get_by_role("button", name="Ensemble at this frame").click()
        page.wait_for_url(f"**/ensembles/*casting={second.pk}**")

        # Out of date with a change, and delivered as it was accepted.
        self.go(f"/ensembles/{casting.ensemble_id}?casting={casting.pk}")
        expect(page.get_by_text("accepted", exact=True)).to_be_visible()
        shown = self.positions(casting, 62)
        size = page.get_by_label("Size, crate ×")
        size.fill("0.7")
        self.placed(casting, lambda: size.press("Enter"))
        expect(page.get_by_text("out of date", exact=True)).to_be_visible()
        page.get_by_role("button", name="Deliver", exact=True).click()
        page.get_by_label("all in one file, with the props").check()
        expect(page.get_by_text("first night hand over the crate.glb").first).to_be_visible()
        with page.expect_download() as download:
            page.get_by_role("button", name="Deliver one file").click()
        with zipfile.ZipFile(download.value.path()) as archive, tempfile.TemporaryDirectory() as folder:
            rows = json.loads(archive.read("manifest.json"))["results"]
            path = Path(folder) / "all.glb"
            path.write_bytes(archive.read(rows[0]["file"]))
            (read,) = node("positions.mjs", f"{path}|{rows[0]['fps']}|62|")
        self.assertEqual([row["performer"] for row in rows], ["giver", "receiver"])
        for who, places in shown.items():
            names = casting.roles.get(performer__name=who).character.skeleton.value().names
            for name, place in zip(names, places, strict=True):
                # Of nodes with one name three.js numbers the second.
                called = {plain(name), plain(f"{name}_1")}
                off = min(np.abs(np.array(at) - place).max() for key, at in read[0].items() if plain(key) in called)
                self.assertLess(off, 1e-3, (who, name))

    def test_somebody_is_drawn_to_another_place_on_the_stage(self):
        casting, page = self.crate(), self.page
        self.go(f"/ensembles/{casting.ensemble_id}?casting={casting.pk}")
        before = self.positions(casting, 0)
        grip = page.locator("[data-performer=receiver]")
        expect(grip).to_be_visible()
        box = self.box_at_rest(grip)
        # At the front rim: in the middle stands the figure's own ring.
        at = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(*at)
        page.mouse.down()
        page.mouse.move(at[0] + 50, at[1] + 4, steps=5)
        changed = self.placed(casting, page.mouse.up)
        (key,) = changed["placements"]["receiver"]
        self.assertEqual((key["frame"], key["turn"]), (2, 0.0))
        self.assertGreater(np.hypot(*key["at"]), 0.1)
        after = self.positions(casting, 0)
        moved = np.median((after["receiver"] - before["receiver"])[:, [0, 2]], axis=0)
        np.testing.assert_allclose(moved, key["at"], atol=0.12)
        expect(page.get_by_label("Who is placed")).to_have_value("receiver")
        knob = self.box_at_rest(page.locator("[data-turn=receiver]"))
        at = knob["x"] + knob["width"] / 2, knob["y"] + knob["height"] / 2
        page.mouse.move(*at)
        page.mouse.down()
        page.mouse.move(at[0], at[1] + 30, steps=5)
        changed = self.placed(casting, page.mouse.up)
        self.assertGreater(abs(changed["placements"]["receiver"][0]["turn"]), 5)
        # Escape lets go of it where it was.
        kept = Casting.objects.get(pk=casting.pk).data
        page.mouse.move(*at)
        page.mouse.down()
        page.mouse.move(at[0] + 20, at[1] + 60, steps=3)
        page.keyboard.press("Escape")
        page.mouse.up()
        self.assertEqual(Casting.objects.get(pk=casting.pk).data, kept)

    def test_props_are_made_shaped_and_given_to_hands(self):
        casting, page = self.crate(), self.page
        row = casting.ensemble
        self.go(f"/ensembles/{row.pk}")

        def changed(work) -> list[dict]:
            return self.answered("PATCH", f"/api/ensembles/{row.pk}", work)["things"]

        props = changed(page.get_by_role("button", name="Add a prop").click)
        self.assertEqual([prop["name"] for prop in props], ["crate", "prop"])
        group = page.get_by_role("group", name="The prop prop")
        wide = group.get_by_label("Shape 1, wide cm")
        wide.fill("80")
        props = changed(lambda: wide.press("Enter"))
        self.assertEqual(props[1]["shapes"][0]["size"], [0.8, 0.3, 0.3])
        group.get_by_label("Who takes it").select_option(label="left hand of receiver")
        props = changed(group.get_by_role("button", name="Takes it in this frame").click)
        hand = {"who": "receiver", "part": "left hand"}
        self.assertEqual(props[1]["carried"], [{"first": 2, "last": 140, "by": [hand]}])
        name = group.get_by_label("name")
        name.fill("lantern")
        props = changed(lambda: name.press("Enter"))
        self.assertEqual([prop["name"] for prop in props], ["crate", "lantern"])
        self.assertEqual(changed(lambda: page.keyboard.press("Control+z"))[1]["name"], "prop")
        # Another is a mesh of a file; it is shown, and taken back as well.
        crate = core.Prop("barrel", (core.Shape("cylinder", (0.4, 0.7, 0.4)),))
        still = PropMotion(np.zeros((2, 3)), np.tile(rotation.IDENTITY, (2, 1)))
        file = {
            "name": "barrel.glb",
            "mimeType": "model/gltf-binary",
            "buffer": prop_file("b", crate.shapes, still, 30.0),
        }
        chooser = page.get_by_label("A mesh without bones")
        props = self.answered("POST", f"/api/ensembles/{row.pk}/props", lambda: chooser.set_input_files(file))["things"]
        self.assertEqual([prop["name"] for prop in props], ["crate", "prop", "barrel"])
        page.get_by_role("button", name="barrel", exact=True).click()
        expect(page.get_by_text("mesh of", exact=False).first).to_be_visible()
        expect(page.get_by_text("Looking …")).to_have_count(0)
        self.assertEqual(len(changed(lambda: page.get_by_role("button", name="Undo").click())), 2)
        page.get_by_role("button", name="crate", exact=True).click()
        self.handles(row)
        left = changed(page.get_by_role("button", name="Remove crate").click)
        self.assertEqual([prop["name"] for prop in left], ["prop"])

    def handles(self, row: Ensemble) -> None:
        """A handle is put on the crate and named, a hand takes it by that, and it goes again."""
        page = self.page

        def changed(work) -> dict:
            return self.answered("PATCH", f"/api/ensembles/{row.pk}", work)

        def typed(label: str, text: str) -> dict:
            field = page.get_by_label(label)
            field.fill(text)
            return changed(lambda: field.press("Enter"))

        thing = changed(page.get_by_role("button", name="Add a handle").click)["things"][0]
        top = thing["shapes"][0]["size"][1] / 2
        own = dict(thing["handles"])
        self.assertEqual(own.pop("handle"), [0, top, 0])
        self.assertEqual(list(own), ["left rope", "right rope"])
        typed("Name of the handle handle", "rope")
        thing = typed("The handle rope, Z cm", "8")["things"][0]
        self.assertEqual(thing["handles"], own | {"rope": [0, top, 0.08]})
        page.get_by_role("table").get_by_role("button", name="left hand of giver and the crate").first.click()
        taken = page.get_by_label("at which of its handles")
        meetings = changed(lambda: taken.select_option(label="rope"))["meetings"]
        at = [meeting["b"]["part"] for meeting in meetings if meeting["a"] == {"who": "giver", "part": "left hand"}]
        self.assertEqual(at[0], "rope")
        named = typed("Name of the handle rope", "cord")["meetings"]
        self.assertEqual([meeting["b"]["part"] for meeting in named].count("cord"), 1)
        gone = changed(page.get_by_role("button", name="Remove the handle cord").click)
        self.assertEqual({meeting["b"]["part"] for meeting in gone["meetings"]}, {""})
        self.assertEqual(gone["things"][0]["handles"], own)

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
        box = self.box_at_rest(tie.locator(".area"))
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
