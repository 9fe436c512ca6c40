"""Bones that are given in the studio: what is proposed, changed, looked at, tried and put in the line-up."""

import json
import threading
import time
from unittest.mock import patch

import numpy as np

from armuto import isolation
from armuto.errors import BadInput
from armuto.formats import gltf
from armuto.rigging import definition as core
from armuto.rigging.preparing import prepare
from armuto.tests import sculptures
from armuto.tests.files import DEMO, PORTER, WALK
from armuto.tests.test_rig_poses import lowered
from studio.cast.models import Character
from studio.library.models import Clip
from studio.patterns.models import Pattern
from studio.platform import reader
from studio.rigs.models import Rig
from studio.tests.test_intake import IntakeCase


class RigCase(IntakeCase):
    def call(self, method: str, path: str, body: object = None, status: int = 200, **headers: str):
        send = getattr(self.client, method)
        answer = send(f"/api/rigs/{path}", json.dumps(body), content_type="application/json", headers=headers)
        self.assertEqual(answer.status_code, status, answer.content[:300])
        return answer.json()

    def look(self, path: str, status: int = 200):
        answer = self.client.get(f"/api/rigs/{path}")
        self.assertEqual(answer.status_code, status, answer.content[:300])
        return answer.json()

    def character(self, name: str, content: bytes) -> Character:
        (pk,) = self.lay((name, content), goes_to="cast")
        self.send("post", "accept", files=[pk])
        return Character.objects.latest("pk")


