"""USD with UsdSkel (.usda, .usdc, .usdz): read into a .glb of the same skeleton, meshes, materials and motion.

USD's own library does the reading, in a process of its own with bounded memory and time that can open no other file
(:mod:`armuto.formats.usd_reader`): it is native code that follows references, and a hostile file must neither take the
caller down with it nor bring in what lies elsewhere on the machine.
"""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path, PurePath

from armuto import isolation
from armuto.errors import BadInput

LIMITS = isolation.Limits()
NO_MEMORY = "bad_alloc"  # what C++ throws


def to_glb(data: bytes, file: str, bare: bool = False) -> tuple[bytes, list[str]]:
    """A USD file as .glb, and notes. bare: whether meshes without a skeleton will do. Raises :class:`BadInput`, and
    MemoryError where it needs too much."""
    suffix = _suffix(data, file)
    with tempfile.TemporaryDirectory(prefix="armuto-usd-") as folder:
        source, target = Path(folder) / f"in{suffix}", Path(folder) / "out.glb"
        source.write_bytes(data)
        command = [sys.executable, "-m", "armuto.formats.usd_reader", str(source), str(target)]
        command += ["bare"] if bare else []
        try:
            done = subprocess.run(
                command,
                capture_output=True,
                text=True,
                errors="replace",
                timeout=LIMITS.seconds,
                preexec_fn=lambda: isolation.bound(LIMITS),
                check=False,
            )
        except subprocess.TimeoutExpired:
            raise BadInput(f"{file}: reading it took over {LIMITS.seconds:.0f} s; export less at once.") from None
        if done.returncode == 0 and target.is_file():
            return target.read_bytes(), json.loads(done.stdout.splitlines()[-1])
        if done.returncode == 2:
            raise BadInput(f"{file}: {done.stderr.strip().splitlines()[-1]}")
        if done.returncode == 3 or NO_MEMORY in done.stderr:
            raise MemoryError
        raise BadInput(f"{file}: it is damaged, USD's own library could not read it; export it again.")


def _suffix(data: bytes, file: str) -> str:
    """By content: the library trusts the ending."""
    if data[:8] == b"PXR-USDC":
        return ".usdc"
    if data[:4] == b"PK\x03\x04":
        return ".usdz"
    if data[:5] == b"#usda":
        return ".usda"
    raise BadInput(f"{file}: not a USD file ({PurePath(file).suffix}); export it again.")
