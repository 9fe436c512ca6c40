"""Which landmarks a body has, by its plan (:mod:`armuto.body.plans`), what each means, and where it lies on most."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

Place = tuple[float, float, float]
SIDES = ("left", "right")
FINGERS = ("thumb", "index", "middle", "ring", "little")


@dataclass(frozen=True)
class LandmarkSet:
    """middle, sided: what landmarks mean in anatomical words, by name; sided ones are on the left and on the right.

    usual: where they lie on most bodies of this plan, to the side, up and ahead, over the height. along: from which
    landmark to which the part runs that a landmark lies in. optional: those that a body may lack.
    """

    middle: Mapping[str, str]
    sided: Mapping[str, str]
    usual: Mapping[str, Place]
    along: Mapping[str, tuple[str, str]]
    optional: frozenset[str] = field(default_factory=frozenset)
    fingers: bool = False

    @property
    def needed(self) -> list[str]:
        """The landmarks without which no skeleton is made."""
        middle = [name for name in self.middle if name not in self.optional]
        return [*middle, *(f"{side} {name}" for side in SIDES for name in self.sided)]

    def meaning(self, name: str) -> str:
        """What a landmark means. Raises KeyError where there is none of this name."""
        if name in self.middle:
            return self.middle[name]
        side, _, rest = name.partition(" ")
        if side in SIDES and rest in self.sided:
            return self.sided[rest]
        finger, _, end = rest.partition(" ")
        if self.fingers and side in SIDES and finger in FINGERS and end in ("root", "tip"):
            thumb = finger == "thumb"
            return f"the {'knuckle' if end == 'root' else 'far end'} of the {finger}{'' if thumb else ' finger'}"
        raise KeyError(name)

    def usual_place(self, name: str) -> Place:
        """Where a landmark lies on most bodies, to the left, up and ahead, over the height."""
        side, _, rest = name.partition(" ")
        x, y, z = self.usual[name if name in self.middle else rest]
        return (-x if side == "right" else x), y, z


_TAIL = {
    "tail root": "where the tail leaves the trunk",
    "tail middle": "half way along the tail",
    "tail tip": "the far end of the tail",
}
_LEG = {"hip": ("hip", "knee"), "knee": ("hip", "ankle"), "ankle": ("knee", "ankle")}
TWO_LEGGED = LandmarkSet(
    middle={
        "crown": "the highest point of the skull, without a hat",
        "chin": "where the head turns on the neck, at the height of the chin",
        "neck": "where the neck rises from the shoulders",
        "groin": "where the legs part",
    },
    sided={
        "shoulder": "the middle of the shoulder's joint",
        "elbow": "the middle of the elbow",
        "wrist": "the middle of the wrist",
        "hand": "the far end of the hand, without fingers that are set by themselves",
        "hip": "the middle of the hip's joint",
        "knee": "the middle of the knee",
        "ankle": "the middle of the ankle",
        "ball": "the ball of the foot, where the toes bend",
        "toes": "the tips of the toes",
        "heel": "the hindmost point of the heel, on the floor",
    },
    usual={
        "crown": (0.0, 1.0, 0.0),
        "chin": (0.0, 0.87, 0.0),
        "neck": (0.0, 0.83, 0.0),
        "groin": (0.0, 0.47, 0.0),
        "shoulder": (0.105, 0.81, 0.0),
        "elbow": (0.2, 0.69, -0.01),
        "wrist": (0.28, 0.58, 0.0),
        "hand": (0.335, 0.5, 0.0),
        "hip": (0.055, 0.525, 0.0),
        "knee": (0.058, 0.285, 0.005),
        "ankle": (0.06, 0.05, -0.01),
        "ball": (0.065, 0.015, 0.06),
        "toes": (0.068, 0.015, 0.1),
        "heel": (0.06, 0.0, -0.045),
    },
    along={
        "shoulder": ("shoulder", "elbow"),
        "elbow": ("shoulder", "wrist"),
        "wrist": ("elbow", "hand"),
        "hand": ("wrist", "hand"),
        **_LEG,
        "ball": ("ankle", "toes"),
        "toes": ("ankle", "toes"),
    },
    fingers=True,
)
FOUR_LEGGED = LandmarkSet(
    middle={
        "nose": "the tip of the nose",
        "skull": "where the head turns on the neck, behind the ears",
        "neck": "where the neck rises from the trunk, above the shoulders",
        **_TAIL,
    },
    sided={
        "shoulder": "the point of the shoulder, where the front leg's upper bone begins",
        "elbow": "the elbow, at the belly",
        "wrist": "the middle of the wrist, which bends forwards",
        "front ball": "where the front toes bend",
        "front toes": "the tips of the front toes",
        "hip": "the middle of the hip's joint",
        "knee": "the middle of the knee, at the flank",
        "ankle": "the middle of the ankle, which looks like a knee that bends back",
        "hind ball": "where the hind toes bend",
        "hind toes": "the tips of the hind toes",
    },
    usual={
        "nose": (0.0, 0.8, 0.7),
        "skull": (0.0, 0.85, 0.42),
        "neck": (0.0, 0.66, 0.25),
        "tail root": (0.0, 0.6, -0.4),
        "tail middle": (0.0, 0.56, -0.63),
        "tail tip": (0.0, 0.52, -0.85),
        "shoulder": (0.075, 0.47, 0.29),
        "elbow": (0.085, 0.36, 0.18),
        "wrist": (0.085, 0.14, 0.19),
        "front ball": (0.085, 0.03, 0.21),
        "front toes": (0.085, 0.02, 0.28),
        "hip": (0.07, 0.53, -0.32),
        "knee": (0.085, 0.37, -0.23),
        "ankle": (0.09, 0.19, -0.4),
        "hind ball": (0.09, 0.03, -0.35),
        "hind toes": (0.09, 0.02, -0.28),
    },
    along={
        "shoulder": ("shoulder", "elbow"),
        "elbow": ("shoulder", "wrist"),
        "wrist": ("elbow", "front ball"),
        "front ball": ("wrist", "front toes"),
        "front toes": ("wrist", "front toes"),
        **_LEG,
        "hind ball": ("ankle", "hind toes"),
        "hind toes": ("ankle", "hind toes"),
    },
    optional=frozenset(_TAIL),
)
WINGED = LandmarkSet(
    middle={
        "beak": "the tip of the beak",
        "skull": "where the head turns on the neck",
        "neck": "where the neck rises from the trunk",
        **_TAIL,
    },
    sided={
        "shoulder": "where the wing leaves the trunk",
        "elbow": "the middle of the wing's elbow",
        "wrist": "where the wing bends towards its tip",
        "wing tip": "the far end of the wing's longest feathers",
        "hip": "the middle of the hip's joint, within the trunk",
        "knee": "the middle of the knee, which feathers hide on most birds",
        "ankle": "the middle of the ankle, which looks like a knee that bends back",
        "ball": "where the toes meet",
        "toes": "the tip of the middle toe",
    },
    usual={
        "beak": (0.0, 0.93, 0.4),
        "skull": (0.0, 0.94, 0.17),
        "neck": (0.0, 0.62, 0.12),
        "tail root": (0.0, 0.52, -0.14),
        "tail middle": (0.0, 0.49, -0.23),
        "tail tip": (0.0, 0.45, -0.32),
        "shoulder": (0.055, 0.6, 0.05),
        "elbow": (0.2, 0.55, 0.0),
        "wrist": (0.38, 0.47, 0.04),
        "wing tip": (0.65, 0.37, -0.1),
        "hip": (0.045, 0.5, -0.04),
        "knee": (0.057, 0.43, 0.04),
        "ankle": (0.057, 0.26, -0.05),
        "ball": (0.057, 0.02, 0.0),
        "toes": (0.057, 0.015, 0.09),
    },
    along={
        "shoulder": ("shoulder", "elbow"),
        "elbow": ("shoulder", "wrist"),
        "wrist": ("elbow", "wing tip"),
        "wing tip": ("wrist", "wing tip"),
        **_LEG,
        "ball": ("ankle", "ball"),
        "toes": ("ball", "toes"),
    },
    optional=frozenset(_TAIL),
)
#: By the names of body plans.
LANDMARK_SETS: Mapping[str, LandmarkSet] = MappingProxyType(
    {"two-legged": TWO_LEGGED, "four-legged": FOUR_LEGGED, "winged": WINGED}
)
