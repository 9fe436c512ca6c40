"""Ensembles on other bodies: whoever met still meets, what is held stays rigid, and who is alone is left alone."""

import unittest
from dataclasses import replace

import numpy as np

from armuto.constraints.displacement import BodyDisplacement
from armuto.ensembles.casting import cast_actor, displaced
from armuto.ensembles.findings import find_in_ensemble, meeting_in_words
from armuto.ensembles.measures import measure_ensemble
from armuto.ensembles.model import Casting, Holder, Meeting, PlacementKey
from armuto.ensembles.pipeline import perform_ensemble
from armuto.kinematics import rotation
from armuto.kinematics.vectors import lengths
from armuto.pipeline import transfer
from armuto.quality.findings import Finding
from armuto.quality.measures import measure
from armuto.retarget.settings import PLAIN
from armuto.tests.ensembles import TOGETHER, gaps, recorded

TENTH = 1e-4  # metres


class SameBodies(unittest.TestCase):
    def test_everyone_moves_as_recorded(self) -> None:
        for name in TOGETHER:
            with self.subTest(name):
                row = recorded(name)
                result = perform_ensemble(row.recording, row.own)
                self.assertEqual(result.space, 1.0)
                for who, clip in result.clips.items():
                    off = clip.world().positions - row.recording.clips[who].world().positions
                    self.assertLess(np.abs(off).max(), TENTH)
                for thing, motion in result.props.items():
                    self.assertLess(np.abs(motion.positions - row.recording.props[thing].positions).max(), TENTH)

    def test_a_space_of_another_size_is_that_size(self) -> None:
        row = recorded("shake hands")
        result = perform_ensemble(row.recording, row.own, Casting("wide", {}, space=1.3))
        apart = [
            lengths(a.body().along("hips", 0.5) - b.body().along("hips", 0.5))
            for a, b in (list(result.actors.values()), list(result.transferred.values()))
        ]
        bodies = row.recording.bodies
        was = lengths(bodies["leaving"].along("hips", 0.5) - bodies["coming"].along("hips", 0.5))
        np.testing.assert_allclose(apart[1][0] / was[0], 1.3, atol=0.02)
        self.assertLess(max(gaps(result)), 0.005)


