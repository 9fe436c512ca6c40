"""How things go out to each receiver, kept by its name."""

import json

from django.test import TestCase

from studio.delivery.models import DeliveryProfile

RULE = {
    "style": "under_scores",
    "pieces": [{"field": "character", "width": 2}, {"word": " "}, {"field": "original", "width": 2}],
}


class DeliveryProfiles(TestCase):
    def keep(self, name: str, status: int = 200, **body: object) -> dict:
        answer = self.client.put(
            "/api/deliveries/profiles", json.dumps({"name": name, **body}), content_type="application/json"
        )
        self.assertEqual(answer.status_code, status, answer.content)
        return answer.json()

    def listed(self) -> list[dict]:
        return self.client.get("/api/deliveries/profiles").json()

    def test_a_profile_is_kept_whole_and_replaced_by_its_name(self):
        made = self.keep("puppet theatre", wanted={"kind": "bvh", "unit": "inch", "up": "+Z", "fps": 24}, rule=RULE)
        self.assertEqual((made["wanted"]["unit"], made["wanted"]["fps"], made["rule"]), ("inch", 24, RULE))
        self.assertEqual(made["wanted"]["travel"], "as made", "what was not said is as usual")
        self.keep("Harbour office", wanted={"kind": "csv"})
        again = self.keep("  Puppet   Theatre ", wanted={"kind": "dae"}, rule=RULE)
        self.assertEqual(again["id"], made["id"])
        self.assertEqual(
            [(row["name"], row["wanted"]["kind"]) for row in self.listed()],
            [("Harbour office", "csv"), ("Puppet Theatre", "dae")],
        )
        self.assertEqual(self.client.delete(f"/api/deliveries/profiles/{made['id']}").status_code, 204)
        self.assertEqual(self.client.delete(f"/api/deliveries/profiles/{made['id']}").status_code, 404)
        self.assertEqual([row["name"] for row in self.listed()], ["Harbour office"])

    def test_the_rule_in_force_is_kept_where_none_is_said(self):
        self.client.put("/api/deliveries/rule", json.dumps(RULE), content_type="application/json")
        self.assertEqual(self.keep("puppet theatre")["rule"], RULE)

    def test_what_is_no_profile_is_a_sentence_and_nothing_is_kept(self):
        for name, body, sentence in (
            ("  ", {}, "1 to 100 letters"),
            ("x" * 101, {}, "1 to 100 letters"),
            ("a", {"wanted": {"kind": "bvh", "ensembles": "one file"}}, "holds one figure"),
            ("a", {"wanted": {"fps": 0}}, "fps"),
            ("a", {"rule": {"style": "shouting", "pieces": []}}, "Naming rule"),
        ):
            with self.subTest(name=name[:5], **body):
                self.assertIn(sentence, str(self.keep(name, 422, **body)["detail"]))
        self.assertFalse(DeliveryProfile.objects.exists())

    def test_one_of_an_earlier_state_is_shown_whole(self):
        DeliveryProfile.objects.create(name="old", wanted={"kind": "bvh"}, rule=RULE)
        self.assertEqual(self.listed()[0]["wanted"]["ensembles"], "common space")
