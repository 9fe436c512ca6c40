"""Live motion: its messages, its skeletons and recordings against the files they were made from, and performing it
against the transfer of the whole clip."""

import json
import os
import signal
import unittest
from dataclasses import replace
from functools import cache

import numpy as np

from armuto import formats
from armuto.contacts.points import target_paths
from armuto.errors import BadInput
from armuto.formats import bvh
from armuto.intake.recording import without_calibration
from armuto.isolation import Crashed
from armuto.kinematics.clip import Clip
from armuto.kinematics.world_motion import WorldMotion
from armuto.live.decoding import recognise
from armuto.live.performer import LivePerformer
from armuto.live.process import FrameToPerform, PerformingProcess
from armuto.live.recording import KEPT, FrameCount, Recording
from armuto.live.stream import Performer, Stream, StreamFrame, frame_message, header_message, read_frame, read_header
from armuto.pipeline import retarget
from armuto.retarget.fitting import Fitting, fit
from armuto.retarget.settings import ROTATIONS_ALONE, Travel
from armuto.tests.files import DEMO


@cache
def read(path: str) -> formats.Document:
    return formats.read((DEMO / path).read_bytes(), path)


def file_of(path: str) -> bvh.BvhFile:
    original = read(path).original
    assert isinstance(original, bvh.BvhFile)
    return original


@cache
def fitting_of(clip: str, figure: str) -> Fitting:
    source, target = read(clip), read(figure)
    return fit(source.skeleton, target.skeleton, source.parts, target.parts)


def performed(performer: LivePerformer, clip: Clip, frames: list[int] | None = None) -> Clip:
    """The clip, or some of its frames, one after another."""
    chosen = list(range(clip.frames)) if frames is None else frames
    made = [performer.perform(clip.cut(frame, frame), frame / clip.fps) for frame in chosen]
    return replace(
        made[0],
        rotations=np.concatenate([frame.rotations for frame in made]),
        translations=np.concatenate([frame.translations for frame in made]),
    )


class Messages(unittest.TestCase):
    def setUp(self) -> None:
        self.file = file_of("hall/walk.bvh")
        self.stream = Stream("Stage", 60.0, (Performer("Ines", self.file.joints), Performer("Tove", self.file.joints)))
        text = bvh.serialise(self.file).decode()
        self.hierarchies = [text[: text.index("MOTION")]] * 2

    def test_what_is_sent_is_read(self) -> None:
        self.assertEqual(read_header(header_message(self.stream, self.hierarchies), "ws://here"), self.stream)
        frame = StreamFrame(1, 70000, 1796022120.25, self.file.motion[3])
        got = read_frame(frame_message(frame), self.stream)
        self.assertEqual((got.performer, got.number, got.time), (1, 70000, 1796022120.25))
        np.testing.assert_allclose(got.values, frame.values, rtol=1e-6)

    def test_what_is_no_header_is_refused_in_a_sentence(self) -> None:
        good = json.loads(header_message(self.stream, self.hierarchies))
        first = good["performers"][0]
        for changed in (
            {"armuto_live": 2},
            {"fps": 0},
            {"fps": 100000},
            {"fps": "NaN"},
            {"name": ""},
            {"performers": []},
            {"performers": [first] * 17},
            {"performers": [{"name": "x"}]},
            {"performers": [first | {"hierarchy": "HIERARCHY\nROOT x\n{"}]},
            {"performers": [first | {"hierarchy": "HIERARCHY\nROOT x\n{\nOFFSET 0 0 0\nCHANNELS 0\n}\n"}]},
        ):
            with self.subTest(changed=str(changed)[:60]), self.assertRaises(BadInput):
                read_header(json.dumps(good | changed), "ws://here")
        for text in ("", "[]", "null", "{", "[" * 100_000, b"\xff\xfe", "HIERARCHY"):
            with self.subTest(text=text[:20]), self.assertRaisesRegex(BadInput, "ws://here"):
                read_header(text, "ws://here")

    def test_what_is_no_frame_is_told_from_one(self) -> None:
        good = frame_message(StreamFrame(0, 1, 1e9, self.file.motion[0]))
        values = self.file.motion[0]
        for bad in (
            b"",
            good[:15],
            good[:-1],
            good[:-4],
            good + bytes(4),
            frame_message(StreamFrame(2, 1, 1e9, values)),
            frame_message(StreamFrame(0, 1, np.nan, values)),
            frame_message(StreamFrame(0, 1, -1.0, values)),
            frame_message(StreamFrame(0, 1, 1e9, np.full_like(values, np.nan))),
            frame_message(StreamFrame(0, 1, 1e9, np.full_like(values, 1e30))),
        ):
            with self.subTest(length=len(bad)), self.assertRaises(ValueError):
                read_frame(bad, self.stream)


