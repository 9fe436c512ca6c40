"""What is wrong with the joins of a splice, in words."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from armuto.splicing.joining import MadeJoin

DOES_NOT_MEET = 35.0  # centimetres


def findings(joins: Sequence[MadeJoin], names: Sequence[str]) -> list[str]:
    """What is wrong, one sentence for each. names: of the clips of every span."""
    out = []
    for join in joins:
        second = names[join.span] if join.number is None else names[join.span + 1]
        where = f"{names[join.span]} into {second}, frame {join.middle}"
        cost, measures = join.candidate, join.measures
        if not np.isfinite(cost.cost):
            out.append(f"{where}: the body goes from one foot to the other; choose another place.")
        elif cost.pose > DOES_NOT_MEET:
            out.append(f"{where}: the clips do not meet here, their poses are {cost.pose:.0f} cm apart.")
        if measures.velocity.joined > 1.5 * measures.velocity.clips + 25:
            out.append(
                f"{where}: it jerks, a joint changes its speed by {measures.velocity.joined:.0f} cm/s at once "
                f"({measures.velocity.clips:.0f} in the clips); make the overlap longer."
            )
        if measures.slide.joined > max(measures.slide.clips, 0.5) + 1.0:
            out.append(f"{where}: a resting foot slides at {measures.slide.joined:.1f} cm/s.")
        if abs(measures.heading) > 45:
            out.append(f"{where}: the way turns by {abs(measures.heading):.0f}° at once.")
    return out


def where_they_do_not_meet(first: str, second: str) -> str:
    """Of clips between which every place is refused."""
    return (
        f"“{first}” and “{second}” meet nowhere in this range: the body would go from one foot to the other in every "
        "frame; widen the range, mirror one of them, or name the frames yourself."
    )
