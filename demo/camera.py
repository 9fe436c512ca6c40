"""The night as the doorman's one camera caught it: three chores with everything that such a capture does to them."""

from collections.abc import Iterator

from armuto.kinematics.clip import Clip
from demo import chores
from standins.camera import Faults, capture

TAKES = (
    ("lantern round", "walk", Faults((0.8, 0.8), spikes=0.15, gaps=12, lean=3.5, height=6.0, drift=60.0, swim=3.0), 2),
    ("late sweep", "sweep", Faults((1.2, 1.0), spikes=0.1, lean=2.0, height=-4.0, drift=50.0, swim=4.0), 6),
    ("lantern at the stairs", "wave the lantern", Faults((0.6, 0.5), spikes=0.2, gaps=10, lean=4.0, drift=40.0), 8),
)


def clips() -> Iterator[Clip]:
    of_hall = {clip.name: clip for clip in chores.clips()}
    for name, chore, faults, seed in TAKES:
        yield capture(of_hall[chore].renamed(name), faults, seed)
