"""Names and shape of a found body together: every part with its confidence and its reason."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from armuto.body.parts import Assignment, PartBone
from armuto.body.plans import SIDES, Part
from armuto.body.tree import SkeletonTree
from armuto.kinematics.vectors import unit
from armuto.pairing import hands
from armuto.pairing.candidates import Body, Names

LEAF = 0.75  # how sure the head of an animal can be that ends its line: it may be a jaw, or the end of a snout
HANGS = 0.65  # cosine between the way of a neck and that of a last bone, below which it is no more of it
ENDS = ("end", "nub", "tip")
ORDINALS = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth")


class PartSearch:
    """The parts of a body that was found, limb by limb; every bone is given to one part."""

    def __init__(self, anatomy: SkeletonTree, names: Names, body: Body):
        self.anatomy, self.names, self.body, self.plan = anatomy, names, body, body.plan
        self.out: Assignment = {}
        self.taken: set[int] = set()

    def parts(self, named: Assignment) -> Assignment:
        self._paired_limbs()
        self._trunk()
        self._neck_and_head()
        for side in SIDES:
            self._fingers(side)
        self._lines()
        self._twins_of_the_head()
        self._jaw()
        for part, bones in named.items():
            self._by_its_name(part, bones)
        return self.out

    def _give(self, part: str, bones: Sequence[PartBone]) -> None:
        bones = [bone for bone in bones if bone.joint not in self.taken]
        if bones:
            self.out[part] = (*self.out.get(part, ()), *bones)
            self.taken.update(bone.joint for bone in bones)

    def _found(self, joint: int, part: Part, shape: float, why: str) -> PartBone:
        """A bone for a part, with what its name has to say to it."""
        read = self.names.read[joint]
        by_name, phrase = self.names.scores[joint].get(part.kind, (0.0, ""))
        reasons = [why]
        if by_name >= 0.25 and not (part.side and read.side and read.side != part.side):
            shape = 1 - (1 - shape) * (1 - 0.9 * by_name)
            reasons.insert(
                0, f"its name says “{phrase}”" + (f", side “{read.side}”" if part.side and read.side else "")
            )
        elif part.side and read.side and read.side != part.side:
            shape *= 0.8
            reasons.append(f"its name says {read.side}, yet {self.body.side_why or 'it lies on the other side'}")
        elif self.names.worth(joint, part.kind) < 0:
            shape *= 0.85
            reasons.append("its name says something else")
        sure = shape * (self.body.side_sure if part.side else 1.0)
        return PartBone(joint, round(float(np.clip(sure, 0.0, 0.995)), 4), "; ".join(reasons))

    def _paired_limbs(self) -> None:
        body = self.body
        for name, limb in body.limbs.items():
            for side in SIDES:
                which = body.twin(name, side)
                other = "right" if side == "left" else "left"
                parts = self.plan.limbs[f"{side} {name}"]
                for n, joint in limb.joints(which).items():
                    why = f"{ORDINALS[min(n, 8)]} bone from the {limb.kinds[0].follows} outwards, mirror of the {other}"
                    if n == 0 and body.side_why:
                        why += f"; {side}, since {body.side_why}"
                    sure = limb.sure(which, n) * body.sure
                    self._give(parts[n].name, [self._found(joint, parts[n], sure, why)])

    def _trunk(self) -> None:
        anatomy, body, by = self.anatomy, self.body, self.plan.by_name
        hips, chest = body.hips, body.chest
        if not anatomy.is_above(hips, chest):
            hips = anatomy.common(hips, chest) or chest
        legs = "the legs and the trunk branch from it"
        self._give("hips", [self._found(body.hips, by["hips"], 0.93 * body.sure, legs)])
        over = anatomy.above[body.hips]
        if over and "root" in by:
            rooted = [joint for joint in over if self.names.scores[joint].get("root", (0.0, ""))[0] > 0.3]
            sure = 0.9 if rooted else 0.8
            self._give("root", [self._found((rooted or over)[0], by["root"], sure, "it lies above the hips")])
        run = [joint for joint in anatomy.path(hips, chest) if joint != body.hips]
        for n, joint in enumerate(run[:-1], 1):
            if not self._helps(joint):
                why = f"{ORDINALS[min(n, 9) - 1]} bone from the hips upwards"
                self._give("spine", [self._found(joint, by["spine"], 0.95 * body.sure, why)])
        if run:
            limbs = {"four-legged": "front legs", "winged": "wings"}.get(self.plan.name, "arms")
            chest_part = Part(**{**vars(by["chest"]), "kind": "spine"})
            self._give("chest", [self._found(chest, chest_part, 0.95 * body.sure, f"the {limbs} branch from it")])

    def _helps(self, joint: int) -> bool:
        """Whether its name says that a bone of a run is there for the rig alone."""
        return bool(self.names.read[joint].helper) and not self.names.scores[joint]

    def _onwards(self, joint: int) -> list[int]:
        """Children that may carry the neck on: in the middle of the body, not against the way it goes."""
        anatomy, body = self.anatomy, self.body
        mirrored = self._mirrored_children(joint)
        carrying = {above for joint in self.taken for above in anatomy.above[joint]}  # joints on the way to an arm
        out = []
        for child in anatomy.skeleton.children[joint]:
            offset = anatomy.at[child] - anatomy.at[joint]
            aside = abs(float(offset @ body.across))
            if child in self.taken or self._helps(child) or child in mirrored or child in carrying:
                continue
            if self._says_neck(child):
                out.append(child)
            if aside > 0.06 * anatomy.size or self._says_neck(child):
                continue
            length, ahead, high = anatomy.length[child], float(offset @ body.forward), float(offset @ body.up)
            if self.plan.trunk == "upright":  # up, neither hanging down the back as hair does nor out in front as a jaw
                goes = high > 0.35 * length and ahead > -0.45 * length
            else:
                goes = high + 0.7 * ahead > -0.2 * length
            if goes or length == 0:
                out.append(child)
        return out

    def _mirrored_children(self, joint: int) -> set[int]:
        """Children of a joint in the middle of the body that lie to either side and mirror each other, as ears and eyes
        do."""
        anatomy, across = self.anatomy, self.body.across
        children, middle = anatomy.skeleton.children[joint], float(anatomy.at[joint] @ across)
        aside = {child: float(anatomy.at[child] @ across) - middle for child in children}
        out = set()
        for child in children:
            for other in children:
                far = aside[child] - aside[other]
                if far <= 0.005 * anatomy.size or aside[child] * aside[other] >= 0:
                    continue
                reflected = anatomy.at[other] - 2 * aside[other] * across
                if float(np.linalg.norm(reflected - anatomy.at[child])) < 0.25 * far:
                    out |= {child, other}
        return out

    def _says_neck(self, joint: int) -> bool:
        by_name = self.names.scores[joint]
        return "neck" in by_name or "head" in by_name

    def _neck_and_head(self) -> None:
        if self.body.chest not in self.taken:
            return
        line = [self.body.chest]
        while steps := self._onwards(line[-1]):
            if len(line) > 1 and self.plan.trunk != "upright":
                steps = [child for child in steps if not self._hangs(line[-2], line[-1], child)]
                if not steps:
                    break
            line.append(max(steps, key=lambda child: self._leads_on(line[-1], child)))
        run = line[1:]
        if not run:
            return
        scores = np.array([self._head_score(run, n) for n in range(len(run))])
        weights = np.exp(scores - scores.max())
        head = int(np.argmax(scores))
        by = self.plan.by_name
        why = "last bone of the neck" if head else "it stands on the chest"
        sure = float(weights[head] / weights.sum())
        if self.plan.trunk != "upright" and not self.anatomy.skeleton.children[run[head]]:
            sure = min(sure, LEAF)
        self._give("head", [self._found(run[head], by["head"], sure * self.body.sure, why)])
        for n, joint in enumerate(run[:head], 1):
            reason = f"{ORDINALS[min(n, 9) - 1]} bone from the chest to the head"
            # A bone that is called spine belongs to the trunk, above the one that carries the arms.
            self._give("neck", [self._found(joint, by["neck"], (0.5 + 0.5 * sure) * 0.97 * self.body.sure, reason)])

    def _hangs(self, before: int, joint: int, child: int) -> bool:
        """Whether a last bone turns down from the way that the line of the neck goes, as a jaw does."""
        anatomy = self.anatomy
        if anatomy.skeleton.children[child] or self._says_neck(child):
            return False
        along, offset = unit(anatomy.at[joint] - anatomy.at[before]), anatomy.at[child] - anatomy.at[joint]
        turned = float(along @ unit(offset)) < HANGS
        return turned and float(offset @ self.body.up) < float(along @ self.body.up) * anatomy.length[child]

    def _leads_on(self, joint: int, child: int) -> float:
        """How well a child carries on the line of the neck: by its name, by what hangs from it, and by the way it
        goes."""
        anatomy, body = self.anatomy, self.body
        offset = anatomy.at[child] - anatomy.at[joint]
        goes = float(offset @ body.up) / (anatomy.length[child] + 1e-9)
        by_name = 2.0 * self._says_neck(child) - 2.0 * bool(self.names.read[child].helper)
        carries = 0.1 * min(int(anatomy.under[child]), 8) + 0.5 * bool(anatomy.skeleton.children[child])
        return float(by_name + goes + carries)

    def _head_score(self, run: Sequence[int], n: int) -> float:
        """How well bone ``n`` of the line above the chest is the head: by its name, by eyes and jaw, by what comes
        after."""
        anatomy, names = self.anatomy, self.names
        joint = run[n]
        score = names.worth(joint, "head") * 1.3
        score += sum(0.8 * names.worth(other, "neck") for other in run[:n])
        children = anatomy.skeleton.children[joint]
        if len(children) > 1:
            score += 2.5
        if n and self._mirrored_children(joint) - self.taken:
            score += 2.5  # ears or eyes
        score -= 0.3 * (n == 0)
        later = run[n + 1 :]
        for k, other in enumerate(later, n + 1):
            if names.read[other].helper:
                score += 1.0
            elif names.scores[other]:
                score -= 2.0
            # An end is a leaf, and further from the head than neck bones are from each other.
            before = [anatomy.length[joint] for joint in run[1 : n + 1]]
            usual = float(np.mean(before)) if before else anatomy.length[other]
            leaf = not anatomy.skeleton.children[other] and other not in anatomy.ended
            longer = float(np.log((anatomy.length[other] + 1e-9) / (usual + 1e-9)))
            score += (1.6 * (longer - 0.5) + self._ends() if leaf else -2.5) - 0.6 * (k - n - 1)
            if anatomy.idle:
                score += 1.5 if other in anatomy.idle else -2.0
        return score

    def _ends(self) -> float:
        """Evidence from the feet that lines of this skeleton close with a bone that is no part: above zero for it."""
        for limb in self.body.limbs.values():
            if limb.kinds[-1].kind.endswith("toes") and len(limb.kinds) - 1 in limb.ways[0].best:
                return 0.8 if len(limb.twins.a) > limb.ways[0].best[len(limb.kinds) - 1] + 1 else -0.8
        return 0.0

    def _fingers(self, side: str) -> None:
        hand = self.out.get(f"{side} hand")
        if not hand or f"{side} index" not in self.plan.limbs:
            return
        names = self.names
        passed = [
            child
            for child in self.anatomy.skeleton.children[hand[0].joint]
            if names.read[child].helper and not any(f in names.scores[child] for f in hands.FINGERS)
        ]
        found, sure = hands.fingers(self.anatomy, hand[0].joint, passed)
        found = self._named_fingers(found)
        for finger, bones in found.items():
            limb = self.plan.limbs.get(f"{side} {finger}", ())
            by_name = [names.scores[joint].get(finger, (0.0, ""))[0] for joint in bones]
            for n, (part, joint) in enumerate(zip(limb, bones, strict=False)):
                nth = ORDINALS[n]
                why = f"{nth} bone of the {finger} finger, by its place beside the thumb"
                if finger == "thumb":
                    why = f"{nth} bone of a finger that diverges from the others"
                kind = Part(**{**vars(part), "kind": finger})
                shape = (0.55 + 0.42 * sure) * self.body.sure
                shape = max(shape, 0.9) if any(by_name) else shape
                self._give(part.name, [self._found(joint, kind, shape, why)])

    def _named_fingers(self, found: dict[str, list[int]]) -> dict[str, list[int]]:
        """Fingers under the names their bones say, where all of them say one and no two the same."""
        renamed: dict[str, list[int]] = {}
        for bones in found.values():
            votes: dict[str, float] = {}
            for joint in bones:
                for finger in hands.FINGERS:
                    votes[finger] = votes.get(finger, 0.0) + self.names.scores[joint].get(finger, (0.0, ""))[0]
            best = max(votes, key=lambda finger: votes[finger])
            if votes[best] <= 0 or best in renamed:
                return found
            renamed[best] = bones
        return renamed

    def _lines(self) -> None:
        """Limbs of the middle with many bones, such as tails: the longest free line that leaves the hips backwards."""
        anatomy, body = self.anatomy, self.body
        for parts in self.plan.limbs.values():
            part = parts[0]
            if part.side or not part.many or part.follows != "hips" or part.limb == "trunk" or part.name in self.out:
                continue
            hips = anatomy.at[body.hips]
            starts = [
                child
                for child in anatomy.skeleton.children[body.hips]
                if child not in self.taken
                and abs((anatomy.at[anatomy.line(child)[-1]] - hips) @ body.across) < 0.1 * anatomy.size
                and float((anatomy.at[anatomy.line(child)[-1]] - hips) @ body.forward) < 0
            ]
            if starts:
                line = anatomy.line(max(starts, key=lambda child: anatomy.reach[child]))
                line = line[:-1] if self.names.read[line[-1]].helper in ENDS else line
                for n, joint in enumerate(line):
                    why = f"{ORDINALS[min(n, 8)]} bone of a line that leaves the hips backwards"
                    self._give(part.name, [self._found(joint, part, 0.9 * body.sure, why)])

    def _twins_of_the_head(self) -> None:
        """Ears and eyes: pairs of bones on the head, ears above or behind, eyes in front."""
        head = self.out.get("head")
        if not head:
            return
        anatomy, body = self.anatomy, self.body
        joint = head[0].joint
        free = [c for c in anatomy.skeleton.children[joint] if c not in self.taken]
        at = {c: anatomy.at[c] - anatomy.at[joint] for c in free}
        aside = {c: float(at[c] @ body.across) * body.left for c in free}
        pairs = [
            (a, b)
            for a in free
            for b in free
            if aside[a] > 0 > aside[b]
            and abs(aside[a] + aside[b]) < 0.15 * (aside[a] - aside[b])
            and float(np.linalg.norm(at[a] - at[b])) - abs(aside[a] - aside[b]) < 0.1 * abs(aside[a] - aside[b])
        ]
        for a, b in pairs:
            ahead, high = float(at[a] @ body.forward), float(at[a] @ body.up)
            kind = "eye" if ahead > high * 0.8 and not anatomy.skeleton.children[a] else "ear"
            if f"left {kind}" not in self.plan.by_name or f"left {kind}" in self.out:
                continue
            for side, c in (("left", a), ("right", b)):
                part = self.plan.by_name[f"{side} {kind}"]
                where = "in front of" if kind == "eye" else "on top of"
                self._give(part.name, [self._found(c, part, 0.6, f"one of two alike {where} the head")])

    def _jaw(self) -> None:
        """A bone in the middle of the head that leads forwards more than up."""
        head = self.out.get("head")
        if not head or "jaw" not in self.plan.by_name:
            return
        anatomy, body = self.anatomy, self.body
        for child in anatomy.skeleton.children[head[0].joint]:
            offset = anatomy.at[child] - anatomy.at[head[0].joint]
            ahead, high, aside = (float(offset @ way) for way in (body.forward, body.up, body.across))
            if child not in self.taken and ahead > max(high, 0.5 * abs(high)) and abs(aside) < 0.1 * ahead:
                why = "it lies in the middle of the head, low and in front"
                return self._give("jaw", [self._found(child, self.plan.by_name["jaw"], 0.6, why)])

    def _by_its_name(self, part: str, bones: Sequence[PartBone]) -> None:
        """Parts that shape did not find, by their names, below what they follow."""
        plan = self.plan.by_name[part]
        if part in self.out or plan.limb in ("trunk", "neck"):
            return
        limb = self.plan.limbs[plan.limb]
        firm = {bone.joint for other in limb for bone in self.out.get(other.name, ())}
        follows = plan.follows
        while follows and follows not in self.out:
            follows = self.plan.by_name[follows].follows
        over = self.out[follows][-1].joint if follows else None
        good = [
            bone
            for bone in bones
            if bone.joint not in self.taken and (over is None or self.anatomy.is_above(over, bone.joint) or not firm)
        ]
        if good:
            self._give(part, good)
