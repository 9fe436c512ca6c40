"""What must hold for any value: round trips, and what a change of space leaves alone. Values are made by hypothesis."""

import json
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from armuto.contacts import model as contacts
from armuto.export import settings as delivery_settings
from armuto.formats import bvh
from armuto.intake import naming
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip, clip_in_frame, in_file_space
from armuto.kinematics.pose import local_rotations, world_pose
from armuto.kinematics.skeleton import FileFrame, Skeleton, in_frame
from armuto.pairing import patterns
from armuto.retarget import settings as retarget_settings

# Machines are shared and noisy: no example is timed. The same examples on every run, so that a red one stays red.
settings.register_profile("armuto", max_examples=40, deadline=None, database=None, derandomize=True)
settings.load_profile("armuto")

NUMBERS = st.floats(-2, 2, width=32)
QUATERNIONS = st.tuples(NUMBERS, NUMBERS, NUMBERS, NUMBERS).filter(lambda q: np.linalg.norm(q) > 0.1)
SHARES = st.floats(0, 1)
WORDS = st.text("abcdefghijklmnopqrstuvwxyz _-é", min_size=1, max_size=12).filter(lambda word: word.strip())


def unit(q) -> np.ndarray:
    return np.array(q) / np.linalg.norm(q)


@st.composite
def skeletons(draw) -> Skeleton:
    """Any tree of up to seven joints."""
    count = draw(st.integers(1, 7))
    parents = [-1, *(draw(st.integers(0, joint - 1)) for joint in range(1, count))]
    offsets = draw(st.lists(st.tuples(NUMBERS, NUMBERS, NUMBERS), min_size=count, max_size=count))
    turns = draw(st.lists(QUATERNIONS, min_size=count, max_size=count))
    names = tuple(f"joint {number}" for number in range(count))
    return Skeleton(names, np.array(parents), np.array(offsets, float), np.array([unit(q) for q in turns]))


@st.composite
def clips(draw) -> Clip:
    skeleton = draw(skeletons())
    frames, joints = draw(st.integers(1, 4)), len(skeleton)
    turns = draw(st.lists(QUATERNIONS, min_size=frames * joints, max_size=frames * joints))
    places = draw(st.lists(st.tuples(NUMBERS, NUMBERS, NUMBERS), min_size=frames, max_size=frames))
    rotations = np.array([unit(q) for q in turns]).reshape(frames, joints, 4)
    return Clip("made", skeleton, 30.0, rotations, np.array([0]), np.array(places, float).reshape(frames, 1, 3))


class Rotations(unittest.TestCase):
    @given(QUATERNIONS, QUATERNIONS, st.tuples(NUMBERS, NUMBERS, NUMBERS))
    def test_they_compose_undo_and_keep_lengths(self, p, q, v):
        p, q, v = unit(p), unit(q), np.array(v)
        both = rotation.rotate(rotation.multiply(p, q), v)
        np.testing.assert_allclose(both, rotation.rotate(p, rotation.rotate(q, v)), atol=1e-9)
        np.testing.assert_allclose(rotation.rotate(rotation.inverse(p), rotation.rotate(p, v)), v, atol=1e-9)
        self.assertAlmostEqual(float(np.linalg.norm(both)), float(np.linalg.norm(v)), places=9)

    @given(QUATERNIONS)
    def test_matrices_go_round(self, q):
        q = unit(q)
        back = rotation.from_matrix(rotation.to_matrix(q))
        self.assertAlmostEqual(abs(float(back @ q)), 1.0, places=9)

    @given(QUATERNIONS, QUATERNIONS)
    def test_swing_and_twist_make_the_whole(self, q, axis):
        q, axis = unit(q), np.array(axis[:3]) + [0, 0, 1e-3]
        axis = axis / np.linalg.norm(axis)
        swing, twist = rotation.swing_and_twist(q, axis)
        self.assertAlmostEqual(abs(float(rotation.multiply(swing, twist) @ q)), 1.0, places=9)
        np.testing.assert_allclose(np.cross(rotation.vector(twist), axis), 0, atol=1e-6)

    @given(QUATERNIONS, QUATERNIONS, SHARES)
    def test_slerp_goes_evenly_along_the_shorter_arc(self, p, q, share):
        p, q = unit(p), unit(q)
        whole = float(rotation.angle(rotation.multiply(rotation.inverse(p), q)))
        part = float(rotation.angle(rotation.multiply(rotation.inverse(p), rotation.slerp(p, q, share))))
        self.assertAlmostEqual(part, share * whole, places=5)


