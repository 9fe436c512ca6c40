"""What there is to choose from, for whoever must know it without the libraries that do the work."""

from typing import Literal

UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001, "inch": 0.0254, "foot": 0.3048, "dm": 0.1}  # in metres
TALLEST = 1000.0  # metres that a body can be said to be tall
BODY_PLANS = ("two-legged", "four-legged", "winged")  # those that ship, the likeliest first
UP_AXES = ("+Y", "+Z", "+X", "-Y", "-Z", "-X")
READ = ("bvh", "glb", "gltf", "vrm", "dae", "usd", "usda", "usdc", "usdz")
WRITTEN = ("glb", "bvh", "dae", "usd", "csv")
ONE_CLIP = ("bvh", "dae", "usd", "csv")  # formats that are written with one motion to a file
SEVERAL_FIGURES = ("glb", "usd")  # formats that are written with more than one figure
TRAVELS: dict[str, Literal["keep", "in place", "root"]] = {"keep": "keep", "in-place": "in place", "root": "root"}
DECLARABLE = {"dae": ("+Y", "+Z", "+X"), "usd": ("+Y", "+Z")}  # axes that these formats can declare as up


def unit_name(metres: float) -> str:
    """What a unit of so many metres is called: by its name, or in centimetres where it has none."""
    known = next((name for name, size in UNITS.items() if abs(size - metres) < 1e-9 * size), None)
    return known or f"{metres * 100:.4g} cm"
