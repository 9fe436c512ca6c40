"""Measuring what the motion of clips does, in the worker, and the library as something to be searched."""

import logging
from collections.abc import Iterator, Sequence
from typing import Any

from armuto.retrieval import ClipIndex, ClipText, MotionFeature, features_of
from studio.callsheet.models import ClipFeatures
from studio.library.models import Clip
from studio.platform.digests import digest

logger = logging.getLogger(__name__)
PORTION = 25  # clips, after which others hear of it
#: What steps of recipes are called by people who look for clips.
STEP_WORDS = {"loop": "loop", "mirror": "mirrored", "pace": "pace", "backwards": "backwards", "path": "path turn"}


def motion_digest(clip: Clip) -> str:
    return digest(clip.motion_key, clip.skeleton.parts)


def is_measured(clip: Clip) -> bool:
    """Whether its motion has been measured as it is now."""
    held = getattr(clip, "features", None)
    return held is not None and bool(held.motion == motion_digest(clip))


def unmeasured() -> Iterator[Clip]:
    """Clips whose motion has not been measured as it is now."""
    return (clip for clip in searched() if not is_measured(clip))


def searched() -> Sequence[Clip]:
    """The clips that wanted motions are looked for among. Those on the same skeleton share its row, which is large."""
    needed = ("name", "tags", "recipe", "skeleton_id", "content", "first", "last", "retired")
    rows = Clip.objects.filter(retired=False).select_related("features")
    return list(rows.only(*needed, "features__motion", "features__measured").prefetch_related("skeleton"))


def measure(most: int | None = None) -> int:
    """Measure clips that are not; returns how many were. Of a clip that cannot be measured nothing is known."""
    count = 0
    for clip in unmeasured():
        if count == most:
            break
        found: dict[str, MotionFeature] = {}
        try:
            found = features_of(clip.value(), clip.skeleton.assignment())
        except (ArithmeticError, ValueError, LookupError) as problem:
            logger.warning("Not measured: %s (%s)", clip.name, problem)
        measured = {name: [feature.degree, feature.sentence] for name, feature in found.items()}
        # Others may have removed the clip meanwhile.
        if Clip.everything.filter(pk=clip.pk).exists():
            ClipFeatures.objects.update_or_create(
                clip_id=clip.pk, defaults={"motion": motion_digest(clip), "measured": measured}
            )
        count += 1
    return count


#: The index that was made last, and what it was made of: people look through a call sheet row by row.
_cached: tuple[list[tuple[Any, ...]], ClipIndex] | None = None


def index_of(clips: Sequence[Clip]) -> ClipIndex:
    """The clips by their names, tags, skeletons, recipes and motion."""
    global _cached
    sources = [_shown_by(clip) for clip in clips]
    cached = _cached
    if cached is None or cached[0] != sources:
        cached = _cached = sources, ClipIndex([_text(clip) for clip in clips])
    return cached[1]


def _shown_by(clip: Clip) -> tuple[Any, ...]:
    held = getattr(clip, "features", None)
    return clip.pk, clip.name, clip.tags, clip.skeleton.name, clip.recipe, held and (held.motion, len(held.measured))


def _text(clip: Clip) -> ClipText:
    steps = [STEP_WORDS[step.kind] for step in clip.steps.active if step.kind in STEP_WORDS]
    held = getattr(clip, "features", None)
    features = {name: MotionFeature(*row) for name, row in held.measured.items()} if held else {}
    return ClipText(clip.name, " ".join([*clip.tags, clip.skeleton.name, *steps]), features)
