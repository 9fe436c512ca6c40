"""Eight people at once for two minutes: ``python -m demo.attack [SECONDS]``.

Two are on one fitting, one brings in 5,000 clips in five files and accepts them, one runs the whole board, four rename,
tag and look. No answer may be an error of the server, nothing that was answered with success may be lost, and no answer to
a small change may take longer than a second. Ends with 1 where that does not hold.
"""

import io
import json
import random
import sqlite3
import sys
import tempfile
import threading
import time
import urllib.error
import urllib.request
from collections import defaultdict
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from statistics import median
from typing import Any

from armuto import formats
from demo.serving import CSRF, ROOT, served

PORT = 8735
CLIPS, FILES = 5_000, 5
FRAMES = 12
SLOWEST = 1.0  # seconds of the answer to a small change


def many_clips(number: int) -> bytes:
    """A .glb of a small bird with a thousand motions, each different. number: of the file."""
    data = (ROOT / "demo/files/roof/birds.glb").read_bytes()
    document = formats.read(data, "birds.glb")
    clips = []
    for at in range(number * CLIPS // FILES, (number + 1) * CLIPS // FILES):
        take = document.clips[at % len(document.clips)].cut(0, FRAMES - 1)
        moved = take.translations + [at / CLIPS, 0.0, 0.0]  # each is another motion
        clips.append(replace(take, name=f"chore {at}", translations=moved))
    return formats.write(clips, document, "glb")


class Client:
    """One person: asks, notes how long each answer took and what was no success."""

    def __init__(self, name: str) -> None:
        self.name = name
        self.random = random.Random(name)
        self.took: dict[str, list[float]] = defaultdict(list)
        self.failures: list[str] = []

    def ask(self, path: str, body: Any = None, method: str = "", kind: str = "", **headers: str) -> tuple[int, Any]:
        """Status and parsed answer. kind: under which the time is noted. A body of bytes is a form with one file."""
        edge = "tidewater"
        data, content = None, "application/json"
        if isinstance(body, bytes):
            content = f"multipart/form-data; boundary={edge}"
            head = f'--{edge}\r\nContent-Disposition: form-data; name="files"; filename="chores.glb"\r\n\r\n'
            data = head.encode() + body + f"\r\n--{edge}--\r\n".encode()
        elif body is not None:
            data = json.dumps(body).encode()
        request = urllib.request.Request(
            f"http://127.0.0.1:{PORT}/api/{path}",
            data,
            {"Content-Type": content, "Armuto-Session": self.name, **CSRF, **headers},
            method=method or ("GET" if body is None else "POST"),
        )
        begun = time.perf_counter()
        try:
            with urllib.request.urlopen(request, timeout=120) as answer:
                status, text = answer.status, answer.read()
        except urllib.error.HTTPError as refusal:
            status, text = refusal.code, refusal.read()
        except OSError as problem:
            status, text = 599, str(problem).encode()
        self.took[kind or ("look" if body is None else "change")].append(time.perf_counter() - begun)
        if status >= 500:
            self.failures.append(f"{self.name}: {status} {request.method} {path} {text[:200]!r}")
        try:
            return status, json.loads(text or b"null")
        except ValueError:
            return status, None


class Fitter(Client):
    """Changes one fitting that somebody else is at, too; every change is another, so that each is a step."""

    accepted = refused = 0

    def turn(self, fitting: int) -> None:
        _, now = self.ask(f"fittings/{fitting}")
        base = {"If-Match": f'"{now["revision"]}"'} if self.random.random() < 0.5 else {}
        body = {"settings": {"hold": round(self.random.uniform(0.1, 0.9), 9)}}
        status, _ = self.ask(f"fittings/{fitting}/settings", body, **base)
        self.accepted += status == 200
        self.refused += status == 409


class Librarian(Client):
    """Renames and tags clips of his own, and looks about; what was answered with success has to be there in the end."""

    def __init__(self, name: str, clip: int) -> None:
        super().__init__(name)
        self.clip, self.wanted = clip, {}

    def turn(self) -> None:
        number = self.random.randrange(10_000)
        change = {"name": f"{self.name} {number}"} if number % 2 else {"tags": [f"{self.name} {number}"]}
        if self.ask(f"library/clips/{self.clip}", change, "PATCH")[0] == 200:
            self.wanted |= change
        for path in ("counts", "runs/", "intake/", f"library/clips/{self.clip}/plate"):
            self.ask(path)
        time.sleep(self.random.uniform(0.05, 0.3))


def import_many(client: Client, files: list[bytes], until: float) -> int:
    """Bring the files in, wait for them, accept them, wait for that. Returns how many clips are there."""
    for data in files:
        client.ask("intake/files", data, kind="upload")
    for state, then in (
        ("reading", lambda: client.ask("intake/accept", {}, kind="accept")),
        ("accepting", lambda: None),
    ):
        while time.monotonic() < until + 600:
            _, summary = client.ask("intake/", kind="wait")
            if summary and not summary[state]:
                print(f"{state}: done, {summary['ready']} ready, {summary['refused']} refused", flush=True)
                break
            time.sleep(1)
        then()
    _, clips = client.ask("library/clips", kind="wait")
    return sum(clip["name"].startswith("chore ") for clip in clips)


def run_board(client: Client, until: float) -> None:
    _, clips = client.ask("library/clips", kind="wait")
    _, figures = client.ask("cast/", kind="wait")
    cells = [[clip["id"], figure["id"]] for clip in clips[:30] for figure in figures]
    while time.monotonic() < until:
        client.ask("board/transfer", {"cells": cells, "again": True}, kind="board")
        while time.monotonic() < until and client.ask("counts", kind="wait")[1]["runs"]:
            time.sleep(1)


def main() -> int:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 120.0
    print(f"{FILES} files of {CLIPS} clips are made …", flush=True)
    data = [many_clips(number) for number in range(FILES)]
    print(f"They have {sum(map(len, data)) / 1e6:.0f} MB. Eight people for {seconds:.0f} s …", flush=True)
    with tempfile.TemporaryDirectory() as folder, served(folder, PORT, "--demo"):
        host = Client("host")
        _, clips = host.ask("library/clips")
        _, figures = host.ask("cast/")
        _, made = host.ask("fittings/", {"clip_id": clips[0]["id"], "character_id": figures[0]["id"]})
        until = time.monotonic() + seconds
        fitters = [Fitter("anna"), Fitter("bert")]
        librarians = [Librarian(f"clerk {n}", clips[n + 1]["id"]) for n in range(4)]
        importer, runner = Client("importer"), Client("runner")
        found: list[int] = []

        def again(work: Callable[[], object]) -> None:
            while time.monotonic() < until:
                work()

        jobs: list[Callable[[], object]] = [
            *(lambda f=f: again(lambda: f.turn(made["id"])) for f in fitters),
            *(lambda c=c: again(c.turn) for c in librarians),
            lambda: found.append(import_many(importer, data, until)),
            lambda: run_board(runner, until),
        ]
        threads = [threading.Thread(target=job) for job in jobs]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        lost = []
        with sqlite3.connect(Path(folder) / "armuto.sqlite3") as data_file:
            query = "SELECT count(*) FROM fittings_fittingstate WHERE fitting_id = ?"
            (steps,) = data_file.execute(query, [made["id"]]).fetchone()
        if steps - 1 != sum(fitter.accepted for fitter in fitters):
            lost.append(f"the fitting has {steps - 1} steps")
        for clerk in librarians:
            _, clip = host.ask(f"library/clips/{clerk.clip}")
            lost += [f"{clerk.name}: {key}" for key, value in clerk.wanted.items() if clip[key] != value]
        log = (Path(folder) / "studio.log").read_text()
    return report([*fitters, *librarians, importer, runner, host], fitters, found, lost, log)


def report(clients: list[Client], fitters: list[Fitter], found: list[int], lost: list[str], log: str) -> int:
    took: dict[str, list[float]] = defaultdict(list)
    for client in clients:
        for kind, values in client.took.items():
            took[kind] += values
    out = io.StringIO()
    for kind, values in sorted(took.items()):
        share = sum(value > SLOWEST for value in values)
        print(
            f"{kind:8} {len(values):6} answers, median {1000 * median(values):6.0f} ms, worst {max(values):6.2f} s, "
            f"{share} over {SLOWEST:g} s",
            file=out,
        )
    failures = [failure for client in clients for failure in client.failures]
    edits = [f"{fitter.accepted} made, {fitter.refused} refused with the other's" for fitter in fitters]
    print(f"changes of the one fitting: {edits}; lost: {lost or 'nothing'}", file=out)
    print(f"clips brought in: {found}; errors of the server: {len(failures)}", file=out)
    print(f"lines of log: {log.count(chr(10))}, of them errors: {log.count(' ERROR ')}", file=out)
    print(out.getvalue())
    print(*failures[:20], sep="\n")
    slow = max(took["change"], default=0.0) > SLOWEST
    return int(bool(failures or lost or slow or found != [CLIPS]))


if __name__ == "__main__":
    sys.exit(main())
