"""Generated bodies in known stances: the same body resting otherwise, with the same or with other proportions, and what
a stance left of the truth; and skeletons of which the best stance to begin with is known."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import body_plan
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray
from armuto.kinematics.clip import Clip
from armuto.kinematics.skeleton import Skeleton
from armuto.kinematics.vectors import unit
from armuto.pairing import Pair
from armuto.pairing.twist_joints import twists
from armuto.pipeline import transfer
from armuto.retarget import fitting
from armuto.stance import Stance, proposing
from armuto.stance.making import PoseEditor
from armuto.stance.posture import UP
from armuto.stance.shape import square
from armuto.tests import bodies, figures

RESTS = ("T", "A", "arms down", "splayed", "palms turned", "rolled", "mid-step")
PLAN = body_plan()


@dataclass(frozen=True)
class Body:
    """A skeleton resting in its true stance, what its bones are, and where it faces (degrees)."""

    skeleton: Skeleton
    parts: Assignment
    facing: float

    @property
    def forward(self) -> FloatArray:
        angle = np.radians(self.facing)
        return np.array([np.sin(angle), 0.0, np.cos(angle)])

    def editor(self) -> PoseEditor:
        return PoseEditor(self.skeleton, self.skeleton.rest_rotation, self.parts, PLAN, self.forward)

    def rest(self, editor: PoseEditor) -> Body:
        return replace(self, skeleton=replace(self.skeleton, rest_rotation=editor.rotations()))


def body(rng: np.random.Generator) -> Body:
    """A two-legged body standing in any of the ways figures stand, elbows and knees bent enough to tell rolls, or
    not."""
    skeleton, truth, _ = bodies.two_legged(rng)
    parts = {part: tuple(PartBone(joint, 1.0, "true") for joint in joints) for part, joints in truth.items()}
    angle = np.radians(proposing_facing_angle(skeleton, parts))
    made = Body(skeleton, parts, float(np.degrees(angle)))
    editor = made.editor()
    if rng.random() < 0.7:
        elbow, knee = float(rng.uniform(13, 30)), float(rng.uniform(13, 20))
        for side in ("left", "right"):
            flex(editor, f"{side} lower arm", elbow)
            flex(editor, f"{side} lower leg", knee)
            level(editor, made, f"{side} foot")
    return made.rest(editor)


def proposing_facing_angle(skeleton: Skeleton, parts: Assignment) -> float:
    forward = proposing.looking(skeleton, skeleton.rest_rotation, parts)
    return float(np.degrees(np.arctan2(forward[0], forward[2])))


def flex(editor: PoseEditor, part: str, degrees: float) -> None:
    """Bend an elbow or a knee further about its own hinge: the one it is bent about, or the one it would be."""
    joint = editor.joint(part)
    upper = editor.joint(part.replace("lower", "upper"))
    if joint is None or upper is None:
        return
    shape = editor.shape()
    along, onward = shape.direction(upper), shape.direction(joint)
    way = unit(square(onward, along)) if onward is not None and float(along @ onward) < np.cos(np.radians(3)) else None  # type: ignore[operator]
    way = way if way is not None else shape.expected(upper)
    if way is not None and along is not None:
        editor.turn(joint, rotation.about(np.cross(along, way), np.radians(degrees)))


def level(editor: PoseEditor, made: Body, part: str) -> None:
    """Turn a foot back to the level it had on the true body."""
    foot = editor.joint(part)
    if foot is not None:
        was = made.skeleton.rest.rotations[foot]
        editor.turn(foot, rotation.multiply(was, rotation.inverse(editor.world[foot])))


def rested(made: Body, rng: np.random.Generator, kind: str) -> Body:
    """The same body resting in another way."""
    editor = made.editor()
    across = np.cross(UP, made.forward)
    sides = (("left", 1.0), ("right", -1.0))
    bent = {side: _bent(made, f"{side} upper arm") for side, _ in sides}
    kneed = {side: _bent(made, f"{side} upper leg") for side, _ in sides}
    about = lambda axis, degrees: rotation.about(axis, np.radians(degrees))  # noqa: E731
    if kind in ("T", "A", "arms down"):
        wanted = {"T": 90.0, "A": float(rng.uniform(30, 65)), "arms down": float(rng.uniform(3, 14))}[kind]
        wanted += float(rng.uniform(-5, 5)) if kind == "T" else 0.0
        for side, sign in sides:
            upper, hand = editor.joint(f"{side} upper arm"), editor.joint(f"{side} hand")
            assert upper is not None and hand is not None
            line = editor.at[hand] - editor.at[upper]
            now = np.degrees(np.arctan2(float(line @ across) * sign, -float(line[1])))
            editor.turn(upper, about(made.forward, sign * (wanted - now)))
    elif kind == "splayed":
        wide = float(rng.uniform(8, 24))
        for side, sign in sides:
            upper = editor.joint(f"{side} upper leg")
            assert upper is not None
            editor.turn(upper, about(made.forward, sign * wide))
    elif kind == "palms turned":
        for side, _ in sides:
            lower = editor.joint(f"{side} lower arm")
            assert lower is not None
            editor.turn(lower, about(editor.shape().direction(lower), float(rng.uniform(-85, 85))))  # type: ignore[arg-type]
    elif kind == "rolled":
        for side, _ in sides:
            for part, bends, most in (("upper arm", bent, 60.0), ("upper leg", kneed, 25.0)):
                joint = editor.joint(f"{side} {part}")
                if joint is not None and bends[side]:
                    editor.turn(joint, about(editor.shape().direction(joint), float(rng.uniform(-most, most))))  # type: ignore[arg-type]
            lower = editor.joint(f"{side} lower arm")
            if lower is not None and editor.shape().frame(editor.joint(f"{side} hand")) is not None:  # type: ignore[arg-type]
                editor.turn(lower, about(editor.shape().direction(lower), float(rng.uniform(-50, 50))))  # type: ignore[arg-type]
    else:
        _step(editor, made, rng, across)
    return made.rest(editor)


def _bent(made: Body, part: str) -> bool:
    editor = made.editor()
    joint = editor.joint(part)
    bend = editor.shape().bend(joint) if joint is not None else None
    return bend is not None and bend[1] > 0.99


def _step(editor: PoseEditor, made: Body, rng: np.random.Generator, across: FloatArray) -> None:
    """In the middle of a step: hips and chest turned against each other, one leg before the other, elbows and knees
    bent."""

    def turn(part: str, axis: FloatArray, degrees: float) -> None:
        joint = editor.joint(part)
        if joint is not None:
            editor.turn(joint, rotation.about(axis, np.radians(degrees)))

    forward = made.forward
    driver = float(rng.choice([-1.0, 1.0]))
    turn("hips", UP, driver * float(rng.uniform(4, 9)))
    turn("hips", across, float(rng.uniform(-4, 10)))
    spine = [joint for joint, part in editor.parts.items() if part in ("spine", "chest")]
    twist, lean = -driver * float(rng.uniform(8, 14)), float(rng.uniform(0, 10))
    lengths = np.linalg.norm(made.skeleton.rest_translation[spine], axis=1)
    for joint, length in zip(spine, lengths, strict=True):
        share = float(length / lengths.sum())
        editor.turn(joint, rotation.about(UP, np.radians(twist * share)))
        editor.turn(joint, rotation.about(across, np.radians(lean * share)))
    turn("neck", UP, float(rng.uniform(-15, 15)))
    for side, sign in (("left", 1.0), ("right", -1.0)):
        turn(f"{side} shoulder", forward, sign * float(rng.uniform(-4, 10)))
        turn(f"{side} upper arm", across, sign * driver * float(rng.uniform(10, 35)))
        flex(editor, f"{side} lower arm", float(rng.uniform(10, 60)))
        turn(f"{side} upper leg", across, -sign * driver * float(rng.uniform(15, 30)))
        flex(editor, f"{side} lower leg", float(rng.uniform(8, 45)))
        turn(f"{side} foot", across, float(rng.uniform(-10, 25)))


def reshaped(made: Body, rng: np.random.Generator) -> Body:
    """Another build in the same stance: limbs longer or shorter, hips and shoulders wider or narrower, ankles
    higher."""
    skeleton, across = made.skeleton, np.cross(UP, made.forward)
    vary = lambda spread=0.22: float(np.exp(rng.uniform(-spread, spread)))  # noqa: E731
    factors = {name: vary() for name in ("arm", "leg", "trunk", "neck", "hand", "foot")}
    hips, shoulders, ankle = vary(0.3), vary(0.3), float(rng.uniform(1.1, 1.5))
    names = {bone.joint: part for part, bones in made.parts.items() for bone in bones}
    at = skeleton.rest.positions
    out = at.copy()
    for joint, parent in enumerate(skeleton.parents):
        if parent < 0:
            continue
        line, part = at[joint] - at[parent], names.get(joint, "")
        above = next((names[a] for a in (int(parent), *skeleton.ancestors(int(parent))) if a in names), "")
        if part.endswith(("upper leg", "shoulder")) or (part.endswith("upper arm") and above == "chest"):
            wider = hips if part.endswith("leg") else shoulders
            line = line + (wider - 1) * float(line @ across) * across
        elif part.endswith("toes"):
            line = line * factors["foot"] * np.array([1.0, ankle, 1.0])
        else:
            limb = PLAN.by_name[part].limb.split()[-1] if part in PLAN.by_name else ""
            limb = "hand" if limb in bodies.FINGERS else limb
            line = line * factors.get(limb, 1.0)
        out[joint] = out[parent] + line
    offsets = out.copy()
    frames = skeleton.rest.rotations
    for joint, parent in enumerate(skeleton.parents):
        if parent >= 0:
            offsets[joint] = rotation.rotate(rotation.inverse(frames[parent]), out[joint] - out[parent])
    return replace(made, skeleton=replace(skeleton, rest_translation=offsets))


def disguised(made: Body, rng: np.random.Generator, yaw: float, scale: float) -> Body:
    """The body under other names and joint frames, turned by yaw (degrees) and scaled."""
    return replace(
        made,
        skeleton=figures.disguised(made.skeleton, rng, np.radians(yaw), scale),
        facing=made.facing + yaw,
    )


def fitted(source: Body, target: Body, overrides: fitting.FittingOverrides = fitting.NOTHING) -> fitting.Fitting:
    pairs = [
        Pair(
            part,
            tuple(source.skeleton.names[b.joint] for b in bones),
            tuple(target.skeleton.names[b.joint] for b in bones),
            1.0,
            ("true",),
        )
        for part, bones in source.parts.items()
    ]
    stance = Stance("Rest pose", "the true stance", source.skeleton.rest_rotation)
    return fitting.fit(
        source.skeleton,
        target.skeleton,
        source.parts,
        target.parts,
        pairs,
        plan=PLAN,
        source_stance=stance,
        overrides=overrides,
    )


def busy(made: Body, rng: np.random.Generator, frames: int = 12) -> Clip:
    """Motion of all bones of the plan, through a large range; others keep still."""
    clip = figures.motion(made.skeleton, rng, frames)
    known = [bone.joint for bones in made.parts.values() for bone in bones]
    rotations = np.broadcast_to(made.skeleton.rest_rotation, clip.rotations.shape).copy()
    rotations[:, known] = clip.rotations[:, known]
    return replace(clip, rotations=rotations)


def yaw_for(source: Body, rng: np.random.Generator, kind: str) -> float:
    """Any turn; in the middle of a step, one after which the body faces an axis of its file, as exported figures do."""
    return float(rng.uniform(-180, 180)) if kind != "mid-step" else 90.0 * int(rng.integers(4)) - source.facing


def position_error(seed: int, kind: str) -> float:
    """Largest distance in metres, in the source's size, of a joint from the truth, for a body of the same build."""
    rng = np.random.default_rng(seed)
    source = body(rng)
    scale, yaw = float(np.exp(rng.uniform(-1, 1))), yaw_for(source, rng, kind)
    target = disguised(rested(source, rng, kind), rng, yaw, scale)
    clip = busy(source, rng)
    joints = [bone.joint for bones in source.parts.values() for bone in bones]
    here = transfer(clip, fitted(source, target)).world().positions[:, joints] / scale
    there = rotation.rotate(rotation.about(UP, np.radians(yaw)), clip.world().positions[:, joints])
    # Sizes and floors are matters of their own: the body as a whole is laid over the truth.
    return float(np.linalg.norm((here - there) - (here - there)[:, :1], axis=-1).max())


