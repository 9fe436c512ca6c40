"""Motion retrieval: finding clips by what they are called and by what moves in them.

``features`` measures what a clip's motion does, ``query`` reads from a person's words what is wanted, and ``ranking``
says how well each clip fits, and why. ``vocabulary.json`` holds the words.
"""

from armuto.retrieval.features import MotionFeature, features_of
from armuto.retrieval.query import Query, read_query
from armuto.retrieval.ranking import FITS, ClipIndex, ClipText, Match, Ranking

__all__ = [
    "FITS",
    "ClipIndex",
    "ClipText",
    "Match",
    "MotionFeature",
    "Query",
    "Ranking",
    "features_of",
    "read_query",
]
