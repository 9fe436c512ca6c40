"""New clips into the library: worked out first, then written in portions that become visible together.

The write lock is held for one portion at a time, so that what others change meanwhile is saved at once. Until the last
portion is in, the clips are hidden (:attr:`Clip.arriving`); whatever ends an import before that, they are removed.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction
from django.db.models import ProtectedError
from django.utils.crypto import get_random_string

from armuto.body.parts import Assignment
from armuto.formats import Document
from armuto.intake import naming
from armuto.kinematics.clip import Clip as ClipValue
from studio.contents.models import Content
from studio.library import arrays, services
from studio.library.models import Clip, Motion, Plate, RefinedMotion, Skeleton, no_steps
from studio.platform import workers

PORTION = 4 * 1024 * 1024  # bytes of motion per transaction
MOST_AT_ONCE = 100  # clips per transaction


@dataclass(frozen=True)
class NewClip:
    """A clip of a document that is to be kept. trim: first and last frame of its take. floor: where a person said it
    is. recipe: what it is refined by, in its JSON form."""

    value: ClipValue
    name: str
    trim: tuple[int, int]
    floor: float | None = None
    recipe: dict[str, Any] = field(default_factory=no_steps)


class AlreadyThere(Exception):
    """Clips of the very same file are in the library."""


@dataclass
class _Prepared:
    row: Clip
    motion: dict[str, Any]
    drawing: dict[str, Any]
    refined: dict[str, Any] | None = None

    @property
    def size(self) -> int:
        columns = [self.motion, *([self.refined] if self.refined else [])]
        return sum(len(held["rotations"]) + len(held["translations"]) for held in columns)


def keep_clips(
    document: Document,
    content: Content,
    file: str,
    skeleton_name: str,
    clips: Sequence[NewClip],
    with_them: Callable[[], object] = lambda: None,
    once: bool = False,
) -> list[Clip]:
    """Keep clips of one file, all of them or none. Names that are taken get a number.

    with_them: done in the transaction in which they become visible; what it raises goes on, and nothing is kept. once:
    where clips of the very same file are there already, or come in meanwhile, nothing is kept and
    :class:`AlreadyThere` is raised.
    """
    known = Skeleton.objects.filter(identity=arrays.identity(document.skeleton)).first()
    parts = known.assignment() if known else document.parts
    prepared = [_prepared(document, clip, parts) for clip in clips]
    if sum(row.size for row in prepared) <= PORTION and len(prepared) <= MOST_AT_ONCE:
        with transaction.atomic():
            _begin(prepared, document, content, file, skeleton_name)
            _check_once(prepared, once)
            _insert(prepared)
            _reveal(prepared, with_them)
        return [row.row for row in prepared]
    token = f"{workers.name}/{get_random_string(8)}"
    try:
        with transaction.atomic():
            _begin(prepared, document, content, file, skeleton_name)
        for portion in _portions(prepared):
            for row in portion:
                row.row.arriving = token
            with transaction.atomic():
                _insert(portion)
        with transaction.atomic():
            _check_once(prepared, once)
            _reveal(prepared, with_them)
    except BaseException:
        _remove(token)
        _forget(prepared)
        raise
    return [row.row for row in prepared]


def _check_once(prepared: Sequence[_Prepared], once: bool) -> None:
    if once and prepared and Clip.objects.filter(take=prepared[0].row.take).exists():
        raise AlreadyThere


def sweep(everything: bool = False) -> None:
    """Remove clips of imports whose workers are gone, or of all that are not through where nobody works."""
    for token in set(Clip.everything.exclude(arriving="").values_list("arriving", flat=True)):
        if everything or workers.gone(token.partition("/")[0]):
            rows = [_Prepared(row, {}, {}) for row in Clip.everything.filter(arriving=token)[:1]]
            _remove(token)
            _forget(rows)


def _prepared(document: Document, clip: NewClip, parts: Assignment) -> _Prepared:
    row = Clip(name=clip.name, floor=clip.floor, recipe=clip.recipe)
    refined = services.take_up_facts(row, document, clip.value, clip.trim, parts)
    drawing = services.plate_of(refined.clip, document.parts)
    made = None if row.refined_frames is None else services.refined_motion_of(refined)
    return _Prepared(row, services.motion_of(clip.value), drawing, made)


def _begin(prepared: Sequence[_Prepared], document: Document, content: Content, file: str, skeleton_name: str) -> None:
    original = services.keep_original(content, file, document.format)
    skeleton = services.keep_skeleton(document, skeleton_name)
    for row in prepared:
        row.row.take, row.row.skeleton = original, skeleton
    _name(prepared)


def _name(prepared: Sequence[_Prepared]) -> list[Clip]:
    """Give the clips names that nobody has. Returns those that have another one now."""
    ids = {row.row.pk for row in prepared}
    used = {name.casefold() for pk, name in Clip.objects.values_list("pk", "name") if pk not in ids}
    changed = []
    for row, name in zip(prepared, naming.free_names([row.row.name for row in prepared], used), strict=True):
        if name != row.row.name:
            row.row.name = name
            changed.append(row.row)
    return changed


def _portions(prepared: Sequence[_Prepared]) -> Iterator[list[_Prepared]]:
    portion: list[_Prepared] = []
    for row in prepared:
        if portion and (len(portion) == MOST_AT_ONCE or sum(other.size for other in portion) + row.size > PORTION):
            yield portion
            portion = []
        portion.append(row)
    if portion:
        yield portion


def _insert(portion: Sequence[_Prepared]) -> None:
    for row in portion:
        row.row.set_digest()
    Clip.everything.bulk_create([row.row for row in portion])
    Motion.objects.bulk_create([Motion(clip=row.row, **row.motion) for row in portion])
    made = [RefinedMotion(clip=row.row, **row.refined) for row in portion if row.refined is not None]
    RefinedMotion.objects.bulk_create(made)
    Plate.objects.bulk_create([Plate(clip=row.row, drawing=row.drawing) for row in portion])


def _reveal(prepared: Sequence[_Prepared], with_them: Callable[[], object]) -> None:
    """Let the clips be seen, under names that nobody has taken meanwhile."""
    for token in {row.row.arriving for row in prepared} - {""}:
        Clip.everything.bulk_update(_name(prepared), ["name"])
        Clip.everything.filter(arriving=token).update(arriving="")
    for row in prepared:
        row.row.arriving = ""
    if prepared:
        services.observe_soles(prepared[0].row.skeleton)
    with_them()


def _remove(token: str) -> None:
    while ids := list(Clip.everything.filter(arriving=token).values_list("pk", flat=True)[:MOST_AT_ONCE]):
        with transaction.atomic():
            Clip.everything.filter(pk__in=ids).delete()


def _forget(prepared: Sequence[_Prepared]) -> None:
    """Remove the original and the skeleton of an import that came to nothing, where nobody else has them."""
    for row in prepared[:1]:
        for name in ("take", "skeleton"):
            held = getattr(row.row, name, None) if getattr(row.row, f"{name}_id") else None
            if held is not None and held.pk and not Clip.everything.filter(**{name: held}).exists():
                try:
                    with transaction.atomic():
                        held.delete()
                except ProtectedError:
                    continue  # a character is on it
