"""Why a bone does or does not follow: one sentence for every bone of the character."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from armuto.body.parts import Assignment
from armuto.pairing.twist_joints import twists
from armuto.retarget.fitting import Fitting


@dataclass(frozen=True)
class Follows:
    """kind: "paired", "resampled", "twist share", "left out", "missing", "not in the plan". still: its source does not
    move."""

    bone: str
    kind: str
    text: str
    still: bool = False


def follows(fitting: Fitting, parts: Assignment, still: Collection[str] = ()) -> tuple[Follows, ...]:
    """What every bone of the target follows. parts: what its bones were read as. still: source bones that do not
    move."""
    target, mapping = fitting.target, fitting.joint_mapping
    pairs = {name: pair for pair in fitting.pairs for name in pair.target}
    turning = {twist.joint: twist for twist in twists(target, mapping)}
    read = {bone.joint: part for part, bones in parts.items() for bone in bones}
    out = []
    for joint, name in enumerate(target.names):
        if joint in mapping:
            driver, pair = mapping[joint], pairs[name]
            sources = [
                fitting.source.names[fromkey]
                for fromkey in dict.fromkeys(driver.among or (driver.source, driver.blend_source))
            ]
            quiet = all(source in still for source in sources)
            what = f" as {'the ' if pair.part else ''}{pair.part or 'a pair outside the body plan'}"
            if driver.resampled:
                text = f"Resampled{what}: it takes its turn from {_listed(sources)}, along the length of the limb."
            elif driver.among:
                text = f"Follows the mean of {_listed(sources)}{what}."
            else:
                text = f"Follows {sources[0]}{what}."
            if quiet:
                text += f" {_listed(sources)} {'has' if len(sources) == 1 else 'have'} no motion in this clip."
            out.append(Follows(name, "resampled" if driver.resampled else "paired", text, quiet))
        elif joint in turning:
            twist = turning[joint]
            lower, upper = target.names[twist.lower], target.names[twist.upper]
            text = f"Takes {twist.share * 100:.0f} of 100 of the turn of {lower} about {upper}."
            out.append(Follows(name, "twist share", text))
        elif read.get(joint) in fitting.left_out:
            out.append(
                Follows(
                    name, "left out", f"The {read[joint]} was left out on purpose; {_carried(fitting, joint, mapping)}"
                )
            )
        elif read.get(joint) in fitting.plan.by_name:
            part = read[joint]
            text = f"It looks like the {part}, which is not paired; {_carried(fitting, joint, mapping)}"
            out.append(Follows(name, "missing", text))
        else:
            text = f"It is no part of the body plan; {_carried(fitting, joint, mapping)}"
            out.append(Follows(name, "not in the plan", text))
    return tuple(out)


def _carried(fitting: Fitting, joint: int, mapping: Collection[int]) -> str:
    target = fitting.target
    above = target.above(joint, mapping)
    if above is None:
        return "nothing carries it, so it stands still."
    return f"{target.names[above]} carries it along as it rests."


def _listed(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} and {names[-1]}"