class OtherBodies(unittest.TestCase):
    def test_hands_meet_hands_and_props_whatever_the_size(self) -> None:
        rng = np.random.default_rng(5)
        for name in TOGETHER:
            row = recorded(name)
            for casting in range(2):
                with self.subTest(name, casting=casting):
                    # The load of the cart, which keeps its size, is above the hand of some who are a metre high.
                    least = 1.3 if name == "push the cart" else 1.0
                    result = perform_ensemble(row.recording, row.sized(rng, least, 2.2))
                    measures = measure_ensemble(result)
                    self.assertEqual(len(measures.meetings), len(row.recording.meetings))
                    for meeting in measures.meetings:
                        self.assertLess(meeting.gap, 0.01 if meeting.meeting.b.part else 0.005)
                        self.assertLess(meeting.angle, 8.0)
                    for pair in measures.pairs:
                        self.assertLess(pair.facing, 1.0)
                    self.feet_rest(row, result)

    def test_one_twice_as_high_as_the_other_stoops_to_them(self) -> None:
        tall, small = np.random.default_rng(11), np.random.default_rng(12)
        for name in ("hand over the crate", "wind the great clock", "shake hands"):
            row = recorded(name)
            for first, second in ((2.1, 1.0), (1.0, 2.1)):
                with self.subTest(name, first=first):
                    sizes = dict(zip(row.performers, (first, second), strict=True))
                    made = {who: row.sized(tall if size > 2 else small, size, size)[who] for who, size in sizes.items()}
                    result = perform_ensemble(row.recording, made)
                    self.assertLess(max(gaps(result)), 0.005)
                    self.feet_rest(row, result)

    def feet_rest(self, row, result) -> None:
        for who, clip in result.clips.items():
            for found in measure(row.recording.clips[who], clip, result.actors[who].fitting):
                if found.kind == "foot slide":
                    self.assertLess(found.size, max(found.source, 0.0) + 0.5, (who, found.part))

    def test_a_crate_stays_rigid_between_four_hands(self) -> None:
        row = recorded("hand over the crate")
        result = perform_ensemble(row.recording, row.cast("keeper", "bellringer"))
        crate = result.props["crate"]
        both = slice(50 - 2, 75 - 2)
        places = [constraint.place for constraint in result.constraints]
        hands = np.stack([row.a.place(result.actors[row.a.actor.name]) + row.away for row in result.constraints])
        local = rotation.rotate(rotation.inverse(crate.rotations), hands - crate.positions)[:, both]
        for place, path in zip(places, local, strict=True):
            self.assertLess(lengths(path - place).max(), 0.005)
        # Without the ensemble the hands were far from it, so that this says something.
        self.assertGreater(max(meeting.before for meeting in measure_ensemble(result).meetings), 0.2)
        # And it goes on from the one to the other without a jump.
        steps = lengths(np.diff(crate.positions, axis=0)).max() * row.recording.fps
        was = lengths(np.diff(row.recording.props["crate"].positions, axis=0)).max() * row.recording.fps
        self.assertLess(steps, 3 * was + 0.5)

    def test_what_is_taken_by_its_handle_is_in_the_hand(self) -> None:
        row = recorded("hand over the crate")
        plain = perform_ensemble(row.recording, row.own).constraints
        # Rails farther down its sides than where it was held, and a little beyond them.
        handles = {
            side: tuple(float(v) for v in row.place + [np.sign(row.place[0]) * 0.03, -0.06, 0.02])
            for side, row in zip(("left rail", "right rail"), plain[:2], strict=True)
        }
        (crate,) = row.ensemble.props
        held = [
            replace(meeting, b=Holder("crate", rail))
            for meeting, rail in zip(row.recording.meetings[:2], handles, strict=True)
        ]
        meetings = (*held, *row.recording.meetings[2:])
        ensemble = replace(row.ensemble, props=(replace(crate, handles=handles),), meetings=meetings)
        said = meeting_in_words(meetings[0], ensemble)
        self.assertRegex(said, "^the .* of giver and the crate at its (left|right) rail$")
        recording = replace(row.recording, ensemble=ensemble, meetings=meetings)
        for fittings in (row.own, row.cast("keeper", "bellringer"), row.sized(np.random.default_rng(3), 1.2, 2.0)):
            result = perform_ensemble(recording, fittings)
            size = result.sizes["crate"]
            for constraint, place in zip(result.constraints[:2], handles.values(), strict=True):
                hand = constraint.a.place(result.actors["giver"])
                rail = result.props["crate"].place(size * np.array(place))
                alone = slice(constraint.first, 45)  # before the other takes it, wherever these have it
                self.assertLess(lengths(hand - rail)[alone].max(), 0.005)
            self.assertLess(max(gaps(result)), 0.01)
        # Nearest, they were elsewhere.
        self.assertGreater(min(lengths(row.place - at) for row, at in zip(plain, handles.values(), strict=False)), 0.06)

    def test_nobody_is_jerked(self) -> None:
        for name in TOGETHER:
            row = recorded(name)
            result = perform_ensemble(row.recording, row.cast("porter", "keeper"))
            for who, clip in result.clips.items():
                with self.subTest(name, who=who):
                    jerks = [
                        found.size
                        for found in measure(row.recording.clips[who], clip, result.actors[who].fitting)
                        if found.kind == "jerk"
                    ]
                    self.assertLess(float(np.percentile(jerks, 90)), 1.5)

    def test_a_hand_goes_to_a_shoulder_that_stays_where_it_is(self) -> None:
        row = recorded("shake hands")
        (shake,) = row.recording.meetings
        for part in ("left upper arm", "right upper arm", "chest"):
            steadied = replace(shake, b=Holder(shake.b.who, part))
            result = perform_ensemble(replace(row.recording, meetings=(steadied,)), row.cast("porter", "keeper"))
            self.assertLess(max(gaps(result)), 0.01, part)
            self.assertFalse(result.actors[shake.b.who].displacement.active, part)

    def test_strength_says_how_much_is_kept(self) -> None:
        row = recorded("shake hands")
        (meeting,) = row.recording.meetings
        before = measure_ensemble(perform_ensemble(row.recording, row.cast("keeper", "bellringer"))).meetings[0].before
        left = []
        for strength in (0.0, 0.5, 1.0):
            recording = replace(row.recording, meetings=(replace(meeting, strength=strength),))
            left.append(max(gaps(perform_ensemble(recording, row.cast("keeper", "bellringer")))))
        self.assertAlmostEqual(left[0], before, places=6)
        self.assertLess(left[2], 0.005)
        self.assertTrue(left[2] < left[1] < left[0])

    def test_a_meeting_set_by_hand_is_kept_too(self) -> None:
        row = recorded("shake hands")
        by_hand = Meeting(45, 80, replace(row.recording.meetings[0].a), row.recording.meetings[0].b, 1.0, True)
        result = perform_ensemble(replace(row.recording, meetings=(by_hand,)), row.cast("porter", "keeper"))
        self.assertEqual((result.constraints[0].first, result.constraints[0].last), (43, 78))
        self.assertLess(max(gaps(result)), 0.005)


