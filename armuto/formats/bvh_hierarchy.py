"""The HIERARCHY section of a BVH file: a tree of joints in braces, with offsets and channels."""

from __future__ import annotations

from dataclasses import dataclass, replace

from armuto.errors import BadInput

CHANNELS = {f"{axis}{kind}" for axis in "xyz" for kind in ("position", "rotation")}
AXES = {"x": 0, "y": 1, "z": 2}
LARGEST = 1e9  # no file means a number beyond that
MOST_JOINTS = 20_000


@dataclass(frozen=True)
class BvhJoint:
    """One ROOT or JOINT: its name as written, parent (-1 for a root), OFFSET, channels as written, end sites."""

    name: str
    parent: int
    offset: tuple[float, float, float]
    channels: tuple[str, ...]
    ends: tuple[tuple[float, float, float], ...] = ()

    @property
    def positions(self) -> list[tuple[int, int]]:
        """``(column within the joint, axis)`` of the position channels."""
        return [(k, AXES[c[0].lower()]) for k, c in enumerate(self.channels) if c.lower().endswith("position")]

    @property
    def turns(self) -> list[tuple[int, str]]:
        """``(column within the joint, axis letter)`` of the rotation channels, in their order."""
        return [(k, c[0].upper()) for k, c in enumerate(self.channels) if c.lower().endswith("rotation")]


def read_hierarchy(text: str, file: str, whole: bool) -> tuple[BvhJoint, ...]:
    """The joints of the section, parents before children. whole: whether the file goes on behind it.

    Raises :class:`BadInput` naming the line.
    """
    return _Reader(text, file, whole).read()


class _Reader:
    """Reads words one after another. at: which is next; blocks: the joints whose braces are open, None for an end site;
    opening: what the next brace opens."""

    def __init__(self, text: str, file: str, whole: bool) -> None:
        self.file, self.whole = file, whole
        rows = [(n, row.replace("{", " { ").replace("}", " } ").split()) for n, row in enumerate(text.splitlines(), 1)]
        self.words = [(n, word) for n, words in rows for word in words]
        self.joints: list[BvhJoint] = []
        self.blocks: list[int | None] = []
        self.opening: int | None = None
        self.may_open = False
        self.at = 1

    def read(self) -> tuple[BvhJoint, ...]:
        readers = {
            "ROOT": self._root,
            "JOINT": self._joint,
            "END": self._end_site,
            "{": self._open,
            "}": self._close,
            "OFFSET": self._offset,
            "CHANNELS": self._channels,
        }
        while self.at < len(self.words):
            line, word = self.words[self.at]
            reader = readers.get(word.upper())
            if reader is None:
                raise self._fault(line, f"“{word[:40]}” is not expected here")
            reader(line)
        if self.blocks:
            raise self._fault(self.words[-1][0], "a joint is not closed")
        if not self.joints:
            raise BadInput(f"{self.file}: there are no joints in it; export the skeleton with the motion.")
        return tuple(self.joints)

    def _root(self, line: int) -> None:
        if self.blocks:
            raise self._fault(line, "a ROOT stands inside another joint")
        self._add(line, -1)

    def _joint(self, line: int) -> None:
        parent = self.blocks[-1] if self.blocks else None
        if parent is None:
            raise self._fault(line, "a JOINT stands outside any joint")
        self._add(line, parent)

    def _add(self, line: int, parent: int) -> None:
        if len(self.joints) >= MOST_JOINTS:
            raise self._fault(line, f"more than {MOST_JOINTS} joints")
        stop = self._end_of_name(line)
        name = " ".join(word for _, word in self.words[self.at + 1 : stop])
        self.joints.append(BvhJoint(name, parent, (0.0, 0.0, 0.0), ()))
        self.opening, self.may_open, self.at = len(self.joints) - 1, True, stop

    def _end_site(self, line: int) -> None:
        if not self.blocks or self.blocks[-1] is None:
            raise self._fault(line, "an End Site stands outside any joint")
        self.opening, self.may_open, self.at = None, True, self._end_of_name(line)

    def _end_of_name(self, line: int) -> int:
        stop = self.at + 1
        while stop < len(self.words) and self.words[stop][0] == line and self.words[stop][1] != "{":
            stop += 1
        return stop

    def _open(self, line: int) -> None:
        if not self.may_open:
            raise self._fault(line, "a { without a joint before it")
        self.blocks.append(self.opening)
        self.may_open, self.at = False, self.at + 1

    def _close(self, line: int) -> None:
        if not self.blocks:
            raise self._fault(line, "one } too many")
        self.blocks.pop()
        self.at += 1

    def _offset(self, line: int) -> None:
        if not self.blocks:
            raise self._fault(line, "an OFFSET outside any joint")
        x, y, z = self._numbers(3, line, "OFFSET")
        block = self.blocks[-1]
        if block is None:
            owner = next(joint for joint in reversed(self.blocks) if joint is not None)
            self.joints[owner] = replace(self.joints[owner], ends=(*self.joints[owner].ends, (x, y, z)))
        else:
            self.joints[block] = replace(self.joints[block], offset=(x, y, z))
        self.at += 4

    def _channels(self, line: int) -> None:
        block = self.blocks[-1] if self.blocks else None
        if block is None:
            raise self._fault(line, "CHANNELS outside any joint")
        (count,) = self._numbers(1, line, "CHANNELS")
        if count != int(count) or not 0 <= count <= 6:
            raise self._fault(line, f"a joint cannot have {count:g} channels")
        names = tuple(word for _, word in self.words[self.at + 2 : self.at + 2 + int(count)])
        if len(names) < count or any(name.lower() not in CHANNELS for name in names):
            raise self._fault(line, f"CHANNELS promises {int(count)} and lists “{' '.join(names)[:80]}”")
        if len({name.lower() for name in names}) < len(names):
            raise self._fault(line, "the same channel is listed twice")
        self.joints[block] = replace(self.joints[block], channels=names)
        self.at += 2 + int(count)

    def _numbers(self, count: int, line: int, what: str) -> list[float]:
        words = [word for _, word in self.words[self.at + 1 : self.at + 1 + count]]
        try:
            values = [float(word) for word in words]
        except ValueError:
            raise self._fault(line, f"{what} needs {count} numbers, found “{' '.join(words)[:60]}”") from None
        if len(values) < count:
            raise self._fault(line, f"the file is cut inside {what}")
        if not all(abs(value) < LARGEST for value in values):
            raise self._fault(line, f"{what} is not a usable number")
        return values

    def _fault(self, line: int, what: str) -> BadInput:
        if not self.whole and self.at + 8 >= len(self.words):  # what is wrong is that it ends here
            what = "the file is cut inside the joints"
        return BadInput(f"{self.file}: line {line}: {what}; export the file again.")
