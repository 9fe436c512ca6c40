"""Names by a rule: fields read from file names, words that go with empty fields, padding, collisions."""

import unittest

from armuto.intake import naming
from armuto.intake.naming import Facts, Field, Rule, Word


class Reading(unittest.TestCase):
    def test_fields_from_paths(self):
        cases = {
            "night/porter_walk_tired_02.bvh": ("porter", "walk", "tired", "", 2),
            "hall/wave_the_lantern.bvh": ("", "wave", "", "lantern", None),
            "Keeper-RunFast_003.bvh": ("keeper", "run", "fast", "", 3),
            "hand_over_the_crate_giver.bvh": ("", "hand over", "giver", "crate", None),
            "x/123.bvh": ("", "", "", "", 123),
        }
        for path, want in cases.items():
            known = naming.facts(path)
            self.assertEqual((known.performer, known.action, known.manner, known.prop, known.number), want, path)
        known = naming.facts("night/birds.glb", "flap slowly", "roof", 91)
        self.assertEqual(
            (known.original, known.folder, known.skeleton, known.length), ("flap slowly", "night", "roof", 91)
        )
        self.assertEqual((known.action, known.manner), ("flap", "slowly"))


class Making(unittest.TestCase):
    rule = Rule(
        (Field("action"), Word(" — "), Field("manner"), Word(" with "), Field("prop"), Word(" "), Field("number", 3))
    )

    def test_words_go_with_the_field_that_is_empty(self):
        full = Facts("x", action="walk", manner="tired", prop="lantern", number=7)
        self.assertEqual(naming.name(self.rule, full), "walk — tired with lantern 007")
        self.assertEqual(naming.name(self.rule, Facts("x", action="walk", prop="lantern")), "walk — lantern")
        self.assertEqual(naming.name(self.rule, Facts("x", action="walk", number=7)), "walk — 007")
        self.assertEqual(naming.name(self.rule, Facts("x", action="walk")), "walk")
        self.assertEqual(naming.name(self.rule, Facts("x", manner="tired")), "tired")

    def test_the_original_name_where_the_rule_gives_nothing(self):
        self.assertEqual(naming.name(self.rule, Facts("take 12")), "take 12")
        self.assertEqual(naming.name(Rule(()), Facts("take 12")), "take 12")
        self.assertEqual(naming.name(Rule(()), Facts("///")), "clip")

    def test_styles(self):
        known = Facts("x", action="Wave", prop="old lantern")
        rule = (Field("action"), Word(" the "), Field("prop"))
        want = {
            "as it is": "Wave the old lantern",
            "lower case": "wave the old lantern",
            "Capitals": "Wave The Old Lantern",
        }
        want |= {"under_scores": "Wave_the_old_lantern", "hyphen-ated": "Wave-the-old-lantern"}
        self.assertEqual({style: naming.name(Rule(rule, style), known) for style in naming.STYLES}, want)

    def test_no_name_breaks_a_file_system(self):
        hard = Facts('a/b\\c:d*e?"f<g>h|i\x00\n' + "x" * 400)
        made = naming.name(naming.AS_IT_CAME, hard)
        self.assertLessEqual(len(made), naming.LONGEST)
        self.assertFalse(set(made) & set('/\\:*?"<>|\x00\n'))

    def test_no_name_twice_whatever_the_case(self):
        rows = [Facts("walk"), Facts("Walk"), Facts("walk 2"), Facts("walk")]
        made = naming.names(naming.AS_IT_CAME, rows, ["WALK"])
        self.assertEqual(made, ["walk 2", "Walk 3", "walk 2 2", "walk 4"])
        self.assertEqual(naming.names(Rule((Field("original"),), "under_scores"), rows[:2]), ["walk", "Walk_2"])


class Keeping(unittest.TestCase):
    def test_there_and_back_as_json(self):
        rule = Rule((Field("action"), Word(" · "), Field("number", 4)), "hyphen-ated")
        self.assertEqual(naming.from_json(naming.to_json(rule)), rule)

    def test_what_is_no_rule_is_said(self):
        for tree, what in (
            ({"pieces": [{"field": "colour"}]}, "fields performer"),
            ({"pieces": [{}]}, "is neither"),
            ({"pieces": "x"}, "list"),
            ({"pieces": [], "style": "loud"}, "no style"),
        ):
            with self.assertRaisesRegex(ValueError, what):
                naming.from_json(tree)
