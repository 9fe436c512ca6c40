"""BVH: a text tree of joints with channels, and one block of numbers, a row per frame.

Reading keeps the file exactly (:class:`BvhFile`: tree, channel order, every number), so that writing it back loses
nothing; :func:`to_clip` and :func:`from_clip` go between that and the core's own values.

Format: Meredith & Maddock 2001, "Motion Capture File Formats Explained". That paper leaves open whether a joint's
position channels replace its OFFSET or add to it; files of both kinds exist. Here each joint is read the way its
numbers suggest: as replacing when they lie nearer to the OFFSET than to zero, which is the same as adding for a zero
OFFSET.
"""

from __future__ import annotations

import re
import warnings
from dataclasses import dataclass, replace

import numpy as np

from armuto.errors import BadInput
from armuto.formats.bvh_hierarchy import AXES, LARGEST, BvhJoint, read_hierarchy
from armuto.formats.numbers import numbers
from armuto.kinematics import rotation
from armuto.kinematics.arrays import FloatArray, IntArray
from armuto.kinematics.clip import Clip, in_file_space
from armuto.kinematics.pose import local_rotations
from armuto.kinematics.skeleton import Skeleton, unique_names

RATES = (12, 15, 23.976, 24, 25, 29.97, 30, 48, 50, 59.94, 60, 72, 75, 90, 100, 120, 125, 144, 150, 180, 200, 240, 300)


@dataclass(frozen=True)
class BvhFile:
    """Everything a BVH file says. motion: ``(F, C)``, the channels of all joints side by side. notes: what was odd."""

    joints: tuple[BvhJoint, ...]
    frame_time: float
    motion: FloatArray
    notes: tuple[str, ...] = ()

    @property
    def columns(self) -> list[int]:
        """First motion column of every joint."""
        counts = [len(joint.channels) for joint in self.joints]
        return [0, *np.cumsum(counts).tolist()][: len(counts)]


def parse(data: bytes, file: str) -> BvhFile:
    """Read BVH text. Raises :class:`BadInput` naming the line."""
    start = re.search(rb"^[ \t]*MOTION\b[^\n]*\n?", data, re.MULTILINE | re.IGNORECASE)
    header = data[: start.start()] if start else data
    try:
        text = header.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = header.decode("latin-1")
    if not re.match(r"\s*HIERARCHY\b", text, re.IGNORECASE):
        raise BadInput(f"{file}: not a BVH file, it does not begin with HIERARCHY; export the motion as BVH again.")
    joints = read_hierarchy(text, file, whole=start is not None)
    if start is None:
        raise BadInput(f"{file}: cut short, there is no MOTION section after the joints; export it again.")
    line = data.count(b"\n", 0, start.end()) + 1
    return _motion(data, start.end(), line, joints, file)


def _motion(data: bytes, start: int, line: int, joints: tuple[BvhJoint, ...], file: str) -> BvhFile:
    head = re.compile(rb"\s*Frames\s*:?\s*(\S+)\s+Frame\s+Time\s*:?\s*(\S+)[ \t]*(?:\r?\n|$)", re.IGNORECASE)
    found = head.match(data, start)
    if not found:
        raise BadInput(f"{file}: line {line}: “Frames:” and “Frame Time:” are missing after MOTION; export it again.")
    try:
        promised, frame_time = int(float(found[1])), float(found[2])
    except (ValueError, OverflowError):
        raise BadInput(f"{file}: line {line}: Frames and Frame Time must be numbers; export it again.") from None
    if not 1e-5 < frame_time < 100:
        raise BadInput(f"{file}: line {line}: a frame time of {frame_time:g} s cannot be played; export it again.")
    width = sum(len(joint.channels) for joint in joints)
    first_line = line + data.count(b"\n", start, found.end())
    block = data[found.end() :]
    values = _numbers(block, first_line, file)
    if width == 0:
        raise BadInput(f"{file}: no joint has channels, so there is no motion in it; export it again with motion.")
    frames, rest = divmod(len(values), width)
    if rest:
        raise BadInput(
            f"{file}: cut short in frame {frames + 1}, which has {rest} of {width} numbers; export or copy it again."
        )
    if frames == 0:
        raise BadInput(f"{file}: there are no frames after the joints; export it again with motion.")
    notes = []
    if frames != promised:
        notes.append(f"The file says {promised} frames and holds {frames}; all {frames} were read.")
    return BvhFile(joints, frame_time, values.reshape(frames, width), tuple(notes))