class Motion(unittest.TestCase):
    @given(clips())
    def test_world_and_local_undo_each_other(self, clip):
        world = world_pose(clip.skeleton, clip.rotations, clip.all_translations())
        back = local_rotations(clip.skeleton, world.rotations)
        np.testing.assert_allclose(np.abs(np.sum(back * clip.rotations, axis=-1)), 1.0, atol=1e-9)

    @given(clips(), st.sampled_from([0.01, 0.0254, 1.0]), QUATERNIONS)
    def test_the_files_space_is_found_back(self, clip, unit_of_file, turn):
        frame = FileFrame(unit_of_file, tuple(unit(turn).tolist()))
        brought = clip_in_frame(clip, in_frame(clip.skeleton, frame))
        rotations, translations = in_file_space(brought)
        np.testing.assert_allclose(np.abs(np.sum(rotations * clip.rotations, axis=-1)), 1.0, atol=1e-9)
        np.testing.assert_allclose(translations, clip.all_translations(), atol=1e-9)
        # What the body looks like does not depend on the space it is said in.
        lengths = [np.linalg.norm(np.diff(c.world().positions, axis=1), axis=-1) for c in (clip, brought)]
        np.testing.assert_allclose(lengths[1], lengths[0] * unit_of_file, atol=1e-9)

    @given(clips())
    def test_bvh_goes_round(self, clip):
        text = bvh.serialise(bvh.from_clip(clip, unit=1.0))
        back = bvh.to_clip(bvh.parse(text, "made.bvh"), "made")
        # A file lists joints branch by branch, and their names have no blanks.
        places = [back.skeleton.index[name.replace(" ", "_")] for name in clip.skeleton.names]
        np.testing.assert_allclose(back.world().positions[:, places], clip.world().positions, atol=1e-4)


class Choices(unittest.TestCase):
    """What people choose is the same after it went through a file."""

    @given(
        st.fixed_dictionaries(
            {},
            optional={
                "hold": SHARES,
                "spread": st.floats(-90, 90),
                "stride": st.none() | st.floats(0.01, 100),
                "holds": st.dictionaries(WORDS, SHARES, max_size=3),
                "hands": st.dictionaries(st.sampled_from(retarget_settings.RELATIONS), SHARES),
                "follow": st.dictionaries(WORDS, st.fixed_dictionaries({"turn": st.floats(0, 2)}), max_size=3),
                "travel": st.fixed_dictionaries({"mode": st.sampled_from(["keep", "in place", "root"])}),
                "limits": st.sampled_from(["off", "soft", "hard"]),
            },
        )
    )
    def test_settings(self, table):
        made = retarget_settings.from_json(table)
        self.assertEqual(retarget_settings.from_json(json.loads(json.dumps(retarget_settings.to_json(made)))), made)

    @given(st.sampled_from(sorted(retarget_settings.Settings.__dataclass_fields__)), st.text(max_size=5))
    def test_a_word_where_a_number_or_a_table_belongs_is_refused_with_its_place(self, name, word):
        try:
            made = retarget_settings.from_json({name: word})
        except ValueError as problem:
            self.assertIn(name, str(problem))
        else:
            self.assertNotEqual(made, None)  # a word that is one of its choices, or that says a number

    @given(
        st.fixed_dictionaries(
            {},
            optional={
                "kind": st.sampled_from(["glb", "bvh", "csv"]),
                "fps": st.none() | st.floats(1, 480),
                "first": st.integers(0, 1000),
                "thinned": st.fixed_dictionaries(
                    {"degrees": st.floats(0.001, 45), "centimetres": st.floats(0.001, 45)}
                ),
            },
        )
    )
    def test_delivery_settings(self, table):
        made = delivery_settings.settings_from_json(table)
        back = json.loads(json.dumps(delivery_settings.to_json(made)))
        self.assertEqual(delivery_settings.settings_from_json(back), made)

    @given(
        st.lists(WORDS.map(lambda word: {"word": word}) | st.sampled_from(naming.FIELDS).map(lambda f: {"field": f}))
    )
    def test_naming_rules(self, pieces):
        rule = naming.from_json({"pieces": pieces[:40], "style": naming.STYLES[0]})
        self.assertEqual(naming.from_json(json.loads(json.dumps(naming.to_json(rule)))), rule)

    @given(st.dictionaries(st.sampled_from(["hips", "chest", "head", "left hand"]), WORDS, min_size=1))
    def test_patterns(self, names):
        parts = {part: (f"{name} {number}",) for number, (part, name) in enumerate(names.items())}
        made = patterns.Pattern("made", "two-legged", parts)
        self.assertEqual(patterns.from_json(json.dumps(patterns.to_json(made)), "made.json"), made)

    @given(st.lists(st.tuples(st.integers(0, 99), st.integers(0, 99)), max_size=5))
    def test_contacts(self, spans):
        made = [contacts.Contact("left toes", min(a, b), max(a, b), by_hand=True) for a, b in spans]
        back = contacts.from_json([contact.to_json() for contact in made], ["left toes"], 100)
        self.assertEqual(sorted(back, key=lambda c: (c.first, c.last)), sorted(made, key=lambda c: (c.first, c.last)))
