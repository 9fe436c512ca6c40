"""The contacts of a clip: feet and hands against the world, hands against each other and against the body."""

from __future__ import annotations

import numpy as np

from armuto.contacts.hands import HandTracks, find_hand_contacts
from armuto.contacts.model import Contact, ContactSet
from armuto.contacts.probes import ContactProbes, SourceTracks, contact_probes, sample_tracks
from armuto.contacts.resting import PointTrack, resting_contacts
from armuto.kinematics import rotation
from armuto.kinematics.clip import Clip
from armuto.kinematics.vectors import dot, lengths
from armuto.retarget.context import RetargetContext


def detect_contacts(clip: Clip, context: RetargetContext) -> ContactSet:
    """The contacts of a clip on the source of a fitting; none where it has no legs, or hardly any frames."""
    probes = contact_probes(context)
    return contacts_in(sample_tracks(clip, probes.joints), probes, context, clip)


def contacts_in(
    tracks: SourceTracks, probes: ContactProbes, context: RetargetContext, clip: Clip, floor: float | None = None
) -> ContactSet:
    """The contacts of a clip whose tracks are known. floor: its height in metres, where a person has said it."""
    if probes.leg <= 0 or clip.frames < 3:
        return ContactSet()
    points = [PointTrack(point.name, point.is_foot, tracks.path(point)) for point in probes.points]
    resting, floor = resting_contacts(points, tracks.positions[probes.parts["hips"]], clip.fps, probes.leg, floor)
    held: tuple[Contact, ...] = ()
    if context.fitting.plan.trunk == "upright":
        held = find_hand_contacts(_hand_tracks(tracks, probes, context, clip.fps), probes.hands)
    # A hand that rests against the world keeps that place; what it seems to keep besides follows from it.
    world = [contact for contact in resting if not contact.to]
    held = tuple(
        contact
        for contact in held
        if not any(_overlap(contact, other) for other in world if other.point in (contact.point, contact.to))
    )
    ordered = sorted((*resting, *held), key=lambda contact: (contact.first, contact.point))
    return ContactSet(tuple(ordered), floor)


def _overlap(first: Contact, second: Contact) -> bool:
    return first.first <= second.last and second.first <= first.last


def _hand_tracks(tracks: SourceTracks, probes: ContactProbes, context: RetargetContext, fps: float) -> HandTracks:
    positions = {part: tracks.positions[joint] for part, joint in probes.parts.items()}
    rotations = {part: tracks.rotations[joint] for part, joint in probes.parts.items()}
    elbows, arm = {}, 0.0
    for limb, hand in probes.hands.items():
        side = hand.split()[0]
        if f"{side} upper arm" in positions and f"{side} lower arm" in positions:
            elbow = positions[f"{side} lower arm"]
            upper, lower = elbow - positions[f"{side} upper arm"], positions[hand] - elbow
            a, b = lengths(upper), lengths(lower)
            cosine = dot(upper, lower) / np.maximum(a * b, 1e-12)
            elbows[limb] = np.arccos(np.clip(cosine, -1.0, 1.0))
            arm = max(arm, float(a[0] + b[0]))
    width = arm / 2 or probes.leg / 3
    if "left upper arm" in positions and "right upper arm" in positions:
        width = float(np.linalg.norm(positions["left upper arm"][0] - positions["right upper arm"][0]))
    fitting, chest = context.fitting, probes.parts.get("chest", probes.parts["hips"])
    forward = rotation.rotate(rotation.inverse(fitting.turn), fitting.forward)
    local = rotation.rotate(rotation.inverse(fitting.source_pose.rotations[chest]), forward)
    ahead = rotation.rotate(tracks.rotations[chest], np.broadcast_to(local, tracks.positions[chest].shape))
    return HandTracks(positions, rotations, elbows, arm or probes.leg, width, ahead, fps)