def _numbers(block: bytes, first_line: int, file: str) -> FloatArray:
    """The motion block as one flat array; the slow search for the culprit runs only when something is wrong."""
    try:
        values = numbers(block)
    except ValueError:
        values = np.array([np.nan])
    if len(values) and not (np.abs(values).max() < LARGEST):
        for number, row in enumerate(block.decode("latin-1").splitlines(), first_line):
            for word in row.split():
                try:
                    usable = abs(float(word)) < LARGEST
                except ValueError:
                    usable = False
                if not usable:
                    raise BadInput(
                        f"{file}: line {number}: “{word[:40]}” is not a usable number; export the motion again."
                    )
    return values


def serialise(file: BvhFile) -> bytes:
    """BVH text. Numbers are written in the shortest form that reads back as the same number."""
    out = ["HIERARCHY"]
    below: dict[int, list[int]] = {}
    for number, joint in enumerate(file.joints):
        below.setdefault(joint.parent, []).append(number)
    # An explicit stack instead of recursion: a chain may be thousands of joints long. A number opens a joint, a text
    # is a line that waits for its turn.
    stack: list[tuple[int | str, int]] = [(root, 0) for root in reversed(below.get(-1, []))]
    while stack:
        item, depth = stack.pop()
        pad = "\t" * depth
        if isinstance(item, str):
            out.append(pad + item)
            continue
        joint = file.joints[item]
        out += [f"{pad}{'ROOT' if joint.parent < 0 else 'JOINT'} {joint.name}".rstrip(), pad + "{"]
        out.append(f"{pad}\tOFFSET {_row(joint.offset)}")
        out.append(f"{pad}\tCHANNELS {' '.join([str(len(joint.channels)), *joint.channels])}")
        for end in joint.ends:
            out += [f"{pad}\tEnd Site", pad + "\t{", f"{pad}\t\tOFFSET {_row(end)}", pad + "\t}"]
        stack.append(("}", depth))
        stack += [(child, depth + 1) for child in reversed(below.get(item, []))]
    out += ["MOTION", f"Frames: {len(file.motion)}", f"Frame Time: {file.frame_time!r}"]
    out += [_row(row) for row in file.motion.tolist()]
    return ("\n".join(out) + "\n").encode()


def _row(values: list[float] | tuple[float, ...]) -> str:
    return " ".join(
        str(int(v)) if v == int(v) and abs(v) < 1e15 and (v or str(v)[0] != "-") else repr(v) for v in values
    )


def frame_rate(frame_time: float) -> float:
    """The usual rate nearest to 1 / frame time when it lies within 0.2 %, else that value itself."""
    exact = 1 / frame_time
    nearest = min(RATES, key=lambda rate: (abs(rate - exact), rate != int(rate)))
    return float(nearest) if abs(nearest - exact) <= 0.002 * nearest else exact


def _skeleton(file: BvhFile) -> Skeleton:
    joints = file.joints
    ends = [(number, end) for number, joint in enumerate(joints) for end in joint.ends]
    return Skeleton(
        unique_names(joint.name for joint in joints),
        np.array([joint.parent for joint in joints], np.int64),
        np.array([joint.offset for joint in joints], float).reshape(-1, 3),
        np.tile(rotation.IDENTITY, (len(joints), 1)),
        np.array([number for number, _ in ends], np.int64),
        np.array([end for _, end in ends], float).reshape(-1, 3),
    )


def to_clip(file: BvhFile, name: str) -> Clip:
    """The motion on its skeleton, still in the file's own unit and axes."""
    skeleton = _skeleton(file)
    frames = len(file.motion)
    local = np.empty((len(file.joints), frames, 4))
    moving, translations = [], []
    for number, (joint, column) in enumerate(zip(file.joints, file.columns, strict=True)):
        q = np.broadcast_to(rotation.IDENTITY, (frames, 4))
        for k, axis in joint.turns:
            step = rotation.about(np.eye(3)[AXES[axis.lower()]], np.radians(file.motion[:, column + k]))
            q = rotation.multiply(q, step)
        local[number] = q
        if joint.positions:
            moving.append(number)
            translations.append(_translation(joint, file.motion[:, column : column + len(joint.channels)]))
    return Clip(
        name,
        skeleton,
        frame_rate(file.frame_time),
        np.ascontiguousarray(np.moveaxis(local, 0, 1)),
        np.array(moving, np.int64),
        np.stack(translations, axis=1) if moving else np.zeros((frames, 0, 3)),
    )


