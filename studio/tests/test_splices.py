"""Splices in the studio: made, changed, gone out of date with their clips, transferred like a clip."""

import json
from base64 import b64decode
from dataclasses import replace

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile

from armuto import pipeline
from armuto.refining import body_of
from armuto.splicing import model as core
from armuto.splicing.features import prepare
from armuto.splicing.joining import splice_like
from armuto.tests.files import DEMO
from studio.fittings.models import Fitting
from studio.fittings.preview import contacts_of
from studio.fittings.services.retargeting import retarget
from studio.fittings.services.steps import value_of
from studio.library.models import Clip, Original
from studio.renditions.models import Rendition
from studio.splices import services, tasks
from studio.splices.models import Splice
from studio.tests.test_renditions import Studio
from studio.verification import damages


class Splices(Studio):
    def prepare(self) -> None:
        super().prepare()
        self.post("splices/", clips=[self.walk.pk, self.bow.pk], name="Up and bow")

    def setUp(self) -> None:
        super().setUp()
        self.made = self.get(f"splices/{Splice.objects.get().pk}")
        self.clip = Clip.objects.get(pk=self.made["clip_id"])

    def change(self, status: int = 200, version: int | None = None, **changes) -> dict:
        """Change the splice by a function of its spans and joins."""
        splice = self.get(f"splices/{self.made['id']}")["splice"] | changes
        headers = {} if version is None else {"headers": {"If-Match": f'"{version}"'}}
        path = f"/api/splices/{self.made['id']}"
        answer = self.client.patch(path, json.dumps({"splice": splice}), content_type="application/json", **headers)
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def test_clips_become_a_clip_like_any_other(self) -> None:
        made = self.made
        self.assertEqual((made["name"], made["parts"], made["outdated"]), ("Up and bow", ["walk", "bow"], []))
        self.assertEqual([row["name"] for row in made["clips"]], ["walk", "bow"])
        join = made["made"]["joins"][0]
        self.assertEqual((join["number"], join["span"]), (0, 0))
        out, into = round(made["splice"]["spans"][0]["end"] * 30), round(made["splice"]["spans"][1]["start"] * 30)
        self.assertEqual((join["candidate"]["out"], join["candidate"]["into"]), (out, into))
        listed = next(row for row in self.get("library/clips") if row["id"] == self.clip.pk)
        self.assertEqual((listed["frames"], listed["skeleton_id"]), (made["made"]["frames"], self.walk.skeleton_id))
        self.assertEqual(self.get(f"library/clips/{self.clip.pk}/plate")["frames"][0], 0)
        self.assertEqual([row["name"] for row in self.get("splices/")], ["Up and bow"])
        self.assertEqual(list(damages()), [])

    def test_what_is_not_whole_is_found(self) -> None:
        row = Splice.objects.get()
        row.parts.first().delete()
        self.assertRegex(next(damages()), "Up and bow: a clip that it is spliced of is not there")
        Splice.objects.update(data={"spans": [{"clip": "1", "start": "soon"}]})
        self.assertRegex(next(damages()), "Up and bow: what it is spliced of is not whole")

    def test_its_file_is_one_that_the_shell_reads(self) -> None:
        content = self.client.get(f"/api/library/clips/{self.clip.pk}/file").content
        splice = core.from_file(content, "x.json")
        self.assertEqual((splice.name, splice.clips), ("Up and bow", ("walk", "bow")))

    def test_it_is_transferred_and_goes_out_of_date_with_its_clips(self) -> None:
        self.transfer((self.clip.pk, self.porter.pk))
        rendition = self.cell(self.clip, self.porter)
        self.assertEqual((rendition["state"], rendition["newest"]["frames"]), ("good", self.made["made"]["frames"]))
        self.send("patch", f"library/clips/{self.walk.pk}", recipe={"steps": [{"kind": "mirror"}]})
        row = Splice.objects.get()
        self.assertEqual(row.made_from[str(self.walk.pk)], Clip.objects.get(pk=self.walk.pk).digest)
        self.assertEqual(self.cell(self.clip, self.porter)["state"], "out of date")
        self.assertEqual(self.get(f"splices/{self.made['id']}")["outdated"], [])
        self.assertEqual(Rendition.objects.count(), 1)

    def test_a_name_changes_nothing_that_was_made(self) -> None:
        before = self.clip.digest
        self.send("patch", f"library/clips/{self.walk.pk}", name="walk on")
        self.assertEqual(Clip.objects.get(pk=self.clip.pk).digest, before)
        self.assertEqual(self.get(f"splices/{self.made['id']}")["parts"], ["walk on", "bow"])

    def test_a_clip_that_became_too_short_is_said_and_the_splice_stays(self) -> None:
        before = Clip.objects.get(pk=self.clip.pk).digest
        self.send("patch", f"library/clips/{self.walk.pk}", first=2, last=30)
        shown = self.get(f"splices/{self.made['id']}")
        self.assertRegex(shown["problem"], "reaches .* the clip ends at")
        self.assertEqual((shown["outdated"], shown["made"]), (["walk"], None))
        self.assertEqual(Clip.objects.get(pk=self.clip.pk).digest, before)
        self.send("patch", f"library/clips/{self.walk.pk}", first=2, last=150)  # as it was
        self.assertEqual(self.get(f"splices/{self.made['id']}")["problem"], "")
        self.send("patch", f"library/clips/{self.walk.pk}", first=2, last=30)
        self.change(spans=[{"clip": str(self.walk.pk), "end": 0.5}, {"clip": str(self.bow.pk), "start": 0.5}])
        shown = self.get(f"splices/{self.made['id']}")
        self.assertEqual((shown["problem"], shown["outdated"]), ("", []))

    def test_changes_are_kept_refused_and_tried(self) -> None:
        spans = [*self.made["splice"]["spans"], {"clip": str(self.walk.pk), "start": 1.0}]
        tried = self.post(f"splices/{self.made['id']}/trial", splice={"spans": spans})
        places = np.frombuffer(b64decode(tried["positions"]), "<f4").reshape(-1, tried["points"], 3)
        self.assertEqual(len(places), tried["made"]["frames"])
        self.assertEqual(self.get(f"splices/{self.made['id']}")["made"]["frames"], self.made["made"]["frames"])
        self.assertEqual(tried["begin"], 0)
        long = {"spans": [{"clip": str(self.walk.pk), "repeat": 12}, {"clip": str(self.bow.pk)}]}
        near = self.post(f"splices/{self.made['id']}/trial", splice=long, around=0)
        shown = len(b64decode(near["positions"])) // (12 * near["points"])
        join = next(join for join in near["made"]["joins"] if join["number"] == 0)
        self.assertEqual(near["begin"], join["first"] - 200)
        self.assertLess(shown, 600)
        self.assertGreater(near["made"]["frames"], 1200)
        kept = self.change(version=self.made["lock_version"], spans=spans)
        self.assertEqual((kept["parts"], kept["made"]["frames"]), (["walk", "bow", "walk"], len(places)))
        refused = self.change(409, version=self.made["lock_version"], joins=[{"overlap": 0.5}])
        self.assertIn("Somebody else has changed spans and joins", refused["detail"])
        self.assertIn(
            "99 s",
            self.change(422, spans=[{"clip": str(self.walk.pk), "end": 99}], joins=[])["detail"].replace(".00", ""),
        )
        self.assertIn("“melt” is not one of", self.change(422, joins=[{"blend": "melt"}])["detail"])
        own = [{"clip": str(self.clip.pk)}, {"clip": str(self.walk.pk)}]
        self.assertIn("cannot be made of itself", self.change(422, spans=own, joins=[])["detail"])
        other = self.post("splices/", clips=[self.clip.pk, self.walk.pk])
        rounds = [{"clip": str(other["clip_id"])}, {"clip": str(self.walk.pk)}]
        self.assertIn("cannot be made of itself", self.change(422, spans=rounds, joins=[])["detail"])
        gone = [{"clip": "999"}, {"clip": str(self.walk.pk)}]
        self.assertIn("is not in the library", self.change(422, spans=gone, joins=[])["detail"])
        self.assertEqual(Original.objects.filter(format="splice").count(), 2)

    def test_candidates_the_map_and_any_place(self) -> None:
        path = f"splices/{self.made['id']}/joins/0"
        found = self.get(f"{path}/candidates")
        now = self.made["made"]["joins"][0]["candidate"]
        self.assertEqual(found[0], now)
        self.assertEqual(found[1:], sorted(found[1:], key=lambda row: row["cost"]))
        everywhere = self.get(f"{path}/candidates?everywhere=true")
        self.assertLess(min(row["out"] for row in everywhere), 74)
        self.assertTrue(all(row["out"] >= 74 and row["into"] <= 63 for row in found[1:]))
        within = self.get(f"{path}/candidates?out_first=100&out_last=120&into_first=0&into_last=40")[1:]
        self.assertTrue(within and all(100 <= row["out"] <= 120 and row["into"] <= 40 for row in within))
        self.get(f"{path}/candidates?out_first=100&out_last=9000", 422)
        self.get(f"splices/{self.made['id']}/joins/7/candidates", 422)
        answer = self.client.get(f"/api/{path}/map")
        shapes = [[int(n) for n in part.split(",")] for part in answer["X-Armuto-Shape"].split(";")]
        values = np.frombuffer(answer.content, "<f4")
        costs = values[: shapes[0][0] * shapes[0][1]].reshape(shapes[0])
        self.assertEqual(shapes[0], [self.made["clips"][0]["frames"], self.made["clips"][1]["frames"]])
        place = self.get(f"{path}/place?out=90&into=50")
        self.assertAlmostEqual(costs[90, 50], -1 if place["cost"] is None else place["cost"], delta=0.02)
        self.get(f"{path}/place?out=9000&into=1", 422)

    def test_it_goes_on_and_clips_of_another_skeleton_are_performed(self) -> None:
        splice = self.made["splice"] | {"spans": [*self.made["splice"]["spans"], {"clip": str(self.greet.pk)}]}
        placed = self.post(f"splices/{self.made['id']}/proposal", splice=splice, joins=[1])["splice"]
        self.assertEqual(placed["spans"][0], splice["spans"][0])
        self.assertIsNotNone(placed["spans"][2]["start"])
        self.post(f"splices/{self.made['id']}/proposal", 422, splice=splice, joins=[5])
        longer = self.change(spans=placed["spans"], joins=placed["joins"])
        self.assertEqual(longer["parts"], ["walk", "bow", self.greet.name])
        self.assertEqual([row["own"] for row in longer["clips"]], [True, True, False])
        self.assertEqual(len(longer["made"]["joins"]), 2)
        key = str(self.greet.pk)
        answer = self.client.get(f"/api/splices/{self.made['id']}/clips/{key}/positions")
        self.assertEqual(answer["X-Armuto-Shape"].split(",")[0], str(longer["clips"][2]["frames"]))
        self.get(f"splices/{self.made['id']}/clips/999/positions", 422)

    def test_each_part_is_performed_through_its_own_fitting(self) -> None:
        made = self.post("splices/", clips=[self.walk.pk, self.greet.pk], name="Walk and greet")
        clip = Clip.objects.get(pk=made["clip_id"])
        self.transfer(*self.cells([clip]))
        self.assertEqual(Fitting.objects.filter(skeleton=self.greet.skeleton).count(), 2)
        cells = {(clip.name, "porter"), (clip.name, "bellringer")}
        self.assertEqual({cell for cell in cells if self.states()[cell] in ("out of date", "failed")}, set())
        main = Fitting.objects.get(skeleton=self.walk.skeleton, character=self.porter)
        own = Fitting.objects.get(skeleton=self.greet.skeleton, character=self.porter)
        value, greeting = value_of(main), value_of(own)
        # As the core has it: what the character does of each, joined on the character.
        body = body_of(self.porter.figure(), self.porter.skeleton.assignment())
        parts = {
            str(part.pk): prepare(
                replace(
                    pipeline.retarget(part.value(), through, contacts_of(through, part)).clip, skeleton=body.skeleton
                ),
                body,
            )
            for part, through in ((self.walk, value), (self.greet, greeting))
        }
        row = Splice.objects.get(clip=clip)
        wanted = splice_like(services.spliced(row), row.value(), parts, value.scale).clip.world().positions
        shown = self.positions(main, clip)
        np.testing.assert_allclose(shown, wanted, atol=1e-4)
        through_first = pipeline.retarget(clip.value(), value, contacts_of(value, clip)).clip.world().positions
        join = made["made"]["joins"][0]
        self.assertLess(np.abs(through_first - wanted)[: join["first"] - 45].max(), 1e-3)
        self.assertGreater(np.abs(through_first - wanted)[join["last"] + 1 :].max(), 0.02)
        # A frame by itself is that of the whole, trims too.
        alone = retarget(main, value, clip, 60, 60).clip.world().positions
        np.testing.assert_allclose(alone[0], shown[60], atol=1e-6)
        # What changes in the fitting of a part marks the cell of its character, and taken back it does not.
        self.post(f"fittings/{own.pk}/settings", settings={"spread": 12.0})
        out_of_date = {cell for cell, state in self.states().items() if state == "out of date"}
        self.assertEqual(out_of_date, {(clip.name, "porter")})
        self.assertEqual(self.cell(clip, self.porter)["changed"], ["the fittings of its parts"])
        changed = self.positions(main, clip)
        self.assertLess(np.abs(changed - shown)[: join["first"] - 30].max(), 1e-6)
        self.assertGreater(np.abs(changed - shown)[join["last"] + 1 :].max(), 0.02)
        self.post(f"fittings/{own.pk}/undo")
        self.assertEqual(self.cell(clip, self.porter)["changed"], [])
        self.post(f"fittings/{own.pk}/redo")
        self.transfer(*self.cells([clip]), update=True)
        self.assertEqual(self.cell(clip, self.porter)["changed"], [])
        # Contacts that somebody sets in a part count for what is made of it.
        contacts = self.get(f"fittings/{own.pk}/contacts/{self.greet.pk}")["contacts"]
        answer = self.client.put(
            f"/api/fittings/{own.pk}/contacts/{self.greet.pk}",
            json.dumps({"contacts": contacts[:1]}),
            content_type="application/json",
        )
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        self.assertIn("the fittings of its parts", self.cell(clip, self.porter)["changed"])

    def positions(self, row: Fitting, clip: Clip) -> np.ndarray:
        row = Fitting.objects.select_related("state", "skeleton", "character__skeleton").get(pk=row.pk)
        return retarget(row, value_of(row), clip).clip.world().positions

    def test_what_cannot_be_spliced(self) -> None:
        self.assertIn("at least two clips", self.post("splices/", 422, clips=[self.walk.pk])["detail"])
        self.assertIn("not in the library", self.post("splices/", 422, clips=[self.walk.pk, 10**6])["detail"])
        twice = self.post("splices/", clips=[self.walk.pk, self.walk.pk])
        self.assertEqual((twice["name"], len(twice["clips"])), ("walk then walk", 1))
        self.assertEqual(
            self.post("splices/", clips=[self.walk.pk, self.bow.pk], name="Up and bow")["name"], "Up and bow 2"
        )

    def test_it_is_put_away_and_its_clips_stay(self) -> None:
        self.assertEqual(self.client.delete(f"/api/splices/{self.made['id']}").status_code, 204)
        self.assertTrue(Clip.objects.get(pk=self.clip.pk).retired)
        self.assertFalse(Clip.objects.get(pk=self.walk.pk).retired)

    def test_a_recipe_that_cannot_be_followed_any_more_is_said_too(self) -> None:
        frames = self.made["made"]["frames"]
        loop = {"kind": "loop", "first": frames - 40, "last": frames - 10}
        self.send("patch", f"library/clips/{self.clip.pk}", recipe={"steps": [loop]})
        before = Clip.objects.get(pk=self.clip.pk).digest
        self.send("patch", f"library/clips/{self.bow.pk}", first=2, last=60)
        self.assertIn("Up and bow", self.get("splices/")[0]["problem"])
        self.assertEqual(Clip.objects.get(pk=self.clip.pk).digest, before)

    def test_what_is_found_too_late_is_no_problem_of_what_was_changed_meanwhile(self) -> None:
        late = Splice.objects.get()
        Clip.objects.filter(pk=self.walk.pk).update(last=30)
        whole = [{"clip": str(self.walk.pk), "end": 0.5}, {"clip": str(self.bow.pk), "start": 0.5}]
        self.change(spans=whole)
        services.renew(late)  # began before the change
        self.assertEqual(Splice.objects.get().problem, "")
        self.assertEqual(Splice.objects.get().data["spans"], whole)

    def test_what_was_to_be_made_anew_is_taken_up_again(self) -> None:
        Splice.objects.update(made_from={})
        tasks.take_up()
        self.assertEqual(self.get(f"splices/{self.made['id']}")["outdated"], [])

    def test_a_splice_itself_has_no_versions(self) -> None:
        walk = SimpleUploadedFile("walk.bvh", (DEMO / "hall" / "walk.bvh").read_bytes())
        answer = self.client.post(f"/api/library/clips/{self.clip.pk}/version", {"file": walk})
        self.assertEqual(answer.status_code, 422)
        self.assertIn("spliced of other clips", answer.json()["detail"])

    def test_a_new_version_of_a_clip_is_followed(self) -> None:
        content = (DEMO / "hall" / "walk_proud.bvh").read_bytes()
        self.client.post(
            f"/api/library/clips/{self.walk.pk}/version", {"file": SimpleUploadedFile("walk.bvh", content)}
        )
        self.assertNotEqual(Clip.objects.get(pk=self.clip.pk).digest, self.clip.digest)
        self.assertEqual(Clip.objects.get(pk=self.clip.pk).revision, 2)