class Decoding(unittest.TestCase):
    def test_frames_are_read_as_in_a_file_of_any_axes(self) -> None:
        for path in sorted((*(DEMO / "hall").glob("*.bvh"), *(DEMO / "yard").glob("*.bvh"))):
            name = str(path.relative_to(DEMO))
            with self.subTest(name):
                file, clip = file_of(name), read(name).clips[0]
                decoder = recognise(Performer("x", file.joints), clip.fps, file.motion[:20])
                self.assertEqual(decoder.skeleton.file_frame, clip.skeleton.file_frame)
                np.testing.assert_allclose(
                    decoder.pose(file.motion).world().positions, clip.world().positions, atol=1e-9
                )

    def test_positions_that_add_to_an_offset_are_told_by_the_first_frames(self) -> None:
        file = file_of("hall/walk.bvh")
        root = replace(file.joints[0], offset=(0.0, 90.0, 0.0))
        motion = file.motion.copy()
        motion[:, 1] -= 90.0
        decoder = recognise(Performer("x", (root, *file.joints[1:])), 30.0, motion[:20])
        expected = read("hall/walk.bvh").clips[0].world().positions
        np.testing.assert_allclose(decoder.pose(motion).world().positions, expected, atol=1e-9)


class Counting(unittest.TestCase):
    def test_lost_late_and_repeated_frames(self) -> None:
        count = FrameCount()
        newer = [count.take(number) for number in (10, 11, 14, 12, 12, 15, 11)]
        self.assertEqual(newer, [True, True, True, False, False, True, False])
        self.assertEqual((count.came, count.lost, count.late), (5, 1, 1))

    def test_a_stage_that_counts_anew_has_lost_nothing(self) -> None:
        count = FrameCount()
        for number in (5 * KEPT, 0, 1, 9 * KEPT):
            self.assertTrue(count.take(number))
        self.assertEqual((count.came, count.lost, count.late), (4, 0, 0))


class Recordings(unittest.TestCase):
    def setUp(self) -> None:
        self.file = file_of("hall/carry_the_crate.bvh")
        self.decoder = recognise(Performer("Marek", self.file.joints), 30.0, self.file.motion[:20])

    def test_every_frame_is_in_its_place_and_lost_ones_lie_between_their_neighbours(self) -> None:
        rng = np.random.default_rng(3)
        count = len(self.file.motion)
        kept = np.array([n for n in range(count) if rng.random() > 0.2 or n in (0, count - 1)])
        recording = Recording(self.decoder)
        for number in rng.permutation(kept).tolist():
            recording.add(number + 1000, self.file.motion[number])
            recording.add(number + 1000, self.file.motion[0])  # the first of two counts
        (take,) = recording.takes()
        self.assertEqual((take.frames, take.bridged), (count, count - len(kept)))
        made, true = formats.read(take.file, "take.bvh").clips[0], read("hall/carry_the_crate.bvh").clips[0]
        apart = np.linalg.norm(made.world().positions - true.world().positions, axis=2)
        self.assertLess(apart[kept].max(), 1e-4)
        self.assertLess(apart.max(), 0.04)
        lost = np.setdiff1d(np.arange(count), kept)
        self.assertGreater(len(lost), 10)
        held = np.linalg.norm(true.world().positions[lost] - true.world().positions[lost - 1], axis=2)
        self.assertLess(apart[lost].mean(), 0.5 * held.mean())

    def test_after_a_second_of_nothing_another_take_begins(self) -> None:
        recording = Recording(self.decoder)
        for number in (*range(10), *range(35, 50), *range(90, 91)):
            recording.add(number, self.file.motion[number])
        self.assertEqual([(take.frames, take.bridged) for take in recording.takes()], [(50, 25)])
        recording.add(120, self.file.motion[60])
        recording.add(121, self.file.motion[61])
        self.assertEqual([take.frames for take in recording.takes()], [50, 32])
        self.assertEqual(Recording(self.decoder).takes(), [])


