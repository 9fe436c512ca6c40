"""One side of a fitting, as its stance is changed, and every way of making a stance."""

import json
from functools import lru_cache
from typing import Any

from armuto.body.mirror import mirror_joints
from armuto.body.parts import Assignment
from armuto.body.plans import BodyPlan, read_plan
from armuto.errors import BadInput
from armuto.kinematics.arrays import FloatArray
from armuto.pipeline import transfer
from armuto.retarget import fitting as core
from armuto.retarget.settings import ROTATIONS_ALONE
from armuto.stance import Stance, making, value
from armuto.stance.proposing import looking
from studio.fittings.models import Fitting
from studio.fittings.services.editing import parts_of
from studio.library.models import Clip, Skeleton
from studio.stances import services
from studio.stances.models import Stance as StanceRow


class Side:
    """One side of a fitting, with what stances are made from."""

    def __init__(self, row: Fitting, fitting: core.Fitting, which: str) -> None:
        self.row, self.fitting, self.which = row, fitting, which
        self.kept: Skeleton = row.skeleton if which == "source" else row.character.skeleton
        self.skeleton = fitting.source if which == "source" else fitting.target
        self.stance = fitting.source_stance if which == "source" else fitting.target_stance
        self.plan: BodyPlan = fitting.plan
        self.name = row.skeleton.name if which == "source" else row.character.name

    @property
    def parts(self) -> Assignment:
        return parts_of(self.kept, self.plan)

    @property
    def mirror_joints(self) -> dict[int, int]:
        """The twin of every joint on the other side of the body."""
        return mirror_joints_of(
            self.kept.pk, self.kept.identity, json.dumps(self.kept.parts), json.dumps(self.plan.table)
        )

    @property
    def forward(self) -> FloatArray:
        return looking(self.skeleton, self.stance.rotations, self.parts)

    def pose_editor(self, rotations: FloatArray) -> making.PoseEditor:
        forward = looking(self.skeleton, rotations, self.parts)
        return making.PoseEditor(
            self.skeleton, rotations, self.parts, self.plan, forward, self.fitting.overrides.hinges
        )

    def joint(self, name: str) -> int:
        if name not in self.skeleton.index:
            raise BadInput(f"{name}: there is no such bone on {SIDES[self.which]}; take one of its own.")
        return self.skeleton.index[name]

    def limb(self, limb: str) -> set[int]:
        """The joints of a limb as they are paired. Raises :class:`BadInput` where there are none."""
        if limb not in self.plan.limbs:
            raise BadInput(f"{limb}: the body plan has no such limb; take one of its names.")
        names = {part.name for part in self.plan.limbs[limb]}
        bones = [bone for pair in self.fitting.pairs if pair.part in names for bone in getattr(pair, self.which)]
        if not bones:
            raise BadInput(f"{limb}: none of its bones are paired; pair them first.")
        return {self.skeleton.index[bone] for bone in bones}


@lru_cache(maxsize=64)
def mirror_joints_of(pk: int, identity: str, parts: str, table: str) -> dict[int, int]:
    skeleton = Skeleton.objects.get(pk=pk, identity=identity)
    return mirror_joints(skeleton.value(), parts_of(skeleton, read_plan(json.loads(table))))


def make(side: Side, arguments: dict[str, Any]) -> tuple[dict[str, Any], str]:
    maker = MAKERS.get(str(arguments.get("kind")))
    if maker is None:
        raise BadInput(f"{arguments.get('kind')}: a stance cannot be made of that; choose one that is offered.")
    stance = maker(side, arguments)
    return then(side, **{side.which: stance}), f"{SIDES[side.which]}: {stance.name}"


def _rest(side: Side, arguments: dict[str, Any]) -> Stance:
    return value.rest_of(side.skeleton)


def _bind(side: Side, arguments: dict[str, Any]) -> Stance:
    found = services.bind_pose(side.kept)
    if found is None:
        raise BadInput(f"{side.name}: its mesh was bound in the pose it rests in; take the rest pose.")
    return Stance("Bind pose", "the pose its mesh was bound in", found)


def _zero(side: Side, arguments: dict[str, Any]) -> Stance:
    return Stance("All rotations zero", "all rotations zero", making.zero(side.skeleton))


