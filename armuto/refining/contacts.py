"""Contacts that a person set, between frames of the take, in which they are kept, and those of the refined clip."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from armuto.body.mirror import mirrored
from armuto.contacts.model import Contact
from armuto.refining.refined import Refined


def contacts_shown(rows: Iterable[Mapping[str, Any]], refined: Refined) -> list[Contact]:
    """Wherever the clip shows them, on the other side where it is mirrored. rows: their JSON form, in frames of the
    take, which may lie between two."""
    side = mirrored if refined.mirrored else str
    return [
        Contact(side(row["point"]), first, last, side(row.get("to", "")), 0.0, True)
        for row in rows
        for first, last in refined.spans(row["first"], row["last"])
    ]


def contacts_of_take(contacts: Iterable[Contact], refined: Refined) -> list[dict[str, Any]]:
    """Their JSON form in frames of the take, for contacts that are set in those of the clip; each once where the clip
    shows it several times."""
    side = mirrored if refined.mirrored else str
    out: list[dict[str, Any]] = []
    for contact in contacts:
        first, last = (_whole(frame) for frame in refined.take_span(contact.first, contact.last))
        row = replace(contact, point=side(contact.point), to=side(contact.to)).to_json() | {
            "first": first,
            "last": last,
        }
        if row not in out:
            out.append(row)
    return out


def _whole(frame: float) -> float:
    return round(frame) if abs(frame - round(frame)) < 1e-6 else frame
