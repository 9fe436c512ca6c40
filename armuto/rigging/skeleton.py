"""The skeleton of a body from its landmarks: how many bones, and where their joints lie (:mod:`.skeleton_draft` for how
their frames are turned)."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.skeleton import Skeleton
from armuto.rigging.animal_skeletons import draft_four_legged, draft_winged
from armuto.rigging.landmark_sets import FINGERS, SIDES
from armuto.rigging.landmarks import Landmarks
from armuto.rigging.skeleton_draft import UP, SkeletonDraft, SkeletonOptions, bent, hips_of, unit

FINGER_JOINTS = (0.45, 0.75)  # of a finger's length, where it bends


def usual_options(plan: str) -> SkeletonOptions:
    """How many bones bodies of a plan have, where nobody says otherwise: the longer necks are, the more."""
    return SkeletonOptions(neck={"four-legged": 2, "winged": 3}.get(plan, 1))


def skeleton_from(landmarks: Landmarks, options: SkeletonOptions | None = None) -> Skeleton:
    """The skeleton of a body, in metres with +Y up. Fingers are those of which a root and a tip are set, and a tail is
    made where its landmarks are."""
    options = options or usual_options(landmarks.plan)
    draft = SkeletonDraft()
    {"two-legged": _two_legged, "four-legged": draft_four_legged, "winged": draft_winged}[landmarks.plan](
        draft, landmarks, options
    )
    return draft.built()


def _two_legged(draft: SkeletonDraft, landmarks: Landmarks, options: SkeletonOptions) -> None:
    left, ahead = np.array(landmarks.side), np.array(landmarks.ahead)
    neck, crown = landmarks.at("neck"), landmarks.at("crown")
    hips = hips_of(landmarks)
    hips = hips + 0.012 * (crown - hips)[1] * UP
    parent = draft.root(landmarks, hips, left, "heel") if options.root else -1
    pelvis, chest = draft.trunk(parent, hips, neck, left, options.spine)
    draft.head(chest, neck, landmarks.at("chin"), crown, left, options.neck)
    for side in SIDES:
        _arm(draft, landmarks, side, chest, neck, ahead, options)
        _leg(draft, landmarks, side, pelvis, left, ahead, options)


def _arm(
    draft: SkeletonDraft,
    landmarks: Landmarks,
    side: str,
    chest: int,
    neck: FloatArray,
    ahead: FloatArray,
    options: SkeletonOptions,
) -> None:
    shoulder, elbow, wrist, tip = (landmarks.at(f"{side} {name}") for name in ("shoulder", "elbow", "wrist", "hand"))
    elbow = bent(shoulder, elbow, wrist, -ahead)
    begin = neck + 0.2 * (shoulder - neck)
    begin[1] = max(float(shoulder[1]), float(begin[1]) - 0.5 * abs(float(neck[1] - shoulder[1])))
    collar = draft.add(f"{side} shoulder", chest, begin, shoulder - begin, np.cross(shoulder - begin, ahead))
    bend_axis = np.cross(wrist - shoulder, ahead)
    upper = draft.add(f"{side} upper arm", collar, shoulder, elbow - shoulder, bend_axis)
    lower = draft.add(f"{side} lower arm", upper, elbow, wrist - elbow, bend_axis)
    along = tip - wrist
    # The palm looks down where arms are raised, and to the body where they hang.
    inwards = unit(landmarks.at("chin") - wrist) * [1, 0, 1]
    down = np.array([0.0, -1.0, 0.0])
    lowered = abs(float(unit(along)[1]))
    palm = (1 - lowered) * down + lowered * inwards
    curl = np.cross(along, palm)
    hand = draft.add(f"{side} hand", lower, wrist, along, curl)
    found = False
    for finger in FINGERS:
        names = [f"{side} {finger} {end}" for end in ("root", "tip")]
        if not all(name in landmarks.points for name in names):
            continue
        found = True
        root, end = (landmarks.at(name) for name in names)
        above = hand
        for number, share in enumerate((0.0, *FINGER_JOINTS), 1):
            above = draft.add(f"{side} {finger} {number}", above, root + share * (end - root), end - root, curl)
        draft.ends.append((above, end))
    if not found:
        draft.ends.append((hand, tip))
    draft.twists(f"{side} upper arm", upper, elbow, bend_axis, options.twists)
    draft.twists(f"{side} lower arm", lower, wrist, bend_axis, options.twists)


def _leg(
    draft: SkeletonDraft,
    landmarks: Landmarks,
    side: str,
    pelvis: int,
    left: FloatArray,
    ahead: FloatArray,
    options: SkeletonOptions,
) -> None:
    hip, knee, ankle = (landmarks.at(f"{side} {name}") for name in ("hip", "knee", "ankle"))
    ball, toes = (landmarks.at(f"{side} {name}") for name in ("ball", "toes"))
    knee = bent(hip, knee, ankle, ahead)
    upper = draft.add(f"{side} upper leg", pelvis, hip, knee - hip, left)
    lower = draft.add(f"{side} lower leg", upper, knee, ankle - knee, left)
    if options.toes:
        foot = draft.add(f"{side} foot", lower, ankle, ball - ankle, left)
        tip = draft.add(f"{side} toes", foot, ball, toes - ball, left)
        draft.ends.append((tip, toes))
    else:
        foot = draft.add(f"{side} foot", lower, ankle, toes - ankle, left)
        draft.ends.append((foot, toes))
    draft.twists(f"{side} upper leg", upper, knee, left, options.twists)
    draft.twists(f"{side} lower leg", lower, ankle, left, options.twists)