def positions_add(file: BvhFile) -> list[bool]:
    """By joint, whether its position channels add to its OFFSET rather than replace it; False where it has none."""
    return [
        bool(joint.positions) and _adds(joint, file.motion[:, column : column + len(joint.channels)])
        for joint, column in zip(file.joints, file.columns, strict=True)
    ]


def _adds(joint: BvhJoint, values: FloatArray) -> bool:
    """Whether the joint's position channels ``values (F, C)`` add to its OFFSET rather than replace it."""
    columns, axes = [k for k, _ in joint.positions], [axis for _, axis in joint.positions]
    offset = np.array(joint.offset)[axes]
    distances = np.linalg.norm(values[:, columns] - offset, axis=1)
    return bool(np.median(distances) > np.median(np.linalg.norm(values[:, columns], axis=1)))


def _translation(joint: BvhJoint, values: FloatArray) -> FloatArray:
    out = np.tile(np.array(joint.offset), (len(values), 1))
    add = _adds(joint, values)
    for k, axis in joint.positions:
        out[:, axis] = values[:, k] + (joint.offset[axis] if add else 0.0)
    return out


def from_clip(
    clip: Clip, original: BvhFile | None = None, unit: float = 0.01, turn: FloatArray = rotation.IDENTITY
) -> BvhFile:
    """The clip as a BVH file.

    With ``original``, the file the clip's skeleton was read from: its tree, channel order, unit and axes are used, and
    channels are added only to joints whose motion needs more than they have. Without, the skeleton came from elsewhere:
    joints get world-aligned offsets, since BVH knows no rest rotations. unit: metres per unit of the file; turn:
    quaternion from the file's axes to ours; both for such a file alone.
    """
    if original is None:
        return _written_anew(clip, unit, turn)
    rotations, translations = in_file_space(clip)
    joints, motion = [], []
    for number, (joint, adds) in enumerate(zip(original.joints, positions_add(original), strict=True)):
        block, channels = _channels(joint, rotations[:, number], translations[:, number], adds)
        joints.append(replace(joint, channels=channels))
        motion.append(block)
    return BvhFile(tuple(joints), 1 / clip.fps, np.concatenate(motion, axis=1))


def _channels(joint: BvhJoint, q: FloatArray, t: FloatArray, adds: bool) -> tuple[FloatArray, tuple[str, ...]]:
    """One joint's motion in its own channels, or in more of them where they cannot express it."""
    channels = joint.channels
    offset = np.array(joint.offset)
    free = {axis for _, axis in joint.positions}
    moved = np.abs(t - offset).max(axis=0) > 1e-6 * max(1.0, np.abs(offset).max())
    if any(moved[axis] and axis not in free for axis in range(3)):
        turns = tuple(c for c in channels if c.lower().endswith("rotation"))
        channels = ("Xposition", "Yposition", "Zposition", *turns)
    order = "".join(c[0].upper() for c in channels if c.lower().endswith("rotation"))
    angles = _angles(q, order)
    if angles is None:
        position_channels = tuple(c for c in channels if c.lower().endswith("position"))
        channels, order = (*position_channels, "Zrotation", "Xrotation", "Yrotation"), "ZXY"
        angles = _angles(q, order)
        assert angles is not None
    columns, turn = [], 0
    for channel in channels:
        axis = AXES[channel[0].lower()]
        if channel.lower().endswith("position"):
            columns.append(t[:, axis] - (offset[axis] if adds else 0.0))
        else:
            columns.append(angles[:, turn])
            turn += 1
    return np.round(np.stack(columns, axis=1) if columns else np.zeros((len(q), 0)), 9), channels


def _angles(q: FloatArray, order: str) -> FloatArray | None:
    """Degrees ``(F, len(order))`` for intrinsic rotations about the axes in order; None where these cannot express
    q."""
    full = order + "".join(axis for axis in "ZXY" if axis not in order)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", UserWarning)  # gimbal lock: any of the equal solutions will do
        from scipy.spatial.transform import Rotation  # large, and needed by who writes alone

        angles = np.asarray(Rotation.from_quat(q).as_euler(full))  # type: ignore[call-overload]
    # Two triples describe each rotation; take the one nearer to the frame before, then unwind whole turns.
    other = np.stack([angles[:, 0] + np.pi, np.pi - angles[:, 1], angles[:, 2] + np.pi], axis=1)
    changes = np.abs(_wrapped(angles[1:] - angles[:-1])).sum(axis=1)
    crossed = np.abs(_wrapped(other[1:] - angles[:-1])).sum(axis=1)
    swap = np.concatenate([[False], np.logical_xor.accumulate(crossed < changes)])
    angles = np.unwrap(_wrapped(np.where(swap[:, None], other, angles)), axis=0)
    if np.abs(_wrapped(angles[:, len(order) :])).max(initial=0.0) > 1e-7:
        return None
    return np.asarray(np.degrees(angles[:, : len(order)]))


