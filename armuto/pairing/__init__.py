"""Pairing: which bone of a skeleton is which part of the body plan, and the join of two such assignments.

:func:`assign` reads names (:mod:`armuto.body.names`) and shape (:mod:`armuto.pairing.bodies`) together
(:mod:`armuto.pairing.together`); :func:`pair` joins the assignments of two skeletons on the part; :func:`trees` matches
two skeletons directly, without a plan.
"""

from armuto.pairing.joining import Missing, Pair, pair
from armuto.pairing.matching import trees
from armuto.pairing.together import assign

__all__ = ["Missing", "Pair", "assign", "pair", "trees"]
