"""How late a page gets what a stage captures, and how many frames are dropped, for one character and for four.

``python -m demo.bench_live``. The stage, the studio and the page are processes of their own on this machine, with one
clock.
"""

import json
import struct
import subprocess
import sys
import tempfile
import time

import numpy as np
import requests
from websockets.sync.client import connect

from demo.serving import CSRF, ROOT, served

PORT, STAGE = 8231, 8232
FPS, SETTLE, SECONDS = 60, 6.0, 20.0
CHARACTERS = (1, 4)
WHO = ("porter", "keeper", "striker", "bellringer")


def delays_of(base: str, source: int, characters: list[int]) -> np.ndarray:
    """Seconds from its capture until a page has a frame, for all frames of all characters in the time that is
    measured."""
    delays = []
    roles = [{"character": character, "performer": number} for number, character in enumerate(characters)]
    with connect(f"{base.replace('http', 'ws')}/live/{source}", origin=base, proxy=None, max_size=None) as socket:
        socket.send(json.dumps({"perform": roles}))
        begun = None
        while begun is None or time.time() - begun < SETTLE + SECONDS:
            message = socket.recv(timeout=60)
            now = time.time()
            if isinstance(message, str):
                state = json.loads(message).get("state")
                if state and begun is None and all(row["fitting"] for row in state["characters"]):
                    begun = now
            elif begun is not None and now - begun > SETTLE:
                delays.append(now - struct.unpack_from("<IId", message)[2])
    return np.array(delays)


def report() -> str:
    rows = []
    with tempfile.TemporaryDirectory() as folder, served(folder, PORT, "--demo"):
        base = f"http://127.0.0.1:{PORT}"
        cast = {row["name"]: row["id"] for row in requests.get(f"{base}/api/cast/", timeout=30).json()}
        wanted = {"kind": "stage", "location": f"ws://127.0.0.1:{STAGE}/"}
        made = requests.post(f"{base}/api/sources/", json=wanted, headers=CSRF, timeout=30).json()
        for count in CHARACTERS:
            command = [sys.executable, "-m", "standins.live_stage", "--port", f"{STAGE}", "--performers", f"{count}"]
            stage = subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE)
            try:
                delays = 1000 * delays_of(base, made["id"], [cast[name] for name in WHO[:count]])
            finally:
                stage.kill()
                stage.wait()
            median, most, longest = np.percentile(delays, [50, 95, 100])
            shown = len(delays) / (SECONDS * FPS * count)
            rows.append(
                f"| {count} | {median:.0f} | {most:.0f} | {longest:.0f} | {(delays <= 100).mean() * 100:.1f} | {shown * 100:.0f} |"
            )
    table = "\n".join(rows)
    return f"""## Live

A stage of {FPS} frames a second, `demo/bench_live.py`: from the capture of a frame until the page has it (goal: shown within 100 ms, of which
a screen takes up to 33). Stage, studio and page share this machine and its clock.

| characters | ms, half of the frames | 95 of 100 | all | of 100 within 100 ms | of 100 performed |
|---|---|---|---|---|---|
{table}"""


if __name__ == "__main__":
    print(report())
