"""The compiled loops against SciPy, NumPy and the plain formula: any shape, any layout, and the edges."""

import re
import subprocess
import sys
import unittest
from pathlib import Path

import numpy as np
from scipy.spatial.transform import Rotation, Slerp

from armuto.kinematics import rotation, statistics, vectors
from armuto.kinematics.pose import local_rotations, world_pose
from armuto.kinematics.skeleton import Skeleton
from armuto.lazy import lazily, load

RNG = np.random.default_rng(14)


def turns(*shape: int) -> np.ndarray:
    q = RNG.normal(size=(*shape, 4))
    return q / np.linalg.norm(q, axis=-1, keepdims=True)


def scipy(q: np.ndarray) -> Rotation:
    return Rotation.from_quat(q.reshape(-1, 4))


def same(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Whether quaternions are one rotation."""
    return np.abs(np.abs(np.sum(a * b, axis=-1)) - 1) < 1e-12


class Rotations(unittest.TestCase):
    def test_products_and_rotated_vectors_are_scipys(self) -> None:
        a, b, v = turns(7, 5), turns(7, 5), RNG.normal(size=(7, 5, 3))
        product = rotation.multiply(a, b)
        self.assertTrue(same(product.reshape(-1, 4), (scipy(a) * scipy(b)).as_quat()).all())
        turned = rotation.rotate(a, v).reshape(-1, 3)
        np.testing.assert_allclose(turned, scipy(a).apply(v.reshape(-1, 3)), atol=1e-14, rtol=0)
        np.testing.assert_array_equal(rotation.inverse(a), a * [-1, -1, -1, 1])
        np.testing.assert_allclose(rotation.to_matrix(a).reshape(-1, 3, 3), scipy(a).as_matrix(), atol=1e-14)
        np.testing.assert_allclose(rotation.vector(a).reshape(-1, 3), scipy(a).as_rotvec(), atol=1e-13)
        np.testing.assert_allclose(rotation.angle(a).ravel(), scipy(a).magnitude(), atol=1e-13)

    def test_whatever_the_layout_and_shape_it_is_the_same(self) -> None:
        a, b = turns(6, 4), turns(6, 4)
        whole = rotation.multiply(a, b)
        for alike in (
            np.asfortranarray(a),
            a[::-1][::-1],
            np.moveaxis(np.moveaxis(a, 1, 0).copy(), 0, 1),
            np.repeat(a, 2, axis=1)[:, ::2],
        ):
            np.testing.assert_array_equal(rotation.multiply(alike, b), whole)
        every = rotation.multiply(a[:, None], b[0])
        np.testing.assert_array_equal(every[2, 0, 1], rotation.multiply(a[2, 1], b[0, 1]))
        np.testing.assert_array_equal(rotation.multiply(a[3, 2], b[3, 2]), whole[3, 2])
        frozen = a.copy()
        frozen.setflags(write=False)
        np.testing.assert_array_equal(rotation.multiply(frozen, b), whole)
        self.assertEqual(rotation.multiply(a[:0], b[:0]).shape, (0, 4, 4))
        with self.assertRaises(ValueError):
            rotation.multiply(a[:5], b[:4])

    def test_swing_and_twist_slerp_and_half_turns(self) -> None:
        q, axis = turns(50), vectors.unit(RNG.normal(size=3))
        swing, twist = rotation.swing_and_twist(q, axis)
        self.assertTrue(same(rotation.multiply(swing, twist), q).all())
        np.testing.assert_allclose(vectors.lengths(vectors.cross(rotation.vector(twist), axis)), 0, atol=1e-12)
        np.testing.assert_allclose(rotation.vector(swing) @ axis, 0, atol=1e-12)
        half = np.array([1.0, 0.0, 0.0, 0.0])  # about x, so that about y it has no twist
        np.testing.assert_array_equal(rotation.swing_and_twist(half, np.array([0.0, 1.0, 0.0]))[1], rotation.IDENTITY)
        a, b, at = turns(), turns(), np.array([0.0, 0.3, 1.0])
        if a @ b < 0:
            b = -b  # SciPy's goes the shorter way by itself, too; its answer is compared up to sign
        between = Slerp([0, 1], Rotation.from_quat([a, b]))(at).as_quat()
        self.assertTrue(same(rotation.slerp(a, b, at), between).all())
        np.testing.assert_array_equal(rotation.slerp(a, -b, at), rotation.slerp(a, b, at))
        np.testing.assert_allclose(rotation.slerp(a, a, 0.4), a, atol=1e-15)

    def test_nothing_has_no_direction(self) -> None:
        np.testing.assert_array_equal(rotation.normalised(np.zeros((2, 4))), [rotation.IDENTITY] * 2)
        np.testing.assert_array_equal(rotation.vector(rotation.IDENTITY), np.zeros(3))
        np.testing.assert_array_equal(rotation.between_each(np.zeros(3), np.ones(3)), rotation.IDENTITY)

    def test_directions_are_met_opposite_ones_too(self) -> None:
        a = RNG.normal(size=(40, 3)) * 3
        b = np.concatenate([RNG.normal(size=(20, 3)), -2 * a[20:30], 5 * a[30:]])
        smallest = rotation.between_each(a, b)
        np.testing.assert_allclose(vectors.angles_between(rotation.rotate(smallest, a), b), 0, atol=1e-7)
        np.testing.assert_allclose(rotation.angle(smallest), vectors.angles_between(a, b), atol=1e-7)


class Poses(unittest.TestCase):
    def test_forward_and_back_joint_by_joint(self) -> None:
        parents, ends = np.array([-1, 0, 1, 1, -1, 4, 5]), np.array([3, 6, 6])
        count = len(parents)
        rest = RNG.normal(size=(count, 3))
        skeleton = Skeleton(tuple("abcdefg"), parents, rest, turns(count), ends, RNG.normal(size=(3, 3)))
        local, shifts = turns(5, count), RNG.normal(size=(5, count, 3))
        pose = world_pose(skeleton, local, shifts)
        for frame in range(5):
            for joint, parent in enumerate(parents):
                q, t = local[frame, joint], shifts[frame, joint]
                if parent >= 0:
                    above = Rotation.from_quat(pose.rotations[frame, parent])
                    t = pose.positions[frame, parent] + above.apply(t)
                    q = (above * Rotation.from_quat(q)).as_quat()
                self.assertTrue(same(pose.rotations[frame, joint], q))
                np.testing.assert_allclose(pose.positions[frame, joint], t, atol=1e-13)
            for end, (joint, offset) in enumerate(zip(ends, skeleton.end_offsets, strict=True)):
                tip = (
                    Rotation.from_quat(pose.rotations[frame, joint]).apply(offset.copy()) + pose.positions[frame, joint]
                )
                np.testing.assert_allclose(pose.ends[frame, end], tip, atol=1e-13)
        self.assertTrue(same(local_rotations(skeleton, pose.rotations), local).all())
        bare = Skeleton(tuple("ab"), np.array([-1, 0]), np.ones((2, 3)), turns(2))
        self.assertEqual(world_pose(bare, turns(3, 2), np.ones((3, 2, 3))).ends.shape, (3, 0, 3))


class Series(unittest.TestCase):
    def test_percentiles_are_numpys_to_the_last_digit(self) -> None:
        for count in (1, 2, 3, 10, 199):
            values = RNG.normal(size=count) * 10.0 ** RNG.integers(-9, 9)
            for share in (0, 3, 50, 90, 97.5, 99, 100):
                self.assertEqual(statistics.percentile(values, share), float(np.percentile(values, share)))
        rows = RNG.normal(size=(4, 30))
        np.testing.assert_array_equal(statistics.percentiles(rows, 95), np.percentile(rows, 95, axis=-1))
        self.assertTrue(np.isnan(statistics.median([1.0, np.nan, 2.0])))
        with self.assertRaises(ValueError):
            statistics.median([])

    def test_affine_transforms(self) -> None:
        matrices, points = RNG.normal(size=(9, 3, 4)), RNG.normal(size=(9, 3))
        wanted = np.einsum("nij,nj->ni", matrices[..., :3], points) + matrices[..., 3]
        np.testing.assert_allclose(vectors.transformed(matrices.reshape(9, 12), points), wanted, atol=1e-14)


class Lazily(unittest.TestCase):
    def test_what_is_compiled_can_be_loaded_before_everything_else(self) -> None:
        code = (
            "from armuto.lazy import COMPILED, load; load(*COMPILED); from armuto.formats.numbers import numbers; "
            "print(numbers(b'1 2.5 -3e2').tolist())"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "[1.0, 2.5, -300.0]")

    def test_a_module_that_is_not_there_is_said_at_once(self) -> None:
        with self.assertRaises(ModuleNotFoundError):
            lazily("nowhere.kinematics.kernels")
        self.assertIs(lazily("armuto.kinematics.kernels").forward, rotation.kernels.forward)

    def test_whatever_is_loaded_lazily_is_there(self) -> None:
        root = Path(rotation.__file__).parents[1]
        sources = (path.read_text() for path in root.rglob("*.py") if "tests" not in path.parts)
        names = {name for source in sources for name in re.findall(r'= lazily\("([\w.]+)"\)', source)}
        self.assertIn("scipy.spatial.distance", names)
        load(*names)

    def test_packages_above_are_not_loaded_for_it(self) -> None:
        code = "import sys; from armuto.lazy import lazily; lazily('scipy.spatial.distance'); print(*sys.modules)"
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertNotIn("scipy.spatial", done.stdout.split())

    def test_any_number_of_threads_may_ask_first(self) -> None:
        code = (
            "import threading; from armuto.lazy import lazily; signal = lazily('scipy.signal'); wrong = []\n"
            "threading.excepthook = lambda problem: wrong.append(problem)\n"
            "threads = [threading.Thread(target=lambda: signal.butter(2, 0.5)) for _ in range(16)]\n"
            "[thread.start() for thread in threads]; [thread.join() for thread in threads]; print(len(wrong))"
        )
        done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
        self.assertEqual(done.stdout.strip(), "0", done.stderr)
