"""Several people at one fitting and one clip: nothing answered with success is lost, and each undoes their own."""

import json
from concurrent.futures import ThreadPoolExecutor

from django.db import connections
from django.test import Client

from studio.cast.models import Character
from studio.fittings.models import Fitting, FittingState
from studio.library.models import Clip
from studio.tests.test_pairing import Pairing

ANNA, BERT = "anna", "bert"


class Together(Pairing):
    def setUp(self) -> None:
        super().setUp()
        self.path = f"/api/fittings/{self.made['id']}"

    def send(self, who: str, path: str, status: int = 200, on: int | None = None, **fields: object) -> dict:
        """A request of somebody. on: the revision that the change was made on."""
        headers = {"Armuto-Session": who} | ({"If-Match": f'"{on}"'} if on else {})
        answer = self.client.post(
            f"{self.path}/{path}", json.dumps(fields), content_type="application/json", headers=headers
        )
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def confirm(self, who: str, key: str, **more: object) -> dict:
        return self.send(who, "edits", op="confirm", keys=[key], mirror=False, add=False, **more)

    def confirmed(self) -> set[str]:
        fitting = self.client.get(self.path).json()
        return {pair["key"] for pair in fitting["pairs"] if pair["confirmed"]}


class Edits(Together):
    def test_what_others_change_meanwhile_is_kept(self) -> None:
        base = self.made["revision"]
        self.confirm(ANNA, "hips", on=base)
        # Bert has not seen that yet, and changes something else.
        self.confirm(BERT, "head", on=base)
        self.send(BERT, "settings", settings={"hold": 0.5}, on=base)
        self.assertEqual(self.confirmed(), {"hips", "head"})
        self.assertEqual(self.client.get(self.path).json()["settings"]["hold"], 0.5)

    def test_the_same_changed_by_another_is_refused_and_lost_by_neither(self) -> None:
        base = self.made["revision"]
        self.send(ANNA, "edits", op="remove", keys=["left hand"], mirror=False, add=False, on=base)
        said = self.confirm(BERT, "left hand", on=base, status=409)["detail"]
        self.assertEqual(
            said,
            "Somebody else has changed the pair “left hand” since (removed left hand); "
            "look at it, then apply yours again.",
        )
        now = self.client.get(self.path)
        self.assertIsNone(self.pair(now.json(), "left hand"))
        self.assertEqual(now["ETag"], f'"{now.json()["revision"]}"')
        # On what is there now the same is done.
        self.send(ANNA, "settings", settings={"hold": 0.4}, on=now.json()["revision"])
        self.send(BERT, "settings", 409, settings={"hold": 0.6}, on=now.json()["revision"])
        self.assertEqual(self.client.get(self.path).json()["settings"]["hold"], 0.4)

    def test_a_state_that_was_taken_back_by_another_is_no_base(self) -> None:
        seen = self.confirm(ANNA, "hips")["revision"]
        self.send(ANNA, "undo")
        self.confirm(ANNA, "head")
        self.assertIn("taken back", self.confirm(BERT, "neck", on=seen, status=409)["detail"])
        for wrong in ("x", "99999999"):
            answer = self.client.post(
                f"{self.path}/undo", headers={"If-Match": f'"{wrong}"'}, content_type="application/json"
            )
            self.assertEqual(answer.status_code, 409)

    def test_stances_and_contacts_are_changed_side_by_side(self) -> None:
        base = self.made["revision"]
        turn = {"op": "turn", "axis": [0, 1, 0], "degrees": 10, "mirror": False}
        bones = [self.pair(self.made, f"{side} hand")["target"][0] for side in ("left", "right")]
        for who, bone in zip((ANNA, BERT), bones, strict=True):
            self.send(who, "stance", side="target", bone=bone, on=base, **turn)
        self.assertEqual(set(self.client.get(self.path).json()["stances"]["target"]["turned"]), set(bones))
        self.send(BERT, "stance", 409, side="target", bone=bones[0], on=base, **turn)

    def test_nobody_fetches_what_has_not_changed(self) -> None:
        tag = self.client.get(self.path)["ETag"]
        self.assertEqual(self.client.get(self.path, headers={"If-None-Match": tag}).status_code, 304)
        self.confirm(ANNA, "hips")
        self.assertEqual(self.client.get(self.path, headers={"If-None-Match": tag}).status_code, 200)
        # Nor is it kept by a browser, for which the answer to another person would look the same.
        self.assertEqual(self.client.get(self.path)["Cache-Control"], "no-store")

    def test_many_at_the_same_time(self) -> None:
        keys = [pair["key"] for pair in self.made["pairs"]][:12]

        def edit(number: int) -> int:
            client = Client(headers={"Armuto-Session": f"person {number}"})
            body = {"op": "confirm", "keys": [keys[number]], "mirror": False, "add": False}
            try:
                return client.post(
                    f"{self.path}/edits",
                    json.dumps(body),
                    content_type="application/json",
                    headers={"If-Match": f'"{self.made["revision"]}"'},
                ).status_code
            finally:
                connections.close_all()

        with ThreadPoolExecutor(6) as pool:
            answers = list(pool.map(edit, range(len(keys))))
        self.assertEqual(answers, [200] * len(keys))
        self.assertEqual(self.confirmed(), set(keys))
        numbers = list(FittingState.objects.filter(fitting=self.made["id"]).values_list("number", flat=True))
        self.assertEqual(numbers, list(range(len(keys) + 1)))