def _calibration(side: Side, arguments: dict[str, Any]) -> Stance:
    found = services.postures_of(side.kept).get("Calibration frames")
    if found is None:
        raise BadInput(f"{side.name}: none of its clips begins with calibration frames; take the stance from a frame.")
    return Stance("Calibration frames", "the mean of the calibration frames of a clip", found)


def _frames(side: Side, arguments: dict[str, Any]) -> Stance:
    row = Clip.objects.filter(pk=arguments.get("clip_id") or 0).select_related("skeleton").first()
    if row is None:
        raise BadInput("The clip is no longer there; choose another.")
    clip = row.value()
    if row.skeleton_id == side.kept.pk:
        own = clip
    elif row.skeleton_id == side.row.skeleton_id:
        own = None  # the character's own performance of it
    else:
        raise BadInput(f"{row.name}: it is recorded on another skeleton than {side.name}; choose one of its own clips.")
    first = int(str(arguments.get("first") or 0))
    last = first if arguments.get("last") is None else int(str(arguments["last"]))
    if not 0 <= first <= last < clip.frames:
        raise BadInput(f"{row.name}: it has the frames 0 to {clip.frames - 1}; take a frame or a range among them.")
    if own is None:
        alone = side.fitting.with_settings(ROTATIONS_ALONE)
        rotations = making.average(transfer(clip.cut(first, last), alone), 0, last - first)
    else:
        rotations = making.average(own, first, last)
    where = f"frame {first}" if first == last else f"frames {first} to {last}"
    how = f"{where} of {row.name}" if first == last else f"the mean of {where} of {row.name}"
    return Stance(f"{where[0].upper()}{where[1:]} of {row.name}", how, rotations)


def number_given(arguments: dict[str, Any], key: str, usual: float) -> float:
    """What was said as a number; the usual one where nothing was, which is not the same as zero."""
    return usual if arguments.get(key) is None else float(str(arguments[key]))


def _arms(name: str, degrees: float | None = None) -> Any:
    def maker(side: Side, arguments: dict[str, Any]) -> Stance:
        angle = number_given(arguments, "degrees", 45.0) if degrees is None else degrees
        if not 0 <= angle <= 180:
            raise BadInput(f"{angle:g}°: arms hang down at 0° and are level at 90°; take an angle from 0° to 180°.")
        editor = side.pose_editor(side.stance.rotations)
        making.arms(editor, angle)
        full = name if degrees is not None else f"{name} of {angle:g}°"
        return Stance(full, f"{_small(side)} with the arms {angle:g}° from hanging", editor.rotations(), rolled=True)

    return maker


def _small(side: Side) -> str:
    """The name of its present stance, in the middle of a sentence."""
    return side.stance.name[:1].lower() + side.stance.name[1:]


def _straight(side: Side, arguments: dict[str, Any]) -> Stance:
    if "hips" not in side.parts:
        raise BadInput(f"{side.name}: its hips are not known, so it cannot be stood straight; pair them first.")
    editor = side.pose_editor(side.stance.rotations)
    making.straight(editor)
    return Stance("Standing straight", f"{_small(side)}, stood straight", editor.rotations())


def _kept(side: Side, arguments: dict[str, Any]) -> Stance:
    row = StanceRow.objects.filter(pk=arguments.get("stance_id") or 0, skeleton=side.kept).first()
    if row is None:
        raise BadInput("This stance is no longer there; choose another.")
    return value.from_json(row.data, side.skeleton)


def _proposed(side: Side, arguments: dict[str, Any]) -> Stance:
    return services.proposed(side.kept, side.which == "target")


MAKERS = {
    "proposed": _proposed,
    "rest": _rest,
    "bind": _bind,
    "zero": _zero,
    "calibration": _calibration,
    "frames": _frames,
    "T": _arms("T", 90.0),
    "A": _arms("A"),
    "arms down": _arms("Arms down", 8.0),
    "straight": _straight,
    "kept": _kept,
}


def then(side: Side, **changed: object) -> dict[str, Any]:
    row, plan = side.row, side.plan
    return changed | {"parts": (parts_of(row.skeleton, plan), parts_of(row.character.skeleton, plan))}


SIDES = {"source": "the source", "target": "the character"}
