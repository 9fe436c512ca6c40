"""Ensembles: clips of several performers, and of the props that they use, in one space.

:mod:`.model` says what an ensemble is, and its JSON form; :mod:`.splitting` finds the performers of a file that holds
several; :mod:`.surfaces` and :mod:`.shapes` have the surfaces of bodies and of props, :mod:`.meetings` where these
touch. :mod:`.casting` is the way in: other bodies perform it, so that what met still meets (:mod:`.solver`), and
:mod:`.measures` says how well.
"""
