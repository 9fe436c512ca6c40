"""Touch-ups: small keyed corrections, in layers, over what a transfer has made.

:mod:`~armuto.touchups.model` has the values and their JSON form, :mod:`~armuto.touchups.curves` what is between keys,
:mod:`~armuto.touchups.applying` what layers do to a motion, :mod:`~armuto.touchups.resolving` which joints they mean
on a character, :mod:`~armuto.touchups.baseline` whether the motion under them is still the one they were made on,
:mod:`~armuto.touchups.carrying` how they go to other characters and clips.
"""

from armuto.touchups.model import Key, Layer, Layers, TouchUp, from_file, from_json, to_json

__all__ = ["Key", "Layer", "Layers", "TouchUp", "from_file", "from_json", "to_json"]
