"""Where one transfer with its findings spends its time, as a picture: ``python -m demo.profile_transfer``."""

import cProfile
import pstats
from html import escape
from pathlib import Path

from armuto import formats
from demo.bench_speed import judged, short_clip

OUT = Path(__file__).parent.parent / "docs" / "profile-of-a-transfer.svg"
CORE = str(Path(formats.__file__).parents[1])
RUNS, SHOWN = 40, 24
ROW, BAR, LABEL = 22, 420, 330
# Functions that do nothing but call a compiled loop.
KERNELS = ("rotation.py", "pose.py", "vectors.py", "statistics.py", "capsules.py:96")


def shares() -> list[tuple[str, float, str]]:
    """Function, its own share of the time, and whose it is: ours, a kernel's, or a library's."""
    clip, made, figure = short_clip()

    def once() -> None:
        formats.write([judged(clip, made)], figure, "glb")

    once()
    profile = cProfile.Profile()
    profile.enable()
    for _ in range(RUNS):
        once()
    profile.disable()
    stats = pstats.Stats(profile)
    whole = stats.total_tt  # type: ignore[attr-defined]
    rows = []
    for (file, line, name), (_, _, own, _, _) in stats.stats.items():  # type: ignore[attr-defined]
        place = f"{Path(file).name}:{line}"
        kind = "library"
        if file.startswith(CORE):
            kind = "kernel" if place.startswith(KERNELS) else "ours"
        rows.append((f"{Path(file).stem}.{name}" if kind != "library" else name, own / whole, kind))
    return sorted(rows, key=lambda row: -row[1])[:SHOWN]


def picture(rows: list[tuple[str, float, str]]) -> str:
    fills = {"ours": "#b5532a", "kernel": "#2f6f6a", "library": "#9a948a"}
    height = ROW * (len(rows) + 4)
    out = [
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{LABEL + BAR + 90}" height="{height}" '
        'font-family="sans-serif" font-size="13">',
        '<rect width="100%" height="100%" fill="#fbf8f2"/><text x="12" y="24" font-size="15">Own time of a transfer '
        "with its findings, packed as .glb: 151 frames onto the porter</text>",
    ]
    widest = max(share for _, share, _ in rows)
    for number, (name, share, kind) in enumerate(rows):
        y = ROW * (number + 2)
        out.append(f'<text x="{LABEL - 8}" y="{y + 15}" text-anchor="end">{escape(name[:48])}</text>')
        out.append(
            f'<rect x="{LABEL}" y="{y + 3}" width="{BAR * share / widest:.1f}" height="15" fill="{fills[kind]}"/>'
        )
        out.append(f'<text x="{LABEL + BAR * share / widest + 6:.1f}" y="{y + 15}">{100 * share:.1f} %</text>')
    for number, (kind, fill) in enumerate(fills.items()):
        x, y = LABEL + 130 * number, ROW * (len(rows) + 3) + 6
        out.append(
            f'<rect x="{x}" y="{y - 11}" width="12" height="12" fill="{fill}"/><text x="{x + 18}" y="{y}">{kind}</text>'
        )
    return "\n".join([*out, "</svg>"]) + "\n"


if __name__ == "__main__":
    found = shares()
    OUT.write_text(picture(found), "utf-8")
    for name, share, kind in found:
        print(f"{100 * share:5.1f} %  {kind:8} {name}")