class Performing(unittest.TestCase):
    def test_it_comes_near_to_the_transfer_of_the_whole_clip_and_feet_stand(self) -> None:
        for clip_name, figure in (
            ("hall/walk.bvh", "porter.glb"),
            ("hall/run.bvh", "striker.glb"),
            ("hall/creep.bvh", "bellringer.glb"),
            ("hall/sweep.bvh", "keeper.glb"),
            ("yard/trot.bvh", "fox.glb"),
        ):
            with self.subTest(clip_name, figure=figure):
                clip, fitting = without_calibration(read(clip_name).clips[0]), fitting_of(clip_name, figure)
                performer = LivePerformer(fitting)
                live, whole = performed(performer, clip), retarget(clip, fitting)
                alone = retarget(clip, fitting.with_settings(ROTATIONS_ALONE)).clip
                apart = np.linalg.norm(live.world().positions - whole.clip.world().positions, axis=2)
                self.assertLess(apart.mean(), 0.008)
                slides = [self._slide(made, performer, whole) for made in (live, alone, whole.clip)]
                if slides[1] > slides[2] + 0.002:
                    self.assertLess(slides[0], slides[2] + 0.35 * (slides[1] - slides[2]), slides)
                quick = [
                    np.linalg.norm(np.diff(c.world().positions, 2, axis=0), axis=2).max() for c in (live, whole.clip)
                ]
                self.assertLess(quick[0], 1.3 * quick[1])

    @staticmethod
    def _slide(clip: Clip, performer: LivePerformer, whole) -> float:
        """Metres that feet move in the mean over the contacts of the whole clip."""
        feet = [point for point in performer.probes.points if point.is_foot]
        at = target_paths(WorldMotion.of_clip(clip), feet)
        contacts = [
            contact
            for contact in whole.contacts.contacts
            if contact.point in at and not contact.to and not contact.height and contact.last - contact.first > 2
        ]
        ranges = [np.ptp(at[contact.point][contact.first + 1 : contact.last + 1], axis=0) for contact in contacts]
        return float(np.mean([np.hypot(x, z) for x, _, z in ranges])) if ranges else 0.0

    def test_its_own_body_in_any_size_performs_the_very_motion(self) -> None:
        clip = without_calibration(read("hall/run.bvh").clips[0])
        fitting = fit(clip.skeleton, clip.skeleton)
        live = performed(LivePerformer(fitting), clip)
        np.testing.assert_allclose(live.world().positions, clip.world().positions, atol=1e-4)

    def test_frames_that_are_missing_or_far_apart_change_nothing_of_the_others_by_much(self) -> None:
        clip, fitting = without_calibration(read("hall/walk.bvh").clips[0]), fitting_of("hall/walk.bvh", "porter.glb")
        rng = np.random.default_rng(5)
        chosen = sorted(rng.choice(clip.frames, clip.frames // 2, replace=False).tolist())
        every = performed(LivePerformer(fitting), clip).world().positions[chosen]
        some = performed(LivePerformer(fitting), clip, chosen).world().positions
        self.assertLess(np.linalg.norm(every - some, axis=2).mean(), 0.01)
        self.assertLess(np.linalg.norm(every - some, axis=2).max(), 0.06)

    def test_after_a_pause_or_a_step_back_it_begins_anew(self) -> None:
        clip, fitting = without_calibration(read("hall/walk.bvh").clips[0]), fitting_of("hall/walk.bvh", "porter.glb")
        fresh = performed(LivePerformer(fitting), clip, [60, 61])
        for later in (10.0, -10.0):
            performer = LivePerformer(fitting)
            performed(performer, clip, list(range(40)))
            made = [performer.perform(clip.cut(frame, frame), frame / clip.fps + later) for frame in (60, 61)]
            for frame, expected in zip(made, fresh.rotations, strict=True):
                np.testing.assert_array_equal(frame.rotations[0], expected)

    def test_travel_is_where_it_is_wanted(self) -> None:
        clip, fitting = without_calibration(read("hall/walk.bvh").clips[0]), fitting_of("hall/walk.bvh", "porter.glb")
        hips = LivePerformer(fitting).context.last_joints["hips"]

        def way(travel: Travel) -> np.ndarray:
            own = fitting.with_settings(replace(fitting.settings, travel=travel))
            return performed(LivePerformer(own), clip).world().positions[:, hips]

        kept, in_place = way(Travel()), way(Travel(mode="in place"))
        self.assertGreater(np.ptp(kept[:, 2]), 2.0)
        self.assertLess(np.ptp(in_place[:, [0, 2]], axis=0).max(), 1e-6)
        np.testing.assert_allclose(in_place[:, 1], kept[:, 1], atol=1e-6)
        given = way(Travel(place="given", at=(1.0, -2.0, 90.0)))
        np.testing.assert_allclose(given[0, [0, 2]], [1.0, -2.0], atol=1e-6)
        self.assertGreater(abs(given[-1, 0] - given[0, 0]), 2.0)
        lengths = [np.linalg.norm(np.diff(path[:, [0, 2]], axis=0), axis=1).sum() for path in (kept, given)]
        self.assertAlmostEqual(lengths[0], lengths[1], places=4)


class Processes(unittest.TestCase):
    def setUp(self) -> None:
        self.file = file_of("hall/sweep.bvh")
        self.decoder = recognise(Performer("Ines", self.file.joints), 30.0, self.file.motion[:20])
        self.rig = read("porter.glb").rig
        self.fitting = fitting_of("hall/sweep.bvh", "porter.glb")
        self.process = PerformingProcess()
        self.addCleanup(self.process.close)

    def test_it_performs_as_here_and_knows_nobody_without_a_role(self) -> None:
        self.process.cast("porter", self.decoder, self.fitting, self.rig)
        performer = LivePerformer(self.fitting)
        for number in range(20, 26):
            frame = FrameToPerform("porter", self.file.motion[number], number / 30)
            got, nobody = self.process.perform([frame, replace(frame, key="nobody")])
            self.assertIsNone(nobody)
            pose = replace(self.decoder.pose(frame.values[None]), skeleton=self.fitting.source)
            rotations, translations = formats.gltf.node_motion(performer.perform(pose, frame.time), self.rig)
            expected = np.concatenate([rotations.ravel(), translations.ravel()])
            np.testing.assert_allclose(np.frombuffer(got, "<f4"), expected, atol=1e-6)

    def test_what_cannot_be_performed_ends_that_role_alone(self) -> None:
        for key in ("one", "other"):
            self.process.cast(key, self.decoder, self.fitting, self.rig)
        good = FrameToPerform("one", self.file.motion[20], 0.0)
        bad = FrameToPerform("other", self.file.motion[20][:5], 0.0)
        with self.assertNoLogs("armuto"):
            first, second = self.process.perform([good, bad])
        self.assertTrue(first)
        self.assertIsNone(second)

    def test_a_process_that_is_killed_is_said_to_be_gone(self) -> None:
        self.process.cast("porter", self.decoder, self.fitting, self.rig)
        os.kill(self.process.process.pid, signal.SIGKILL)
        with self.assertRaises(Crashed):
            self.process.perform([FrameToPerform("porter", self.file.motion[20], 0.0)])
            self.process.perform([FrameToPerform("porter", self.file.motion[20], 0.0)])


if __name__ == "__main__":
    unittest.main()
