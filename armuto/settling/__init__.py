"""Settling a transfer: what rotations alone leave undone. Contacts, hands, arms, proportions, travel and joint limits.

Everything here works on whole clips in world space, joint first, between the rotations of :mod:`armuto.transfer` and the local
motion that is written. :mod:`armuto.settling.settings` holds what a person may choose.
"""

from armuto.settling.settings import PLAIN, Settings

__all__ = ["PLAIN", "Settings"]
