"""Skeletons of bodies on four legs and of birds, from their landmarks."""

from __future__ import annotations

import numpy as np

from armuto.kinematics.arrays import FloatArray
from armuto.rigging.landmark_sets import SIDES
from armuto.rigging.landmarks import Landmarks
from armuto.rigging.skeleton_draft import UP, SkeletonDraft, SkeletonOptions, bent, hips_of

ABOVE_HIPS = 0.055  # of the trunk's length, by which the pelvis lies above the hips' joints
# Where a shoulder blade begins: aside, and up to the neck, of the shoulder's joint; behind it, of the trunk's length.
BLADE_ASIDE, BLADE_UP, BLADE_BEHIND = 0.7, 0.85, 0.18
WING_HAND = 0.55  # of the way from a wing's wrist to its tip, where the tip begins


def _trunk(
    draft: SkeletonDraft, landmarks: Landmarks, options: SkeletonOptions, end: str, *lowest: str
) -> tuple[int, int, FloatArray]:
    """Everything in the middle of a body; the joints of hips and chest, and where the hips lie."""
    left = np.array(landmarks.side)
    neck, hips = landmarks.at("neck"), hips_of(landmarks)
    hips = hips + ABOVE_HIPS * float(np.linalg.norm(neck - hips)) * UP
    parent = draft.root(landmarks, hips, left, *lowest) if options.root else -1
    pelvis, chest = draft.trunk(parent, hips, neck, left, options.spine)
    draft.head(chest, neck, landmarks.at("skull"), landmarks.at(end), left, options.neck)
    if landmarks.has_tail:
        names = [name for name in ("tail root", "tail middle", "tail tip") if name in landmarks.points]
        draft.tail(pelvis, [landmarks.at(name) for name in names], left, options.tail)
    return pelvis, chest, hips


def draft_four_legged(draft: SkeletonDraft, landmarks: Landmarks, options: SkeletonOptions) -> None:
    """A body on four legs."""
    left, ahead = np.array(landmarks.side), np.array(landmarks.ahead)
    pelvis, chest, hips = _trunk(draft, landmarks, options, "nose", "front toes", "hind toes")
    neck = landmarks.at("neck")
    for side in SIDES:
        shoulder, elbow, wrist = (landmarks.at(f"{side} {name}") for name in ("shoulder", "elbow", "wrist"))
        elbow = bent(shoulder, elbow, wrist, -ahead)
        aside = landmarks.plane.height(shoulder)
        blade = shoulder + BLADE_UP * (neck - shoulder)[1] * UP - BLADE_BEHIND * np.linalg.norm(neck - hips) * ahead
        blade = blade - (1 - BLADE_ASIDE) * aside * left
        collar = draft.add(f"{side} front shoulder", chest, blade, shoulder - blade, left)
        _leg(draft, landmarks, side, collar, "front ", (shoulder, elbow, wrist), (left, -left, left), options)
        hip, knee, ankle = (landmarks.at(f"{side} {name}") for name in ("hip", "knee", "ankle"))
        knee = bent(hip, knee, ankle, ahead)
        _leg(draft, landmarks, side, pelvis, "hind ", (hip, knee, ankle), (left, left, -left), options)


def _leg(
    draft: SkeletonDraft,
    landmarks: Landmarks,
    side: str,
    parent: int,
    end: str,
    places: tuple[FloatArray, FloatArray, FloatArray],
    abouts: tuple[FloatArray, FloatArray, FloatArray],
    options: SkeletonOptions,
) -> None:
    """end: "front ", "hind " or nothing, before the names of its bones. places: of its upper three joints."""
    ball, toes = (landmarks.at(f"{side} {end}{name}") for name in ("ball", "toes"))
    names = [f"{end}upper leg", f"{end}lower leg", f"{end}foot"]
    left = np.array(landmarks.side)
    if options.toes:
        joints = draft.limb(parent, side, [*names, f"{end}toes"], [*places, ball, toes], [*abouts, left])
    else:
        joints = draft.limb(parent, side, names, [*places, toes], abouts)
    for joint, name, to, bend_axis in zip(joints, names[:2], places[1:], abouts, strict=False):
        draft.twists(f"{side} {name}", joint, to, bend_axis, options.twists)


def draft_winged(draft: SkeletonDraft, landmarks: Landmarks, options: SkeletonOptions) -> None:
    """A bird."""
    left, ahead = np.array(landmarks.side), np.array(landmarks.ahead)
    pelvis, chest, _ = _trunk(draft, landmarks, options, "beak", "toes")
    for side in SIDES:
        shoulder, elbow, wrist, tip = (
            landmarks.at(f"{side} {name}") for name in ("shoulder", "elbow", "wrist", "wing tip")
        )
        elbow = bent(shoulder, elbow, wrist, -ahead)
        # Wings fold in their own plane: ahead at the elbow, back at the wrist.
        bend_axis = np.cross(wrist - shoulder, ahead)
        hand = wrist + WING_HAND * (tip - wrist)
        names = ("upper wing", "lower wing", "wing hand", "wing tip")
        joints = draft.limb(
            chest, side, names, (shoulder, elbow, wrist, hand, tip), (bend_axis, bend_axis, -bend_axis, -bend_axis)
        )
        for joint, name, to in zip(joints, names[:2], (elbow, wrist), strict=False):
            draft.twists(f"{side} {name}", joint, to, bend_axis, options.twists)
        hip, knee, ankle = (landmarks.at(f"{side} {name}") for name in ("hip", "knee", "ankle"))
        knee = bent(hip, knee, ankle, ahead)
        _leg(draft, landmarks, side, pelvis, "", (hip, knee, ankle), (left, left, -left), options)
