"""Optimistic concurrency control for rows that several people change, field by field.

Who changes something says on which version they saw it (``If-Match``, RFC 9110). What others have changed beside it is
merged; where they have changed the same field to something else since, the change is refused with both values.
"""

from collections.abc import Mapping
from typing import Any

from django.db import models
from django.http import HttpRequest, HttpResponse

from armuto.errors import BadInput

#: The columns to save with whatever a claimed change touches.
VERSION_FIELDS = ("lock_version", "field_versions")
WORDS = {
    "range": "the frames that are kept",
    "floor": "the floor",
    "recipe": "the recipe",
    "retired": "whether it is retired",
    "remarks": "the remarks",
    "tags": "the tags",
    "about": "the description",
    "parts": "the bones",
}


class Conflict(BadInput):
    """Others have changed the same since; the sentence says what."""


class Versioned(models.Model):
    """lock_version: grows with every change. field_versions: the version in which each field was changed last."""

    lock_version = models.PositiveIntegerField(default=1)
    field_versions = models.JSONField(default=dict)

    class Meta:
        abstract = True

    def claim(self, base: int | None, now: Mapping[str, Any], wanted: Mapping[str, Any]) -> None:
        """Count fields as changed. base: the version that the change was made on, or None where nobody said.

        now, wanted: values of the fields before and after. The row is read under the lock under which it is saved, with
        :data:`VERSION_FIELDS`. Raises :class:`Conflict` for a field that others have changed since base, unless to the
        same.
        """
        changed = [field for field, value in wanted.items() if now[field] != value]
        if base is not None:
            if not 0 < base <= self.lock_version:
                raise Conflict(f"“{self}” was changed on a version that there is not; look at it again.")
            for field in changed:
                if self.field_versions.get(field, 0) > base:
                    theirs, own = _shown(now[field]), _shown(wanted[field])
                    did = f"changed {WORDS.get(field, field)} of “{self}” to {theirs} since, not to {own}"
                    if field == "name":
                        did = f"named this {theirs} since, not {own}"
                    raise Conflict(f"Somebody else has {did}; look at it, then apply yours again.")
        if changed:
            self.lock_version += 1
            self.field_versions = self.field_versions | dict.fromkeys(changed, self.lock_version)

    def claim_whole(self, base: int | None) -> None:
        """Raises :class:`Conflict` where anything was changed since: of a row that is to be removed."""
        if base is not None and self.lock_version != base:
            raise Conflict(f"Somebody else has changed “{self}” since; look at it, then remove it again.")


def _shown(value: Any) -> str:
    """A value in a sentence, cut where it is long."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if value is None:
        return "what was found"
    if isinstance(value, (list, tuple)):
        between = " to " if all(isinstance(part, int) for part in value) else ", "
        return between.join(map(str, value))[:60]
    if isinstance(value, str):
        return f"“{value if len(value) <= 60 else f'{value[:59]}…'}”"
    return str(value) if isinstance(value, (int, float)) else "something else"


def base_version(request: HttpRequest) -> int | None:
    """The version that a change was made on, as ``If-Match`` says; None where it says nothing. 0, which no row has, for
    what is no version of ours."""
    text = request.headers.get("If-Match", "").strip().removeprefix("W/").strip('"')
    if text in ("", "*"):
        return None
    return int(text) if text.isdecimal() and len(text) < 10 else 0


def etag(version: int | None) -> str:
    return f'"{version}"'


def name_version(response: HttpResponse, version: int) -> None:
    """Say the version of what is answered, by which it can be changed."""
    response["ETag"] = etag(version)
    # What can be undone is another for each person; a browser's own cache would mix them up.
    response["Cache-Control"] = "no-store"