class Rigs(RigCase):
    def test_a_sculpture_keeps_what_its_bones_were_made_from(self):
        content = sculptures.bare("keeper")
        character = self.character("keeper.glb", content)
        row = Rig.objects.get(character=character)
        self.assertEqual(row.original.content.data, content)
        shown = self.look(f"{character.pk}")
        self.assertTrue(shown["current"])
        self.assertEqual(shown["skeleton"]["names"][:2], ["root", "hips"])
        self.assertEqual(shown["meanings"]["left knee"], "the middle of the knee")
        self.assertIn("coat", [piece["name"] for piece in shown["facts"]["pieces"]])
        self.assertEqual(shown["facts"]["flaws"]["doubled"], 0)
        # As it was accepted it is bound: it can be looked at without another binding.
        with patch.object(isolation, "call", side_effect=AssertionError):
            binding = self.look(f"{character.pk}/binding")
        self.assertCountEqual(binding["names"], shown["skeleton"]["names"])
        # Sent once more it is there already.
        self.assertEqual(self.call("post", f"{character.pk}")["lock_version"], shown["lock_version"])

    def test_a_landmark_that_is_moved_moves_the_bone_and_the_points_about_it(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        shown = self.look(f"{character.pk}")
        before = self.client.get(f"/api/rigs/{character.pk}/figure?whole=true").content
        wanted = shown["definition"]
        at = wanted["landmarks"]["left wrist"]["at"]
        moved = [at[0] - 0.05, at[1], at[2]]
        wanted["landmarks"]["left wrist"] = {"at": moved}
        changed = self.call("patch", f"{character.pk}", {"definition": wanted})
        self.assertFalse(changed["current"])
        joint = changed["skeleton"]["names"].index("left hand")
        np.testing.assert_allclose(changed["skeleton"]["places"][joint], moved, atol=1e-4)
        after = self.client.get(f"/api/rigs/{character.pk}/figure?whole=true").content
        self.assertNotEqual(before, after)
        # The character has them only when it is given them.
        self.assertEqual(Character.objects.get(pk=character.pk).revision, 1)
        answer = self.call("post", f"{character.pk}/version")
        self.assertEqual((answer["revision"], answer["name"]), (2, "keeper"))
        character.refresh_from_db()
        document = character.document()
        hand = document.skeleton.index["left hand"]
        np.testing.assert_allclose(document.skeleton.rest.positions[hand], moved, atol=1e-3)
        self.assertTrue(self.look(f"{character.pk}")["current"])
        # Put there twice it is the same.
        self.assertEqual(self.call("post", f"{character.pk}/version")["revision"], 2)

    def test_what_another_has_changed_is_not_written_over(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        shown = self.look(f"{character.pk}")
        version = {"If-Match": f'"{shown["lock_version"]}"'}
        wanted = shown["definition"] | {"options": shown["definition"]["options"] | {"spine": 4}}
        self.call("patch", f"{character.pk}", {"definition": wanted}, **version)
        other = shown["definition"] | {"options": shown["definition"]["options"] | {"spine": 2}}
        self.call("patch", f"{character.pk}", {"definition": other}, 409, **version)
        self.assertIn("spine 3", self.look(f"{character.pk}")["skeleton"]["names"])

    def test_pieces_are_left_out_or_follow_a_bone(self):
        character = self.character("bellringer.glb", sculptures.coarse("bellringer"))
        shown = self.look(f"{character.pk}")
        pieces = {piece["name"]: piece["number"] for piece in shown["facts"]["pieces"]}
        binding = self.look(f"{character.pk}/binding")
        self.assertEqual(binding["follows"][str(pieces["cap"])], "head")
        wanted = shown["definition"] | {"omitted": [pieces["cap"]], "follows": {str(pieces["tunic"]): "chest"}}
        self.call("patch", f"{character.pk}", {"definition": wanted})
        changed = self.look(f"{character.pk}/binding")
        self.assertEqual(changed["follows"][str(pieces["tunic"])], "chest")
        held = gltf.parse(self.client.get(f"/api/rigs/{character.pk}/figure?whole=true").content, "x.glb")
        shown_materials = {
            held.rows("materials")[row["material"]]["name"]
            for node in held.rows("nodes")
            if "mesh" in node
            for row in held.rows("meshes")[node["mesh"]]["primitives"]
        }
        self.assertIn("tunic", shown_materials)
        self.assertNotIn("cap", shown_materials)

    def test_a_figure_with_bones_is_given_others(self):
        character = self.character("porter.glb", PORTER.read_bytes())
        before = character.document()
        self.look(f"{character.pk}", 404)
        shown = self.call("post", f"{character.pk}")
        self.assertFalse(shown["current"])
        knee = shown["definition"]["landmarks"]["left knee"]["at"]
        there = before.skeleton.rest.positions[before.parts["left lower leg"][0].joint]
        self.assertLess(np.linalg.norm(np.array(knee) - there), 0.03 * before.height)
        bare = gltf.parse(self.client.get(f"/api/rigs/{character.pk}/mesh").content, "x.glb")
        self.assertEqual(bare.rows("skins"), [])
        self.call("post", f"{character.pk}/version")
        character.refresh_from_db()
        self.assertIn("spine 1", character.document().skeleton.names)

    def test_it_is_given_bones_as_it_was_bound_or_as_it_stands(self):
        character = self.character("porter.glb", lowered())
        shown = self.call("post", f"{character.pk}")
        self.assertEqual((shown["poses"], shown["definition"]["pose"]), (["bound", "standing"], "bound"))
        found = self.call("post", f"{character.pk}/proposal", {"pose": "standing"})["definition"]
        self.assertEqual(found["pose"], "standing")
        mesh = self.client.get(f"/api/rigs/{character.pk}/mesh").content
        kept = self.call("patch", f"{character.pk}", {"definition": found})
        self.assertNotEqual(
            kept["facts"]["low"] + kept["facts"]["high"], shown["facts"]["low"] + shown["facts"]["high"]
        )
        self.assertNotEqual(self.client.get(f"/api/rigs/{character.pk}/mesh").content, mesh)
        # Proposed anew it stays in the pose that was chosen, and the line-up has it so.
        again = self.call("post", f"{character.pk}/proposal", {})["definition"]
        self.assertEqual(again["pose"], "standing")
        self.call("post", f"{character.pk}/version")
        document = Character.objects.get(pk=character.pk).document()
        hand = document.skeleton.rest.positions[document.skeleton.index["left hand"]]
        np.testing.assert_allclose(hand, found["landmarks"]["left wrist"]["at"], atol=2e-3)
        other = self.character("keeper.glb", sculptures.coarse("keeper"))
        self.assertEqual(self.look(f"{other.pk}")["poses"], ["bound"])

    def test_another_file_for_the_character_is_begun_with_anew(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        self.version(f"cast/{character.pk}", "porter.glb", PORTER.read_bytes())
        answer = self.call("post", f"{character.pk}/version", status=422)
        self.assertIn("another file has come in", answer["detail"])
        shown = self.call("post", f"{character.pk}")
        self.assertFalse(shown["current"])
        self.assertAlmostEqual(shown["facts"]["high"][1], sculptures.figure("porter").points[:, 1].max(), places=2)

    def test_a_unit_that_was_said_before_it_was_accepted_holds(self):
        (pk,) = self.lay(("keeper.glb", sculptures.coarse("keeper")), goes_to="cast")
        self.send("post", "tell", files=[pk], unit="foot")
        self.send("post", "accept", files=[pk])
        character = Character.objects.get()
        shown = self.look(f"{character.pk}")
        crown = shown["definition"]["landmarks"]["crown"]["at"][1]
        self.assertAlmostEqual(crown, 0.3048 * sculptures.figure("keeper").height, delta=0.02)
        wanted = shown["definition"] | {"options": shown["definition"]["options"] | {"neck": 2}}
        self.call("patch", f"{character.pk}", {"definition": wanted})
        height = character.height
        self.call("post", f"{character.pk}/version")
        character.refresh_from_db()
        self.assertAlmostEqual(character.height, height, delta=0.03)

    def test_a_piece_is_moved_with_its_landmarks_and_put_back(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        shown = self.look(f"{character.pk}")
        shoe = next(row for row in shown["facts"]["pieces"] if row["name"] == "shoes 2")
        mesh = self.client.get(f"/api/rigs/{character.pk}/mesh").content
        pivot = self.look(f"{character.pk}/pivot?piece={shoe['number']}")["at"]
        move = {"offset": [0.0, 0.0, 0.1], "turn": [0.0, 20.0, 0.0], "pivot": pivot}
        body = {"definition": shown["definition"], "moves": {str(shoe["number"]): move}}
        found = self.call("post", f"{character.pk}/moves", body)["definition"]
        self.assertEqual(self.look(f"{character.pk}")["definition"], shown["definition"], "nothing is kept yet")
        before, after = (row["landmarks"] for row in (shown["definition"], found))
        changed = {name for name in before if before[name] != after[name]}
        side = "left" if shoe["middle"][0] > 0 else "right"
        self.assertIn(f"{side} ball", changed)
        self.assertLessEqual(changed, {f"{side} {name}" for name in ("ankle", "ball", "heel", "toes")})
        kept = self.call("patch", f"{character.pk}", {"definition": found})
        moved = next(row for row in kept["facts"]["pieces"] if row["number"] == shoe["number"])
        self.assertAlmostEqual(moved["middle"][2] - shoe["middle"][2], 0.1, delta=0.05)
        self.assertNotEqual(self.client.get(f"/api/rigs/{character.pk}/mesh").content, mesh)
        self.call("post", f"{character.pk}/version")
        # Put back it is as it was, landmarks too.
        still = {str(shoe["number"]): move | {"offset": [0, 0, 0], "turn": [0, 0, 0]}}
        back = self.call("post", f"{character.pk}/moves", {"definition": found, "moves": still})["definition"]
        self.assertEqual(back["moves"], {})
        for name, row in before.items():
            np.testing.assert_allclose(back["landmarks"][name]["at"], row["at"], atol=1e-4)
        # Proposed anew it stays where it was moved to; read in another unit it is where it came.
        again = self.call("post", f"{character.pk}/proposal", {"unit": None, "up": None})["definition"]
        self.assertEqual(again["moves"], found["moves"])
        other = self.call("post", f"{character.pk}/proposal", {"unit": 0.01, "up": None})["definition"]
        self.assertEqual(other["moves"], {})
        self.assertIn("no such piece", self.look(f"{character.pk}/pivot?piece=999", 422)["detail"])
        body = {"definition": shown["definition"], "moves": {"999": move}}
        self.assertIn("no such piece", self.call("post", f"{character.pk}/moves", body, 422)["detail"])

    def test_a_binding_says_how_far_it_is_and_is_given_up(self):
        content = sculptures.coarse("keeper")
        definition = core.to_json(prepare(content, "keeper.glb").definition)
        answers: list[object] = []

        def bind() -> None:
            try:
                answers.append(reader.bound_mesh(content, "keeper.glb", definition, "keepersjob"))
            except BadInput as problem:
                answers.append(str(problem))

        thread = threading.Thread(target=bind)
        thread.start()
        said = {"share": None, "doing": ""}
        while thread.is_alive() and said["share"] is None:
            said = self.look("jobs/keepersjob")
            time.sleep(0.005)
        self.assertRegex(said["doing"], "^[A-Z][a-z]+ ")
        self.assertTrue(0 <= said["share"] < 1, said)
        self.assertEqual(self.client.delete("/api/rigs/jobs/keepersjob").status_code, 204)
        thread.join()
        self.assertEqual(answers, ["keeper.glb: it was stopped before it was done; begin again when you like."])
        self.assertEqual(self.look("jobs/keepersjob"), {"share": None, "doing": ""})
        # What was given up leaves nothing in the way of the next.
        self.assertTrue(reader.bound_mesh(content, "keeper.glb", definition, "keepersjob").glb)

    def test_a_binding_that_is_given_up_before_its_turn_never_begins(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        shown = self.look(f"{character.pk}")["definition"]
        self.call("patch", f"{character.pk}", {"definition": shown | {"options": shown["options"] | {"spine": 5}}})
        self.client.delete("/api/rigs/jobs/waitingjob")
        self.assertIn("stopped before", self.look(f"{character.pk}/binding?job=waitingjob", 422)["detail"])
        self.assertEqual(len(self.look(f"{character.pk}/binding?job=waitingjob")["names"]) > 20, True)
        self.assertEqual(self.client.get(f"/api/rigs/{character.pk}/binding?job=../x").status_code, 422)

    def test_it_is_tried_with_postures_and_with_clips(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        postures = self.look(f"{character.pk}/postures")
        names = [row["name"] for row in postures["postures"]]
        self.assertIn("arms up", names)
        binding = self.look(f"{character.pk}/binding")
        rotations = self.arrays(f"{character.pk}/motion")[0]
        self.assertEqual(rotations.shape[:2], (postures["frames"], len(binding["names"])))
        elbow = binding["names"].index("left lower arm")
        frame = postures["postures"][names.index("elbows bent")]["frame"]
        bent = np.abs((rotations[frame, elbow] * rotations[0, elbow]).sum())
        self.assertAlmostEqual(np.degrees(2 * np.arccos(min(bent, 1))), 90, delta=0.5)
        self.lay(("hall/walk.bvh", WALK.read_bytes()))
        self.send("post", "accept")
        clip = Clip.objects.get()
        rotations, translations = self.arrays(f"{character.pk}/motion?clip={clip.pk}")
        self.assertEqual(rotations.shape[0], clip.last - clip.first + 1)
        self.assertGreater(np.ptp(translations, axis=0).max(), 0.5)
        self.look(f"{character.pk}/motion?clip=99999", 404)

    def test_its_bones_are_called_as_a_pattern_has_them_where_it_is_fetched(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        shown = self.look(f"{character.pk}")
        wanted = shown["definition"]
        self.assertEqual((wanted["naming"], shown["skeleton"]["names_in_file"]), (None, shown["skeleton"]["names"]))
        pattern = Pattern.objects.get(name="ISO/IEC 19774")
        wanted |= {"naming": {"pattern": pattern.name, "parts": pattern.parts}, "follows": {"1": "left hand"}}
        changed = self.call("patch", f"{character.pk}", {"definition": wanted})
        self.assertEqual(changed["skeleton"]["names"], shown["skeleton"]["names"])
        self.assertIn("l_elbow", changed["skeleton"]["names_in_file"])
        # Where they are decided on they keep their names, and move as before.
        binding = self.look(f"{character.pk}/binding")
        self.assertEqual(
            (set(binding["names"]), binding["follows"]["1"]), (set(shown["skeleton"]["names"]), "left hand")
        )
        postures = self.look(f"{character.pk}/postures")["postures"]
        rotations = self.arrays(f"{character.pk}/motion")[0]
        frame = next(row["frame"] for row in postures if row["name"] == "elbows bent")
        elbow = binding["names"].index("left lower arm")
        bent = np.abs((rotations[frame, elbow] * rotations[0, elbow]).sum())
        self.assertAlmostEqual(np.degrees(2 * np.arccos(min(bent, 1))), 90, delta=0.5)
        # A proposal anew keeps the choice, another kind of body does not.
        kept = self.call("post", f"{character.pk}/proposal", {"plan": "two-legged"})["definition"]
        self.assertEqual(kept["naming"], changed["definition"]["naming"])
        self.call("post", f"{character.pk}/version")
        character.refresh_from_db()
        skeleton = character.skeleton.value()
        self.assertLessEqual({"l_elbow", "skullbase"}, set(skeleton.names))
        joint = character.skeleton.assignment()["left lower arm"][0].joint
        self.assertEqual(skeleton.names[joint], "l_elbow")
        wrong = changed["definition"] | {"naming": {"pattern": "x", "parts": {"hips": []}}}
        self.assertIn("naming", self.call("patch", f"{character.pk}", {"definition": wrong}, 422)["detail"])

    def test_a_definition_of_an_earlier_state_is_shown_whole(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        row = Rig.objects.get(character=character)
        row.definition = {key: value for key, value in row.definition.items() if key not in ("naming", "softness")}
        row.save()
        shown = self.look(f"{character.pk}")
        self.assertTrue(shown["current"])
        self.assertEqual((shown["definition"]["naming"], shown["definition"]["softness"]), (None, {}))
        # What a page that was open before sends has no such fields either.
        self.call("patch", f"{character.pk}", {"definition": row.definition})

    def test_a_section_shows_the_middle_of_a_limb(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        at = self.look(f"{character.pk}")["definition"]["landmarks"]["left elbow"]["at"]
        off = np.array(at) + [0, 0, 0.03]
        section = self.look(f"{character.pk}/section?landmark=left elbow&x={off[0]}&y={off[1]}&z={off[2]}")
        self.assertLess(np.linalg.norm(np.array(section["middle"]) - at), 0.015)
        own = np.array(section["segments"])[section["own"]]
        self.assertLess(np.ptp(own.reshape(-1, 3), axis=0).max(), 0.3)
        self.look(f"{character.pk}/section?landmark=tail&x=0&y=0&z=0", 422)
        self.look(f"{character.pk}/section?landmark=left elbow&x=1e9&y=0&z=0", 422)

    def test_what_is_no_definition_is_a_sentence(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        good = self.look(f"{character.pk}")["definition"]
        correction = {"bone": "head", "at": [0, 0, 0], "radius": 0.1, "amount": 3, "mirrored": True}
        for wrong, sentence in (
            ({"options": good["options"] | {"spine": 40}}, "1 to 6 spine bones"),
            ({"landmarks": {}}, "is missing"),
            ({"landmarks": good["landmarks"] | {"left gill": {"at": [0, 0, 0]}}}, "no landmark “left gill”"),
            ({"landmarks": good["landmarks"] | {"left hip": {"at": [0, 9e3, 0]}}}, "“left hip” lies far outside"),
            ({"omitted": ["cap"]}, "left out"),
            ({"follows": {"cap": 3}}, "follows"),
            ({"corrections": [correction]}, "amount from -1 to 1"),
            ({"up": "up"}, "is no axis"),
            ({"unit": -1}, "a unit is a length"),
        ):
            with self.subTest(sentence):
                answer = self.call("patch", f"{character.pk}", {"definition": good | wrong}, 422)
                self.assertIn(sentence, answer["detail"])
        self.assertEqual(self.look(f"{character.pk}")["definition"], good)

    def test_animals_are_given_the_bones_of_their_kind(self):
        hound = DEMO.parent / "without_bones" / "hound.glb"
        character = self.character(hound.name, hound.read_bytes())
        shown = self.look(f"{character.pk}")
        self.assertEqual((shown["definition"]["plan"], shown["current"]), ("four-legged", True))
        self.assertEqual(shown["meanings"]["left elbow"], "the elbow, at the belly")
        self.assertLessEqual({"tail 4", "left front foot", "right hind toes"}, set(shown["skeleton"]["names"]))
        self.assertIn("left front foot", character.skeleton.assignment())
        postures = self.look(f"{character.pk}/postures")["postures"]
        self.assertIn("hind legs folded", [row["name"] for row in postures])
        self.lay(("yard/trot.bvh", (DEMO / "yard" / "trot.bvh").read_bytes()), ("hall/walk.bvh", WALK.read_bytes()))
        self.send("post", "accept")
        trot, walk = (Clip.objects.get(name=name) for name in ("trot", "walk"))
        self.assertGreater(np.ptp(self.arrays(f"{character.pk}/motion?clip={trot.pk}")[1], axis=0).max(), 0.5)
        self.assertEqual(len(self.arrays(f"{character.pk}/motion?clip={walk.pk}")[0]), walk.last - walk.first + 1)
        # It has no hands; and a kind of body can be said, which is only looked at until it is kept.
        fingers = self.call("post", f"{character.pk}/fingers", {"definition": shown["definition"], "count": 3}, 422)
        self.assertIn("no hands", fingers["detail"])
        other = self.call("post", f"{character.pk}/proposal", {"plan": "winged"})["definition"]
        self.assertEqual((other["plan"], "beak" in other["landmarks"]), ("winged", True))
        self.assertEqual(self.look(f"{character.pk}")["definition"], shown["definition"])
        self.assertIn("wings up", self.after(character, other))
        self.call("post", f"{character.pk}/proposal", {"plan": "six-legged"}, 422)

    def after(self, character: Character, definition: dict) -> list[str]:
        """The postures there are once a definition is kept."""
        self.call("patch", f"{character.pk}", {"definition": definition})
        return [row["name"] for row in self.look(f"{character.pk}/postures")["postures"]]

    def test_another_unit_is_looked_at_before_it_is_kept(self):
        character = self.character("keeper.glb", sculptures.coarse("keeper"))
        before = self.look(f"{character.pk}")["definition"]
        found = self.call("post", f"{character.pk}/proposal", {"unit": 0.5, "up": "+Y"})["definition"]
        ratio = found["landmarks"]["crown"]["at"][1] / before["landmarks"]["crown"]["at"][1]
        self.assertAlmostEqual(ratio, 0.5, delta=0.01)
        self.assertEqual(self.look(f"{character.pk}")["definition"], before)

    def arrays(self, path: str) -> list[np.ndarray]:
        answer = self.client.get(f"/api/rigs/{path}")
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        shapes = [tuple(map(int, row.split(","))) for row in answer["X-Armuto-Shape"].split(";")]
        values = np.frombuffer(answer.content, "<f4")
        return [
            part.reshape(shape)
            for part, shape in zip(np.split(values, np.cumsum([np.prod(s) for s in shapes])[:-1]), shapes, strict=True)
        ]
