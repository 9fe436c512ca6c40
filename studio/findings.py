"""Findings over HTTP."""

from ninja import Schema


class FindingOut(Schema):
    """frames: first and last, where it is worst; spans: everywhere. size and source: the measure on the rendition and on its
    source, in unit. mend: the control by which it can be mended."""

    kind: str
    part: str
    frames: list[int]
    size: float
    source: float
    unit: str
    text: str
    grade: str
    mend: str
    spans: list[list[int]]
