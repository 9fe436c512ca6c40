"""What there is to choose from, for whoever must know it without the libraries that do the work."""

from typing import Literal

UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001, "inch": 0.0254, "foot": 0.3048, "dm": 0.1}  # in metres
UP_AXES = ("+Y", "+Z", "+X", "-Y", "-Z", "-X")
READ = ("bvh", "glb", "gltf", "vrm", "dae", "usd", "usda", "usdc", "usdz")
WRITTEN = ("glb", "bvh", "dae", "usd", "csv")
ONE_CLIP = ("bvh", "dae", "usd", "csv")  # formats that are written with one motion to a file
TRAVELS: dict[str, Literal["keep", "in place", "root"]] = {"keep": "keep", "in-place": "in place", "root": "root"}
DECLARABLE = {"dae": ("+Y", "+Z", "+X"), "usd": ("+Y", "+Z")}  # axes that these formats can declare as up
