"""A folder of 500 files that is watched, and a call sheet over a large library: time and memory.

``python -m demo.bench_sources``
"""

import os
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from unittest import mock

import django

from demo.serving import ROOT

FILES = Path(__file__).parent / "files"
COUNT = 500
CLIPS, ROWS = 1000, 100
MB = 1024


def report() -> str:
    """In Markdown; by a process of its own, whose studio and memory are nobody else's."""
    command = [sys.executable, "-m", "demo.bench_sources"]
    return subprocess.run(command, cwd=ROOT, stdout=subprocess.PIPE, text=True, check=True).stdout


def _memory() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / MB


def _timed(work: Callable[[], object], runs: int = 1) -> float:
    times = []
    for _ in range(runs):
        start = time.perf_counter()
        work()
        times.append(time.perf_counter() - start)
    return min(times)


def _measured(folder: Path) -> list[str]:
    from studio.sources.models import Source
    from studio.sources.services import folders

    stage = folder / "stage"
    stage.mkdir()
    data = (FILES / "hall" / "walk.bvh").read_bytes()
    for number in range(COUNT):
        # Each is another file by one digit of its last line.
        (stage / f"take_{number:03}.bvh").write_bytes(data.rstrip() + f" \n{' ' * (number + 1)}\n".encode())
    source = Source.objects.create(kind="folder", name="stage", location=str(stage))
    with mock.patch("studio.sources.services.intake.read_file"):
        before = _memory()
        first = _timed(lambda: folders.look(source, 100.0))
        taken = _timed(lambda: folders.look(source, 110.0))
        idle = _timed(lambda: folders.look(source, 120.0), runs=5)
    grown = _memory() - before
    sheet, ranked = _call_sheet()
    size = len(data) * COUNT / 1e6
    return [
        "## Sources and the call sheet",
        "",
        f"A folder of {COUNT} takes ({size:.0f} MB), `demo/bench_sources.py`: found in {first:.2f} s, read and laid into the "
        f"intake in {taken:.1f} s ({taken / COUNT * 1000:.0f} ms each), and looked at again in {idle * 1000:.0f} ms, every second. "
        f"Watching grew the process by {grown:.0f} MB.",
        "",
        f"A call sheet of {ROWS} rows over {CLIPS:,} clips is answered in {sheet:.2f} s; the candidates of a row in "
        f"{ranked * 1000:.0f} ms.",
    ]


def _call_sheet() -> tuple[float, float]:
    """Seconds for the whole sheet, and for the candidates of a row."""
    from armuto.retrieval import features_of
    from studio.callsheet import queries
    from studio.callsheet.features import motion_digest
    from studio.callsheet.models import ClipFeatures, WantedMotion
    from studio.cast.models import Character
    from studio.ingest.services.reading import take_in
    from studio.library.models import Clip

    take_in((FILES / "hall" / "walk.bvh").read_bytes(), "walk.bvh")
    take_in((FILES / "porter.glb").read_bytes(), "porter.glb")
    clip, porter = Clip.objects.get(), Character.objects.get()
    found = features_of(clip.value(), clip.skeleton.assignment())
    measured = {name: [feature.degree, feature.sentence] for name, feature in found.items()}
    words = ("walk", "carry", "wave", "lantern", "sweep", "quick", "tired", "crate", "stairs", "round")
    for number in range(CLIPS):
        clip.pk = None
        clip._state.adding = True
        clip.name = f"{words[number % 10]} {words[number // 10 % 10]} {number}"
        clip.save()
        ClipFeatures.objects.create(clip=clip, motion=motion_digest(clip), measured=measured)
    for number in range(ROWS):
        motion = f"{words[number % 10]}s the {words[number // 10]}, travels forward, does not loop"
        row = WantedMotion.objects.create(motion=motion, mood="tired")
        row.characters.add(porter)
    sheet = _timed(lambda: queries.overview(queries.wanted_motions()), runs=3)
    return sheet, _timed(lambda: queries.candidates(row), runs=3)


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as own:
        os.environ["ARMUTO_DATA"] = own
        os.environ.setdefault("DJANGO_SETTINGS_MODULE", "studio.settings")
        django.setup()
        from django.core.management import call_command

        call_command("migrate", verbosity=0)
        print("\n".join(_measured(Path(own))))
