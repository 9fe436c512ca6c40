"""The retargeting pipeline: a clip on one skeleton computed on another through a fitting.

The one door for the live preview, for runs and for the shell. Rotations alone come first
(:mod:`armuto.retarget.motion`), then what they leave undone (:mod:`armuto.constraints.solver`), then travel is put
where it is wanted.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import cached_property, partial

import numpy as np

from armuto.constraints import travel
from armuto.constraints.displacement import BodyDisplacement, displace
from armuto.constraints.feet import BRIDGE, contacts_in_range
from armuto.constraints.root_bone import root_of
from armuto.constraints.solver import MARGIN, ConstraintReport, hold_limits, solve_constraints
from armuto.contacts.detection import contacts_in, detect_contacts
from armuto.contacts.model import ContactSet
from armuto.contacts.probes import ContactProbes, SourceTracks, contact_probes, tracked_joints
from armuto.kinematics import rotation
from armuto.kinematics.arrays import BoolArray, FloatArray, IntArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.world_motion import WorldMotion
from armuto.retarget.context import RetargetContext, context_of
from armuto.retarget.fitting import Fitting
from armuto.retarget.motion import local_clip, retarget_rotations
from armuto.retarget.settings import Travel
from armuto.touchups.applying import TouchUps
from armuto.touchups.applying import apply as apply_touchups
from armuto.touchups.baseline import changed_keys
from armuto.touchups.report import ChangedKey, TouchUpReport
from armuto.touchups.resolving import heading_across


@dataclass(frozen=True, eq=False)
class RetargetTrace:
    """What a transfer of a whole clip has worked out, for whoever measures it or goes on with it: the source's
    tracks, the motion in the world, the joints whose translations its clip keeps, and what touch-ups did."""

    context: RetargetContext
    probes: ContactProbes
    tracks: SourceTracks
    motion: WorldMotion
    translated: frozenset[int]
    touchups: TouchUpReport = field(default_factory=TouchUpReport)


@dataclass(frozen=True, eq=False)
class RetargetResult:
    """A clip on the target: the motion, what the constraints did, and what touch-ups did. trace: of a whole clip.
    find_contacts: how the clip's contacts are had, which a transfer that keeps none does not look for."""

    clip: Clip
    report: ConstraintReport
    find_contacts: Callable[[], ContactSet]
    trace: RetargetTrace | None = None
    touchups: TouchUpReport = field(default_factory=TouchUpReport)

    @cached_property
    def contacts(self) -> ContactSet:
        """The clip's contacts: those that were kept, where any were to be."""
        return self.find_contacts()


def transfer(clip: Clip, fitting: Fitting) -> Clip:
    """The clip on the fitting's target, with the clip's name and frame rate.

    Parameters
    ----------
    clip : Clip
        On the fitting's source, ``F`` frames.
    fitting : Fitting

    Returns
    -------
    Clip
        On the fitting's target, ``F`` frames.

    Examples
    --------
    >>> from pathlib import Path
    >>> from armuto.formats import read, write
    >>> from armuto.pipeline import transfer
    >>> from armuto.retarget.fitting import fit
    >>> source = read(Path("demo/files/hall/bow.bvh").read_bytes(), "bow.bvh")
    >>> target = read(Path("demo/files/porter.glb").read_bytes(), "porter.glb")
    >>> made = transfer(source.clips[0], fit(source.skeleton, target.skeleton, source.parts, target.parts))
    >>> made.frames == source.clips[0].frames, made.skeleton == target.skeleton
    (True, True)
    >>> write([made], target, "glb")[:4]
    b'glTF'
    """
    return retarget(clip, fitting).clip


