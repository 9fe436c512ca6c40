"""What contacts are, and their JSON form."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class Contact:
    """The point (see :mod:`armuto.contacts.points`) rests from frame first to frame last, both included.

    to: what it rests against, where that is not the world: another point of the body, as hands that carry something
    between them do, or one of the body's parts. height: metres above the source's floor, 0 on it. by_hand: set by a
    person, not found.
    """

    point: str
    first: int
    last: int
    to: str = ""
    height: float = 0.0
    by_hand: bool = False

    def to_json(self) -> dict[str, Any]:
        return {"point": self.point, "first": self.first, "last": self.last, "to": self.to}


@dataclass(frozen=True)
class ContactSet:
    """The contacts of a clip, and the height of its floor in metres."""

    contacts: tuple[Contact, ...] = ()
    floor: float = 0.0


def from_json(rows: Any, names: Sequence[str], frames: int) -> tuple[Contact, ...]:
    """Contacts set by a person, from plain data. Raises ValueError, saying what is wrong with them."""
    if not isinstance(rows, list):
        raise ValueError("the contacts are damaged")
    out = []
    for row in rows:
        try:
            contact = Contact(str(row["point"]), int(row["first"]), int(row["last"]), str(row.get("to", "")), 0.0, True)
        except (TypeError, KeyError, AttributeError):
            raise ValueError("a contact is damaged") from None
        if contact.point not in names:
            raise ValueError(f"there is no point “{contact.point}” that could touch something")
        if not 0 <= contact.first <= contact.last < frames:
            raise ValueError(f"a contact of the {contact.point} lies outside the clip's frames 0 to {frames - 1}")
        out.append(contact)
    return tuple(sorted(out, key=lambda contact: (contact.first, contact.point)))