class Alone(unittest.TestCase):
    def test_who_meets_nobody_moves_as_a_transfer_alone_has_it(self) -> None:
        row = recorded("carry the ladder")
        fittings = row.cast("keeper", "bellringer")
        alone = replace(row.recording, meetings=())
        result = perform_ensemble(alone, fittings)
        for who, fitting in fittings.items():
            with self.subTest(who):
                strided = fitting.with_settings(replace(PLAIN, stride=result.space))
                made = transfer(row.recording.clips[who], strided).world().positions
                here = result.clips[who].world().positions
                # In the common space: turned back to where the source faces, and shifted.
                q = np.broadcast_to(rotation.inverse(fitting.turn), (*made.shape[:-1], 4))
                turned = rotation.rotate(q, made)
                off = here - turned
                self.assertLess(np.abs(off - off[:1, :1]).max(), 1e-9)

    def test_a_single_performer_stays_where_the_transfer_stands(self) -> None:
        row = recorded("sit down")
        fittings = row.cast("keeper")
        result = perform_ensemble(replace(row.recording, meetings=()), fittings)
        made = transfer(row.recording.clips["sitter"], fittings["sitter"]).world().positions
        self.assertLess(np.abs(result.clips["sitter"].world().positions - made).max(), 1e-9)

    def test_climbers_hold_the_rungs_and_sitters_sit(self) -> None:
        for figure in ("bellringer", "keeper"):
            with self.subTest(figure):
                row = recorded("climb the ladder")
                result = perform_ensemble(row.recording, row.cast(figure))
                self.assertGreater(len(result.constraints), 10)
                self.assertLess(max(gaps(result)), 0.005)
                ladder, size = result.props["ladder"], result.sizes["ladder"]
                rungs = np.array([shape.at[1] for shape in row.recording.prop("ladder").shapes[2:]]) * size
                actor = result.actors["climber"]
                for constraint in result.constraints:
                    palm = constraint.a.place(actor)[constraint.first : constraint.last + 1]
                    nearest = np.abs(palm[:, None, 1] - rungs - ladder.positions[0, 1]).min(axis=1)
                    self.assertLess(nearest.max(), 0.09 * size, constraint.meeting)
                row = recorded("sit down")
                result = perform_ensemble(row.recording, row.cast(figure), Casting("low", {}, sizes={"bench": 0.8}))
                self.assertLess(max(gaps(result)), 0.005)

    def test_a_seat_of_any_height_is_sat_on(self) -> None:
        row = recorded("sit down")
        heights = {}
        for size in (0.7, 1.0):
            result = perform_ensemble(row.recording, row.cast("keeper"), Casting("seat", {}, sizes={"bench": size}))
            heights[size] = result.actors["sitter"].body().along("hips", 0.5)[-1, 1]
            self.assertLess(max(gaps(result)), 0.005)
        self.assertAlmostEqual(heights[1.0] - heights[0.7], 0.3 * 0.45, delta=0.01)