@dataclass(frozen=True)
class Left:
    """Degrees between a stance and the truth at one part, for a body of another build.

    seen: whether the points of both bodies fix what is measured; a straight arm shows no roll, a foot in the air
    without a tip of its toes no sole.
    """

    seed: int
    kind: str
    part: str
    direction: float
    roll: float | None
    by_toes: bool = False
    seen: bool = True


def left_of(seed: int, kind: str) -> Iterator[Left]:
    """What alignment left at every part with a direction; rolls where bends, fingers or pairs of limbs show them, else
    0."""
    rng = np.random.default_rng(seed)
    source = body(rng)
    true = reshaped(source, rng)
    yaw = yaw_for(source, rng, kind)
    resting = rested(true, rng, kind)
    seen = disguised(resting, rng, yaw, 1.0)
    made = fitted(source, seen)
    turn = rotation.about(UP, np.radians(yaw))
    back = rotation.multiply(true.skeleton.rest.rotations, rotation.inverse(resting.skeleton.rest.rotations))
    back = rotation.multiply(rotation.multiply(turn, back), rotation.inverse(turn))
    turned = rotation.multiply(made.target_pose.rotations, rotation.inverse(seen.skeleton.rest.rotations))
    off = rotation.multiply(turned, rotation.inverse(back))
    shape = true.editor().shape()
    twisting = {twist.upper for twist in twists(seen.skeleton, made.joint_mapping)}
    resting_shape, true_shape = resting.editor().shape(), source.editor().shape()
    for part, bones in true.parts.items():
        joint = bones[0].joint
        along = shape.direction(joint)
        if along is None or part == "root":
            continue
        along = rotation.rotate(turn, along)
        moved = rotation.rotate(off[joint], along)
        direction = float(np.degrees(rotation.angle(rotation.between(moved, along))))
        rest_of_it = rotation.multiply(rotation.between(moved, along), off[joint])
        roll = float(np.degrees(rotation.angle(rest_of_it)))
        kind_of, visible, by_toes = PLAN.by_name[part].kind, True, False
        if kind_of == "foot":
            stood = resting_shape.flat(joint) is not None and true_shape.flat(joint) is not None
            by_toes = not stood and resting_shape.sole(joint) is not None
            visible, shown = stood or by_toes, stood or by_toes
        elif kind_of == "lower arm":
            hand = shape.limbs.joints[part.replace("lower arm", "hand")]
            shown = shape.frame(hand) is not None and joint not in twisting
        else:
            bend = true_shape.bend(joint)
            shown = shape.frame(joint) is not None or (bend is not None and bend[1] > 0.99)
        yield Left(seed, kind, part, direction, roll if shown else None, by_toes, visible)