class OwnUndo(Together):
    def test_undo_takes_back_ones_own_step_and_redo_makes_it_again(self) -> None:
        self.confirm(ANNA, "hips")
        last = self.confirm(BERT, "head")
        self.assertEqual(last["undo"], "confirmed head")
        back = self.send(ANNA, "undo")
        self.assertEqual(self.confirmed(), {"head"})
        self.assertEqual((back["undo"], back["redo"]), (None, "took back: confirmed hips"))
        self.send(ANNA, "undo")  # nothing more of hers
        self.assertEqual(self.confirmed(), {"head"})
        again = self.send(ANNA, "redo")
        self.assertEqual(self.confirmed(), {"hips", "head"})
        self.assertEqual((again["undo"], again["redo"]), ("confirmed hips", None))
        self.send(BERT, "undo")
        self.assertEqual(self.confirmed(), {"hips"})
        self.send(ANNA, "undo")
        self.assertEqual(self.confirmed(), set())
        self.send(BERT, "redo")
        self.assertEqual(self.confirmed(), {"head"})

    def test_alone_it_goes_back_and_forth_as_ever(self) -> None:
        revisions = [self.made["revision"], *(self.confirm(ANNA, key)["revision"] for key in ("hips", "head", "neck"))]
        for revision in reversed(revisions[:-1]):
            self.assertEqual(self.send(ANNA, "undo")["revision"], revision)
        self.assertIsNone(self.send(ANNA, "undo")["undo"])
        for revision in revisions[1:]:
            self.assertEqual(self.send(ANNA, "redo")["revision"], revision)
        self.assertEqual(FittingState.objects.filter(fitting=self.made["id"]).count(), 4)

    def test_steps_of_nobody_in_particular_are_everybodys(self) -> None:
        self.confirm("", "hips")
        self.assertEqual(self.send(ANNA, "undo")["redo"], "confirmed hips")
        self.send(BERT, "redo")
        self.assertEqual(self.confirmed(), {"hips"})

    def test_what_another_has_changed_since_is_not_taken_back(self) -> None:
        self.send(ANNA, "settings", settings={"hold": 0.5})
        self.send(BERT, "settings", settings={"hold": 0.8})
        self.assertIn("changed the same since", self.send(ANNA, "undo", 409)["detail"])
        self.assertEqual(self.client.get(self.path).json()["settings"]["hold"], 0.8)

    def test_contacts_are_taken_back_beneath_what_others_did(self) -> None:
        contacts = f"{self.path}/contacts/{self.walk.pk}"
        rows = [{"point": "left toes", "first": 3, "last": 9, "to": ""}]
        answer = self.client.put(
            contacts, json.dumps({"contacts": rows}), content_type="application/json", headers={"Armuto-Session": ANNA}
        )
        self.assertEqual(answer.status_code, 200, answer.content)
        self.confirm(BERT, "hips")
        self.send(ANNA, "undo")
        self.assertFalse(self.client.get(contacts).json()["by_hand"])
        self.assertEqual(self.confirmed(), {"hips"})
        self.send(ANNA, "redo")
        self.assertTrue(self.client.get(contacts).json()["by_hand"])