class Placing(unittest.TestCase):
    def test_a_performer_is_moved_and_turned_at_a_frame_and_still_meets(self) -> None:
        row = recorded("shake hands")
        fittings = row.cast("porter", "keeper")
        keys = (PlacementKey(20, (0.1, -0.05), 0.0), PlacementKey(110, (0.1, -0.05), 20.0))
        plain = perform_ensemble(row.recording, fittings)
        moved = perform_ensemble(row.recording, fittings, Casting("moved", {}, placements={"leaving": keys}, ease=0.4))

        def hips(result, frame):
            return result.actors["leaving"].body().along("hips", 0.5)[frame - 2]

        np.testing.assert_allclose((hips(moved, 20) - hips(plain, 20))[[0, 2]], [0.1, -0.05], atol=0.03)
        np.testing.assert_allclose(hips(moved, 2)[[0, 2]], hips(plain, 2)[[0, 2]], atol=0.03)
        self.assertLess(max(gaps(moved)), 0.005)
        (pair,) = measure_ensemble(moved).pairs
        self.assertAlmostEqual(pair.facing, 20.0, delta=1.0)
        self.assertLess(measure_ensemble(plain).pairs[0].facing, 1e-3)

    def test_a_single_key_places_somebody_throughout(self) -> None:
        row = recorded("carry the ladder")
        fittings = row.cast("porter", "keeper")
        alone = replace(row.recording, meetings=())
        keys = {"rear": (PlacementKey(40, (0.4, 0.2)),)}
        plain = perform_ensemble(alone, fittings).clips["rear"].world().positions
        moved = perform_ensemble(alone, fittings, Casting("c", {}, placements=keys)).clips["rear"].world().positions
        self.assertLess(np.abs(moved - plain - [0.4, 0.0, 0.2]).max(), 1e-6)

    def test_feet_that_rest_stay_while_the_body_is_moved(self) -> None:
        row = recorded("shake hands")
        fitting = row.cast("porter", "keeper")["leaving"]
        actor = cast_actor("leaving", row.recording.clips["leaving"], fitting, fitting.scale, True)
        frames = row.recording.frames
        by = BodyDisplacement.none(frames)
        by.shift[:, 0] = 0.08 * np.sin(np.linspace(0, np.pi, frames))
        feet = [actor.chains[f"{side} leg"].joints[-1] for side in ("left", "right")]
        moved = displaced(actor, by)
        for foot in feet:
            path = moved.motion.positions[foot]
            self.assertLess(lengths(np.diff(path[10:-10], axis=0)).max() * row.recording.fps, 0.005)
        hips = actor.context.hips
        self.assertAlmostEqual(np.ptp(moved.motion.positions[hips][:, 0] - actor.motion.positions[hips][:, 0]), 0.08, 3)


class Findings(unittest.TestCase):
    def found(self, name: str, figures: tuple[str, ...], casting: Casting | None = None) -> dict[str, list[Finding]]:
        row = recorded(name)
        result = perform_ensemble(row.recording, row.cast(*figures), casting)
        out: dict[str, list[Finding]] = {}
        for finding in find_in_ensemble(result, measure_ensemble(result)):
            out.setdefault(finding.kind, []).append(finding)
        self.frames = result.recording.frames
        return out

    def test_the_same_bodies_have_none(self) -> None:
        for name in TOGETHER:
            row = recorded(name)
            result = perform_ensemble(row.recording, row.own)
            self.assertEqual(find_in_ensemble(result, measure_ensemble(result)), (), name)

    def test_who_misses_what_is_said_with_its_frame(self) -> None:
        found = self.found("push the cart", ("bellringer", "keeper"))
        for finding in found["meeting"]:
            self.assertRegex(
                finding.text, r"^The (left|right) hand of pusher and the cart miss each other by \d+\.\d cm \(trans"
            )
            self.assertEqual((finding.grade, finding.unit), ("wrong", "cm"))
            self.assertLess(finding.size, finding.source)
            self.assertTrue(0 <= finding.frames[0] < self.frames)
            self.assertEqual(finding.spans, ((0, self.frames - 1),))
        # What bodies give way by is no fault, however far they lean.
        self.assertEqual(set(found) & {"direction", "height", "up", "seam"}, set())

    def test_who_is_placed_out_of_reach_is_found_and_told_by_name(self) -> None:
        away = Casting("c", {}, placements={"giver": (PlacementKey(2, (0.0, -2.0)),)})
        found = self.found("hand over the crate", ("porter", "keeper"), away)
        (jerk, *more) = [row for row in found["jerk"] if row.part.startswith("giver")]
        self.assertRegex(jerk.text, r"^Giver: the .* times as hard as the source's, and so are \d+ more parts\.$")
        self.assertEqual(more, [])
        self.assertTrue(
            any(row.part == "giver: left heel" and row.text.startswith("Giver: the") for row in found["reach"])
        )

    def test_turned_by_hand_is_not_told_as_facing_elsewhere(self) -> None:
        turned = Casting("c", {}, placements={"leaving": (PlacementKey(2, (0.0, 0.0), 60.0),)})
        self.assertNotIn("facing", self.found("shake hands", ("porter", "keeper"), turned))
        row = recorded("shake hands")
        result = perform_ensemble(row.recording, row.cast("porter", "keeper"), turned)
        deep = [pair for pair in measure_ensemble(result).pairs if pair.clipping > 0.02]
        texts = [row.text for row in self.found("shake hands", ("porter", "keeper"), turned).get("performers", [])]
        self.assertEqual(len(texts), len(deep))
