"""Handing motion on: other frame rates, fewer keys, travel as it is wanted, and the files that come of it."""
