"""Landmarks of a body, proposed from its shape alone.

The body is turned into a frame of its own first: the plane in which it mirrors itself (:mod:`..symmetry`), the floor,
and where it looks. What follows depends on what kind of body it is.
"""

from __future__ import annotations

import numpy as np

from armuto.errors import BadInput
from armuto.rigging.landmarks import Landmark, Landmarks, twin_of
from armuto.rigging.proposing.body_frame import BodyFrame, Found, body_frame
from armuto.rigging.proposing.four_legged import ends_of, legs_of, propose_four_legged
from armuto.rigging.proposing.two_legged import propose_two_legged
from armuto.rigging.proposing.winged import propose_winged
from armuto.rigging.solid import Solid

SMALLEST = 400  # voxels of a body
STEPS_APART = 0.2  # of the height: how far front feet are ahead of hind ones at least
LONG = 0.5  # of the height from front to back, from which a body on two legs is a bird
NARROW = 0.12  # of the height from the middle: what is farther out are limbs
EVENED = 0.04  # of the height: landmarks that mirror each other so nearly are taken to do so


def propose(solid: Solid, plan: str | None = None) -> Landmarks:
    """The landmarks of a body that stands on its feet, facing anywhere. plan: what kind of body it is; as its shape
    shows where nothing is said.

    Raises
    ------
    BadInput
        One sentence without a file's name, where the shape is no such body.
    """
    if len(solid.cells) < SMALLEST:
        raise BadInput("too little of a body to find anything in; set the landmarks by hand.")
    frame = body_frame(solid)
    plan = plan or plan_of_shape(frame)
    if plan == "four-legged":
        frame, found = propose_four_legged(frame)
    else:
        found = propose_winged(frame) if plan == "winged" else propose_two_legged(frame)
    _even(found)
    points = {}
    for name, (at, confidence) in found.items():
        x, y, z = frame.world(np.asarray(at)).tolist()
        points[name] = Landmark((x, y, z), float(np.clip(confidence, 0.0, 1.0)))
    side, ahead, origin = (row.tolist() for row in (frame.plane.normal, frame.ahead, frame.plane.point))
    return Landmarks(points, tuple(origin), tuple(side), tuple(ahead), plan)


def plan_of_shape(frame: BodyFrame) -> str:
    """What kind of body stands there: on how many legs, and how long it is for its height."""
    try:
        _, legs = legs_of(frame)
    except BadInput:
        trunk = (np.abs(frame.local[:, 0]) < NARROW) & (frame.local[:, 1] > 0.25)
        length = float(np.ptp(frame.local[trunk, 2])) if trunk.any() else 0.0
        return "winged" if length > LONG else "two-legged"
    front, hind = ends_of(frame, legs)
    return "four-legged" if front - hind > STEPS_APART else "two-legged"


def _even(found: Found) -> None:
    """Both sides' landmarks at the mean of the two where they mirror each other but for what voxels are coarse."""
    for name in [name for name in found if name.startswith("left ")]:
        twin = twin_of(name)
        (left, sure), (right, other) = found[name], found[twin]
        across = right * [-1, 1, 1]
        if float(np.linalg.norm(left - across)) < EVENED:
            middle = (left + across) / 2
            # What both sides show alike is as sure as the one that shows it more clearly.
            sure = max(sure, other)
            found[name], found[twin] = (middle, sure), (middle * [-1, 1, 1], sure)