class Clips(Together):
    def changed(self, path: str, changes: list[dict]) -> None:
        """All of the changes at once, on six threads."""

        def change(body: dict) -> int:
            try:
                return Client().patch(path, json.dumps(body), content_type="application/json").status_code
            finally:
                connections.close_all()

        with ThreadPoolExecutor(6) as pool:
            self.assertEqual(set(pool.map(change, changes)), {200})

    def test_fields_of_a_clip_are_not_written_over(self) -> None:
        tags = [{"tag": [f"shift {number}"]} for number in range(8)]
        fields = [{"name": "night walk"}, {"first": 4}, {"floor": 0.01}, {"retired": True}]
        self.changed(f"/api/library/clips/{self.walk.pk}", [*tags, *fields])
        clip = Clip.objects.get(pk=self.walk.pk)
        self.assertEqual((clip.name, clip.first, clip.floor, clip.retired), ("night walk", 4, 0.01, True))
        self.assertEqual(clip.tags, [f"shift {number}" for number in range(8)])
        self.changed(f"/api/library/clips/{self.walk.pk}", [{"untag": change["tag"]} for change in tags[2:]])
        clip.refresh_from_db()
        self.assertEqual(clip.tags, ["shift 0", "shift 1"])

    def test_fields_of_a_character_are_not_written_over(self) -> None:
        tags = [{"tag": [f"shift {number}"]} for number in range(8)]
        fields = [{"name": "old porter"}, {"remarks": "oil the key"}, {"retired": True}]
        self.changed(f"/api/cast/{self.porter.pk}", [*tags, *fields])
        row = Character.objects.get(pk=self.porter.pk)
        self.assertEqual((row.name, row.remarks, row.retired), ("old porter", "oil the key", True))
        self.assertEqual(row.tags, [f"shift {number}" for number in range(8)])

    def sends(self, method: str, path: str, on: int | None, status: int, **fields: object) -> dict:
        """A change of a row. on: the version that it is made on."""
        headers = {"If-Match": f'"{on}"'} if on is not None else {}
        send = getattr(self.client, method)
        answer = send(path, json.dumps(fields), content_type="application/json", headers=headers)
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json() if answer.content else {}

    def test_the_same_field_changed_by_another_is_refused_with_both_values(self) -> None:
        path = f"/api/library/clips/{self.walk.pk}"
        seen = self.client.get(path)
        base = seen.json()["lock_version"]
        self.assertEqual(seen["ETag"], f'"{base}"')
        first = self.sends("patch", path, base, 200, name="first round")
        self.assertGreater(first["lock_version"], base)
        refused = self.sends("patch", path, base, 409, name="second round")["detail"]
        self.assertEqual(
            refused,
            "Somebody else has named this “first round” since, not “second round”; look at it, then apply yours again.",
        )
        # To the same is no conflict, nor is another field, nor the same on what is there now.
        self.sends("patch", path, base, 200, name="first round")
        self.sends("patch", path, base, 200, floor=0.02, first=3)
        later = self.sends("patch", path, first["lock_version"], 200, name="second round")
        self.assertEqual((later["name"], later["floor"], later["first"]), ("second round", 0.02, 3))
        self.assertIn(
            "0.02 since, not to what was found", self.sends("patch", path, base, 409, floor="measured")["detail"]
        )
        kept = self.sends("patch", path, base, 409, first=5)["detail"]
        self.assertIn(f"3 to {later['last']} since, not to 5 to {later['last']}", kept)
        # Whoever does not say what they saw is served as before; what is no version of it is refused.
        self.sends("patch", path, None, 200, name="third round")
        for wrong in (0, 99):
            self.sends("patch", path, wrong, 409, name="fourth round")
        self.assertEqual(Clip.objects.get(pk=self.walk.pk).name, "third round")

    def test_names_given_to_many_are_changes_of_each(self) -> None:
        path = f"/api/library/clips/{self.walk.pk}"
        base = self.client.get(path).json()["lock_version"]
        self.put("/api/library/names", [{"id": self.walk.pk, "was": self.walk.name, "name": "by rule"}])
        self.assertIn("“by rule”", self.sends("patch", path, base, 409, name="by hand")["detail"])
        tags = self.post("/api/library/changes", ids=[self.walk.pk], tag=["night"], untag=[])
        self.assertEqual(tags.status_code, 200)
        self.sends("patch", path, base, 200, retired=True)

    def put(self, path: str, body: object) -> None:
        answer = self.client.put(path, json.dumps(body), content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)

    def test_characters_skeletons_patterns_and_stances_are_changed_on_a_version(self) -> None:
        cast = f"/api/cast/{self.porter.pk}"
        base = self.client.get(cast).json()["lock_version"]
        self.sends("patch", cast, base, 200, remarks="oil the key")
        self.assertIn("“oil the key” since", self.sends("patch", cast, base, 409, remarks="wind it")["detail"])
        self.sends("patch", cast, base, 200, name="old porter")
        bend = {"bend": [-10, 90], "side": [-20, 20], "twist": [-5, 5]}
        elbow = {"part": "left elbow" if "left elbow" in self.limits() else next(iter(self.limits())), "mirror": False}
        self.sends("put", f"{cast}/limits", base, 200, range=bend, **elbow)
        self.assertIn(
            f"how far the {elbow['part']} may bend",
            self.sends("put", f"{cast}/limits", base, 409, range=bend | {"bend": [0, 50]}, **elbow)["detail"],
        )

        body = self.client.get("/api/library/skeletons").json()[0]
        path = f"/api/library/skeletons/{body['id']}"
        self.assertEqual(self.sends("patch", path, body["lock_version"], 204, name="walkers"), {})
        self.sends("patch", path, body["lock_version"], 409, name="runners")

        pattern = self.client.get("/api/patterns/").json()[0]
        path = f"/api/patterns/{pattern['id']}"
        self.sends("patch", path, pattern["lock_version"], 200, about="as the hall has it")
        self.sends("patch", path, pattern["lock_version"], 409, about="as the tower has it")
        self.sends("patch", path, pattern["lock_version"], 200, name="hall")
        self.assertIn("remove it again", self.sends("delete", path, pattern["lock_version"], 409)["detail"])

        plan = self.post("/api/patterns/plans", copy_of=self.made["plan"], name="with a key").json()
        path = f"/api/patterns/plans/{plan['id']}"
        self.sends("patch", path, plan["lock_version"], 200, name="with two keys")
        self.sends("patch", path, plan["lock_version"], 409, name="with three keys")

        stance = self.post(f"{self.path}/stances", side="target", name="at rest").json()
        path = f"/api/stances/{stance['id']}"
        self.sends("patch", path, stance["lock_version"], 200, name="asleep")
        self.sends("patch", path, stance["lock_version"], 409, name="awake")
        self.sends("delete", path, stance["lock_version"], 409)

    def limits(self) -> dict[str, dict]:
        return {row["part"]: row for row in self.client.get(f"/api/cast/{self.porter.pk}/limits").json()}

    def test_a_limit_for_both_sides_is_for_these_two_alone(self) -> None:
        before = self.limits()
        part = next(part for part in before if part.startswith("left "))
        wanted = {"bend": [-1, 2], "side": [-3, 4], "twist": [-5, 6]}
        self.sends("put", f"/api/cast/{self.porter.pk}/limits", None, 200, part=part, range=wanted, mirror=True)
        changed = {name for name, row in self.limits().items() if row != before.get(name)}
        self.assertEqual(changed, {part, part.replace("left", "right")})

    def test_a_fitting_has_one_state_in_force_of_its_own(self) -> None:
        self.confirm(ANNA, "hips")
        row = Fitting.objects.select_related("state").get(pk=self.made["id"])
        assert row.state is not None
        self.assertEqual((row.state.author, row.state.fitting_id), (ANNA, row.pk))