ORIGINS = (
    "rests in a T",
    "rests in an A",
    "rests with arms down",
    "rests in an action, zero in a T",
    "rests in an action, bound in an A",
    "rests in an action, calibrated",
    "rests splayed, calibrated",
    "rests in an action alone",
)
RIGHT = {3: "All rotations zero", 4: "Bind pose", 5: "Calibration frames", 6: "Calibration frames", 7: "T, made"}


def origin(rng: np.random.Generator, number: int) -> tuple[Body, dict[str, FloatArray]]:
    """A skeleton that came to us in one of the ways of ORIGINS, and the other postures that are known of it."""
    true = disguised(body(rng), rng, 0.0, 1.0)
    others: dict[str, FloatArray] = {}
    if number == 3:
        # Frames that are the world's own in the true stance, as where a file's rotations are counted from there.
        plain = true.skeleton.rest.positions
        offsets = plain.copy()
        jointed = true.skeleton.parents >= 0
        offsets[jointed] -= plain[true.skeleton.parents[jointed]]
        level = np.tile(rotation.IDENTITY, (len(true.skeleton), 1))
        true = replace(true, skeleton=replace(true.skeleton, rest_translation=offsets, rest_rotation=level))
    standing = rested(true, rng, "A" if number in (1, 4) else "arms down" if number == 2 else "T")
    if number < 3:
        return standing, others
    if number == 4:
        others["Bind pose"] = standing.skeleton.rest_rotation
    elif number in (5, 6):
        others["Calibration frames"] = standing.skeleton.rest_rotation
    if number == 6:
        editor = true.editor()
        for side, sign in (("left", 1.0), ("right", -1.0)):
            joint = editor.joint(f"{side} upper leg")
            assert joint is not None
            editor.turn(joint, rotation.about(true.forward, sign * np.radians(float(rng.uniform(15, 25)))))
        return true.rest(editor), others
    return rested(standing if number != 3 else true, rng, "mid-step"), others


def proposed_right(seed: int) -> tuple[bool, str, str]:
    """Whether the proposal for a generated skeleton is the one it was made with; how it came, and what was proposed."""
    rng = np.random.default_rng(seed)
    number = seed % len(ORIGINS)
    made, others = origin(rng, number)
    found = proposing.propose(made.skeleton, made.parts, PLAN, others)
    return found.name == RIGHT.get(number, "Rest pose"), ORIGINS[number], f"{found.name}: {found.how}"
