"""Damaging files on purpose: ``python -m armuto.tests.mutations COUNT [SEED [FORMAT]]`` for a long run, of files whose
names have FORMAT in them, as ``.dae``; a short one in the tests.

Every damaged file must be read, or refused with one sentence; anything else is a fault of ours.
"""

from __future__ import annotations

import io
import re
import sys
import time
import traceback
import zipfile
from collections.abc import Callable, Iterator

import numpy as np
import trimesh

from armuto import formats
from armuto.errors import BadInput
from armuto.rigging.reading import read_mesh
from armuto.tests.files import random_bvh
from armuto.tests.test_gltf import character

LONGEST = 70.0  # seconds for one file on a busy machine; readers are ended after 60
NASTY = [b"NaN", b"1e39", b"-1", b"4294967295", b"9" * 40, b"", b"null", b"0", b"1e-320", b"[[[[", b"\xff\xfe"]


def samples() -> dict[str, bytes]:
    """One small good file of every format."""
    made = character()
    glb = formats.read(made.glb(), "x.glb")
    motion = formats.read(random_bvh(frames=6), "x.bvh")
    held = io.BytesIO()
    with zipfile.ZipFile(held, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("night/walk.bvh", random_bvh(frames=4))
        archive.writestr("night/figure.gltf", made.gltf())
    return {
        "x.bvh": random_bvh(frames=6),
        "x.glb": made.glb(),
        "x.gltf": made.gltf(),
        "x.dae": formats.write(glb.clips[:1], glb, "dae"),
        "y.dae": formats.write(motion.clips, motion, "dae"),
        "x.usd": formats.write(glb.clips[:1], glb, "usd"),
        "x.zip": held.getvalue(),
        **bare_meshes(),
    }


def bare_meshes() -> dict[str, bytes]:
    """A box in each of the formats that meshes without bones alone come in."""
    box = trimesh.creation.box((0.4, 1.7, 0.3)).subdivide()
    binary = box.export(file_type="ply", encoding="binary")
    text = box.export(file_type="ply", encoding="ascii")
    stl = box.export(file_type="stl"), box.export(file_type="stl_ascii").encode()
    obj = b"mtllib clock.mtl\nusemtl brass\n" + box.export(file_type="obj").encode()
    return {"x.ply": binary, "y.ply": text, "x.stl": stl[0], "y.stl": stl[1], "x.obj": obj}


def mutated(data: bytes, rng: np.random.Generator) -> bytes:
    """The file with one to four kinds of damage."""
    for _ in range(int(rng.integers(1, 5))):
        data = DAMAGES[int(rng.integers(len(DAMAGES)))](data, rng)
    return data


def _flip(data: bytes, rng: np.random.Generator) -> bytes:
    out = bytearray(data)
    for at in rng.integers(0, max(1, len(out)), int(rng.integers(1, 12))):
        if out:
            out[int(at) % len(out)] = int(rng.integers(256))
    return bytes(out)


def _cut(data: bytes, rng: np.random.Generator) -> bytes:
    return data[: int(rng.integers(0, len(data) + 1))]


def _drop(data: bytes, rng: np.random.Generator) -> bytes:
    start = int(rng.integers(0, len(data) + 1))
    return data[:start] + data[start + int(rng.integers(1, 200)) :]


def _repeat(data: bytes, rng: np.random.Generator) -> bytes:
    start = int(rng.integers(0, len(data) + 1))
    part = data[start : start + int(rng.integers(1, 400))]
    return data[:start] + part * int(rng.integers(2, 6)) + data[start:]


def _number(data: bytes, rng: np.random.Generator) -> bytes:
    """Another number, or none, where a number stood in the text."""
    found = list(re.finditer(rb"-?\d+(\.\d+)?([eE][-+]?\d+)?", data[:200_000]))
    if not found:
        return data
    finding = found[int(rng.integers(len(found)))]
    return data[: finding.start()] + NASTY[int(rng.integers(len(NASTY)))] + data[finding.end() :]


def _word(data: bytes, rng: np.random.Generator) -> bytes:
    """One word of the text in the place of another."""
    found = list(re.finditer(rb"[A-Za-z_]{3,}", data[:200_000]))
    if len(found) < 2:
        return data
    a, b = (found[int(n)] for n in rng.integers(0, len(found), 2))
    return data[: a.start()] + b.group() + data[a.end() :]


DAMAGES: list[Callable[[bytes, np.random.Generator], bytes]] = [_flip, _cut, _drop, _repeat, _number, _word]


def faults(count: int, seed: int, only: str = "") -> Iterator[tuple[str, int, str]]:
    """Name, number and account of every damaged file that was neither read nor refused with one sentence in time."""
    held = {name: data for name, data in samples().items() if only in name}
    names, meshes = list(held), set(bare_meshes())
    for number in range(count):
        rng = np.random.default_rng([seed, number])
        name = names[number % len(names)]
        data = mutated(held[name], rng)
        start = time.monotonic()
        try:
            # Those that figures come in are read as meshes without bones as well.
            if name in meshes or (not name.endswith((".bvh", ".zip")) and number // len(names) % 2):
                read_mesh(data, name)
            else:
                for path, content, near in formats.contents(data, name):
                    formats.read(content, path, files=near)
        except BadInput as problem:
            sentence = str(problem)
            if "\n" in sentence or len(sentence) > 400 or not sentence.endswith((".", "”.")):
                yield name, number, f"not one sentence: {sentence!r}"
        except BaseException:
            yield name, number, traceback.format_exc()
        if time.monotonic() - start > LONGEST:
            yield name, number, f"took {time.monotonic() - start:.0f} s"


def main() -> int:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 5000
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else int(time.time())
    only = sys.argv[3] if len(sys.argv) > 3 else ""
    print(f"{count} damaged files{only and f' of {only}'}, seed {seed}")
    found = 0
    for name, number, account in faults(count, seed, only):
        found += 1
        print(f"--- {name}, seed {seed}, number {number}\n{account}")
    print(f"{found} faults")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
