"""What has been done for each wanted motion, and which clips could be taken for it."""

from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import asdict
from typing import Any

import numpy as np

from armuto.retrieval import FITS, ClipIndex, Query, read_query
from studio.callsheet.features import index_of, is_measured, searched
from studio.callsheet.models import WantedMotion
from studio.callsheet.services import fields_of
from studio.library.models import Clip
from studio.renditions.models import Rendition
from studio.renditions.queries import CODE, state_of, with_state

CANDIDATES = 24
#: What is still to do for a character of a row, from the beginning to the end.
MISSING, TO_CHOOSE, IN_WORK, DONE = "missing", "to choose", "in work", "done"
MADE = {CODE[word] for word in ("good", "look", "wrong", "accepted")}


def wanted_motions() -> list[WantedMotion]:
    return list(WantedMotion.objects.prefetch_related("characters__skeleton", "clips__skeleton"))


def asked(row: WantedMotion) -> Query:
    """What a row asks for, in all its words."""
    return read_query(row.motion, row.mood, row.prop)


def overview(rows: Sequence[WantedMotion]) -> tuple[list[dict[str, Any]], int]:
    """Every row with what there is for each of its characters, and how many clips have not been measured yet."""
    clips = searched()
    index = index_of(clips)
    plans = _plans(clips)
    results = _results(rows)
    unmeasured = sum(not is_measured(clip) for clip in clips)
    return [_shown(row, clips, plans, index, results) for row in rows], unmeasured


def _plans(clips: Sequence[Clip]) -> list[str]:
    """The body plan of each clip."""
    of_skeletons = {clip.skeleton_id: clip.skeleton for clip in clips}
    plans = {pk: skeleton.plan for pk, skeleton in of_skeletons.items()}
    return [plans[clip.skeleton_id] for clip in clips]


def _shown(
    row: WantedMotion,
    clips: Sequence[Clip],
    plans: Sequence[str],
    index: ClipIndex,
    results: dict[tuple[int, int], tuple[bool, bool]],
) -> dict[str, Any]:
    query = asked(row)
    chosen = [clip for clip in row.clips.all() if not clip.retired]
    taken = {clip.pk for clip in chosen}
    fitting = np.flatnonzero(index.scores(query) >= FITS).tolist()
    open_plans = Counter(plans[at] for at in fitting if clips[at].pk not in taken)
    cells: list[dict[str, Any]] = []
    for character in row.characters.all():
        if character.retired:
            continue
        plan = character.skeleton.plan
        own = [clip.pk for clip in chosen if clip.skeleton.plan == plan]
        states = [results.get((clip, character.pk), (False, False)) for clip in own]
        accepted = sum(done for _, done in states)
        fits = open_plans[plan]
        state = DONE if accepted >= row.variants else IN_WORK if own else TO_CHOOSE if fits else MISSING
        made = sum(made for made, _ in states)
        cell = {"character_id": character.pk, "state": state, "chosen": len(own), "made": made, "accepted": accepted}
        cells.append(cell | {"fits": fits})
    cast = {character.skeleton.plan for character in row.characters.all() if not character.retired}
    fits = sum(count for plan, count in open_plans.items() if not cast or plan in cast)
    alone = IN_WORK if chosen else TO_CHOOSE if fits else MISSING
    return {
        "id": row.pk,
        "lock_version": row.lock_version,
        **fields_of(row),
        "words": list(query.terms),
        "motions": [name if wanted else f"not: {name}" for name, wanted in query.wanted.items()],
        "fits": fits,
        "state": furthest_behind([cell["state"] for cell in cells] or [alone]),
        "cells": cells,
    }


def furthest_behind(states: Iterable[str]) -> str:
    return min(states, key=(MISSING, TO_CHOOSE, IN_WORK, DONE).index)


def _results(rows: Sequence[WantedMotion]) -> dict[tuple[int, int], tuple[bool, bool]]:
    """Per clip and character whether there is a result of it as it is now, and whether it is accepted."""
    clips = {clip.pk for row in rows for clip in row.clips.all()}
    renditions = with_state(Rendition.objects.filter(clip_id__in=clips, retired=False).order_by())
    out: dict[tuple[int, int], tuple[bool, bool]] = {}
    for row in renditions:
        state = state_of(row)
        out[row.clip_id, row.character_id] = state in MADE, state == CODE["accepted"]
    return out


def candidates(row: WantedMotion) -> list[dict[str, Any]]:
    """Clips that could be taken for a row, the best first: those that fit, or else a few that come near; of bodies
    that its characters have."""
    clips = searched()
    taken = {clip.pk for clip in row.clips.all()}
    cast: dict[str, list[int]] = defaultdict(list)
    for character in row.characters.all():
        if not character.retired:
            cast[character.skeleton.plan].append(character.pk)
    out: list[dict[str, Any]] = []
    plans = _plans(clips)
    for ranking in index_of(clips).rank(asked(row)):
        clip, plan = clips[ranking.clip], plans[ranking.clip]
        if cast and plan not in cast and clip.pk not in taken:
            continue
        out.append(
            {
                "clip_id": clip.pk,
                "score": ranking.score,
                "fits": ranking.score >= FITS,
                "chosen": clip.pk in taken,
                "matches": [asdict(match) for match in ranking.matches],
                "character_ids": cast.get(plan, []),
            }
        )
        if len(out) == CANDIDATES:
            break
    # What was chosen by hand is shown, whatever it has to do with the words.
    listed = {row["clip_id"] for row in out}
    for clip in row.clips.all():
        if clip.pk not in listed and not clip.retired:
            out.append(
                {"clip_id": clip.pk, "score": 0.0, "fits": False, "chosen": True, "matches": []}
                | {"character_ids": cast.get(clip.skeleton.plan, [])}
            )
    return out
