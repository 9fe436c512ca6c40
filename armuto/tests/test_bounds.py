"""Names and trees that nobody works with: read in a time in proportion to their size, or refused in a sentence."""

import time
from unittest import TestCase

from armuto import formats
from armuto.errors import BadInput
from armuto.formats.bounds import LONGEST_CHAIN, LONGEST_NAME, MOST_JOINTS
from armuto.tests.test_gltf import character

Node = tuple[str, list["Node"]]
#: Seconds of processor time, a hundred times what it takes. No measure of speed: what is not linear takes minutes.
PATIENCE = 60.0


def chain(count: int, name: str, below: list[Node] | None = None) -> Node:
    nodes = below or []
    for number in range(count, 0, -1):
        nodes = [(f"{name}{number}", nodes)]
    return nodes[0]


def bvh(root: Node) -> bytes:
    """A file of a tree, written without recursion, which a long chain would exhaust."""
    lines, count = ["HIERARCHY"], 0
    waiting: list[Node | str] = [root]
    while waiting:
        node = waiting.pop()
        if isinstance(node, str):
            lines.append(node)
            continue
        name, children = node
        first = count == 0
        count += 1
        place = "Xposition Yposition Zposition " if first else ""
        lines += [f"{'ROOT' if first else 'JOINT'} {name}", "{", f"OFFSET {count % 7} {0 if first else 10} {count % 3}"]
        lines.append(f"CHANNELS {6 if first else 3} {place}Zrotation Xrotation Yrotation")
        waiting.append("}")
        waiting += children[::-1] or ["End Site\n{\nOFFSET 0 1 0\n}"]
    row = " ".join(["0"] * (3 + 3 * count))
    return "\n".join([*lines, "MOTION", "Frames: 2", "Frame Time: 0.04", row, row]).encode()


class Trees(TestCase):
    def read(self, root: Node) -> formats.Document:
        begun = time.process_time()
        document = formats.read(bvh(root), "x.bvh")
        self.assertLess(time.process_time() - begun, PATIENCE)
        return document

    def test_long_chains(self) -> None:
        for name in ("bone", "LeftArm", "Spine", "tail"):
            with self.subTest(name):
                self.assertEqual(len(self.read(chain(990, name)).skeleton), 990)

    def test_a_star_of_limbs(self) -> None:
        star: Node = ("Hips", [(f"LeftArm{n}", [(f"LeftHand{n}", [])]) for n in range(1500)])
        self.assertEqual(len(self.read(star).skeleton), 3001)

    def test_a_comb(self) -> None:
        comb: Node = ("end", [])
        for number in range(700):
            comb = (f"c{number}", [comb, (f"d{number}", [(f"e{number}", [])])])
        self.assertEqual(len(self.read(comb).skeleton), 2101)

    def test_more_than_anybody_works_with_is_refused(self) -> None:
        with self.assertRaisesRegex(BadInput, r"^x\.bvh: 1,001 joints follow one another, more than 1,000; export"):
            self.read(chain(LONGEST_CHAIN + 1, "b"))
        with self.assertRaisesRegex(BadInput, r"^x\.bvh: it has 10,001 joints, more than 10,000; export"):
            self.read(("root", [(f"a{n}", []) for n in range(MOST_JOINTS)]))


class Names(TestCase):
    def test_as_long_as_may_be(self) -> None:
        for letters in ("a", "LeftArm", "left_", "l", "1"):
            name = (letters * LONGEST_NAME)[:LONGEST_NAME]
            begun = time.process_time()
            document = formats.read(bvh((name, [(f"{name[:200]}{n}", []) for n in range(40)])), "x.bvh")
            self.assertLess(time.process_time() - begun, PATIENCE)
            self.assertEqual(document.skeleton.names[0], name)

    def test_longer_than_may_be(self) -> None:
        for length in (LONGEST_NAME + 1, 5_000, 200_000):
            with (
                self.subTest(length),
                self.assertRaisesRegex(BadInput, rf"^x\.bvh: the name of a bone has {length:,} letters, more than 255"),
            ):
                formats.read(bvh(("a" * length, [])), "x.bvh")

    def test_of_a_motion(self) -> None:
        made = character()
        made.animate(2, "translation", [0.0, 1.0], [[0, 0, 0], [0, 1, 0]])
        made.tree["animations"][0]["name"] = "n" * 300
        with self.assertRaisesRegex(BadInput, r"^x\.glb: the name of a motion has 300 letters"):
            formats.read(made.glb(), "x.glb")