def retarget(
    clip: Clip,
    fitting: Fitting,
    contacts: ContactSet | None = None,
    first: int = 0,
    last: int | None = None,
    touchups: TouchUps | None = None,
    performed: Clip | None = None,
    displacement: BodyDisplacement | None = None,
) -> RetargetResult:
    """The clip, or its frames first to last, on the fitting's target.

    Parameters
    ----------
    clip : Clip
        On the fitting's source.
    fitting : Fitting
    contacts : ContactSet, optional
        Where they are known or set by hand; else they are looked for.
    first, last : int
        The frames that are wanted, both included; all of them without.
    touchups : TouchUps, optional
        Layers over what the transfer makes, before joints are held within their limits.
    performed : Clip, optional
        What the target does in the whole clip, where other fittings than this have made it already, as of the parts of
        a splice: layers and limits alone are applied to it.
    displacement : BodyDisplacement, optional
        How the body is moved off the path that the clip gives it, over all frames of the clip, while feet that rest
        stay where they rest: as where performers are placed in one space (:mod:`armuto.ensembles`).

    Returns
    -------
    RetargetResult
        The motion, the contacts it kept, and what the constraints did.

    Notes
    -----
    Rotations alone come first: with world rotations of source S and target T at frame t and in the stance::

        R_T(t) = D(t) R_T(stance),  D(t) = C R_S(t) R_S(stance)⁻¹ C⁻¹

    where C turns the source's facing to the target's; then contacts, clearance and limits
    (:mod:`armuto.constraints.solver`), then travel. Any frames come out as they would with the whole clip: those around
    them, and those that tell where its contacts stand, are worked through with them. Cost is linear in frames.

    References
    ----------
    Gleicher, *Retargetting motion to new characters*, SIGGRAPH 1998. Kovar, Schreiner and Gleicher, *Footskate cleanup
    for motion capture editing*, SCA 2002.
    """
    last = clip.frames - 1 if last is None else last
    shown = first, last
    if performed is not None:
        first, last = 0, clip.frames - 1
    whole = first == 0 and last == clip.frames - 1
    context = context_of(fitting)
    probes = contact_probes(context)
    constrained = fitting.settings.constrained
    rows, near = np.arange(clip.frames), contacts
    if not whole:
        contacts = detect_contacts(clip, context) if contacts is None and constrained else contacts
        near, rows = _surroundings(clip, context, probes, contacts or ContactSet(), first, last)
    raw = retarget_rotations(clip, context, tracked_joints(context, probes) if whole else probes.joints, rows)
    tracks = SourceTracks(raw.source_positions, raw.source_rotations)
    report = ConstraintReport(lowered=np.zeros(raw.motion.frames))
    find = partial(contacts_in, tracks, probes, context, clip) if whole else partial(detect_contacts, clip, context)
    if constrained and (contacts is None or near is None):
        contacts = near = find()
    motion = raw.motion if performed is None else WorldMotion.of_clip(performed)
    displaced = None
    if displacement is not None and displacement.active:
        displaced = displacement.rows(motion.numbers)
        displace(motion, context, displaced)
    if constrained and performed is None:
        report = solve_constraints(motion, tracks, probes, near or ContactSet(), context, displaced)
    layers = touchups if touchups is not None and touchups.active else None
    changed: tuple[ChangedKey, ...] = ()
    done, hits = TouchUpReport(), {}
    if layers is None and constrained:
        hits = hold_limits(motion, context)
    if performed is None:
        _place_travel(motion, context)
    if layers is not None:
        changed = tuple(changed_keys(layers, motion, context)) if whole else ()
        done, hits = apply_layers(motion, layers, clip, context, near or ContactSet(), probes)
        done = replace(done, changed=changed)
    report = replace(report, hits=hits)
    translated = raw.translated if performed is None else {int(joint) for joint in performed.moving}
    made = local_clip(clip.name, motion, translated | context.carrier_chain | done.moved)
    if made.frames != shown[1] - shown[0] + 1:
        cut = slice(int(np.searchsorted(rows, shown[0])), int(np.searchsorted(rows, shown[1])) + 1)
        made = replace(made, rotations=made.rotations[cut], translations=made.translations[cut])
        report, done = report.cut(cut), done.cut(cut)
        whole = False
    trace = RetargetTrace(context, probes, tracks, motion, frozenset(map(int, made.moving)), done) if whole else None
    return RetargetResult(made, report, find if contacts is None else lambda: contacts, trace, done)


def apply_layers(
    motion: WorldMotion,
    touchups: TouchUps,
    clip: Clip,
    context: RetargetContext,
    contacts: ContactSet,
    probes: ContactProbes,
) -> tuple[TouchUpReport, dict[str, BoolArray]]:
    """Layers over some frames of what a transfer of the clip has made without any, in place; then joints are held
    within their limits. motion: after travel, before limits. Returns what the layers did, and by part the frames with
    a joint held back ``(F,)``."""
    swapped = any(layer.mirrored != touchups.mirrored for layer in touchups.layers.active)
    across = plane_of_mirror(clip, context) if swapped else None
    done = apply_touchups(motion, touchups, context, contacts, probes, across)
    return done, hold_limits(motion, context)


def plane_of_mirror(clip: Clip, context: RetargetContext) -> FloatArray:
    """The normal ``(3,)``, in the target's world, of the upright plane along which the body faces in its first frame:
    the one that :class:`~armuto.refining.mirror.Mirror` reflects it in."""
    fitting, travel_wanted = context.fitting, context.fitting.settings.travel
    forward = fitting.forward
    if travel_wanted.place != "recorded" or context.hips is None:
        return heading_across(forward)
    driver = context.mapping[context.hips]
    now = clip.cut(0, 0).world().rotations[0, driver.source]
    turned = rotation.multiply(now, rotation.inverse(fitting.source_pose.rotations[driver.source]))
    ahead = rotation.rotate(rotation.inverse(fitting.turn), forward)
    return heading_across(rotation.rotate(fitting.turn, rotation.rotate(turned, ahead)))


def _surroundings(
    clip: Clip, context: RetargetContext, probes: ContactProbes, contacts: ContactSet, first: int, last: int
) -> tuple[ContactSet, IntArray]:
    """The contacts that frames from first to last depend on, and the frames that have to be worked through for them."""
    margin = int(MARGIN * clip.fps)
    start, stop = max(0, first - margin), min(clip.frames - 1, last + margin)
    limb_of = {point.name: point.limb for point in probes.points}
    reach = int(BRIDGE * clip.fps) + 1
    near, frames = contacts_in_range(contacts.contacts, limb_of, start - reach, stop + reach, clip.loop)
    frames = frames | set(range(start, stop + 1))
    travel = context.fitting.settings.travel
    if travel != Travel():
        frames |= set(range(min(clip.frames, int(travel.smoothing * clip.fps) + 2)))
    return replace(contacts, contacts=near), np.array(sorted(frames))


def _place_travel(motion: WorldMotion, context: RetargetContext) -> None:
    """Put travel where it is wanted."""
    fitting, wanted = context.fitting, context.fitting.settings.travel
    if wanted == Travel() or not context.carriers:
        return
    leader = context.last_joints.get(wanted.lead, context.carriers[-1])

    def path() -> travel.Path:
        turns = rotation.multiply(motion.rotations[leader], rotation.inverse(fitting.target_pose.rotations[leader]))
        return travel.path_of(motion.positions[leader].copy(), turns, fitting.forward, motion.fps, wanted.smoothing)

    travel.place(motion, path(), wanted)
    if wanted.mode == "in place":
        travel.take_out(motion, path(), wanted)
    elif wanted.mode == "root":
        root = root_of(context)
        if root is not None:
            travel.on_root(motion, root, path(), wanted, fitting.target_pose.rotations[root])