def _wrapped(radians: FloatArray) -> FloatArray:
    return (radians + np.pi) % (2 * np.pi) - np.pi


def _written_anew(clip: Clip, unit: float, turn: FloatArray) -> BvhFile:
    skeleton, back = clip.skeleton, rotation.inverse(turn)
    rest, world = skeleton.rest, clip.world()
    # BVH rests with all rotations at zero, so a joint's BVH rotation is its turn away from rest, in world axes.
    turned = rotation.multiply(world.rotations, rotation.inverse(rest.rotations))
    local = local_rotations(skeleton, turned)
    jointed = skeleton.parents >= 0
    offsets = rest.positions.copy()
    offsets[jointed] -= rest.positions[skeleton.parents[jointed]]
    # Translation in the parent's BVH frame: local translation turned by the parent's rest.
    shifts = clip.all_translations()
    shifts[:, jointed] = rotation.rotate(rest.rotations[skeleton.parents[jointed]], shifts[:, jointed])
    moving = _moving(shifts, offsets)
    ends = [
        tuple((x, y, z) for x, y, z in (rotation.rotate(back, np.array(own)) / unit).round(6).tolist()) if own else ()
        for own in _end_sites(skeleton, offsets)
    ]
    # From here on in the file's own axes and unit.
    offsets, shifts = rotation.rotate(back, offsets) / unit, rotation.rotate(back, shifts) / unit
    local = rotation.multiply(rotation.multiply(back, local), turn)
    joints, motion = [], []
    for number, name in enumerate(unique_names("_".join(name.split()) for name in skeleton.names)):
        parent = int(skeleton.parents[number])
        position = ("Xposition", "Yposition", "Zposition") if parent < 0 or moving[number] else ()
        # Some readers add a root's offset to its position, others put the position in its place: with none, both are
        # right.
        x, y, z = offsets[number].tolist() if parent >= 0 else (0.0, 0.0, 0.0)
        joints.append(
            BvhJoint(name, parent, (x, y, z), (*position, "Zrotation", "Xrotation", "Yrotation"), ends[number])
        )
        if position:
            motion.append(shifts[:, number])
        angles = _angles(local[:, number], "ZXY")
        assert angles is not None
        motion.append(angles)
    return _depth_first(BvhFile(tuple(joints), 1 / clip.fps, np.concatenate(motion, axis=1).round(9)))


def _end_sites(skeleton: Skeleton, offsets: FloatArray) -> list[list[FloatArray]]:
    """End sites per joint in metres: the skeleton's own, and a short stroke onwards where a last joint has none."""
    found: list[list[FloatArray]] = [[] for _ in skeleton.names]
    for joint, offset in zip(skeleton.end_parents, skeleton.end_offsets, strict=True):
        found[joint].append(rotation.rotate(skeleton.rest.rotations[joint], offset))
    for joint, own in enumerate(found):
        if not own and not skeleton.children[joint]:
            own.append(offsets[joint] * 0.3 if skeleton.parents[joint] >= 0 else np.array([0.0, 0.1, 0.0]))
    return found


def _moving(shifts: FloatArray, offsets: FloatArray) -> IntArray:
    return np.asarray(np.abs(shifts - offsets).max(axis=(0, 2)) > 1e-7, np.int64)


def _depth_first(file: BvhFile) -> BvhFile:
    """Joints and columns in the order in which BVH text nests them."""
    below: dict[int, list[int]] = {}
    for number, joint in enumerate(file.joints):
        below.setdefault(joint.parent, []).append(number)
    order: list[int] = []
    stack = list(reversed(below.get(-1, [])))
    while stack:
        order.append(stack.pop())
        stack += reversed(below.get(order[-1], []))
    place = {number: at for at, number in enumerate(order)}
    joints = tuple(replace(file.joints[n], parent=place.get(file.joints[n].parent, -1)) for n in order)
    starts = file.columns
    columns = [starts[n] + k for n in order for k in range(len(file.joints[n].channels))]
    return replace(file, joints=joints, motion=file.motion[:, columns])
